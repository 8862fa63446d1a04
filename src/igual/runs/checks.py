"""Clean values that don't meet the checks of a rulebook."""

from __future__ import annotations

from collections.abc import Mapping
from typing import NamedTuple

import numpy as np
import pyarrow as pa

from igual.lists import ReferenceList
from igual.rules.check import Check
from igual.runs.trail import ColumnTrail
from igual.text.blanks import is_blank


class UnfitValue(NamedTuple):
    """A clean value that doesn't meet a check.

    Attributes:
        check: The check's place in the rulebook, from 1.
        column: The column.
        value: The value.
        rows: How many rows have it.
        note: What the check says about itself.
    """

    check: int
    column: str
    value: str | None
    rows: int
    note: str | None


def find_unfit(
    number: int, check: Check, trail: ColumnTrail, lists: Mapping[str, ReferenceList]
) -> list[UnfitValue]:
    """Find the clean values of a column that don't meet a check.

    Args:
        number: The check's place in the rulebook, from 1.
        check: The check.
        trail: The column.
        lists: Reference lists that the condition names.

    Returns:
        The values, most rows first.
    """
    trail = trail.merge()
    is_unfit = ~check.condition.mask(trail.values, lists=lists)
    if check.condition.blank is None:
        is_unfit &= ~is_blank(trail.values)
    positions = np.flatnonzero(is_unfit)
    values = trail.values.take(pa.array(positions)).to_pylist()
    unfit = [
        UnfitValue(number, check.column, value, int(trail.rows[position]), check.note)
        for position, value in zip(positions.tolist(), values, strict=True)
    ]
    return sorted(unfit, key=lambda one: (-one.rows, one.value or ""))
