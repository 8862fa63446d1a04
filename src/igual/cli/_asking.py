"""Open values asked one by one on a terminal, each answer on disk before the next question."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

import click
from rich.text import Text

from igual.cli._loading import today
from igual.files.rulings import record_rulings, withdraw_ruling
from igual.matching.index import MatchIndex
from igual.matching.matcher import match_values
from igual.report.reasons import format_reasons
from igual.report.tables import draw_text, draw_value
from igual.report.terminal import show, show_line
from igual.report.wording import format_count, format_score
from igual.rulings import KEEP, NEW, NOT_LISTED, Ruling
from igual.runs.account import Account, OpenValue
from igual.runs.rulebook import Rulebook
from igual.text.characters import printable
from igual.text.folding import folded_key

_HELP = "   / search  n new entry  k keep it  x not in the list  s skip  u undo  q stop"
_FOUND = 9


class _Asking:
    """The questions, where we are, and what was answered."""

    def __init__(self, book: Rulebook, waiting: Sequence[OpenValue], kept: Path, who: str) -> None:
        self.book, self.waiting, self.kept, self.who = book, waiting, kept, who
        self.answered: list[tuple[int, Ruling]] = []
        self.indexes: dict[str, MatchIndex] = {}

    def run(self) -> None:
        place = 0
        while 0 <= place < len(self.waiting):
            key, choices = self._asked(place)
            if key == "q":
                return
            if key == "u":
                place = self._undone(place)
                continue
            if key != "s":
                ruling = self._ruling(place, key, choices)
                if ruling is None:
                    continue
                record_rulings(self.kept, [ruling])
                self.answered.append((place, ruling))
                show(draw_text(f"   → {ruling.ruling}", "green"), "")
            place += 1

    def _asked(self, place: int) -> tuple[str, list[str]]:
        one = self.waiting[place]
        choices = [one.proposal, *(entry for entry, _ in one.runners_up)] if one.proposal else []
        lines = Text.assemble(
            (f"{place + 1} of {len(self.waiting)}  ", "dim"),
            draw_text(f"{one.column}  ", "dim"),
            draw_value(one.value, "bold"),
            (f"  {format_count(one.rows, 'row')}", "dim"),
            "\n   ",
            draw_text(format_reasons(one.reasons, one.value, one.proposal), "dim"),
        )
        scores = [one.score, *(score for _, score in one.runners_up)]
        for number, (entry, score) in enumerate(zip(choices, scores, strict=False), 1):
            key = "enter" if number == 1 else str(number)
            picked = Text.assemble(
                (f"\n   {key:<7}", "cyan"), draw_value(entry), (f"  {format_score(score)}", "dim")
            )
            lines.append_text(picked)
        show(lines, Text(_HELP, style="dim"))
        valid = {"s", "q", "u", "n", "k", "x", "/", *(str(n) for n in range(1, len(choices) + 1))}
        while True:
            key = click.getchar().lower()
            if key in ("\r", "\n", "y") and choices:
                return "1", choices
            if key in ("\x03", "\x04", "\x1b"):
                return "q", choices
            if key in valid:
                return key, choices

    def _ruling(self, place: int, key: str, choices: Sequence[str]) -> Ruling | None:
        """What a key rules; None: nothing after all."""
        one = self.waiting[place]
        if key == "/":
            entry = self._searched(one)
            if entry is None:
                return None
            return Ruling(one.column, one.value, entry, "", self.who, today())
        if key == "n":
            spelled = click.prompt(
                f"   spelled [{printable(one.value)}]", default=one.value, show_default=False
            ).strip()
            text = NEW if spelled in ("", one.value) else f"{NEW}: {spelled}"
            return Ruling(one.column, one.value, text, "", self.who, today())
        words = {"k": KEEP, "x": NOT_LISTED}
        return Ruling(one.column, one.value, words.get(key) or choices[int(key) - 1], "", self.who, today())

    def _searched(self, one: OpenValue) -> str | None:
        """An entry that the steward looks for; None when there was none to their liking."""
        sought = click.prompt("   search", default="", show_default=False).strip()
        found = self._found(one.column, sought) if sought else []
        if not found:
            show(Text("   no entry is like that" if sought else "   nothing was searched", style="yellow"))
            return None
        for number, entry in enumerate(found, 1):
            show(Text.assemble((f"   {number}  ", "cyan"), draw_value(entry)))
        show(Text("   a number picks one; any other key goes back", style="dim"))
        key = click.getchar()
        return found[int(key) - 1] if key.isdecimal() and 1 <= int(key) <= len(found) else None

    def _found(self, column: str, sought: str) -> list[str]:
        """Entries that hold what was typed, in whatever case, and then those that are like it."""
        import pyarrow as pa

        found: list[str] = []
        texts = pa.array([sought], pa.large_string())
        key = folded_key(texts)[0].as_py()
        for name, reference in self.book.lists_of(column).items():
            index = self.indexes.setdefault(name, MatchIndex(reference))
            keys = folded_key(index.spellings).to_pylist()
            holding = [reference.entry_of[spelling] for spelling, its in
                       zip(index.spellings.to_pylist(), keys, strict=True) if key and key in its]  # fmt: skip
            alike = [index.names[entry] for entry, _ in match_values(texts, index).rank_candidates(0)]
            found += [*sorted(holding, key=lambda entry: (len(entry), entry)), *alike]
        return list(dict.fromkeys(found))[:_FOUND]

    def _undone(self, place: int) -> int:
        """Take the last answer back; gives the question it belonged to."""
        if not self.answered:
            show(Text("   nothing to undo", style="yellow"))
            return place
        back, ruling = self.answered.pop()
        withdraw_ruling(self.kept, ruling)
        show(draw_text(f"   taken back: {ruling.value} → {ruling.ruling}", "yellow"), "")
        return back


def ask_one_by_one(book: Rulebook, account: Account, kept: Path, who: str) -> None:
    """Ask about everything that waits, most rows first; stopping loses nothing."""
    waiting = sorted(account.waiting, key=lambda one: (-one.rows, one.column, one.value))
    if not waiting:
        show_line("Nothing is open.")
        return
    asking = _Asking(book, waiting, kept, who)
    try:
        asking.run()
    except (KeyboardInterrupt, EOFError, click.Abort):
        show_line("")
    rows = sum(waiting[place].rows for place, _ in asking.answered)
    if asking.answered:
        show_line(
            f"{format_count(len(asking.answered), 'ruling')} on {format_count(rows, 'row')}, kept in {kept}"
        )
    left = len(waiting) - len(asking.answered)
    if left:
        show_line(f"{format_count(left, 'value')} still open.")
