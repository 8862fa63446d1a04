"""The rule `pad`."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Literal

import pyarrow as pa
import pyarrow.compute as pc
from pydantic import Field

from igual.lists import Shelf
from igual.rules.base import Rule
from igual.rules.rewriters import PlainRewriter, Rewriter, Rewritten
from igual.text.arrays import LONGEST_TEXT, refuse_long_texts
from igual.text.cutting import padded


class Pad(Rule):
    """Fill values up to a width, as codes that lost their leading zeros need it.

    Values that are as long already, or longer, stay as they are. Empty and missing values stay too.

    Attributes:
        width: How many characters a value is to have at least.
        fill: One character to fill up with.
        side: Fill at the `start` or at the `end`.

    Example:
        >>> from igual.rules import Pad
        >>> Pad(width=5).on(["417", "20417", "", None])
        ['00417', '20417', '', None]
    """

    takes_numbers = True

    do: Literal["pad"] = "pad"
    width: int = Field(ge=1, le=LONGEST_TEXT)
    fill: str = Field(default="0", min_length=1, max_length=1)
    side: Literal["start", "end"] = "start"

    def rewriter(self, shelf: Shelf) -> Rewriter:
        """Prepare the rule for work."""
        return _Rewriter(self)


class _Rewriter(PlainRewriter):
    def __init__(self, rule: Pad) -> None:
        self._rule = rule

    def rewrite(self, values: pa.Array, beside: Mapping[str, pa.Array]) -> Rewritten:
        width = self._rule.width * len(self._rule.fill.encode())
        lengths = pc.binary_length(values).cast(pa.int64())
        refuse_long_texts(pc.if_else(pc.equal(lengths, 0), 0, pc.max_element_wise(lengths, width)), values)
        return Rewritten(padded(values, self._rule.width, self._rule.fill, self._rule.side == "start"))
