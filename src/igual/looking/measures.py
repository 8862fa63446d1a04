"""Oddities of columns of numbers, dates and codes: another decimal mark, another form, a unit, zeros that were lost."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
import numpy.typing as npt
import pyarrow as pa
import pyarrow.compute as pc

from igual.column import Mask
from igual.text.dates import forms_of
from igual.text.patterns import LETTER

if TYPE_CHECKING:
    from igual.looking.many_columns import ManyColumns

_COMMA, _POINT = r"^[+-]?\d+,\d+$", r"^[+-]?\d+\.\d+$"
_WITH_UNIT = rf"^[+-]?\d+([.,]\d+)?\s?([{LETTER}]{{1,3}}|%|°|[{LETTER}]{{1,2}}[²³])$|^[$€£¥]\s?\d"
_MAYBE_DATE = r"^\d{1,4}[/.\- ]\S{1,9}[/.\- ,]{1,2}\d{2,4}$|^\D{3,9} \d{1,2}, \d{4}$"
_HALF = 0.5


def _shares(many: ManyColumns, mask: Mask) -> npt.NDArray[np.float64]:
    """The share of marked values in each column, of the rows that say anything, (columns,)."""
    shares: npt.NDArray[np.float64] = many.sum_rows(mask) / np.maximum(many.sum_rows(~many.blank), 1)
    return shares


def find_other_decimal_marks(many: ManyColumns) -> Mask:
    """Numbers with the rarer of two decimal marks, in columns that are mostly such numbers."""
    comma, point = (many.has_where(many.begins_like_number, pattern) for pattern in (_COMMA, _POINT))
    rows = many.sum_rows(comma), many.sum_rows(point)
    both = (rows[0] > 0) & (rows[1] > 0) & (_shares(many, comma | point) >= _HALF)
    rarer: Mask = many.spread(both) & np.where(many.spread(rows[0] < rows[1]), comma, point)
    return rarer


def find_units(many: ManyColumns) -> Mask:
    """Numbers with a unit or a currency sign, in columns that mostly have them."""
    # What begins with a digit ends in its unit.
    is_led = (many.first_bytes == ord("$")) | (many.first_trimmed > ord("~"))
    maybe = is_led | (many.begins_like_number & ~many.ends_in_digit)
    with_unit = many.has_where(maybe, _WITH_UNIT)
    mask: Mask = with_unit & many.spread(_shares(many, with_unit) >= _HALF)
    return mask


def find_lost_zeros(many: ManyColumns) -> Mask:
    """Codes that are shorter than those of the same column which begin with a zero."""
    zero_first = many.has_zero_in_front
    if not zero_first.any():
        return zero_first
    lengths = pc.utf8_length(many.values).fill_null(0).to_numpy(zero_copy_only=False)
    longest = np.zeros(len(many.columns), np.int64)
    np.maximum.at(longest, many.owners[zero_first], lengths[zero_first])
    mask: Mask = many.is_digits & ~zero_first & (lengths < many.spread(longest))
    return mask


def find_other_date_forms(many: ManyColumns) -> Mask:
    """Dates in another form than most dates of their column."""
    is_other = np.zeros(len(many.values), np.bool_)
    begins = ~many.blank if ord(",") in many.signs else many.begins_like_number
    maybe = np.flatnonzero(many.has_where(begins & many.ends_in_digit, _MAYBE_DATE))
    if not len(maybe):
        return is_other
    forms = [mask for _, mask in forms_of(many.values.take(pa.array(maybe)))]
    if not forms:
        return is_other
    fits = np.stack(forms)
    owners, rows = many.owners[maybe], many.counts[maybe]
    rows_of = np.stack([np.bincount(owners, rows * mask, len(many.columns)) for mask in fits])
    usual = rows_of.argmax(axis=0)[owners]
    is_mostly_dates = (rows_of.max(axis=0) >= _HALF * many.sum_rows(~many.blank))[owners]
    odd = fits.any(axis=0) & ~fits[usual, np.arange(len(maybe))] & is_mostly_dates
    is_other[maybe] = odd
    return is_other
