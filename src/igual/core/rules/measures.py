"""The rules `number`, `date` and `bands`: texts that are measures."""

from __future__ import annotations

import re
from collections.abc import Mapping
from typing import Any, ClassVar, Literal

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from pydantic import Field, field_validator, model_validator

from igual.core.column import TEXT
from igual.core.conditions import is_blank
from igual.core.lists import Shelf
from igual.core.rules.base import Gives, PlainRewriter, Rewriter, Rewritten, Rule
from igual.core.rules.lookup import Otherwise, given_or_otherwise
from igual.core.text.arrays import found
from igual.core.text.dates import ISO, days, strptime_form, written
from igual.core.text.folding import trimmed
from igual.core.text.reading import numbers
from igual.core.words import Worded


class Number(Rule):
    """Read texts as numbers, written in a stated way; nothing is guessed.

    decimal: the mark before the decimals. grouping: the mark between groups of three digits, if there is one.

    The result is a number column where the table can have one, and plain numbers (`1234.5`) in a text table.
    A value that isn't a number in this form becomes missing and is listed as unknown, with its rows. Missing
    values and blanks are missing.

    >>> from igual.rules import Number
    >>> Number(decimal=",", grouping=".").on(["1.234,5", "n/a"])
    [1234.5, None]
    """

    restates: ClassVar[bool] = True

    do: Literal["number"] = "number"
    decimal: Literal[".", ","] = "."
    grouping: Literal["", ".", ",", " ", "'"] = ""

    @model_validator(mode="after")
    def _marks_differ(self) -> Number:
        if self.decimal == self.grouping:
            raise ValueError("'decimal' and 'grouping' can't be the same mark")
        return self

    def gives(self, shelf: Shelf) -> Gives:
        return Gives("number")

    def rewriter(self, shelf: Shelf) -> Rewriter:
        return _Numbering(self)


class _Numbering(PlainRewriter):
    def __init__(self, rule: Number) -> None:
        point, group = re.escape(rule.decimal), re.escape(rule.grouping)
        grouped = rf"\d{{1,3}}({group}\d{{3}})+|" if rule.grouping else ""
        self._looks = rf"^[+\-−]?({grouped}\d+)({point}\d+)?$"
        self._rule = rule

    def rewrite(self, values: pa.Array, beside: Mapping[str, pa.Array]) -> Rewritten:
        texts = trimmed(values)
        good = pa.array(found(texts, self._looks))
        if self._rule.grouping:
            texts = pc.replace_substring(texts, pattern=self._rule.grouping, replacement="")
        texts = pc.replace_substring(texts, pattern=self._rule.decimal, replacement=".")
        texts = pc.replace_substring(texts, pattern="−", replacement="-")
        texts = pc.replace_substring_regex(texts, pattern=r"^\+", replacement="")
        unknown = ~good.to_numpy(zero_copy_only=False) & ~is_blank(values)
        return Rewritten(pc.if_else(good, texts, pa.scalar(None, TEXT)), unknown)


class Date(Rule):
    """Read texts as dates, written in a stated form; nothing is guessed.

    form: how the dates are written: `YYYY`, `YY`, `MM`, `DD`, and `MON` or `MONTH` for English names, with
        whatever stands between them, such as `DD/MM/YYYY`. Leading zeros may be missing.
    give: how to write them; `YYYY-MM-DD` (ISO 8601) gives a date column where the table can have one.

    A value that isn't a date in this form becomes missing and is listed as unknown, with its rows. Missing
    values and blanks are missing. `igual.date_forms` shows which forms a column has.

    >>> from igual.rules import Date
    >>> Date(form="DD.MM.YYYY", give="YYYY/MM/DD").on(["1.2.2024", "31.02.2024"])
    ['2024/02/01', None]
    """

    restates: ClassVar[bool] = True

    do: Literal["date"] = "date"
    form: str
    give: str = ISO

    @field_validator("form", "give")
    @classmethod
    def _form_is_sound(cls, given: str) -> str:
        strptime_form(given)
        return given

    def gives(self, shelf: Shelf) -> Gives:
        return Gives("date" if self.give == ISO else "text")

    def rewriter(self, shelf: Shelf) -> Rewriter:
        return _Dating(self)


