"""The rule `overlay`."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Literal

import pyarrow as pa
import pyarrow.compute as pc
from pydantic import Field, field_validator

from igual.lists import Shelf
from igual.rules.base import Rule
from igual.rules.rewriters import Details, PlainRewriter, Rewriter, Rewritten
from igual.text.arrays import LONGEST_TEXT, refuse_long_texts
from igual.text.cutting import overlaid


class Overlay(Rule):
    """Write a text over some characters of each value.

    Values that end before `start` stay as they are, and are reported. Missing values stay missing.

    Attributes:
        start: The first character to write over, from 1, or from the end when negative (-1 is the last).
        length: How many characters to write over; 0 puts the text in.
        text: What to write there.
        same_length: Keep the value as long as it was: `text` is cut, or filled up with `pad`.
        pad: One character to fill up with.

    Example:
        >>> from igual.rules import Overlay
        >>> Overlay(start=-4, length=4, text="*", same_length=True, pad="*").on(["AB-1234"])
        ['AB-****']
    """

    do: Literal["overlay"] = "overlay"
    start: int = Field(ge=-LONGEST_TEXT, le=LONGEST_TEXT)
    length: int = Field(ge=0, le=LONGEST_TEXT)
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
        """Prepare the rule for work."""
        return _Rewriter(self)


class _Rewriter(PlainRewriter):
    def __init__(self, rule: Overlay) -> None:
        self._rule = rule
        self._text = rule.text.ljust(rule.length, rule.pad)[: rule.length] if rule.same_length else rule.text

    def rewrite(self, values: pa.Array, beside: Mapping[str, pa.Array]) -> Rewritten:
        # No more is put in than the text, before it is known how much goes.
        refuse_long_texts(pc.add(pc.binary_length(values).cast(pa.int64()), len(self._text.encode())), values)
        new, short = overlaid(
            values, self._rule.start, self._rule.length, self._text, same_length=self._rule.same_length
        )
        return Rewritten(new, Details(unread=short))
