"""Texts read as numbers and dates, in forms that leave nothing to guess."""

from __future__ import annotations

import re
from collections.abc import Callable
from decimal import MAX_EMAX, MIN_EMIN, ROUND_HALF_UP, Context, Decimal
from typing import Any

import numpy as np
import numpy.typing as npt
import pyarrow as pa
import pyarrow.compute as pc

from igual.column import TEXT, Mask, to_mask
from igual.text.arrays import LONGEST_TEXT, changed_where, each, has_any, has_pattern
from igual.text.dates import ISO, days
from igual.text.folding import trimmed
from igual.text.packed import pack, splice, unpack

Floats = npt.NDArray[np.float64]

# 1234.5 as an example: `1235` and `1 235` have no decimals, `1234.50` has two.
_NUMBER_FORM = re.compile(r"1(?P<group>[.,' ]?)(?:23[45]|234(?P<mark>[.,])(?P<decimals>50*))")
# Room for the longest text there is.
_ROUNDING = Context(prec=2 * LONGEST_TEXT, rounding=ROUND_HALF_UP, Emax=MAX_EMAX, Emin=MIN_EMIN)
_DECIMAL_DIGITS, _PLAIN_DECIMALS, _GROUP = 38, 6, 3
PLAIN_NUMBER = r"^[+\-−]?\d+(\.\d+)?$"


def numbers(values: pa.Array) -> Floats:
    """The plain numbers (`-12.5`: digits, a point) among texts, outer spaces aside; NaN for all others."""
    texts = trimmed(values)
    plain = has_pattern(texts, PLAIN_NUMBER)
    read = np.full(len(values), np.nan)
    some = with_plain_signs(texts.filter(pa.array(plain)))
    read[plain] = pc.cast(some, pa.float64()).to_numpy(zero_copy_only=False)
    return read


def with_plain_signs(values: pa.Array) -> pa.Array:
    """Texts with a plain minus in the place of the typographic one, and without a plus at their start."""
    if has_any(values, "−"):
        values = pc.replace_substring(values, pattern="−", replacement="-")
    is_plus = to_mask(pc.starts_with(values, "+").fill_null(False))
    return changed_where(values, is_plus, lambda some: pc.utf8_slice_codeunits(some, 1))


def plain_decimals(values: pa.Array) -> pa.Array:
    """Numbers without the zeros that say nothing, as texts (`-007.50` as `-7.5`); they are plain numbers already.

    Example:
        >>> plain_decimals(pa.array(["007", "-0.50", "-0", "10"])).to_pylist()
        ['7', '-0.5', '0', '10']
    """
    return changed_where(values, has_pattern(values, r"^-?0\d|^-0$|\.\d*0$|\.$"), _without_needless_zeros)


def _without_needless_zeros(values: pa.Array) -> pa.Array:
    for pattern, given in ((r"^(-?)0+(\d)", r"\1\2"), (r"(\.\d*?)0+$", r"\1"), (r"\.$", ""), (r"^-0$", "0")):
        values = pc.replace_substring_regex(values, pattern=pattern, replacement=given)
    return values


def check_number_form(form: str) -> str:
    """Give a form back if numbers can be written by it: 1234.5 as an example, such as `1,234.50`; else ValueError."""
    match = _NUMBER_FORM.fullmatch(form)
    if match is None or (match["mark"] or "-") == match["group"]:
        raise ValueError(f"the form {form!r} isn't 1234.5 as an example, such as 1234.50, 1,234.5 or 1 235")
    return form


def write_numbers(values: pa.Array, form: str) -> pa.Array:
    """Plain numbers as texts of a form, rounded to its decimals, halves away from zero; missing stays missing.

    Example:
        >>> write_numbers(pa.array(["1234567.125", "-0.004", None]), "1.234,50").to_pylist()
        ['1.234.567,13', '0,00', None]
    """
    group, mark, places = _read_form(form)
    if (short := _rounded(values, places)) is not None:
        return _grouped(short, group, mark)
    return each(values, number_writer(form))


def find_written(values: pa.Array, form: str) -> Mask:
    """Tell which texts are numbers in a form already, rounded to its decimals.

    Example:
        >>> find_written(pa.array(["2,007.00", "2007", "1,2.00"]), "1,234.50").tolist()
        [True, False, False]
    """
    group, mark, places = _read_form(form)
    whole = rf"\d{{1,3}}({re.escape(group)}\d{{3}})*" if group else r"\d+"
    decimals = rf"{re.escape(mark)}\d{{{places}}}" if mark else ""
    return has_pattern(values, rf"^-?{whole}{decimals}$")