class _Dating(PlainRewriter):
    def __init__(self, rule: Date) -> None:
        self._rule = rule

    def rewrite(self, values: pa.Array, beside: Mapping[str, pa.Array]) -> Rewritten:
        read = days(values, self._rule.form)
        unknown = np.isnan(read) & ~is_blank(values)
        return Rewritten(written(read, self._rule.give), unknown)


class Band(Worded):
    """One range of numbers and its label; a side without a limit is open."""

    label: str = Field(min_length=1)
    at_least: int | float | None = None
    above: int | float | None = None
    below: int | float | None = None
    at_most: int | float | None = None

    @model_validator(mode="after")
    def _one_limit_a_side(self) -> Band:
        if None not in (self.at_least, self.above) or None not in (self.below, self.at_most):
            raise ValueError(f"band {self.label!r} has two limits on one side")
        if self.from_[0] >= self.to[0] and not (self.from_[0] == self.to[0] and self.from_[1] and self.to[1]):
            raise ValueError(f"band {self.label!r} is empty")
        return self

    @property
    def from_(self) -> tuple[float, bool]:
        """The lower limit, and whether it belongs to the band."""
        if self.at_least is not None:
            return self.at_least, True
        return (-np.inf if self.above is None else self.above), False

    @property
    def to(self) -> tuple[float, bool]:
        """The upper limit, and whether it belongs to the band."""
        if self.at_most is not None:
            return self.at_most, True
        return (np.inf if self.below is None else self.below), False


class Bands(Rule):
    """Put the label of a range in the place of a number.

    bands: ranges in rising order, each with a `label`, a lower limit (`at_least` or `above`) and an upper one
        (`below` or `at_most`); the first may lack the lower and the last the upper. Each must begin where the
        one before ends: gaps and overlaps are refused.
    otherwise: what becomes of a value that is no plain number, or in no band: `flag` (keep it, and warn),
        `keep`, `blank` (an empty text), or `{ text = "…" }`. Whatever is chosen, it is listed as unknown.

    Missing values and blanks stay. The result carries the order of the bands.

    >>> from igual.rules import Band, Bands
    >>> Bands(bands=(Band(label="small", below=5), Band(label="tall", at_least=5))).on(["4.9", "5", "?"])
    ['small', 'tall', '?']
    """

    do: Literal["bands"] = "bands"
    bands: tuple[Band, ...] = Field(min_length=1)
    otherwise: Otherwise = "flag"

    @model_validator(mode="after")
    def _no_gaps(self) -> Bands:
        for one, next_ in zip(self.bands, self.bands[1:], strict=False):
            (end, ends_in), (start, starts_in) = one.to, next_.from_
            pair = f"bands {one.label!r} and {next_.label!r}"
            if end > start or (end == start and ends_in and starts_in):
                raise ValueError(f"{pair} overlap at {start:g}")
            if end < start or not (ends_in or starts_in):
                raise ValueError(f"there is a gap between {pair}, at {end:g}")
        return self

    def gives(self, shelf: Shelf) -> Gives:
        return Gives(order=tuple(dict.fromkeys(band.label for band in self.bands)))

    def rewriter(self, shelf: Shelf) -> Rewriter:
        return _Banding(self)


class _Banding(PlainRewriter):
    def __init__(self, rule: Bands) -> None:
        self._rule = rule
        self._labels = pa.array([band.label for band in rule.bands], TEXT)

    def rewrite(self, values: pa.Array, beside: Mapping[str, pa.Array]) -> Rewritten:
        read = numbers(values)
        places = np.full(len(values), -1, np.int64)
        for place, band in enumerate(self._rule.bands):
            (start, starts_in), (end, ends_in) = band.from_, band.to
            inside = (read >= start if starts_in else read > start) & (read <= end if ends_in else read < end)
            places[inside] = place
        known = places >= 0
        labels = self._labels.take(pa.array(places, mask=~known))
        own = np.asarray(pc.is_in(values, self._labels).to_numpy(zero_copy_only=False), np.bool_)
        unknown: Any = ~known & ~is_blank(values) & ~own
        return Rewritten(given_or_otherwise(values, labels, known, unknown, self._rule.otherwise), unknown)
