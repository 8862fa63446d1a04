"""Rulings that come back from a steward, checked one by one before they count."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field, replace
from functools import cache
from typing import TYPE_CHECKING, NamedTuple

import pyarrow as pa

from igual.column import TEXT
from igual.decisions import (
    ACCEPT,
    BETWEEN,
    NO,
    WORDS,
    YES,
    Decision,
    Ruling,
    check_kind,
    fold_contexts,
    interpret_ruling,
)
from igual.display import Displayed
from igual.errors import ListError, NearestWord, NoEntryError, RulingError, did_you_mean
from igual.lists import ReferenceList
from igual.matching.keys import list_words
from igual.matching.measures import damerau_levenshtein
from igual.rulings import Rulings
from igual.runs.due_questions import find_outdated
from igual.runs.rulebook import Rulebook
from igual.text.characters import visible
from igual.text.folding import folded_key

if TYPE_CHECKING:
    import pandas as pd

_MARKS = "‹›"
# What stands in the drawing of a text for something else than itself, besides the dots for spaces.
_NAMED = set("⟨⟩→↵")
# What may stand for a value besides itself in a sheet: long ones are drawn whole.
_WHOLE = 1 << 20
# For so many entries that aren't there the nearest is looked up.
_MOST_SUGGESTED = 200

# A spelling with no more slips than this, one for each so many letters, is no alias of its own.
_MAX_SLIPS, _LETTERS_PER_SLIP = 2, 4


class Answer(NamedTuple):
    """A row of a sheet that came back.

    Attributes:
        row: Its number in the sheet.
        column: The column.
        value: The value, as it came back.
        shown: The value with its spaces drawn, as it went out ('' where that is gone).
        rows: How many rows of the table have the value, where the sheet says so.
        ruling: What is ruled; '' where the row is unanswered.
        reason: Why.
        wrong: What the reader of the sheet found wrong with a cell.
        proposal: The entry that was proposed for the value, which 'accept' takes.
        kind: '' for a row about a value. Else the kind of difference that it is about; the value is then its words.
        made_for: What the sheet was made for, as `asked.write_made_for` wrote it.
        within: What stands beside the value, where the ruling is to count in such rows alone.
    """

    row: int
    column: str
    value: str
    shown: str = ""
    rows: int = 0
    ruling: str = ""
    reason: str = ""
    wrong: str = ""
    proposal: str = ""
    kind: str = ""
    made_for: str = ""
    within: str = ""


class Accepted(NamedTuple):
    """A ruling that counts from now on.

    Attributes:
        row: Its row in the sheet.
        ruling: The ruling.
        meaning: What becomes of the value.
        rows: How many rows of the table have the value.
        before: What it overrules, if anything.
        note: What had to be put right.
    """

    row: int
    ruling: Ruling
    meaning: Decision
    rows: int
    before: Ruling | None
    note: str = ""


class Rejected(NamedTuple):
    """A row whose ruling can't be taken.

    Attributes:
        row: Its number in the sheet.
        column: The column.
        value: The value.
        why: What is wrong with it.
    """

    row: int
    column: str
    value: str
    why: str


@dataclass(frozen=True, repr=False)
class Review(Displayed):
    """What became of the rows of a sheet; it prints well.

    Attributes:
        accepted: Rulings that are new.
        rejected: Rows that can't be taken.
        unanswered: How many rows have no ruling.
        known: How many rows say what was ruled before.
        rulings: All rulings by now.
        outdated: What has changed since the sheet was made: 'the rules', or names of lists.
    """

    accepted: Sequence[Accepted]
    rejected: Sequence[Rejected]
    unanswered: int = 0
    known: int = 0
    rulings: Rulings = field(default_factory=Rulings, compare=False)
    outdated: Sequence[str] = ()

    @property
    def taken(self) -> pd.DataFrame:
        """DataFrame of rulings that are new: row, column, value, ruling, rows, effect, within."""
        return self._frame("taken")

    @property
    def refused(self) -> pd.DataFrame:
        """DataFrame of rows that can't be taken: row, column, value, why."""
        return self._frame("refused")

    @property
    def rows(self) -> int:
        """How many rows of the table the new rulings are about."""
        return sum(row.rows for row in self.accepted)

    def with_rulings(self, rulings: Rulings) -> Review:
        """Give the review all rulings by now.

        Args:
            rulings: The rulings.

        Returns:
            The same review with them.
        """
        return replace(self, rulings=rulings)


def draw_between_marks(value: str) -> str:
    """A value between marks with odd characters drawn: a spreadsheet takes it for nothing but text.

    Example:
        >>> draw_between_marks("007 ")
        '‹007·›'
    """
    return f"{_MARKS[0]}{visible(value, _WHOLE, every_space=False)}{_MARKS[1]}"