def _read_form(form: str) -> tuple[str, str, int]:
    """The mark between groups, the one before the decimals, and how many decimals there are."""
    match = _NUMBER_FORM.fullmatch(check_number_form(form))
    assert match is not None
    return match["group"], match["mark"] or "", len(match["decimals"] or "")


def number_writer(form: str) -> Callable[[str], str]:
    """How a plain number alone is written: as `write_numbers` does it, which is for many."""
    group, mark, places = _read_form(form)
    step = Decimal(1).scaleb(-places)

    def write(text: str) -> str:
        rounded = Decimal(text).quantize(step, context=_ROUNDING)
        # `abs` would round to the digits of Python's own context.
        whole, _, decimals = f"{rounded.copy_abs():,f}".partition(".")
        sign = "-" if rounded < 0 else ""
        return sign + whole.replace(",", group) + mark + decimals

    return write


def _rounded(values: pa.Array, places: int) -> pa.Array | None:
    """Plain numbers rounded to some decimals, as texts; None where they have too many digits for Arrow's decimals."""
    some = values.drop_null()
    point = np.asarray(pc.find_substring(some, "."))
    length = np.asarray(pc.binary_length(some))
    scale = int(np.where(point >= 0, length - point - 1, 0).max(initial=0))
    whole = int(np.where(point >= 0, point, length).max(initial=0))
    # Rounding may need one digit more; and smaller decimals Arrow writes with an exponent.
    if whole + max(scale, places) + 1 > _DECIMAL_DIGITS or places > _PLAIN_DECIMALS:
        return None
    exact = values.cast(pa.decimal128(_DECIMAL_DIGITS, max(scale, places)))
    rounded = pc.round(exact, ndigits=places, round_mode="half_towards_infinity")
    return rounded.cast(pa.decimal128(_DECIMAL_DIGITS, places)).cast(TEXT)


def _grouped(values: pa.Array, group: str, mark: str) -> pa.Array:
    """Numbers with a mark between groups of three digits, and one before the decimals."""
    packed = unpack(values)
    data = packed.data
    points = np.flatnonzero(data == ord("."))
    ends = packed.offsets[1:].copy()
    ends[packed.texts_at(points)] = points
    starts = packed.offsets[:-1] + to_mask(pc.starts_with(values, "-"))
    # Before each third digit from the point on, but before the first.
    many = (
        np.where(to_mask(values.is_valid()), np.maximum(ends - starts - 1, 0) // _GROUP, 0)
        if group
        else 0 * ends
    )
    owner = np.repeat(np.arange(len(values)), many)
    number = many[owner] - (np.arange(len(owner)) - (np.cumsum(many) - many)[owner])
    edges = ends[owner] - _GROUP * number
    if mark and mark != ".":
        data = data.copy()
        data[points] = ord(mark)
    which = np.zeros(len(edges), np.int64)
    return pack(splice(packed._replace(data=data), edges, edges, pa.array([group], TEXT), which), values)


def numeral_key(values: pa.Array) -> pa.Array:
    """Numbers without the zeros that say nothing, outer spaces aside; all other texts as they are.

    Example:
        >>> numeral_key(pa.array(["01", " 1.0", "x0"])).to_pylist()
        ['1', '1', 'x0']
    """
    texts = trimmed(values)
    is_number = pa.array(has_pattern(texts, r"^-?\d+(\.\d+)?$"))
    return pc.replace_with_mask(values, is_number, plain_decimals(texts.filter(is_number)))


def dates(values: pa.Array) -> Floats:
    """The days since 1970-01-01 of ISO 8601 dates (`2024-05-31`) among texts; NaN for all others."""
    return days(values, ISO)


def limit(given: Any) -> tuple[float, bool]:
    """A limit that a condition states: as a number, or as the day of an ISO date; and whether it is a date.

    Raises:
        ValueError: For a text that is neither.
    """
    if isinstance(given, int | float):
        return float(given), False
    texts = pa.array([str(given)], TEXT)
    if not np.isnan(day := dates(texts)[0]):
        return float(day), True
    if not np.isnan(number := numbers(texts)[0]):
        return float(number), False
    raise ValueError(f"{given!r} is neither a number nor a date such as 2024-05-31")
