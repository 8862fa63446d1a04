"""Cells of Python's as values: whatever can stand in a column, a codebook or a condition."""

from __future__ import annotations

import re
from collections.abc import Mapping
from datetime import date, datetime, time
from decimal import Decimal
from numbers import Integral
from typing import Any
from uuid import UUID

import numpy as np

_IDLE_FRACTION = re.compile(r"(?<=:\d\d)(\.\d*?)0+(?=Z|[+-]|$)")


def value_of(cell: Any) -> str | None:
    """Read one cell of Python's as a value.

    Args:
        cell: A text, number, truth value, day, time or UUID.

    Returns:
        The value: numbers in plain decimal notation, days and times by ISO 8601; None for anything else.

    Example:
        >>> [value_of(cell) for cell in (1, 1.0, True, Decimal("2.50"), date(2024, 5, 31), ["x"])]
        ['1', '1', 'true', '2.5', '2024-05-31', None]
    """
    if isinstance(cell, str | UUID):
        return str(cell)
    if isinstance(cell, bool | np.bool_):
        return str(bool(cell)).lower()
    if isinstance(cell, Integral):
        return str(int(cell))
    if isinstance(cell, float | np.floating | Decimal):
        return _write_number(Decimal(str(cell)))
    if isinstance(cell, datetime | time):
        return _IDLE_FRACTION.sub(lambda match: match[1].rstrip("."), cell.isoformat())
    if isinstance(cell, date):
        return cell.isoformat()
    return None


def values_of(given: Mapping[Any, Any]) -> dict[Any, Any]:
    """Read what a mapping holds as values; what is none stays as it is, to be refused by name.

    Args:
        given: Codes and labels, or the like.

    Returns:
        The same as texts.

    Example:
        >>> values_of({1: "good", "2": None})
        {'1': 'good', '2': None}
    """
    return {
        key if type(key) is str else value_or_same(key): held if type(held) is str else value_or_same(held)
        for key, held in given.items()
    }


def value_or_same(cell: Any) -> Any:
    """Read a cell as a value; what is none stays as it is.

    Example:
        >>> value_or_same(1.0), value_or_same(["x"])
        ('1', ['x'])
    """
    value = value_of(cell)
    return cell if value is None else value


def _write_number(number: Decimal) -> str:
    if not number.is_finite():
        return str(number).lower().replace("infinity", "inf")
    text = f"{number:f}"
    text = text.rstrip("0").rstrip(".") if "." in text else text
    return "0" if text == "-0" else text
