"""The dynamic programme of `edits`, compiled by Numba where it is installed: the same costs, several times faster.

It walks row by row, one pair after another, and lets other threads work meanwhile.
"""

from __future__ import annotations

from typing import Any

import numba
import numpy as np
import numpy.typing as npt

from igual.core.matching.texts import Ints


def _programme(
    values: npt.NDArray[np.uint64],
    value_lengths: Ints,
    entries: npt.NDArray[np.uint64],
    entry_lengths: Ints,
    one: Ints,
    other: Ints,
    substitutions: npt.NDArray[np.int16],
    first: int,
    swap: int,
    band: int,
    far: int,
    found: npt.NDArray[np.int16],
) -> None:
    """Put the cost of each pair into `found`; `values` and `entries` are packed as `Prepared` says."""
    row = np.empty(entries.shape[1] + 1, np.int64)
    last_row, row_before = np.empty_like(row), np.empty_like(row)
    for pair in range(len(one)):
        value, entry = one[pair], other[pair]
        rows, columns = value_lengths[value], entry_lengths[entry]
        if abs(rows - columns) > band:
            found[pair] = far
            continue
        for i in range(rows + 1):
            low, high = max(i - band, 0), min(i + band, columns)
            mine = values[value, i - 1] if i else np.uint64(0)
            for j in range(low, high + 1):
                best = np.int64(far)
                if i == 0 and j == 0:
                    best = np.int64(0)
                if i and j < i + band:
                    best = min(best, last_row[j] + np.int64(mine >> np.uint64(32)))
                if j:
                    its = entries[entry, j - 1]
                    if j > low:
                        best = min(best, row[j - 1] + np.int64(its >> np.uint64(32)))
                    if i:
                        cost = np.int64(0)
                        if mine & np.uint64(0xFFFF) != its & np.uint64(0xFFFF):
                            mine_class = np.int64((mine >> np.uint64(16)) & np.uint64(0xFFFF))
                            its_class = np.int64((its >> np.uint64(16)) & np.uint64(0xFFFF))
                            cost = np.int64(substitutions[mine_class, its_class])
                            if i == 1 and j == 1:
                                cost += first
                        best = min(best, last_row[j - 1] + cost)
                        if (
                            i > 1
                            and j > 1
                            and mine & np.uint64(0xFFFF) == entries[entry, j - 2] & np.uint64(0xFFFF)
                            and values[value, i - 2] & np.uint64(0xFFFF) == its & np.uint64(0xFFFF)
                        ):
                            best = min(best, row_before[j - 2] + swap)
                row[j] = best
            row_before, last_row, row = last_row, row, row_before
        found[pair] = last_row[columns]


def _compiled() -> Any:
    try:
        return numba.njit(nogil=True, cache=True)(_programme)
    except RuntimeError:  # nowhere to keep what is compiled
        return numba.njit(nogil=True)(_programme)


programme = _compiled()
