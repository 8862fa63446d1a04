"""Open values asked about on a terminal, kinds first; each answer is on disk before the next question."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Mapping, Sequence
from pathlib import Path
from typing import NamedTuple

import click
from rich.text import Text

from igual.cli._applying import today
from igual.cli._loading import open_table
from igual.cli._options import TableSource
from igual.decisions import KEEP, NEW, NO, NOT_LISTED, YES, Cause, Ruling
from igual.errors import RulingError, did_you_mean
from igual.files.rulings import load_rulings, record_rulings, withdraw_ruling
from igual.files.samples import MOST_ROWS, sample_rows
from igual.matching.causes import find_causes, join_causes
from igual.matching.index import MatchIndex
from igual.matching.matcher import match_values
from igual.matching.questions import ENOUGH_RULINGS, GUESS, Pair, Question
from igual.report.asking_views import (
    KIND_KEYS,
    VALUE_KEYS,
    draw_keys,
    draw_open_value,
    draw_question,
    draw_wrong_key,
)
from igual.report.tables import draw_text, draw_value
from igual.report.terminal import show, show_line
from igual.report.wording import format_count, quote_value
from igual.runs.account import Account
from igual.runs.due_questions import list_choices, list_due_questions, sort_waiting
from igual.runs.open_values import Key, OpenValue
from igual.runs.rulebook import Rulebook
from igual.text.characters import printable
from igual.text.folding import folded_key

# Rows of a value with what stands in other columns.
Beside = Callable[[OpenValue], Sequence[Mapping[str, str]]]
_MOST_ENTRIES = 9
_FIRST, _MORE = 5, 20


class _Answer(NamedTuple):
    """Rulings that were made in one place, and what was to be asked by then."""

    place: int
    rulings: Sequence[Ruling]
    items: Sequence[Question | OpenValue]


class _Asking:
    """What is asked, where we are, and what was answered."""

    def __init__(self, book: Rulebook, account: Account, kept: Path, who: str, beside: Beside) -> None:
        self.book, self.kept, self.who, self.beside = book, kept, who, beside
        self.single = {one.key: one for one in account.waiting}
        self.items = list_due_questions(account)
        self.answered: list[_Answer] = []
        self.indexes: dict[str, MatchIndex] = {}
        self.accepted: Counter[tuple[str, Cause]] = Counter()
        self.refused: set[tuple[str, Cause]] = set()

    def run(self) -> None:
        place = 0
        while place < len(self.items):
            item = self.items[place]
            done = self._ask_kind(place, item) if isinstance(item, Question) else self._ask_value(place, item)
            if done is None:
                return
            place = done

    def _answer(self, place: int, rulings: Sequence[Ruling], said: str) -> int:
        record_rulings(self.kept, rulings)
        self.answered.append(_Answer(place, rulings, list(self.items)))
        show(draw_text(f"   → {said}", "green"), "")
        return place + 1

    def _ask_kind(self, place: int, question: Question) -> int | None:
        """Ask about several values; gives the next place, None to stop."""
        members, shown = question.members, _FIRST if question.cause else len(question.members)
        show(draw_question(question, place + 1, len(self.items), members[:shown]), draw_keys(KIND_KEYS))
        while True:
            key = _pressed(KIND_KEYS)
            if key in ("q", "u", "s"):
                return {"q": None, "s": place + 1}.get(key, self._undone(place) if key == "u" else place)
            if key == "m":
                # After the last ones, from the first again.
                shown = shown if shown < len(members) else 0
                more = members[shown : shown + _MORE]
                show(draw_question(question, place + 1, len(self.items), more))
                shown += _MORE
            elif key == "y":
                return self._answer(place, self._accept(question), "yes")
            elif key == "o":
                self._ask_singly(place, question)
                return place + 1
            elif key == "n":
                rulings = []
                if question.cause is not None:
                    self.refused.add((question.column, question.cause))
                    rulings = [self._rule_kind(question.column, question.cause, NO)]
                done = self._answer(place, rulings, "no: asked one by one") if rulings else place + 1
                self._ask_singly(place, question)
                return done

    def _accept(self, question: Question) -> list[Ruling]:
        if question.cause is not None:
            return [self._rule_kind(question.column, question.cause, YES)]
        return [
            Ruling(question.column, pair.value, pair.proposal, "", self.who, today(), "", pair.within)
            for pair in question.members
        ]

    def _rule_kind(self, column: str, cause: Cause, ruling: str) -> Ruling:
        return Ruling(column, cause.text, ruling, "", self.who, today(), cause.kind)

    def _ask_singly(self, place: int, question: Question) -> None:
        """Put the values of a question behind it, one by one."""
        alone = sort_waiting([self.single[key] for key in question.keys])
        self.items[place + 1 : place + 1] = alone

    def _ask_value(self, place: int, one: OpenValue) -> int | None:
        """Ask about one value; gives the next place, None to stop."""
        choices = [entry for entry, _ in list_choices(one)]
        show(draw_open_value(one, place + 1, len(self.items), self.beside(one)), draw_keys(VALUE_KEYS))
        while True:
            key = _pressed(VALUE_KEYS, len(choices))
            if key == "enter":
                if not choices or one.score < GUESS:
                    show(Text("   nothing is likely enough for enter; press its number", style="yellow"))
                    continue
                key = "1"
            if key == "u":
                return self._undone(place)
            if key in ("q", "s"):
                return None if key == "q" else place + 1
            ruling = self._ruling(one, key, choices)
            if ruling is None:
                return place
            done = self._answer(place, [ruling], ruling.ruling)
            if key == "1":
                self._propose_kind(place, one)
            return done

    def _propose_kind(self, place: int, one: OpenValue) -> None:
        """After enough rulings of one kind that agree, ask about the kind, where more of it are left."""
        cause = join_causes(find_causes(one.reasons))
        if cause is None or (one.column, cause) in self.refused:
            return
        self.accepted[one.column, cause] += 1
        left = [
            item
            for item in self.items[place + 1 :]
            if isinstance(item, OpenValue)
            and item.column == one.column
            and item.score >= GUESS
            and not item.rival
            and join_causes(find_causes(item.reasons)) == cause
        ]
        if self.accepted[one.column, cause] == ENOUGH_RULINGS and left:
            pairs = [Pair.of(item) for item in left]
            pairs.sort(key=lambda pair: (pair.score, pair.value))
            self.items = [item for item in self.items if item not in left]
            self.items.insert(place + 1, Question(one.column, cause.kind, cause, pairs))

    def _ruling(self, one: OpenValue, key: str, choices: Sequence[str]) -> Ruling | None:
        """What a key rules; None: nothing after all."""
        if key == "/":
            entry = self._searched(one)
            return None if entry is None else self._rule(one, entry)
        if key == "n":
            shown = printable(one.value)
            spelled = click.prompt(f"   spelled [{shown}]", default=one.value, show_default=False).strip()
            text = NEW if spelled in ("", one.value) else f"{NEW}: {spelled}"
            return self._rule(one, text)
        words = {"k": KEEP, "x": NOT_LISTED}
        return self._rule(one, words.get(key) or choices[int(key) - 1])

    def _rule(self, one: OpenValue, ruling: str) -> Ruling:
        return Ruling(one.column, one.value, ruling, "", self.who, today(), "", one.within)

    def _searched(self, one: OpenValue) -> str | None:
        """An entry that the steward looks for; None when there was none to their liking."""
        sought = click.prompt("   search", default="", show_default=False).strip()
        entries = self._find_entries(one.column, sought) if sought else []
        if not entries:
            show(Text("   no entry is like that" if sought else "   nothing was searched", style="yellow"))
            return None
        for number, entry in enumerate(entries, 1):
            show(Text.assemble((f"   {number}  ", "cyan"), draw_value(entry)))
        show(Text("   a number picks one; any other key goes back", style="dim"))
        key = click.getchar()
        return entries[int(key) - 1] if key.isdecimal() and 1 <= int(key) <= len(entries) else None

    def _find_entries(self, column: str, sought: str) -> list[str]:
        """Entries that hold what was typed, in whatever case, and then those that are like it."""
        import pyarrow as pa

        entries: list[str] = []
        texts = pa.array([sought], pa.large_string())
        key = folded_key(texts)[0].as_py()
        for name, reference in self.book.lists_of(column).items():
            index = self.indexes.setdefault(name, MatchIndex(reference))
            keys = folded_key(index.spellings).to_pylist()
            holding = [reference.entry_of[spelling] for spelling, its in
                       zip(index.spellings.to_pylist(), keys, strict=True) if key and key in its]  # fmt: skip
            alike = [index.names[entry] for entry, _ in match_values(texts, index).rank_candidates(0)]
            entries += [*sorted(holding, key=lambda entry: (len(entry), entry)), *alike]
        return list(dict.fromkeys(entries))[:_MOST_ENTRIES]

    def _undone(self, place: int) -> int:
        """Take the last answer back; gives the place it belonged to."""
        if not self.answered:
            show(Text("   nothing to undo", style="yellow"))
            return place
        last = self.answered.pop()
        for ruling in last.rulings:
            withdraw_ruling(self.kept, ruling)
            if ruling.kind:
                self.refused -= {about for about in self.refused if about[1].text == ruling.value}
        self.items = list(last.items)
        first = last.rulings[0]
        more = f" and {len(last.rulings) - 1} more" if len(last.rulings) > 1 else ""
        show(draw_text(f"   taken back: {first.value} → {first.ruling}{more}", "yellow"), "")
        return last.place


def _pressed(keys: Mapping[str, str], picks: int = 0) -> str:
    """Wait for a key that means something; says which there are where another was pressed."""
    while True:
        key = click.getchar().lower()
        if key in ("\x03", "\x04", "\x1b"):
            return "q"
        if key in ("\r", "\n") and picks:
            return "enter"
        if key in keys or (key.isdecimal() and 1 <= int(key) <= picks):
            return key
        show(draw_wrong_key(keys, picks))


def ask_one_by_one(
    book: Rulebook, account: Account, kept: Path, who: str, beside: Beside = lambda _: ()
) -> None:
    """Ask about everything that waits, most rows first; stopping loses nothing."""
    asking = _Asking(book, account, kept, who, beside)
    if not asking.items:
        show_line("Nothing is open.")
        return
    try:
        asking.run()
    except (KeyboardInterrupt, EOFError, click.Abort):
        show_line("")
    rulings = [ruling for answer in asking.answered for ruling in answer.rulings]
    settled: set[Key] = set()
    for answer in asking.answered:
        item = answer.items[answer.place]
        for ruling in answer.rulings:
            if ruling.kind and isinstance(item, Question) and ruling.ruling == YES:
                settled |= {*item.keys}
            elif not ruling.kind:
                settled.add((ruling.column, ruling.value, ruling.within))
    rows = sum(asking.single[key].rows for key in settled)
    if rulings:
        show_line(f"{format_count(len(rulings), 'ruling')} on {format_count(rows, 'row')}, kept in {kept}")
    left = len(asking.single) - len(settled)
    if left:
        show_line(f"{format_count(left, 'value')} still open.")


def show_beside(source: TableSource, account: Account, columns: Sequence[str]) -> Beside:
    """Read what stands in other columns of some rows of each open value.

    Args:
        source: The table.
        account: What is open.
        columns: The columns to show.

    Returns:
        What gives the rows of a value.
    """
    names = [name.strip() for name in columns if name.strip()]
    raw = account.find_raw(account.waiting)
    rows_of: dict[str, Mapping[str, list[tuple[str, ...]]]] = {}
    for column in dict.fromkeys(source_column for source_column, _ in raw.values()):
        values = [value for name, values in raw.values() if name == column for value in values]
        rows_of[column] = sample_rows(open_table(source), column, values, names)

    def beside(one: OpenValue) -> list[Mapping[str, str]]:
        column, values = raw[one.column, one.value]
        rows = [row for value in values for row in rows_of[column].get(value, ())]
        return [dict(zip(names, row, strict=True)) for row in rows[:MOST_ROWS]]

    return beside


def withdraw_last(kept: Path, value: str, column: str | None) -> str:
    """Take back the last ruling on a value, or on a kind of difference.

    Args:
        kept: The file of rulings.
        value: The value, or the words of the kind.
        column: The column, where rulings on several have such a value.

    Returns:
        What was taken back, as a sentence.

    Raises:
        RulingError: Where there is no such ruling, or there are several.
    """
    rulings = load_rulings(kept)
    ruled = [one for one in rulings.rulings if one.value == value and column in (None, one.column)]
    if not ruled:
        where = f" of column {column!r}" if column else ""
        near = did_you_mean(value, [one.value for one in rulings.rulings])
        raise RulingError(f"{kept.name}: there is no ruling on {value!r}{where}{near}")
    if len({(one.column, one.kind) for one in ruled}) > 1:
        places = ", ".join(sorted({f"{one.column!r}{one.kind and f' ({one.kind})'}" for one in ruled}))
        raise RulingError(f"{kept.name}: there are rulings on {value!r} of {places}; say which with --column")
    last = max(ruled, key=lambda one: one.on)
    withdraw_ruling(kept, last)
    value = f"{quote_value(last.value)}{last.within and f' ({last.within})'}"
    return f"Taken back: {last.kind or 'ruling'} {value} → {quote_value(last.ruling)} {last.author}"
