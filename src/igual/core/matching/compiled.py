"""The dynamic programme of `edits`, compiled by Numba where it is installed: the same costs and edits, much faster.

It walks row by row, one pair after another, and lets other threads work meanwhile.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numba
import numpy as np
import numpy.typing as npt

from igual.core.matching.texts import Ints

_Packed = npt.NDArray[np.uint64]
_Kinds = npt.NDArray[np.uint8]
# The ways into a cell; of ways that cost the same, the first.
_EXTRA, _MISSING, _INSTEAD, _SWAPPED = range(4)


def _compiled(function: Callable[..., Any]) -> Any:
    try:
        return numba.njit(nogil=True, cache=True)(function)
    except RuntimeError:  # nowhere to keep what is compiled
        return numba.njit(nogil=True)(function)


@_compiled
def _cost(
    value: _Packed,
    rows: int,
    entry: _Packed,
    columns: int,
    substitutions: npt.NDArray[np.int16],
    first: int,
    swap: int,
    band: int,
    far: int,
    room: npt.NDArray[np.int64],
    ways: npt.NDArray[np.int8],
) -> int:
    """What a pair costs, its characters packed as `Prepared` says; `ways` takes the way into each cell.

    room: three rows to work in, as long as any entry and one more.
    """
    row, last_row, row_before = room[0], room[1], room[2]
    for i in range(rows + 1):
        low, high = max(i - band, 0), min(i + band, columns)
        mine = value[i - 1] if i else np.uint64(0)
        for j in range(low, high + 1):
            best, way = np.int64(far), _EXTRA
            if i == 0 and j == 0:
                best = np.int64(0)
            if i and j < i + band:
                best = min(best, last_row[j] + np.int64(mine >> np.uint64(32)))
            if j:
                its = entry[j - 1]
                if j > low:
                    step = row[j - 1] + np.int64(its >> np.uint64(32))
                    if step < best:
                        best, way = step, _MISSING
                if i:
                    step = last_row[j - 1]
                    if mine & np.uint64(0xFFFF) != its & np.uint64(0xFFFF):
                        mine_class = np.int64((mine >> np.uint64(16)) & np.uint64(0xFFFF))
                        its_class = np.int64((its >> np.uint64(16)) & np.uint64(0xFFFF))
                        step += np.int64(substitutions[mine_class, its_class])
                        if i == 1 and j == 1:
                            step += first
                    if step < best:
                        best, way = step, _INSTEAD
                    if (
                        i > 1
                        and j > 1
                        and mine & np.uint64(0xFFFF) == entry[j - 2] & np.uint64(0xFFFF)
                        and value[i - 2] & np.uint64(0xFFFF) == its & np.uint64(0xFFFF)
                    ):
                        step = row_before[j - 2] + swap
                        if step < best:
                            best, way = step, _SWAPPED
            row[j] = best
            if len(ways):
                ways[i, j] = way
        row_before, last_row, row = last_row, row, row_before
    return int(last_row[columns])


@_compiled
def programme(
    values: _Packed,
    value_lengths: Ints,
    entries: _Packed,
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
    """Put the cost of each pair into `found`."""
    room = np.empty((3, entries.shape[1] + 1), np.int64)
    no_ways = np.zeros((0, 0), np.int8)
    for pair in range(len(one)):
        rows, columns = value_lengths[one[pair]], entry_lengths[other[pair]]
        found[pair] = far
        if abs(rows - columns) <= band:
            value, entry = values[one[pair]], entries[other[pair]]
            found[pair] = _cost(
                value, rows, entry, columns, substitutions, first, swap, band, far, room, no_ways
            )


@_compiled
def counted(
    values: _Packed,
    value_lengths: Ints,
    entries: _Packed,
    entry_lengths: Ints,
    one: Ints,
    other: Ints,
    substitutions: npt.NDArray[np.int16],
    first: int,
    swap: int,
    band: int,
    far: int,
    value_gaps: _Kinds,
    entry_gaps: _Kinds,
    kinds: _Kinds,
    swapped: int,
    found: npt.NDArray[np.int16],
) -> None:
    """Count the edits of each pair by kind in `found`; its last two columns are for those at a first or last character.

    value_gaps, entry_gaps: the kind of each character's absence. kinds: the kind of putting one class for another.
    """
    room = np.empty((3, entries.shape[1] + 1), np.int64)
    ways = np.zeros((values.shape[1] + 1, entries.shape[1] + 1), np.int8)
    at_first, at_last = found.shape[1] - 2, found.shape[1] - 1
    for pair in range(len(one)):
        rows, columns = value_lengths[one[pair]], entry_lengths[other[pair]]
        if abs(rows - columns) > band:
            continue
        value, entry = values[one[pair]], entries[other[pair]]
        _cost(value, rows, entry, columns, substitutions, first, swap, band, far, room, ways)
        i, j = rows, columns
        while i or j:
            way = ways[i, j] if i and j else (_EXTRA if i else _MISSING)
            a, b = i - 1, j - 1
            if way == _EXTRA:
                found[pair, value_gaps[one[pair], a]] += 1
                is_first, is_last = a == 0, i == rows
                i -= 1
            elif way == _MISSING:
                found[pair, entry_gaps[other[pair], b]] += 1
                is_first, is_last = b == 0, j == columns
                j -= 1
            elif way == _INSTEAD:
                differ = value[a] & np.uint64(0xFFFF) != entry[b] & np.uint64(0xFFFF)
                if differ:
                    mine = np.int64((value[a] >> np.uint64(16)) & np.uint64(0xFFFF))
                    its = np.int64((entry[b] >> np.uint64(16)) & np.uint64(0xFFFF))
                    found[pair, kinds[mine, its]] += 1
                is_first = differ and a == 0 and b == 0
                is_last = differ and i == rows and j == columns
                i, j = i - 1, j - 1
            else:
                found[pair, swapped] += 1
                is_first = is_last = False
                i, j = i - 2, j - 2
            if is_first:
                found[pair, at_first] += 1
            if is_last:
                found[pair, at_last] += 1
