"""The rule `extract`."""

from __future__ import annotations

from collections.abc import Mapping
from typing import ClassVar, Literal

import pyarrow as pa
import pyarrow.compute as pc
from pydantic import Field, field_validator, model_validator

from igual.conditions import ConditionLike, as_condition
from igual.lists import Shelf
from igual.rules.base import Rule
from igual.rules.rewriters import Details, PlainRewriter, Rewriter, Rewritten
from igual.text.arrays import LONGEST_TEXT
from igual.text.cutting import nth_piece
from igual.text.patterns import LAST_PLACE, captured, checked_groups, checked_pattern, group_names

_BETWEEN = b" \t\n\f\r,;/|()"


class Extract(Rule):
    """Take out what a pattern captures, or a piece that passes a test.

    Where nothing is found, a new column is missing there, and a column in place stays as it is; either is reported.
    Missing values stay missing.

    Attributes:
        pattern: A regular expression (RE2 syntax). What it finds is taken, or what its named groups `(?P<name>…)`
            hold: one of them, or one for each column of `into`.
        pieces: A condition; of the pieces between spaces and `, ; / | ( )`, those that meet it are meant.
        nth: Which place or piece, from 1; pieces also from the end when negative. into: a new column, or several
            for named groups.

    Example:
        >>> from igual.rules import Condition, Extract
        >>> Extract(pieces=Condition(pattern="^[0-9]{4,6}$")).on(["permit 12 of 20345, urgent"])
        ['20345']
    """

    writes_several: ClassVar[bool] = True
    unread_as: ClassVar[str] = "found nothing in"

    do: Literal["extract"] = "extract"
    pattern: str | None = None
    pieces: ConditionLike | None = None
    nth: int = Field(default=1, ge=-LONGEST_TEXT, le=LONGEST_TEXT)

    @field_validator("pattern")
    @classmethod
    def _pattern_is_sound(cls, given: str | None) -> str | None:
        if given is not None:
            checked_groups(checked_pattern(given))
        return given

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
        """List the columns that the rule looks at besides its own."""
        return super().reads() | (as_condition(self.pieces).columns() if self.pieces else set())

    def rewriter(self, shelf: Shelf) -> Rewriter:
        """Prepare the rule for work."""
        return _Rewriter(self, shelf)


class _Rewriter(PlainRewriter):
    def __init__(self, rule: Extract, shelf: Shelf) -> None:
        self._rule = rule
        self._shelf = shelf
        # Lists would be looked into anew for each piece.
        self.works_in_pieces = rule.pieces is None or not as_condition(rule.pieces).lists()
        self._pattern = rule.pattern or ""
        self._names = group_names(self._pattern)

    def rewrite(self, values: pa.Array, beside: Mapping[str, pa.Array]) -> Rewritten:
        rule = self._rule
        if rule.pieces is not None:
            condition = as_condition(rule.pieces)
            piece, without = nth_piece(
                values, _BETWEEN, lambda some: condition.mask(some, lists=self._shelf.lists), rule.nth
            )
            columns = [piece]
        else:
            columns, without = captured(values, self._pattern, self._names, rule.nth)
        if len(rule.targets) > 1:
            return Rewritten(values, Details(unread=without), tuple(columns))
        new = columns[0] if rule.into is not None else pc.coalesce(columns[0], values)
        return Rewritten(new, Details(unread=without))
