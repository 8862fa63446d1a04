"""The rule `number`."""

from __future__ import annotations

import re
from collections.abc import Mapping
from functools import partial
from typing import ClassVar, Literal

import pyarrow as pa
import pyarrow.compute as pc
from pydantic import field_validator, model_validator

from igual.column import TEXT
from igual.engines import OutputType
from igual.lists import Shelf
from igual.rules.base import Rule
from igual.rules.kinds import UNREAD, ValueKind
from igual.rules.rewriters import Details, PlainRewriter, Rewriter, Rewritten
from igual.settings import Several
from igual.text.arrays import changed_where, has_pattern
from igual.text.blanks import is_blank
from igual.text.folding import trimmed
from igual.text.reading import (
    check_number_form,
    find_written,
    plain_decimals,
    with_plain_signs,
    write_numbers,
)


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
        unit: What may stand before or behind the number, such as `cm` or `€`; values without it are read too.
        give: How to write them as texts, by the example of 1234.5: `1234.50`, `1,234.5`, `1.234,50`, `1 235`.
            Numbers are rounded to so many decimals (halves away from zero). What is written so already stays, unless it
            is also a number in the form that is read: `2,007` is 2007 as `1,234` has it, and 2.007 where the decimal
            mark is a comma, so that such a rule isn't meant for its own output.

    Example:
        >>> from igual.rules import Number
        >>> Number(decimal=",", grouping=".", unit="cm").on(["1.234,5 cm", "n/a"])
        [1234.5, None]
        >>> Number(give="1,234.50").on(["1234.5", "-0.005"])
        ['1,234.50', '-0.01']
    """

    changes_notation: ClassVar[bool] = True
    takes_numbers: ClassVar[bool] = True
    unknown_kind: ClassVar[ValueKind] = UNREAD

    do: Literal["number"] = "number"
    decimal: Literal[".", ","] = "."
    grouping: Literal["", ".", ",", " ", "'"] = ""
    unit: str | Several[str] = ()
    give: str | None = None

    @field_validator("unit")
    @classmethod
    def _unit_is_no_number(cls, given: str | tuple[str, ...]) -> str | tuple[str, ...]:
        for unit in [given] if isinstance(given, str) else given:
            if not unit.strip() or any(character in "+-−.,'" or character.isdigit() for character in unit):
                raise ValueError(
                    f"'unit' takes texts such as cm or €, without digits, signs and marks: {unit!r}"
                )
        return given

    @field_validator("give")
    @classmethod
    def _give_is_sound(cls, given: str | None) -> str | None:
        return given if given is None else check_number_form(given)

    @model_validator(mode="after")
    def _marks_differ(self) -> Number:
        if self.decimal == self.grouping:
            raise ValueError("'decimal' and 'grouping' can't be the same mark")
        return self

    @property
    def units(self) -> tuple[str, ...]:
        """The texts that may stand before or behind a number."""
        return (self.unit,) if isinstance(self.unit, str) else tuple(self.unit)

    def output(self, shelf: Shelf, before: OutputType) -> OutputType:
        """Tell what its results are to be in the clean table, where the column was to be something before."""
        return OutputType("number" if self.give is None else "text")

    def rewriter(self, shelf: Shelf) -> Rewriter:
        """Prepare the rule for work."""
        return _Rewriter(self)


class _Rewriter(PlainRewriter):
    def __init__(self, rule: Number) -> None:
        point, group = re.escape(rule.decimal), re.escape(rule.grouping)
        grouped = rf"\d{{1,3}}({group}\d{{3}})+|" if rule.grouping else ""
        self._looks = rf"^[+\-−]?({grouped}\d+)({point}\d+)?$"
        units = "|".join(re.escape(unit.strip()) for unit in rule.units)
        self._before, self._behind = rf"^([+\-−]?)(?:{units})\s*", rf"\s*(?:{units})$"
        self._rule = rule

    def rewrite(self, values: pa.Array, beside: Mapping[str, pa.Array]) -> Rewritten:
        texts = trimmed(values)
        if self._rule.units:
            texts = self._without_unit(texts)
        good = pa.array(has_pattern(texts, self._looks))
        if self._rule.grouping:
            texts = pc.replace_substring(texts, pattern=self._rule.grouping, replacement="")
        if self._rule.decimal != ".":
            texts = pc.replace_substring(texts, pattern=self._rule.decimal, replacement=".")
        texts = plain_decimals(with_plain_signs(texts))
        unknown = ~good.to_numpy(zero_copy_only=False) & ~is_blank(values)
        read = pc.if_else(good, texts, pa.scalar(None, TEXT))
        if self._rule.give is None:
            return Rewritten(read, Details(unknown))
        # What is written as the rule writes, and not as it reads, is its own output.
        is_written = unknown & find_written(values, self._rule.give)
        new = pc.if_else(pa.array(is_written), values, write_numbers(read, self._rule.give))
        return Rewritten(new, Details(unknown & ~is_written))

    def _without_unit(self, texts: pa.Array) -> pa.Array:
        """Texts without the unit on one side; with units on both sides they stay, and aren't numbers."""
        is_before, is_behind = (has_pattern(texts, pattern) for pattern in (self._before, self._behind))
        sides = ((is_before & ~is_behind, self._before, r"\1"), (is_behind & ~is_before, self._behind, ""))
        for is_here, pattern, left in sides:
            cut = partial(pc.replace_substring_regex, pattern=pattern, replacement=left)
            texts = changed_where(texts, is_here, cut)
        return texts
