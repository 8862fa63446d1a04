"""The rule `bands`."""

from __future__ import annotations

from collections.abc import Mapping
from decimal import Decimal
from typing import Any, ClassVar, Literal

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from pydantic import Field, model_validator

from igual.column import TEXT
from igual.engines import OutputType
from igual.lists import Shelf
from igual.rules.base import Rule
from igual.rules.kinds import UNLABELLED, ValueKind
from igual.rules.lookup import Otherwise, fill_unknown
from igual.rules.rewriters import Details, PlainRewriter, Rewriter, Rewritten
from igual.settings import Settings
from igual.text.arrays import has_pattern
from igual.text.blanks import is_blank
from igual.text.folding import trimmed
from igual.text.reading import numbers, with_plain_signs


class Band(Settings):
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

    Missing values and blanks stay. The result carries the order of the bands.

    Attributes:
        bands: Ranges in rising order, each with a `label`, a lower limit (`at_least` or `above`) and an upper one
            (`below` or `at_most`); the first may lack the lower and the last the upper. Each must begin where the
            one before ends: gaps and overlaps are refused.
        otherwise: What becomes of a value that is no plain number, or in no band: `flag` (keep it, and warn),
            `keep`, `blank` (an empty text), or `{ text = "…" }`. Whatever is chosen, it is listed as unknown.

    Example:
        >>> from igual.rules import Band, Bands
        >>> Bands(bands=(Band(label="small", below=5), Band(label="tall", at_least=5))).on(["4.9", "5", "?"])
        ['small', 'tall', '?']
    """

    takes_numbers: ClassVar[bool] = True
    unknown_kind: ClassVar[ValueKind] = UNLABELLED

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

    def output(self, shelf: Shelf, before: OutputType) -> OutputType:
        """Tell what its results are to be in the clean table, where the column was to be something before."""
        return OutputType(order=tuple(dict.fromkeys(band.label for band in self.bands)))

    def rewriter(self, shelf: Shelf) -> Rewriter:
        """Prepare the rule for work."""
        return _Rewriter(self)


# A double holds every decimal number of so many significant digits (IEEE 754, DBL_DIG).
_SURE_DIGITS = 15


class _Rewriter(PlainRewriter):
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
        # A double holds all numbers of so many digits; longer ones are compared as they are written.
        unsure = np.flatnonzero(~np.isnan(read) & has_pattern(values, rf"[\d.]{{{_SURE_DIGITS + 1},}}"))
        exact = with_plain_signs(trimmed(values.take(pa.array(unsure))))
        places[unsure] = [self._find_band(Decimal(text)) for text in exact.to_pylist()]
        known = places >= 0
        labels = self._labels.take(pa.array(places, mask=~known))
        own = np.asarray(pc.is_in(values, self._labels).to_numpy(zero_copy_only=False), np.bool_)
        unknown: Any = ~known & ~is_blank(values) & ~own
        new = fill_unknown(values, labels, known, unknown, self._rule.otherwise)
        return Rewritten(new, Details(unknown))

    def _find_band(self, number: Decimal) -> int:
        """The place of the band in which a number is, exactly; -1: in none."""
        for place, band in enumerate(self._rule.bands):
            (start, starts_in), (end, ends_in) = band.from_, band.to
            lower, upper = Decimal(str(start)), Decimal(str(end))
            is_above = number >= lower if starts_in else number > lower
            is_below = number <= upper if ends_in else number < upper
            if is_above and is_below:
                return place
        return -1
