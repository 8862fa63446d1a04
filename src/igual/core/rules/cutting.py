"""The rules `overlay`, `part` and `extract`."""

from __future__ import annotations

from collections.abc import Mapping
from typing import ClassVar, Literal

import pyarrow as pa
import pyarrow.compute as pc
from pydantic import Field, field_validator, model_validator

from igual.core.conditions import Condition
from igual.core.lists import Shelf
from igual.core.rules.base import PlainRewriter, Rewriter, Rewritten, Rule
from igual.core.text.cutting import all_parts, captured, nth_part, nth_piece, overlaid
from igual.core.text.folding import trimmed
from igual.core.text.patterns import LAST_PLACE, checked_pattern, group_names

_BETWEEN = r"[\s,;/|()]+"


class Overlay(Rule):
    """Write a text over some characters of each value.

    start: the first character to write over, from 1, or from the end when negative (-1 is the last).
    length: how many characters to write over; 0 puts the text in.
    text: what to write there.
    same_length: keep the value as long as it was: `text` is cut, or filled up with `pad`.
    pad: one character to fill up with.

    Values that end before `start` stay as they are, and are reported. Missing values stay missing.

    >>> from igual.rules import Overlay
    >>> Overlay(start=-4, length=4, text="*", same_length=True, pad="*").on(["AB-1234"])
    ['AB-****']
    """

    do: Literal["overlay"] = "overlay"
    start: int
    length: int = Field(ge=0)
    text: str
    same_length: bool = False
    pad: str = Field(default=" ", min_length=1, max_length=1)

    @field_validator("start")
    @classmethod
    def _start_is_a_place(cls, given: int) -> int:
        if given == 0:
            raise ValueError("'start' counts from 1, or from the end by -1, -2, …")
        return given

    def rewriter(self, shelf: Shelf) -> Rewriter:
        return _Overlaying(self)


class _Overlaying(PlainRewriter):
    def __init__(self, rule: Overlay) -> None:
        self._rule = rule
        self._text = rule.text.ljust(rule.length, rule.pad)[: rule.length] if rule.same_length else rule.text

    def rewrite(self, values: pa.Array, beside: Mapping[str, pa.Array]) -> Rewritten:
        new, short = overlaid(values, self._rule.start, self._rule.length, self._text)
        return Rewritten(new, unread=short)


class Part(Rule):
    """Take the n-th part between separators, or put all parts into columns.

    separator: the text that parts stand between.
    nth: which part, from 1, or from the end when negative (-1 is the last).
    into: a new column for the part; or, without `nth`, new columns for all parts.
    trim: take spaces off the ends of parts.

    A value without such a part gives an empty text. With several columns, what a value lacks is empty,
    and what it has too much stays together in the last column. Both are reported. Missing stays missing.

    >>> from igual.rules import Part
    >>> Part(separator="/", nth=-1).on(["a/b/c"]), Part(separator=":", into=("h", "m")).on(["12:30"])
    (['c'], {'h': ['12'], 'm': ['30']})
    """

    splits: ClassVar[bool] = True

    do: Literal["part"] = "part"
    separator: str = Field(min_length=1)
    nth: int | None = None
    trim: bool = True

    @model_validator(mode="after")
    def _which_parts(self) -> Part:
        if (self.nth is None) != isinstance(self.into, tuple):
            raise ValueError("give 'nth' for one part, or a list of columns as 'into' for all of them")
        if self.nth == 0:
            raise ValueError("'nth' counts from 1, or from the end by -1, -2, …")
        return self

    def rewriter(self, shelf: Shelf) -> Rewriter:
        return _Parting(self)


class _Parting(PlainRewriter):
    def __init__(self, rule: Part) -> None:
        self._rule = rule

    def rewrite(self, values: pa.Array, beside: Mapping[str, pa.Array]) -> Rewritten:
        rule = self._rule
        if rule.nth is not None:
            part, without = nth_part(values, rule.separator, rule.nth)
            return Rewritten(trimmed(part) if rule.trim else part, unread=without)
        parts, ragged = all_parts(values, rule.separator, len(rule.targets))
        columns = tuple(trimmed(part) if rule.trim else part for part in parts)
        return Rewritten(values, unread=ragged, columns=columns)


class Extract(Rule):
    """Take out what a pattern captures, or a piece that passes a test.

    pattern: a regular expression (RE2 syntax). What it finds is taken, or what its named groups
        `(?P<name>…)` hold: one of them, or one for each column of `into`.
    pieces: a condition; of the pieces between spaces and `, ; / | ( )`, those that meet it are meant.
    nth: which place or piece, from 1; pieces also from the end when negative.
    into: a new column, or several for named groups.

    Where nothing is found, a new column is missing there, and a column in place stays as it is; either is
    reported. Missing values stay missing.

    >>> from igual.rules import Condition, Extract
    >>> Extract(pieces=Condition(pattern="^[0-9]{4,6}$")).on(["permit 12 of 20345, urgent"])
    ['20345']
    """

    splits: ClassVar[bool] = True

    do: Literal["extract"] = "extract"
    pattern: str | None = None
    pieces: Condition | None = None
    nth: int = 1

    @field_validator("pattern")
    @classmethod
    def _pattern_is_sound(cls, given: str | None) -> str | None:
        return checked_pattern(given) if given is not None else None

    @model_validator(mode="after")
    def _one_way(self) -> Extract:
        if (self.pattern is None) == (self.pieces is None):
            raise ValueError("give 'pattern' or 'pieces'")
        if self.nth == 0 or (self.pattern is not None and not 0 < self.nth <= LAST_PLACE):
            raise ValueError(
                f"'nth' counts from 1 (up to {LAST_PLACE}); pieces also from the end by -1, -2, …"
            )
        columns = max(len(self.targets), 1)
        names = group_names(self.pattern or "")
        if columns > 1 and len(names) != columns:
            raise ValueError(f"'into' names {columns} columns, and the pattern has {len(names)} named groups")
        if columns == 1 and len(names) > 1:
            raise ValueError(f"the pattern has {len(names)} named groups: give as many columns as 'into'")
        return self

    def reads(self) -> set[str]:
        return super().reads() | (self.pieces.columns() if self.pieces else set())

    def rewriter(self, shelf: Shelf) -> Rewriter:
        return _Extracting(self, shelf)


class _Extracting(PlainRewriter):
    def __init__(self, rule: Extract, shelf: Shelf) -> None:
        self._rule = rule
        self._shelf = shelf
        pattern = rule.pattern or ""
        self._names = group_names(pattern) or ["all"]
        self._pattern = pattern if group_names(pattern) else f"(?P<all>{pattern})"

    def rewrite(self, values: pa.Array, beside: Mapping[str, pa.Array]) -> Rewritten:
        rule = self._rule
        if rule.pieces is not None:
            meant = rule.pieces
            piece, without = nth_piece(
                values, _BETWEEN, lambda some: meant.mask(some, lists=self._shelf.lists), rule.nth
            )
            columns = [piece]
        else:
            columns, without = captured(values, self._pattern, self._names, rule.nth)
        if len(rule.targets) > 1:
            return Rewritten(values, unread=without, columns=tuple(columns))
        new = columns[0] if rule.into is not None else pc.coalesce(columns[0], values)
        return Rewritten(new, unread=without)
