"""Rulings: what stewards decided on single values, once, with reason, author and date."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from functools import cached_property
from typing import Literal, NamedTuple

from igual.core.errors import ListError, did_you_mean

KEEP, NOT_LISTED, NEW = "keep as it is", "not in the list", "new entry"
# What may stand in place of an entry.
WORDS = (KEEP, NOT_LISTED, NEW)
_NEW_AS, _ALIAS_OF = "new entry:", "alias of "
COLUMNS = ("column", "value", "ruling", "reason", "by", "on")
Kind = Literal["entry", "alias", "new", "keep", "unlisted"]


class Ruling(NamedTuple):
    """A decision on one value of one column.

    ruling: an entry of the list; 'alias of ' and an entry, which also proposes the value as another spelling of it;
    'new entry', or 'new entry: ' and how it is spelled; 'keep as it is'; or 'not in the list'.
    on: the day, such as 2026-05-31.
    """

    column: str
    value: str
    ruling: str
    reason: str = ""
    by: str = ""
    on: str = ""

    @property
    def who(self) -> str:
        """By whom and when, as messages say it."""
        return " ".join(part for part in (self.by and f"by {self.by}", self.on and f"on {self.on}") if part)


class Decision(NamedTuple):
    """What a ruling means: its kind, and the text that the value becomes."""

    kind: Kind
    text: str


def decision(ruling: str, value: str, entry_of: Mapping[str, str]) -> Decision:
    """What a ruling means for a value. entry_of: the accepted spellings of the list, and their entries.

    Raises ListError for what is neither an entry nor one of the words.

    >>> decision("Keep as it is", "Old oak", {"Oak": "Oak"})
    Decision(kind='keep', text='Old oak')
    """
    said = ruling.strip()
    if ruling in entry_of or said in entry_of:
        return Decision("entry", entry_of[ruling if ruling in entry_of else said])
    lower = said.casefold()
    if lower == KEEP:
        return Decision("keep", value)
    if lower == NOT_LISTED:
        return Decision("unlisted", value)
    if lower == NEW or lower.startswith(_NEW_AS):
        text = value if lower == NEW else said[len(_NEW_AS) :].strip()
        if not text:
            raise ListError("'new entry:' wants the spelling of the entry behind it")
        # Once the list has it, it is an entry like any other.
        return Decision("entry", entry_of[text]) if text in entry_of else Decision("new", text)
    if lower.startswith(_ALIAS_OF) and (entry := said[len(_ALIAS_OF) :].strip()) in entry_of:
        return Decision("alias", entry_of[entry])
    wanted = said[len(_ALIAS_OF) :].strip() if lower.startswith(_ALIAS_OF) else said
    entries = dict.fromkeys(entry_of.values())
    raise ListError(f"{wanted!r} is not an entry of the list{did_you_mean(wanted, [*entries, *WORDS])}")


@dataclass(frozen=True)
class Rulings:
    """Rulings in the order they count: where a value has several, the last.

    file: where they are kept, or None.
    """

    rulings: Sequence[Ruling] = ()
    file: str | None = field(default=None, compare=False)

    def __post_init__(self) -> None:
        object.__setattr__(self, "rulings", tuple(in_order(self.rulings)))

    @cached_property
    def _latest(self) -> dict[str, dict[str, Ruling]]:
        found: dict[str, dict[str, Ruling]] = {}
        for one in self.rulings:
            found.setdefault(one.column, {})[one.value] = one
        return found

    def of(self, column: str) -> Mapping[str, Ruling]:
        """The ruling that counts for each value of a column."""
        return self._latest.get(column, {})

    def of_value(self, column: str, value: str) -> Ruling | None:
        return self.of(column).get(value)

    def contested(self) -> list[tuple[Ruling, Ruling]]:
        """Rulings of one day on one value that differ, as two people leave them who didn't know of each other."""
        found, last = [], None
        for one in self.rulings:
            same = last is not None and last[:2] == one[:2] and last.on == one.on
            if last is not None and same and last.ruling != one.ruling and last.by != one.by:
                found.append((last, one))
            last = one
        return found

    def with_more(self, more: Iterable[Ruling]) -> tuple[Ruling, ...]:
        return tuple(in_order([*self.rulings, *more]))


def in_order(rulings: Iterable[Ruling]) -> list[Ruling]:
    """By column, value and day, so that rulings made apart end up in different places of the file."""
    return sorted(rulings, key=lambda one: (one.column, one.value, one.on))
