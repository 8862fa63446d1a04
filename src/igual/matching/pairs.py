"""Small helpers over sorted numbers and pairs of indices, which every step of matching needs."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
import numpy.typing as npt

from igual.column import Mask

Ints = npt.NDArray[np.int64]

_ENTRY_BITS = 32
_ENTRY_MASK = (1 << _ENTRY_BITS) - 1


def mark_run_starts(numbers: npt.NDArray[np.generic]) -> Mask:
    """Mark the first of each run of equal numbers.

    Args:
        numbers: Numbers of any type, equal ones side by side, (numbers,).

    Returns:
        A flag for each, (numbers,).

    Example:
        >>> mark_run_starts(np.array([4, 4, 7])).tolist()
        [True, False, True]
    """
    starts = np.ones(len(numbers), np.bool_)
    starts[1:] = numbers[1:] != numbers[:-1]
    return starts


def find_run_starts(numbers: npt.NDArray[np.generic]) -> tuple[Ints, Ints]:
    """Find where runs of equal numbers begin, and how long they are.

    Args:
        numbers: Numbers of any type, equal ones side by side, (numbers,).

    Returns:
        The position of the first of each run, (runs,), and the lengths of the runs, (runs,).
    """
    starts = np.flatnonzero(mark_run_starts(numbers))
    return starts, np.diff(np.append(starts, len(numbers)))


def split_runs(keys: Ints, weights: Ints, most: int) -> Iterator[slice]:
    """Split consecutive runs into parts that can be worked on one after another.

    Args:
        keys: Numbers, equal ones side by side, (numbers,).
        weights: How much work each is, (numbers,).
        most: How much work a part may be; a run that is more is a part of its own.

    Yields:
        Parts of the numbers; no run is in two. At least one part, which is empty where there are no numbers.

    Example:
        >>> list(split_runs(np.array([4, 4, 7, 9]), np.array([1, 1, 1, 5]), 3))
        [slice(0, 3, None), slice(3, 4, None)]
    """
    starts, lengths = find_run_starts(keys)
    ends = starts + lengths
    if not len(ends):
        yield slice(0, 0)
        return
    done = np.append(0, np.cumsum(weights)[ends - 1])
    first = 0
    while first < len(starts):
        last = max(int(np.searchsorted(done, done[first] + most, "right")) - 1, first + 1)
        yield slice(int(starts[first]), int(ends[last - 1]))
        first = last


def pack_pairs(value_idx: Ints, entry_idx: Ints) -> Ints:
    """Pack two indices into one number, which sorts by the first and then by the second.

    Args:
        value_idx: The first index of each pair, below 2**31, (pairs,).
        entry_idx: The second index of each pair, below 2**31, (pairs,).

    Returns:
        One number a pair, (pairs,).
    """
    packed: Ints = value_idx << _ENTRY_BITS | entry_idx
    return packed


def unpack_pairs(packed: Ints) -> tuple[Ints, Ints]:
    """Undo `pack_pairs`.

    Args:
        packed: One number a pair, (pairs,).

    Returns:
        The first and the second index of each pair, (pairs,) each.
    """
    return packed >> _ENTRY_BITS, packed & _ENTRY_MASK


def sort_distinct_pairs(value_idx: Ints, entry_idx: Ints) -> tuple[Ints, Ints]:
    """Sort pairs, and keep each once.

    Args:
        value_idx: The first index of each pair, (pairs,).
        entry_idx: The second index of each pair, (pairs,).

    Returns:
        The distinct pairs, sorted by the first index and then by the second.
    """
    packed = pack_pairs(value_idx, entry_idx)
    packed.sort()
    return unpack_pairs(packed[mark_run_starts(packed)])


def expand_spans(starts: Ints, lengths: Ints) -> Ints:
    """List the numbers of several spans one after another: start, start + 1, … of each.

    Args:
        starts: The first number of each span, (spans,).
        lengths: How many numbers each span has, (spans,).

    Returns:
        The numbers of all spans, (sum of lengths,).
    """
    ends = np.cumsum(lengths)
    total = int(ends[-1]) if len(ends) else 0
    shift: Ints = np.repeat(starts - (ends - lengths), lengths)
    return shift + np.arange(total)


def number_within_runs(lengths: Ints) -> Ints:
    """Number the members of consecutive runs from 0.

    Args:
        lengths: How many members each run has, (runs,).

    Returns:
        The number of each member within its run, (sum of lengths,).

    Example:
        >>> number_within_runs(np.array([2, 3])).tolist()
        [0, 1, 0, 1, 2]
    """
    return expand_spans(np.zeros(len(lengths), np.int64), lengths)