def check_answers(
    answers: Iterable[Answer], book: Rulebook, by: str, on: str, *, overrule: bool = False
) -> Review:
    """Check every ruling of a sheet; those that are good are taken, whatever is wrong with others.

    Args:
        answers: The rows of the sheet.
        book: The rulebook.
        by: Who rules, and the day.
        on: The day, such as 2026-05-31.
        overrule: Take rulings on values that were ruled otherwise before.
    """
    answers = list(answers)
    reader = _Reader(book, [answer.within for answer in answers])
    accepted: list[Accepted] = []
    rejected: list[Rejected] = []
    answered: dict[tuple[str, str, str, str], list[tuple[Answer, Decision, str]]] = {}
    unanswered = known = 0
    made_for = ""
    for given in answers:
        made_for = made_for or given.made_for
        answer, note = _undo_spreadsheet_changes(given)
        if not answer.ruling.strip() and not answer.wrong:
            unanswered += 1
            continue
        answer, meaning, why = reader.interpret(answer)
        note = note or reader.note_context(answer)
        if meaning is None:
            rejected.append(Rejected(answer.row, answer.column, answer.value, why))
        else:
            about = (answer.column, answer.value, answer.kind, answer.within)
            answered.setdefault(about, []).append((answer, meaning, note))
    for about, given_twice in answered.items():
        answer, meaning, note = given_twice[0]
        before = reader.find_before(*about)
        if any(other != meaning for _, other, _ in given_twice):
            said = ", ".join(f"{one.ruling.strip()!r} in row {one.row}" for one, _, _ in given_twice)
            why = f"it is ruled otherwise in another row ({said}); none is taken"
            rejected += [Rejected(one.row, *about[:2], why) for one, _, _ in given_twice]
        elif before is not None and reader.has_same(before, meaning):
            known += 1
        elif before is not None and not overrule:
            reason = f" ({before.reason})" if before.reason else ""
            ruled = f"it was ruled {before.ruling!r} {before.author}{reason}"
            rejected.append(
                Rejected(answer.row, *about[:2], f"{ruled}; overrule that if this one is to count")
            )
        else:
            said = answer.ruling.strip()
            ruling = Ruling(*about[:2], said, answer.reason.strip(), by, on, *about[2:])
            accepted.append(Accepted(answer.row, ruling, meaning, answer.rows, before, note))
    outdated = find_outdated(made_for, book.plan)
    return Review(accepted, sorted(rejected), unanswered, known, outdated=outdated)


class _Reader:
    """What rulings mean in a rulebook, whose lists of a column are looked up once for all rulings on it."""

    def __init__(self, book: Rulebook, contexts: Sequence[str] = ()) -> None:
        self._book = book
        self._folded = dict(zip(["", *contexts], fold_contexts(["", *contexts]), strict=True))
        self._kinds_of = cache(book.rulings.of_kinds)
        self.lists_of = cache(book.lists_of)
        self._contexts_of = cache(book.plan.list_contexts)
        self._nearest: dict[str, NearestWord] = {}
        self._suggested: dict[tuple[str, str], str] = {}

    def interpret(self, answer: Answer) -> tuple[Answer, Decision | None, str]:
        """What a row rules, with `accept` and `YES` as they are kept, or why it rules nothing."""
        said = answer.ruling.strip().casefold()
        if answer.kind:
            return (answer._replace(ruling=said, within=""), *self._interpret_kind(answer, said))
        if said == ACCEPT and not answer.wrong:
            if not answer.proposal:
                return answer, None, "there is no proposal to accept"
            answer = answer._replace(ruling=answer.proposal)
        return (answer, *self.find_meaning(answer))

    def _interpret_kind(self, answer: Answer, said: str) -> tuple[Decision | None, str]:
        try:
            check_kind(answer.kind, answer.value)
        except RulingError as error:
            return None, str(error)
        if not self.lists_of(answer.column):
            return None, self._say_unmatched(answer.column)
        if said not in (YES, NO):
            return None, f"a kind is ruled yes or no; found {answer.ruling.strip()!r}"
        return Decision("kind settled" if said == YES else "kind asked", answer.value), ""

    def find_meaning(self, answer: Answer) -> tuple[Decision | None, str]:
        """What a ruling on a value means, or why it means nothing."""
        if answer.wrong:
            return None, answer.wrong
        if not answer.value:
            return None, "there is no value"
        lists = self.lists_of(answer.column)
        if not lists:
            return None, self._say_unmatched(answer.column)
        if (own := answer.within.partition(BETWEEN)[0]) in lists:
            lists = {own: lists[own]}
        if answer.within and self._contexts_of(answer.column) is None:
            column = f"column {answer.column!r}"
            return None, f"no rule looks at what stands beside values of {column}; leave 'within' empty"
        why = ""
        for name, reference in lists.items():
            try:
                return interpret_ruling(answer.ruling, answer.value, reference.entry_of), ""
            except NoEntryError as error:
                why = why or f"list {name!r}: {error}{self._suggest(name, reference, error.wanted)}"
            except ListError as error:
                why = why or f"list {name!r}: {error}"
        return None, why

    def find_before(self, column: str, value: str, kind: str, within: str) -> Ruling | None:
        """The ruling that counts by now."""
        if kind:
            return self._kinds_of(column).get((kind, value))
        return self._book.rulings.of_contexts(column).get((value, self._folded[within]))

    def note_context(self, answer: Answer) -> str:
        """Say where no entry has the context that a ruling is for: a spreadsheet program may have changed it."""
        known = self._contexts_of(answer.column) if answer.within else None
        is_known = known is None or self._folded[answer.within] in known
        return "" if is_known else f"no entry has {answer.within!r} beside it"

    def _suggest(self, name: str, reference: ReferenceList, wanted: str) -> str:
        """What may be meant by an entry that isn't there; only of the first ones, since thousands may be missing."""
        about = (name, wanted)
        if about not in self._suggested and len(self._suggested) < _MOST_SUGGESTED:
            near = self._nearest.get(name)
            if near is None:
                near = self._nearest[name] = NearestWord([*reference.values, *WORDS])
            self._suggested[about] = did_you_mean(wanted, near)
        return self._suggested.get(about, "")

    def _say_unmatched(self, column: str) -> str:
        near = did_you_mean(column, self._book.matched_columns())
        return f"no rule of the rulebook matches a column {column!r}{near}"

    def has_same(self, before: Ruling, meaning: Decision) -> bool:
        """Whether an earlier ruling means the same."""
        answer = Answer(0, before.column, before.value, ruling=before.ruling, kind=before.kind)
        return self.interpret(answer)[1] == meaning


