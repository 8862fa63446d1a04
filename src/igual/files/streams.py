"""Table files of any size, in two passes: what occurs in the columns is counted, and later the rows are rewritten.

No more is held at once than a few parts of the file and the distinct values of the columns that are needed.
"""

from __future__ import annotations

import contextlib
import os
from collections.abc import Callable, Mapping, Sequence
from copy import copy
from functools import partial
from pathlib import Path
from typing import NamedTuple

import pyarrow as pa

from igual.column import Codes
from igual.engines import CleanColumn, Source
from igual.engines.combinations import CHANGED, Combinations, Finder, combine, combine_rows, to_source
from igual.engines.counting import Bounds, Counter, OutgrowsMemoryError, merge_due
from igual.engines.placing import place_cells
from igual.errors import TableError, error_context
from igual.files.csv_cells import guard_names
from igual.files.formats.base import PART_BYTES, CleanPart, Layout, NewCells, OpenedTable, TablePart, Writer
from igual.files.row_codes import RowCodes
from igual.threads import map_in_order

# More threads than that wait for one another, or for the disk.
_MOST_THREADS = 4
_BYTES_PER_VALUE, _BYTES_PER_COLUMN, _LARGEST_PART = 64, 1 << 15, 64 << 20
# Parts that are only counted are larger: what differs in each takes a moment.
_COUNTED_BYTES = 1 << 23
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
        size: About how many bytes its parts had.
        codes: Which combination each row has; None where this wasn't kept.
    """

    opened: OpenedTable
    groups: Sequence[Sequence[int]]
    counted: Sequence[Combinations]
    source: Source
    rows: int
    state: Sequence[tuple[int, int]]
    size: int
    codes: RowCodes | None = None


def _count_threads() -> int:
    """How many parts of a file are worked on at a time."""
    return min(_MOST_THREADS, len(os.sched_getaffinity(0)) if hasattr(os, "sched_getaffinity") else 2)


def count_table(
    opened: OpenedTable,
    groups: Sequence[Sequence[int]],
    on_rows: OnRows = lambda rows: None,
    bounds: Bounds = Bounds(),  # noqa: B008  # a named tuple never changes
    codes_in: Path | None = None,
) -> CountedTable:
    """Count what occurs in some columns of a table file.

    Args:
        opened: The file.
        groups: The positions of the columns that are needed, those together that rules read together.
        on_rows: Told how many rows were read.
        bounds: How many distinct values are held at once.
        codes_in: The folder for a passing file that keeps which combination each row has, for when the rows are
            written; None where they won't be.

    Returns:
        The counted columns.

    Raises:
        OutgrowsMemoryError: Where there are more.
        TableError: Where the file can't be read.
    """
    return opened.read_by(lambda way: _count_table(way, groups, on_rows, bounds, codes_in))


def _count_table(
    opened: OpenedTable,
    groups: Sequence[Sequence[int]],
    on_rows: OnRows,
    bounds: Bounds,
    codes_in: Path | None,
) -> CountedTable:
    state = _state_of(opened)
    codes = _begin_codes(codes_in, len(groups)) if opened.has_same_parts else None
    counters = [_make_counter(codes, number, group) for number, group in enumerate(groups)]
    rows = 0

    def count(part: TablePart) -> tuple[int, list[tuple[Combinations, Codes]], Layout | None]:
        # First the layout: cells that it tells of needn't be found in another way.
        layout = None if codes is None else part.find_layout()
        combined = [combine_rows([part.cells(place) for place in group], may_repeat=True) for group in groups]
        return part.rows, combined, layout

    places = sorted(set[int]().union(*groups))
    # Each column of each part takes a moment, however few rows it has.
    size = min(
        max(PART_BYTES if codes is not None else _COUNTED_BYTES, _BYTES_PER_COLUMN * len(places)),
        _LARGEST_PART,
    )
    for part_rows, counted, layout in map_in_order(count, opened.parts(places, size), _count_threads()):
        rows += part_rows
        on_rows(rows)
        if codes is not None:
            codes.add(part_rows, [(own, len(combinations.rows)) for combinations, own in counted], layout)
        for counter, (combinations, _) in zip(counters, counted, strict=True):
            counter.add(combinations)
        merge_due(counters)
        for counter, group in zip(counters, groups, strict=True):
            if counter.exceeds(bounds):
                raise OutgrowsMemoryError([opened.names[place] for place in group], group, bounds)
    all_counted = map_in_order(Counter.count, counters)
    columns = [
        _or_none(combinations, opened, group) for combinations, group in zip(all_counted, groups, strict=True)
    ]
    source = to_source(opened.names, groups, columns)
    kept = codes if codes is not None and codes.finish() else None
    return CountedTable(opened, groups, columns, source, rows, state, size, kept)


def _begin_codes(folder: Path | None, groups: int) -> RowCodes | None:
    """Begin to keep the combinations of rows, where that can be."""
    if folder is None or not groups:
        return None
    with contextlib.suppress(OSError, ValueError):
        return RowCodes(folder, groups)
    return None


def _make_counter(codes: RowCodes | None, number: int, group: Sequence[int]) -> Counter:
    return Counter(len(group)) if codes is None else Counter(len(group), partial(codes.place, number))


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
        if _state_of(counted.opened) != counted.state:
            raise TableError(f"{counted.opened.name}: {CHANGED}")
        find, size = self._choose_search()

        def prepare(numbered: tuple[int, TablePart]) -> tuple[int, object]:
            number, part = numbered
            found = find(number, part)
            new = [NewCells(one.place, one.made, found[one.group].take(one.codes)) for one in self._columns]
            return part.rows, writer.prepare(CleanPart(part, new, self.names, self.is_guarded))

        parts = enumerate(counted.opened.parts(None, size))
        for part_rows, prepared in map_in_order(prepare, parts, _count_threads()):
            writer.write(prepared)
            rows += part_rows
            on_rows(rows)
        if rows != counted.rows or _state_of(counted.opened) != counted.state:
            raise TableError(f"{counted.opened.name}: {CHANGED}")

    def _choose_search(self) -> tuple[Callable[[int, TablePart], Mapping[int, _Found]], int]:
        """How the combinations of a part are found, by its number; and how large the parts are to be."""
        counted = self._counted
        needed = sorted({column.group for column in self._columns})
        codes = counted.codes
        name = counted.opened.name
        if codes is not None:
            return partial(_recall, name, codes, needed), counted.size
        finders = {group: Finder(counted.counted[group]) for group in needed}
        # What is looked up is hashed anew for each part: the more there is, the larger the parts.
        most = max((len(counted.counted[group].rows) for group in needed), default=0)

        def find(number: int, part: TablePart) -> dict[int, _Found]:
            cells = {group: [part.cells(place) for place in counted.groups[group]] for group in finders}
            with error_context(name, TableError):
                return {group: _Found(finder.find(cells[group])) for group, finder in finders.items()}

        return find, min(max(PART_BYTES, _BYTES_PER_VALUE * most), _LARGEST_PART)


def _recall(
    name: str, codes: RowCodes, groups: Sequence[int], number: int, part: TablePart
) -> dict[int, _Found]:
    """The combinations of a part as they were kept; errors tell the name of the table."""
    with error_context(name, TableError):
        if (layout := codes.find_layout(number)) is not None:
            part.recall(layout)
        return {group: _Found(*codes.find(number, part.rows, group)) for group in groups}


class _Found(NamedTuple):
    """The combinations of the rows of a part.

    Attributes:
        codes: For each row the number of its combination, (rows,).
        places: Of so numbered combinations the places among all, (combinations,); None: the numbers are the places.
    """

    codes: Codes
    places: Codes | None = None

    def take(self, cells: Codes) -> Codes:
        """Give for each row what belongs to its combination.

        Args:
            cells: By the place of a combination, (combinations,).
        """
        return cells[self.codes] if self.places is None else cells[self.places][self.codes]
