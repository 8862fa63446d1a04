"""Texts read as numbers and dates, in forms that leave nothing to guess."""

from __future__ import annotations

from typing import Any

import numpy as np
import numpy.typing as npt
import pyarrow as pa
import pyarrow.compute as pc

from igual.column import TEXT
from igual.text.arrays import has_pattern
from igual.text.dates import ISO, days
from igual.text.folding import trimmed

Floats = npt.NDArray[np.float64]

PLAIN_NUMBER = r"^[+\-−]?\d+(\.\d+)?$"


def numbers(values: pa.Array) -> Floats:
    """The plain numbers (`-12.5`: digits, a point) among texts, outer spaces aside; NaN for all others."""
    texts = pc.replace_substring(trimmed(values), pattern="−", replacement="-")
    plain = has_pattern(texts, PLAIN_NUMBER)
    read = np.full(len(values), np.nan)
    some = pc.replace_substring_regex(texts.filter(pa.array(plain)), pattern=r"^\+", replacement="")
    read[plain] = pc.cast(some, pa.float64()).to_numpy(zero_copy_only=False)
    return read


def plain_decimals(values: pa.Array) -> pa.Array:
    """Numbers without the zeros that say nothing, as texts (`-007.50` as `-7.5`); they are plain numbers already.

    Example:
        >>> plain_decimals(pa.array(["007", "-0.50", "-0", "10"])).to_pylist()
        ['7', '-0.5', '0', '10']
    """
    for pattern, given in ((r"^(-?)0+(\d)", r"\1\2"), (r"(\.\d*?)0+$", r"\1"), (r"\.$", ""), (r"^-0$", "0")):
        values = pc.replace_substring_regex(values, pattern=pattern, replacement=given)
    return values


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