def _undo_spreadsheet_changes(answer: Answer) -> tuple[Answer, str]:
    """The value as it went out, where a spreadsheet program has changed it since."""
    shown = answer.shown.strip()
    if answer.wrong or not (shown.startswith(_MARKS[0]) and shown.endswith(_MARKS[1])):
        return answer, ""
    if draw_between_marks(answer.value) == shown:
        return answer, ""
    drawn = shown[1:-1]
    # Spaces at the ends are what is lost most often; they are drawn as dots. What is named can't be told for sure.
    for value in (drawn.replace("·", " "), drawn):
        if draw_between_marks(value) == shown and not _NAMED & set(value):
            note = f"the value had been changed from {value!r} to {answer.value!r}; taken as {value!r}"
            return answer._replace(value=value), note
    wrong = f"the value {answer.value!r} isn't the one that went out, {shown}"
    return answer._replace(wrong=wrong), ""


def find_stale_rulings(book: Rulebook) -> list[Ruling]:
    """Rulings that can no longer be applied; only those that count."""
    reader = _Reader(book)
    stale = []
    for column in dict.fromkeys(one.column for one in book.rulings.rulings):
        for one in book.rulings.of_contexts(column).values():
            meaning, _ = reader.find_meaning(
                Answer(0, one.column, one.value, ruling=one.ruling, within=one.within)
            )
            if meaning is None:
                stale.append(one)
        stale += _find_stale_kinds(book, column)
    return stale


def _find_stale_kinds(book: Rulebook, column: str) -> list[Ruling]:
    """Rulings on words that may be left out, alone or together, one of which no entry has any more."""
    words = {word for reference in book.lists_of(column).values() for word in list_words(reference.entry_of)}
    return [
        one
        for (kind, value), one in book.rulings.of_kinds(column).items()
        if kind == "word left out" and not words.issuperset(check_kind(kind, value).words)
    ]


def _is_variant(value: str, entry: str) -> bool:
    """Whether a value is an entry in another case or the like, or misspelt: matching knows such without an alias."""
    keys = folded_key(pa.array([value, entry], TEXT)).to_pylist()
    edits = int(damerau_levenshtein(keys[:1], keys[1:])[0])
    return edits <= min(_MAX_SLIPS, len(keys[1]) // _LETTERS_PER_SLIP)


def list_additions(rulings: Rulings, book: Rulebook, column: str) -> tuple[list[str], dict[str, list[str]]]:
    """What rulings on a column propose for its list: new entries, and aliases by entry; not what it has already."""
    reader = _Reader(book)
    reference = next(iter(reader.lists_of(column).values()), None)
    entries: list[str] = []
    aliases: dict[str, list[str]] = {}
    if reference is None:
        return entries, aliases
    for one in rulings.of_contexts(column).values():
        meaning, _ = reader.find_meaning(Answer(0, column, one.value, ruling=one.ruling))
        if meaning is None or one.value in reference.entry_of:
            continue
        if meaning.kind == "new" and meaning.text not in reference.entry_of:
            entries.append(meaning.text)
            if meaning.text != one.value and not _is_variant(one.value, meaning.text):
                aliases.setdefault(meaning.text, []).append(one.value)
        elif meaning.kind == "alias" and not _is_variant(one.value, meaning.text):
            aliases.setdefault(meaning.text, []).append(one.value)
    return list(dict.fromkeys(entries)), aliases
