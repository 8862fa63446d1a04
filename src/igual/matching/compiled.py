"""The dynamic programme of `edits`, compiled by Numba where it is installed: the same costs and edits, much faster.

It walks row by row, one pair after another, and lets other threads work meanwhile.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numba
import numpy as np
import numpy.typing as npt

from igual.matching.pairs import Ints

_Packed = npt.NDArray[np.uint64]
_Kinds = npt.NDArray[np.uint8]
_Work = npt.NDArray[np.int32]
_CHARACTER, _CLASS, _GAP = range(3)
_SWAPPED, _MOVED, _EXCHANGED = range(3)


def _compiled(function: Callable[..., Any]) -> Any:
    try:
        return numba.njit(nogil=True, cache=True)(function)
    except RuntimeError:  # nowhere to keep what is compiled
        return numba.njit(nogil=True)(function)


@_compiled
def _unpack(packed: _Packed, length: int, room: _Work) -> None:
    """Put the character, class and gap cost of each place, from 1, into the rows of `room`."""
    for at in range(length):
        room[_CHARACTER, at + 1] = packed[at] & np.uint64(0xFFFF)
        room[_CLASS, at + 1] = (packed[at] >> np.uint64(16)) & np.uint64(0xFFFF)
        room[_GAP, at + 1] = packed[at] >> np.uint64(32)


@_compiled
def _is_reordered(order: int, mine: _Work, i: int, its: _Work, j: int) -> bool:
    """Whether the letters that end at two places are the same, where the two differ, in an order so numbered."""
    if i <= 1 + (order != _SWAPPED) or j <= 1 + (order != _SWAPPED):
        return False
    a, before, before_that = mine[i], mine[i - 1], mine[i - 2]
    b, its_before, its_before_that = its[j], its[j - 1], its[j - 2]
    if order == _SWAPPED:
        return bool(a == its_before and before == b)
    if order == _EXCHANGED:
        return bool(a == its_before_that and before == its_before and before_that == b)
    is_later = a == its_before_that and before_that == its_before and before == b
    return bool(is_later or (a == its_before and before == its_before_that and before_that == b))


@_compiled
def _fill(
    table: _Work,
    mine: _Work,
    rows: int,
    its: _Work,
    columns: int,
    substitutions: npt.NDArray[np.int16],
    first: int,
    reordered: npt.NDArray[np.int16],
    band: int,
    far: int,
) -> None:
    """Put into `table` what it costs to make the beginnings of one text of those of another, (rows + 1, columns + 1).

    Args:
        table: The costs so far, (rows + 1, columns + 1).
        mine: The texts, unpacked. Numbers are kept short: that is half as fast again.
        rows: How many rows there are.
        its: The other text, unpacked.
        columns: How many columns there are.
        substitutions: What putting one class for another costs, (classes, classes).
        first: What is added at a first character.
        reordered: What letters in another order cost, as `_is_reordered` numbers them.
        band: How far two texts may drift apart.
        far: The cost of what is too far.
    """
    has_threes = reordered[_MOVED] < far
    table[0, 0] = 0
    for j in range(1, columns + 1):
        table[0, j] = table[0, j - 1] + its[_GAP, j]
    characters, classes, gaps = its[_CHARACTER], its[_CLASS], its[_GAP]
    for i in range(1, rows + 1):
        row, last_row = table[i], table[i - 1]
        character, gap = mine[_CHARACTER, i], mine[_GAP, i]
        before, first_of_three = mine[_CHARACTER, i - 1], mine[_CHARACTER, max(i - 2, 0)]
        instead = substitutions[mine[_CLASS, i]]
        low, high = max(i - band, 1), min(i + band, columns)
        # What lies beside the band is too far.
        if i + band <= columns:
            last_row[i + band] = far
        left = np.int32(last_row[0] + gap) if i <= band else np.int32(far)
        row[low - 1] = left
        aslant = last_row[low - 1]
        for j in range(low, high + 1):
            above, step = last_row[j], aslant
            if character != characters[j]:
                step = np.int32(step + instead[classes[j]])
                if i == 1 and j == 1:
                    step = np.int32(step + first)
                # The orders of `_is_reordered`, written out: this is done for each cell.
                if i > 1 and j > 1 and character == characters[j - 1] and before == characters[j]:
                    step = min(step, np.int32(table[i - 2, j - 2] + reordered[_SWAPPED]))
                if has_threes and i > 2 and j > 2:
                    here, its_before, its_first = characters[j], characters[j - 1], characters[j - 2]
                    if first_of_three == here and character == its_first and before == its_before:
                        step = min(step, np.int32(table[i - 3, j - 3] + reordered[_EXCHANGED]))
                    is_later = character == its_first and first_of_three == its_before and before == here
                    if is_later or (
                        character == its_before and before == its_first and first_of_three == here
                    ):
                        step = min(step, np.int32(table[i - 3, j - 3] + reordered[_MOVED]))
            left = min(min(np.int32(above + gap), np.int32(left + gaps[j])), step)
            row[j] = left
            aslant = above


@_compiled
def _count(
    table: _Work,
    mine: _Work,
    rows: int,
    its: _Work,
    columns: int,
    substitutions: npt.NDArray[np.int16],
    first: int,
    reordered: npt.NDArray[np.int16],
    value_gaps: _Kinds,
    entry_gaps: _Kinds,
    kinds: _Kinds,
    reorderings: _Kinds,
    counts: npt.NDArray[np.int16],
) -> None:
    """Count the edits by kind: back from the last cell, each time by the first way that explains what a cell costs."""
    at_first, at_last = len(counts) - 2, len(counts) - 1
    i, j = rows, columns
    while i or j:
        cost = table[i, j]
        if i and cost == table[i - 1, j] + mine[_GAP, i]:
            counts[value_gaps[i - 1]] += 1
            is_first, is_last = i == 1, i == rows
            i -= 1
        elif j and cost == table[i, j - 1] + its[_GAP, j]:
            counts[entry_gaps[j - 1]] += 1
            is_first, is_last = j == 1, j == columns
            j -= 1
        elif mine[_CHARACTER, i] == its[_CHARACTER, j] and cost == table[i - 1, j - 1]:
            is_first = is_last = False
            i, j = i - 1, j - 1
        else:
            instead = substitutions[mine[_CLASS, i], its[_CLASS, j]]
            instead += first if i == 1 and j == 1 else 0
            if cost == table[i - 1, j - 1] + instead:
                counts[kinds[mine[_CLASS, i], its[_CLASS, j]]] += 1
                is_first, is_last = i == 1 and j == 1, i == rows and j == columns
                i, j = i - 1, j - 1
            else:
                for order in range(3):
                    back = 2 + (order != _SWAPPED)
                    if _is_reordered(order, mine[_CHARACTER], i, its[_CHARACTER], j) and (
                        cost == table[i - back, j - back] + reordered[order]
                    ):
                        break
                counts[reorderings[order]] += 1
                is_first = is_last = False
                i, j = i - back, j - back
        if is_first:
            counts[at_first] += 1
        if is_last:
            counts[at_last] += 1


@_compiled
def programme(
    values: _Packed,
    value_lengths: Ints,
    value_gaps: _Kinds,
    entries: _Packed,
    entry_lengths: Ints,
    entry_gaps: _Kinds,
    value_idx: Ints,
    entry_idx: Ints,
    substitutions: npt.NDArray[np.int16],
    kinds: _Kinds,
    first: int,
    reordered: npt.NDArray[np.int16],
    reorderings: _Kinds,
    band: int,
    far: int,
    costs: npt.NDArray[np.int16],
    counts: npt.NDArray[np.int16],
) -> None:
    """Put the cost of each pair into `found`, and, unless `counts` has no rows, its edits by kind into `counts`.

    Args:
        values: Texts, (values,).
        value_lengths: Lengths of the values, (values,).
        value_gaps: The kind of each character's absence.
        entries: Texts of the entries, packed, (entries, longest).
        entry_lengths: Lengths of the entries, (entries,).
        entry_gaps: The kind of the absence of each character of an entry.
        value_idx: Positions of values, (pairs,).
        entry_idx: Positions of entries, (pairs,).
        substitutions: What putting one class for another costs, (classes, classes).
        kinds: The kind of putting one class for another. The last two columns of `counts` are for edits at a first
            or last character; pairs too far apart have none.
        first: What is added at a first character.
        reordered: What letters in another order cost, as `_is_reordered` numbers them.
        reorderings: The kinds of these edits.
        band: How far two texts may drift apart.
        far: The cost of what is too far.
        costs: Takes the cost of each pair, (pairs,).
        counts: Takes the edits of each pair by kind, (pairs, kinds).
    """
    room = np.zeros((2, 3, max(values.shape[1], entries.shape[1]) + 1), np.int32)
    table = np.empty((values.shape[1] + 1, entries.shape[1] + 1), np.int32)
    mine, its, unpacked = room[0], room[1], -1
    for pair in range(len(value_idx)):
        value, entry = value_idx[pair], entry_idx[pair]
        rows, columns = value_lengths[value], entry_lengths[entry]
        costs[pair] = far
        if abs(rows - columns) > band:
            continue
        if value != unpacked:
            _unpack(values[value], rows, mine)
            unpacked = value
        _unpack(entries[entry], columns, its)
        _fill(table, mine, rows, its, columns, substitutions, first, reordered, band, far)
        costs[pair] = min(table[rows, columns], np.int32(far))
        if len(counts) and costs[pair] < far:
            gaps = value_gaps[value], entry_gaps[entry]
            edits = kinds, reorderings, counts[pair]
            _count(table, mine, rows, its, columns, substitutions, first, reordered, *gaps, *edits)
