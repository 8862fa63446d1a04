"""The rule `part`."""

from __future__ import annotations

from collections.abc import Mapping
from typing import ClassVar, Literal

import pyarrow as pa
from pydantic import Field, model_validator

from igual.lists import Shelf
from igual.rules.base import Rule
from igual.rules.rewriters import Details, PlainRewriter, Rewriter, Rewritten
from igual.text.arrays import LONGEST_TEXT
from igual.text.cutting import all_parts, nth_part
from igual.text.folding import trimmed


class Part(Rule):
    """Take the n-th part between separators, or put all parts into columns.

    A value without such a part gives an empty text, and is reported. With several columns, what a value lacks is
    empty, and what it has too much stays together in the last column, which is reported. Missing stays missing.

    Attributes:
        separator: The text that parts stand between.
        nth: Which part, from 1, or from the end when negative (-1 is the last). into: a new column for the part;
            or, without `nth`, new columns for all parts.
        trim: Take spaces off the ends of parts.

    Example:
        >>> from igual.rules import Part
        >>> Part(separator="/", nth=-1).on(["a/b/c"]), Part(separator=":", into=("h", "m")).on(["12:30"])
        (['c'], {'h': ['12'], 'm': ['30']})
    """

    writes_several: ClassVar[bool] = True
    unread_as: ClassVar[str] = "found other parts than it asks for in"

    do: Literal["part"] = "part"
    separator: str = Field(min_length=1)
    nth: int | None = Field(default=None, ge=-LONGEST_TEXT, le=LONGEST_TEXT)
    trim: bool = True

    @model_validator(mode="after")
    def _which_parts(self) -> Part:
        if (self.nth is None) != isinstance(self.into, tuple):
            raise ValueError("give 'nth' for one part, or a list of columns as 'into' for all of them")
        if self.nth == 0:
            raise ValueError("'nth' counts from 1, or from the end by -1, -2, …")
        return self

    def rewriter(self, shelf: Shelf) -> Rewriter:
        """Prepare the rule for work."""
        return _Rewriter(self)


class _Rewriter(PlainRewriter):
    def __init__(self, rule: Part) -> None:
        self._rule = rule

    def rewrite(self, values: pa.Array, beside: Mapping[str, pa.Array]) -> Rewritten:
        rule = self._rule
        if rule.nth is not None:
            part, without = nth_part(values, rule.separator, rule.nth)
            return Rewritten(trimmed(part) if rule.trim else part, Details(unread=without))
        parts, has_more = all_parts(values, rule.separator, len(rule.targets))
        columns = tuple(trimmed(part) if rule.trim else part for part in parts)
        return Rewritten(values, Details(unread=has_more), columns)
