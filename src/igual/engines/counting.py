"""Counting the combinations of a table that is read part by part."""

from __future__ import annotations

from collections import deque
from collections.abc import Callable, Iterable, Sequence
from typing import NamedTuple

import numpy as np
import pyarrow as pa

from igual.column import Codes
from igual.engines.combinations import Combinations, combine_rows
from igual.errors import TableError
from igual.threads import map_in_order

OnPlaces = Callable[[Codes], None]
# Parts are merged when they have so many combinations together, or twice as many as after the last time; later where
# merging gives next to nothing.
_LEAST_WAITING, _AGAIN, _IN_VAIN, _AGAIN_IN_VAIN = 1 << 19, 2, 0.98, 8


class Bounds(NamedTuple):
    """How much of what occurs in columns that are read together is held at once.

    Attributes:
        values: Distinct values, or combinations of values.
        size: Their bytes.
    """

    values: int = 20_000_000
    size: int = 2 << 30


class OutgrowsMemoryError(TableError):
    """Columns hold more distinct values than the bounds.

    Args:
        names: The columns.
        places: Their positions.
        bounds: The bounds.
    """

    def __init__(self, names: Sequence[str], places: Sequence[int], bounds: Bounds) -> None:
        super().__init__(
            f"column {', '.join(map(repr, names))} has more than {bounds.values:,} distinct values, or "
            f"{bounds.size >> 20:,} MiB of them"
        )
        self.places = tuple(places)


class Counter:
    """Counts the combinations of some columns, one part of a table after another.

    Args:
        width: How many columns.
        on_places: Told of each part in turn, when that is known, the places that its combinations have among all.
    """

    def __init__(self, width: int, on_places: OnPlaces = lambda places: None) -> None:
        self._width = width
        self._on_places = on_places
        self._counted: list[Combinations] = []
        # Whether the first of these was merged from several parts, or alone is all that there is.
        self._has_merged = False
        self._again = _AGAIN
        # How many combinations they have together, some perhaps in several parts, and how many bytes.
        self._waiting = 0
        self._size = 0

    def add(self, part: Combinations) -> None:
        """Count another part; what `is_due` is to be merged soon.

        Args:
            part: Its combinations.
        """
        self._counted.append(part)
        self._waiting += len(part.rows)
        self._size += _bytes_of(part)

    @property
    def is_due(self) -> bool:
        """Whether so much was counted in several parts that it is worth merging."""
        return self._waiting > max(_LEAST_WAITING, self._again * len(self._counted[0].rows))

    def exceeds(self, bounds: Bounds) -> bool:
        """Tell whether more was counted than is to be held."""
        if self._waiting <= bounds.values and self._size <= bounds.size:
            return False
        self.merge()
        return self._waiting > bounds.values or self._size > bounds.size

    def count(self) -> Combinations:
        """Give what was counted so far."""
        self.merge()
        return self._counted[0] if self._counted else Combinations((), np.zeros(0, np.int64))

    def merge(self) -> None:
        """Find what several parts have in common."""
        parts = self._counted
        if len(parts) > 1 or not all(part.is_distinct for part in parts):
            cells = [_join([part.cells[place] for part in parts]) for place in range(self._width)]
            merged, places = combine_rows(cells, np.concatenate([part.rows for part in parts]))
            self._counted = [merged]
            self._again = _AGAIN_IN_VAIN if len(merged.rows) > _IN_VAIN * self._waiting else _AGAIN
            self._waiting, self._size = len(merged.rows), _bytes_of(merged)
        elif parts:
            places = np.arange(len(parts[0].rows), dtype=np.int32)
        # In order of first appearance, what was merged before stays where it was.
        start = 0
        for number, part in enumerate(parts):
            if number or not self._has_merged:
                self._on_places(places[start : start + len(part.rows)])
            start += len(part.rows)
        self._has_merged = bool(parts)


def merge_due(counters: Iterable[Counter]) -> None:
    """Merge what was counted where that is due, several counters at a time."""
    due = [counter for counter in counters if counter.is_due]
    if len(due) == 1:
        due[0].merge()
    elif due:
        deque(map_in_order(Counter.merge, due), maxlen=0)


def _bytes_of(part: Combinations) -> int:
    return sum(cells.nbytes for cells in part.cells)


def _join(arrays: Sequence[pa.Array]) -> pa.Array:
    kinds = {array.type for array in arrays if not pa.types.is_null(array.type)}
    kind = kinds.pop() if kinds else arrays[0].type
    return pa.concat_arrays([array.cast(kind) for array in arrays])
