"""The rule `number`."""

from __future__ import annotations

import re
from collections.abc import Mapping
from typing import ClassVar, Literal

import pyarrow as pa
import pyarrow.compute as pc
from pydantic import model_validator

from igual.column import TEXT
from igual.conditions import is_blank
from igual.engines import OutputType
from igual.lists import Shelf
from igual.rules.base import PlainRewriter, Rewriter, Rewritten, Rule
from igual.rules.kinds import UNREAD, ValueKind
from igual.text.arrays import has_pattern
from igual.text.folding import trimmed
from igual.text.reading import plain_decimals


class Number(Rule):
    """Read texts as numbers, written in a stated way; nothing is guessed.

    The result is a number column where the table can have one, and plain numbers (`1234.5`) in a text table, without
    zeros that say nothing: `007` becomes `7`, and `1.50` becomes `1.5`. No digit is lost: where a double can't hold
    the numbers the column has decimals of up to 38 digits, and texts beyond that.

    A value that isn't a number in this form becomes missing and is listed as unknown, with its rows. Missing values
    and blanks are missing.

    Attributes:
        decimal: The mark before the decimals.
        grouping: The mark between groups of three digits, if there is one.

    Example:
        >>> from igual.rules import Number
        >>> Number(decimal=",", grouping=".").on(["1.234,5", "n/a"])
        [1234.5, None]
    """

    changes_notation: ClassVar[bool] = True
    takes_numbers: ClassVar[bool] = True
    unknown_kind: ClassVar[ValueKind] = UNREAD

    do: Literal["number"] = "number"
    decimal: Literal[".", ","] = "."
    grouping: Literal["", ".", ",", " ", "'"] = ""

    @model_validator(mode="after")
    def _marks_differ(self) -> Number:
        if self.decimal == self.grouping:
            raise ValueError("'decimal' and 'grouping' can't be the same mark")
        return self

    def output(self, shelf: Shelf) -> OutputType:
        """Tell what its results are to be in the clean table."""
        return OutputType("number")

    def rewriter(self, shelf: Shelf) -> Rewriter:
        """Prepare the rule for work."""
        return _Rewriter(self)


class _Rewriter(PlainRewriter):
    def __init__(self, rule: Number) -> None:
        point, group = re.escape(rule.decimal), re.escape(rule.grouping)
        grouped = rf"\d{{1,3}}({group}\d{{3}})+|" if rule.grouping else ""
        self._looks = rf"^[+\-−]?({grouped}\d+)({point}\d+)?$"
        self._rule = rule

    def rewrite(self, values: pa.Array, beside: Mapping[str, pa.Array]) -> Rewritten:
        texts = trimmed(values)
        good = pa.array(has_pattern(texts, self._looks))
        if self._rule.grouping:
            texts = pc.replace_substring(texts, pattern=self._rule.grouping, replacement="")
        texts = pc.replace_substring(texts, pattern=self._rule.decimal, replacement=".")
        texts = pc.replace_substring(texts, pattern="−", replacement="-")
        texts = plain_decimals(pc.replace_substring_regex(texts, pattern=r"^\+", replacement=""))
        unknown = ~good.to_numpy(zero_copy_only=False) & ~is_blank(values)
        return Rewritten(pc.if_else(good, texts, pa.scalar(None, TEXT)), unknown)
