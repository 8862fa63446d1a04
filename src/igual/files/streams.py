"""Table files of any size, in two passes: what occurs in the columns is counted, and later the rows are rewritten.

No more is held at once than a few parts of the file and the distinct values of the columns that are needed.
"""

from __future__ import annotations

import os
from collections.abc import Callable, Sequence
from copy import copy
from typing import NamedTuple

import pyarrow as pa

from igual.engines import CleanColumn, Source
from igual.engines.combinations import (
    CHANGED,
    Bounds,
    Combinations,
    Counter,
    Finder,
    OutgrowsMemoryError,
    combine,
    to_source,
)
from igual.engines.placing import place_cells
from igual.errors import TableError
from igual.files.csv_cells import guard_names
from igual.files.formats.base import PART_BYTES, CleanPart, NewCells, OpenedTable, TablePart, Writer
from igual.threads import map_in_order

# More threads than that wait for one another, or for the disk.
_MOST_THREADS = 4
_BYTES_PER_VALUE, _BYTES_PER_COLUMN, _LARGEST_PART = 64, 1 << 15, 64 << 20
OnRows = Callable[[int], None]


class CountedTable(NamedTuple):
    """A table file whose columns were counted.

    Attributes:
        opened: The file.
        groups: The positions of the columns that were counted together.
        counted: The combinations that occur in each group.
        source: The columns as rules read them.
        rows: How many rows the table has.
        state: Sizes and times of its files when they were counted.
    """

    opened: OpenedTable
    groups: Sequence[Sequence[int]]
    counted: Sequence[Combinations]
    source: Source
    rows: int
    state: Sequence[tuple[int, int]]


def _count_threads() -> int:
    """How many parts of a file are worked on at a time."""
    return min(_MOST_THREADS, len(os.sched_getaffinity(0)) if hasattr(os, "sched_getaffinity") else 2)


def count_table(
    opened: OpenedTable,
    groups: Sequence[Sequence[int]],
    on_rows: OnRows = lambda rows: None,
    bounds: Bounds = Bounds(),  # noqa: B008  # a named tuple never changes
) -> CountedTable:
    """Count what occurs in some columns of a table file.

    Args:
        opened: The file.
        groups: The positions of the columns that are needed, those together that rules read together.
        on_rows: Told how many rows were read.
        bounds: How many distinct values are held at once.

    Returns:
        The counted columns.

    Raises:
        OutgrowsMemoryError: Where there are more.
        TableError: Where the file can't be read.
    """
    return opened.read_by(lambda way: _count_table(way, groups, on_rows, bounds))


def _count_table(
    opened: OpenedTable, groups: Sequence[Sequence[int]], on_rows: OnRows, bounds: Bounds
) -> CountedTable:
    state = _state_of(opened)
    counters = [Counter(len(group)) for group in groups]
    rows = 0

    def count(part: TablePart) -> tuple[int, list[Combinations]]:
        return part.rows, [combine([part.cells(place) for place in group]) for group in groups]

    places = sorted(set[int]().union(*groups))
    # Each column of each part takes a moment, however few rows it has.
    size = min(max(PART_BYTES, _BYTES_PER_COLUMN * len(places)), _LARGEST_PART)
    for part_rows, counted in map_in_order(count, opened.parts(places, size), _count_threads()):
        rows += part_rows
        on_rows(rows)
        for counter, combinations, group in zip(counters, counted, groups, strict=True):
            counter.add(combinations)
            if counter.exceeds(bounds):
                raise OutgrowsMemoryError([opened.names[place] for place in group], group, bounds)
    columns = [
        _or_none(counter.count(), opened, group) for counter, group in zip(counters, groups, strict=True)
    ]
    return CountedTable(opened, groups, columns, to_source(opened.names, groups, columns), rows, state)


def _or_none(counted: Combinations, opened: OpenedTable, places: Sequence[int]) -> Combinations:
    """The combinations; where there is no row, columns of nothing."""
    if counted.cells:
        return counted
    return combine([pa.nulls(0, opened.schema.field(place).type) for place in places])


def _state_of(opened: OpenedTable) -> list[tuple[int, int]]:
    stats = [path.stat() for path in opened.files]
    return [(one.st_size, one.st_mtime_ns) for one in stats]


class CleanTable:
    """The clean table of a file, ready to be written part by part.

    Args:
        counted: The file.
        columns: The clean columns: those of the table, and new ones.
        is_guarded: Whether cells that a spreadsheet program takes for formulas get an apostrophe.
    """

    def __init__(
        self,
        counted: CountedTable,
        columns: Sequence[CleanColumn],
        *,
        is_guarded: bool = False,
    ) -> None:
        self._counted = counted
        self.is_guarded = is_guarded
        known = counted.opened.names
        groups = [[known[place] for place in group] for group in counted.groups]
        self._columns, self.schema = place_cells(columns, counted.opened.schema, groups)
        self._set_names(self.schema.names)

    @property
    def names(self) -> list[str]:
        """The column names that are written."""
        return list(self.schema.names)

    def rename(self, names: Sequence[str]) -> CleanTable:
        """Give the same table other column names, one for each column."""
        renamed = copy(self)
        renamed._set_names(names)
        return renamed

    def _set_names(self, names: Sequence[str]) -> None:
        guarded_names = guard_names(names) if self.is_guarded else names
        fields = [field.with_name(name) for field, name in zip(self.schema, guarded_names, strict=True)]
        self.schema = pa.schema(fields, self.schema.metadata)

    def write(self, writer: Writer, on_rows: OnRows = lambda rows: None) -> None:
        """Read the file once more and write its rows.

        Args:
            writer: Writes them.
            on_rows: Told how many rows were written.

        Raises:
            TableError: Where the file isn't the one any more that was counted.
        """
        counted, rows = self._counted, 0
        needed = {column.group for column in self._columns}
        finders = {group: Finder(counted.counted[group]) for group in needed}
        places = {group: counted.groups[group] for group in needed}

        def prepare(part: TablePart) -> tuple[int, object]:
            places_of = {
                group: finder.find([part.cells(place) for place in places[group]])
                for group, finder in finders.items()
            }
            new = [
                NewCells(one.place, one.cells, one.kind, one.codes[places_of[one.group]])
                for one in self._columns
            ]
            return part.rows, writer.prepare(CleanPart(part, new, self.names, self.is_guarded))

        if _state_of(counted.opened) != counted.state:
            raise TableError(f"{counted.opened.name}: {CHANGED}")
        # What is looked up is hashed anew for each part: the more there is, the larger the parts.
        most = max((len(counted.counted[group].rows) for group in needed), default=0)
        size = min(max(PART_BYTES, _BYTES_PER_VALUE * most), _LARGEST_PART)
        for part_rows, prepared in map_in_order(prepare, counted.opened.parts(None, size), _count_threads()):
            writer.write(prepared)
            rows += part_rows
            on_rows(rows)
        if rows != counted.rows or _state_of(counted.opened) != counted.state:
            raise TableError(f"{counted.opened.name}: {CHANGED}")
