"""Distinct combinations of cells, counted part by part and found again.

Tables that stream, databases and clusters have this in common: their rows are never held at once. The combinations that
occur in the columns which rules read together are collected with their counts, the rules run over these, and each row
finds its combination again.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any, NamedTuple

import numpy as np
import numpy.typing as npt
import pyarrow as pa
import pyarrow.compute as pc

from igual.column import Codes, Column, Counts, count_rows, encode
from igual.engines.base import CleanColumn, Source
from igual.errors import TableError
from igual.text.cells import print_cells, read_cells
from igual.text.plain_types import to_plain

Keys = npt.NDArray[np.int64]
# So many texts of a part are looked at, and so many of these differ where it is left open which of all do.
_SAMPLE, _MOSTLY = 1 << 10, 0.98


class Combinations(NamedTuple):
    """The combinations of cells that occur in some columns.

    Attributes:
        cells: Of each column the cells, (combinations,), in order of first appearance.
        rows: How many rows have each, (combinations,).
        is_distinct: Whether each occurs once here; where nearly all seem to differ, that is found out later.
    """

    cells: tuple[pa.Array, ...]
    rows: Counts
    is_distinct: bool = True

    def to_columns(self) -> list[Column]:
        """Read the cells as values: columns whose rows are the combinations, each for as many rows as have it."""
        if len(self.cells) == 1 and pa.types.is_large_string(self.cells[0].type):
            # The combinations of one column are its distinct values.
            places = np.arange(len(self.rows), dtype=np.int32)
            return [Column(self.cells[0], places, self.rows)]
        columns = []
        for cells in self.cells:
            distinct, codes = encode(pa.chunked_array([cells]))
            values, kind = read_cells(distinct)
            columns.append(Column.from_codes(values, codes, kind, self.rows))
        return columns


def combine(cells: Sequence[pa.Array | pa.ChunkedArray], rows: Counts | None = None) -> Combinations:
    """Find the combinations of a part of a table; see `combine_rows`."""
    return combine_rows(cells, rows)[0]


def combine_rows(
    cells: Sequence[pa.Array | pa.ChunkedArray], rows: Counts | None = None, *, may_repeat: bool = False
) -> tuple[Combinations, Codes]:
    """Find the combinations of a part of a table.

    Args:
        cells: Of each column the cells, (rows,); texts in a dictionary as they are.
        rows: How many rows each stands for, (rows,); None: one.
        may_repeat: Whether cells that nearly all seem to differ may be given as they are, for a Counter.

    Returns:
        The combinations; and of each row the place of its combination among them, (rows,).
    """
    if may_repeat and len(cells) == 1 and _seem_distinct(cells[0]):
        ones = np.ones(len(cells[0]), np.int64)
        return Combinations((cells[0],), ones, is_distinct=False), np.arange(len(ones), dtype=np.int32)
    encoded = [_encode_part(column) for column in cells]
    keys, count = encoded[0].codes, len(encoded[0].cells)
    for part in encoded[1:]:
        keys, first = _pair(keys, part)
        count = len(first)
    counted = _count(keys, rows, count)
    if len(encoded) > 1:
        firsts = _first_places(keys, count)
        made = tuple(part.cells.take(pa.array(part.codes[firsts])) for part in encoded)
        return Combinations(made, counted), keys
    cells_of_one = encoded[0].cells
    occurs = counted > 0
    if rows is not None or occurs.all():
        return Combinations((cells_of_one,), counted), keys
    places = np.cumsum(occurs, dtype=np.int32) - np.int32(1)
    return Combinations((cells_of_one.filter(pa.array(occurs)),), counted[occurs]), places[keys]


def _seem_distinct(cells: pa.Array | pa.ChunkedArray) -> bool:
    """Whether some of very many texts are as good as all distinct."""
    if (
        not pa.types.is_large_string(cells.type)
        or isinstance(cells, pa.ChunkedArray)
        or len(cells) < 2 * _SAMPLE
    ):
        return False
    some = np.linspace(0, len(cells) - 1, _SAMPLE, dtype=np.int64)
    return len(cells.take(pa.array(some)).unique()) > _MOSTLY * _SAMPLE


class _Encoded(NamedTuple):
    cells: pa.Array
    codes: Codes


def _encode_part(cells: pa.Array | pa.ChunkedArray) -> _Encoded:
    chunks = to_plain(cells if isinstance(cells, pa.ChunkedArray) else pa.chunked_array([cells]))
    held = chunks.type.value_type if pa.types.is_dictionary(chunks.type) else chunks.type
    if pa.types.is_nested(held):
        chunks = pa.chunked_array([print_cells(chunk) for chunk in chunks.chunks], pa.large_string())
    if pa.types.is_string_view(chunks.type):
        # Arrow's kernels don't take views.
        chunks = chunks.cast(pa.large_string())
    distinct, codes = encode(chunks)
    if pa.types.is_dictionary(chunks.type):
        # A dictionary made elsewhere may hold a cell twice.
        again = distinct.dictionary_encode(null_encoding="encode")
        if len(again.dictionary) < len(distinct):
            distinct, codes = again.dictionary, again.indices.to_numpy(zero_copy_only=False)[codes]
    if pa.types.is_string(distinct.type) or pa.types.is_string_view(distinct.type):
        # Those of many parts together may be more than the offsets of `string` reach.
        distinct = distinct.cast(pa.large_string())
    return _Encoded(distinct, codes)


def _pair(keys: Codes, part: _Encoded) -> tuple[Codes, Any]:
    """Dense keys of the pairs of a key and a cell, in order of first appearance."""
    pairs = pa.array(keys.astype(np.int64) * max(len(part.cells), 1) + part.codes)
    encoded = pairs.dictionary_encode()
    return encoded.indices.to_numpy(zero_copy_only=False), encoded.dictionary


def _first_places(keys: Codes, count: int) -> Keys:
    firsts = np.zeros(count, np.int64)
    firsts[keys[::-1]] = np.arange(len(keys) - 1, -1, -1)
    return firsts


def _count(keys: Codes, rows: Counts | None, count: int) -> Counts:
    if rows is None:
        return np.bincount(keys, minlength=count).astype(np.int64, copy=False)
    return count_rows(keys, rows, count)


class Finder:
    """Finds the combination that each row of a part has.

    Args:
        combinations: All that there are.
    """

    def __init__(self, combinations: Combinations) -> None:
        self._cells: list[pa.Array] = []
        # Of each pair of a key and a cell that occurs, sorted, the key that it has; see `_pair`.
        self._pairs: list[tuple[Keys, Codes]] = []
        keys: Codes | None = None
        for cells in combinations.cells:
            part = _encode_part(cells)
            self._cells.append(part.cells)
            if keys is None:
                keys = part.codes
                continue
            keys, pairs = _pair(keys, part)
            sorted_ = np.argsort(pairs.to_numpy(zero_copy_only=False))
            self._pairs.append((pairs.to_numpy(zero_copy_only=False)[sorted_], sorted_.astype(np.int32)))

    def find(self, cells: Sequence[pa.Array | pa.ChunkedArray]) -> Codes:
        """Find the combination of each row.

        Args:
            cells: Of each column the cells of a part, (rows,).

        Returns:
            The place of its combination, (rows,).

        Raises:
            TableError: For a row with a combination that wasn't there when they were counted.
        """
        keys: Codes | None = None
        for number, (column, known) in enumerate(zip(cells, self._cells, strict=True)):
            part = _encode_part(column)
            places = pc.index_in(part.cells.cast(known.type), known)
            if places.null_count and pc.any(places.take(pa.array(part.codes)).is_null()).as_py():
                raise TableError(CHANGED)
            codes = places.fill_null(0).to_numpy(zero_copy_only=False)[part.codes]
            if keys is None:
                keys = codes
                continue
            pairs, order = self._pairs[number - 1]
            sought = keys.astype(np.int64) * max(len(known), 1) + codes
            at = np.minimum(np.searchsorted(pairs, sought), len(pairs) - 1)
            if (pairs[at] != sought).any():
                raise TableError(CHANGED)
            keys = order[at]
        return keys if keys is not None else np.zeros(0, np.int32)


CHANGED = "the table changed while it was read; nothing was written"


@dataclass(frozen=True)
class CountedColumns:
    """An engine of columns that were counted elsewhere; there is no table to write them to.

    Attributes:
        listed: The names of all columns of the table.
        columns: Those that were counted, by their positions.
    """

    listed: Sequence[str]
    columns: Mapping[int, Column]

    def names(self, table: Any) -> list[str]:
        """List the column names, in order."""
        return list(self.listed)

    def column(self, table: Any, position: int) -> Column:
        """Give a column that was counted."""
        return self.columns[position]

    def rename(self, table: Any, names: Sequence[str]) -> Any:
        """Leave the table where it is."""
        return table

    def rebuild(self, table: Any, columns: Sequence[CleanColumn]) -> Any:
        """Leave the table where it is."""
        return table


def to_source(
    names: Sequence[str], groups: Sequence[Sequence[int]], counted: Sequence[Combinations]
) -> Source:
    """Give counted columns to rules.

    Args:
        names: All columns of the table.
        groups: The positions of those that were counted together.
        counted: The combinations that occur in each group.

    Returns:
        The source.
    """
    columns: dict[int, Column] = {}
    for group, combinations in zip(groups, counted, strict=True):
        columns |= zip(group, combinations.to_columns(), strict=True)
    return Source(None, CountedColumns(names, columns))


@dataclass(frozen=True, eq=False)
class ElsewhereSource(Source):
    """A table whose rows are never held.

    Attributes:
        groups: The columns that were counted together.
        counted: The combinations that occur in each group.
        columns: The columns that were counted, by name.
    """

    groups: Sequence[Sequence[str]] = ()
    counted: Sequence[Combinations] = ()
    columns: Mapping[str, Column] = field(default_factory=dict)

    def gather(self, group: Callable[[Sequence[str]], Sequence[Sequence[str]]]) -> ElsewhereSource:
        """Count the columns that are needed; see `Source.gather`."""
        groups = group(self.names)
        counted = self.engine.count(self.table, groups)
        columns: dict[str, Column] = {}
        for names, combinations in zip(groups, counted, strict=True):
            columns |= zip(names, combinations.to_columns(), strict=True)
        return replace(self, groups=groups, counted=counted, columns=columns)

    def text_names(self) -> list[str]:
        """List the columns that hold texts, by their types."""
        names: list[str] = self.engine.text_names(self.table)
        return names

    def any_column(self, position: int) -> Column:
        """Give a column that was counted."""
        name = self.names[position]
        if name not in self.columns:
            raise TableError(
                f"column {name!r} must be in memory here, since its rows are needed one by one; collect the table first"
            )
        return self.columns[name]

    def rebuild(self, columns: Sequence[CleanColumn]) -> Any:
        """Join the clean columns to the rows; see `Source.rebuild`."""
        return self.engine.join(self.table, self.groups, self.counted, columns)
