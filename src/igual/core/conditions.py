"""Which values are meant: one vocabulary for rules, counts, tallies and checks."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from pydantic import Field, field_validator, model_validator

from igual.core.column import TEXT, Mask, as_mask
from igual.core.lists import ReferenceList
from igual.core.text.arrays import found
from igual.core.text.folding import casefold, trimmed
from igual.core.text.patterns import checked_pattern
from igual.core.text.reading import dates, limit, numbers
from igual.core.text.replacing import finds
from igual.core.words import Worded

Limit = int | float | str
_COMPARED = ("above", "at_least", "below", "at_most")


class Condition(Worded):
    """Values that meet every word that is given.

    equals, contains, starts, ends, word: a text; `word` is found only where no letter or digit stands beside it.
    one_of: several texts, of which one must be equal.
    like: a text with wildcards: `*` for any characters, `?` for one.
    pattern: a regular expression that must be found (RE2 syntax, which always ends).
    above, at_least, below, at_most: a number or a date (`2024-05-31`). Values that are no plain number or date
        don't meet it, and are reported as unread.
    between: two such limits, both included.
    length: how many characters, or the least and the most.
    in_list: the name of a reference list that has the value as an entry or alias.
    blank: true for values that are missing, empty, or nothing but spaces; false for all others.
    ignore_case: compare with case set aside (Unicode case folding).
    column: the column that is meant, where it isn't the rule's own.
    not, all, any: a condition that must not hold; several that must all hold; several of which one must.

    A missing value meets no word but `blank` and `not`. Without any word every value is meant.

    >>> Condition(contains="maple", ignore_case=True).mask(pa.array(["Norway Maple", "oak", None])).tolist()
    [True, False, False]
    """

    equals: str | None = None
    contains: str | None = None
    starts: str | None = None
    ends: str | None = None
    word: str | None = Field(default=None, min_length=1)
    one_of: tuple[str, ...] | None = None
    like: str | None = None
    pattern: str | None = None
    above: Limit | None = None
    at_least: Limit | None = None
    below: Limit | None = None
    at_most: Limit | None = None
    between: tuple[Limit, Limit] | None = None
    length: int | tuple[int, int] | None = None
    in_list: str | None = None
    blank: bool | None = None
    ignore_case: bool = False
    column: str | None = None
    not_: Condition | None = Field(default=None, alias="not")
    all: tuple[Condition, ...] | None = None
    any: tuple[Condition, ...] | None = None

    @field_validator("pattern")
    @classmethod
    def _pattern_is_sound(cls, given: str | None) -> str | None:
        return checked_pattern(given) if given is not None else None

    @model_validator(mode="after")
    def _limits_are_sound(self) -> Condition:
        kinds = {limit(given)[1] for given in self._limits().values()}
        if len(kinds) > 1:
            raise ValueError("the limits are numbers and dates; give one kind")
        return self

    def _limits(self) -> dict[str, Limit]:
        given = {word: getattr(self, word) for word in _COMPARED}
        if self.between is not None:
            given["between from"], given["between to"] = self.between
        return {word: stated for word, stated in given.items() if stated is not None}

    def _inner(self) -> list[Condition]:
        return [*([self.not_] if self.not_ else []), *(self.all or ()), *(self.any or ())]

    def columns(self) -> set[str]:
        """The columns it names, here or in a condition within."""
        own = {self.column} if self.column is not None else set()
        return own.union(*(inner.columns() for inner in self._inner()))

    def lists(self) -> set[str]:
        """The reference lists it names."""
        own = {self.in_list} if self.in_list is not None else set()
        return own.union(*(inner.lists() for inner in self._inner()))

    def mask(
        self,
        values: pa.Array,
        beside: Mapping[str, pa.Array] | None = None,
        lists: Mapping[str, ReferenceList] | None = None,
    ) -> Mask:
        """Which of the distinct texts `values`, (distinct,), meet the condition.

        beside: texts of other columns that stand beside them, each (distinct,). lists: reference lists by name.
        """
        own = values if self.column is None else (beside or {}).get(self.column, values)
        mask = self._own_mask(own.cast(TEXT), lists or {})
        if self.not_ is not None:
            mask &= ~self.not_.mask(values, beside, lists)
        for inner in self.all or ():
            mask &= inner.mask(values, beside, lists)
        if self.any is not None:
            mask &= np.logical_or.reduce([inner.mask(values, beside, lists) for inner in self.any])
        return mask

    def unread(self, values: pa.Array) -> Mask:
        """Which values can't be compared with the limits, since they are no plain numbers (or dates)."""
        limits = self._limits()
        if not limits or self.column is not None:
            return np.zeros(len(values), np.bool_)
        strange: Mask = np.isnan(self._read(values.cast(TEXT))) & ~is_blank(values.cast(TEXT))
        return strange

    def _read(self, values: pa.Array) -> np.ndarray[Any, np.dtype[np.float64]]:
        _, is_date = limit(next(iter(self._limits().values())))
        return dates(values) if is_date else numbers(values)

    def _own_mask(self, values: pa.Array, lists: Mapping[str, ReferenceList]) -> Mask:
        mask = np.ones(len(values), np.bool_)
        if self.blank is not None:
            mask &= is_blank(values) == self.blank
        compared = casefold(values) if self.ignore_case else values
        tests: list[tuple[str | None, Callable[[pa.Array, str], pa.Array]]] = [
            (self.equals, pc.equal),
            (self.contains, pc.match_substring),
            (self.starts, pc.starts_with),
            (self.ends, pc.ends_with),
        ]
        for text, test in tests:
            if text is not None:
                mask &= as_mask(test(compared, self._compared(text)))
        if self.word is not None:
            hits = finds(compared, [self._compared(self.word)], "word")
            mask &= np.array([hit is not None for hit in hits], np.bool_)
        if self.one_of is not None:
            mask &= self._is_among(compared, self.one_of)
        if self.in_list is not None:
            mask &= self._is_among(compared, lists[self.in_list].entry_of)
        if self.like is not None:
            mask &= found(compared, _wildcards(self._compared(self.like)))
        if self.pattern is not None:
            mask &= found(values, f"(?i){self.pattern}" if self.ignore_case else self.pattern)
        mask &= self._measured(values)
        return mask

    def _measured(self, values: pa.Array) -> Mask:
        """The words that compare lengths, numbers and dates."""
        mask = np.ones(len(values), np.bool_)
        if self.length is not None:
            least, most = (self.length, self.length) if isinstance(self.length, int) else self.length
            lengths = pc.utf8_length(values).fill_null(-1).to_numpy(zero_copy_only=False)
            mask &= (lengths >= max(least, 0)) & (lengths <= most)
        if limits := self._limits():
            read = self._read(values)
            for word, stated in limits.items():
                mask &= np.asarray(_COMPARISONS[word](read, limit(stated)[0]), np.bool_)
        return mask

    def _is_among(self, compared: pa.Array, texts: Any) -> Mask:
        accepted = pa.array([self._compared(text) for text in texts], TEXT)
        return as_mask(pc.is_in(compared, accepted)) & ~as_mask(compared.is_null())

    def _compared(self, text: str) -> str:
        return text.casefold() if self.ignore_case else text


_COMPARISONS: Mapping[str, Callable[[Any, float], Any]] = {
    "above": np.greater,
    "at_least": np.greater_equal,
    "below": np.less,
    "at_most": np.less_equal,
    "between from": np.greater_equal,
    "between to": np.less_equal,
}


def _wildcards(like: str) -> str:
    """A text with wildcards as a pattern for the whole value."""
    body = "".join({"*": ".*", "?": "."}.get(c, re.escape(c)) for c in like)
    return f"(?s)^{body}$"


def is_blank(values: pa.Array) -> Mask:
    """Which texts are missing, empty, or nothing but spaces and invisible characters."""
    return as_mask(pc.equal(trimmed(values), "").fill_null(True))
