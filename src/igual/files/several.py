"""Several table files with the same columns as one table."""

from __future__ import annotations

import glob
import os
from collections.abc import Callable, Iterator, Sequence
from dataclasses import replace
from pathlib import Path

import pyarrow as pa

from igual.engines.arrow import encode_cells
from igual.errors import TableError, did_you_mean
from igual.files.formats.base import BatchPart, OpenedTable, ReadOptions, TablePart
from igual.files.tables import open_table_file
from igual.text.plain_types import cast_cells

SOURCE = "source_file"


def expand_paths(paths: Sequence[str]) -> list[str]:
    """Find the files that patterns such as `2024-*.csv` name.

    Args:
        paths: Paths, and patterns with `*`, `?` or `[…]`; a file that has such a name is that file.

    Returns:
        The files; those of one pattern sorted by name.

    Raises:
        TableError: Where a pattern names none.
    """
    files: list[str] = []
    for path in paths:
        if not glob.has_magic(path) or os.path.lexists(path):
            files.append(path)
            continue
        if not (named := sorted(one for one in glob.glob(path, recursive=True) if Path(one).is_file())):
            raise TableError(f"{path}: no file has such a name")
        files += named
    return files


def open_several(paths: Sequence[str], options: ReadOptions, *, with_source: bool) -> OpenedTable:
    """Open files as one table, in their order.

    Args:
        paths: The files.
        options: What is known of them.
        with_source: Whether a column `source_file` tells which file a row stands in.

    Returns:
        The table.

    Raises:
        TableError: Where one has other columns than the first; it is named with the first column that differs.
    """
    opened = [open_table_file(path, options) for path in paths]
    first = opened[0]
    for other in opened[1:]:
        _refuse_other_columns(first, other)
    if with_source and SOURCE in first.names:
        raise TableError(f"{first.name} has a column {SOURCE!r} already; leave out --source-file")
    if len(opened) == 1 and not with_source:
        return first
    schema = _common_schema(opened)
    others = [one.otherwise or one for one in opened]
    whole = OpenedTable(
        first.path,
        schema.append(pa.field(SOURCE, pa.string())) if with_source else schema,
        _chain(others, schema, with_source=with_source),
        first.dialect,
        any(one.is_guessed for one in opened),
        [note for one in opened for note in one.notes],
        has_same_parts=all(one.has_same_parts for one in opened),
        parts_of=[path for one in opened for path in one.files],
    )
    is_by_parser = all(one.otherwise is None for one in opened)
    parts = _chain(opened, schema, with_source=with_source)
    return whole if is_by_parser else replace(whole, make_parts=parts, otherwise=whole)


def _common_schema(opened: Sequence[OpenedTable]) -> pa.Schema:
    """The columns with the types that they have in all files; texts where these differ."""
    fields = []
    for place, field in enumerate(opened[0].schema):
        # Equal types may call the items of their lists by other names, and so aren't one in a set.
        is_one = all(one.schema.field(place).type == field.type for one in opened)
        fields.append(field if is_one else pa.field(field.name, pa.string()))
    return pa.schema(fields)


def _chain(
    opened: Sequence[OpenedTable], schema: pa.Schema, *, with_source: bool
) -> Callable[[Sequence[int] | None, int], Iterator[TablePart]]:
    def parts(places: Sequence[int] | None, size: int) -> Iterator[TablePart]:
        for one in opened:
            is_alike = one.schema.types == schema.types and not with_source
            for part in one.parts(places if is_alike else None, size):
                if is_alike:
                    yield part
                    continue
                # The column that is put behind them has no cells of its own.
                natives = part.natives if isinstance(part, BatchPart) else None
                yield BatchPart(_conform(part.table(), schema, one, with_source), natives=natives)

    return parts


def _conform(table: pa.Table, schema: pa.Schema, one: OpenedTable, with_source: bool) -> pa.Table:
    columns = [
        _as_values(column) if field.type == pa.string() else cast_cells(column, field.type)
        for column, field in zip(table.columns, schema, strict=True)
    ]
    names = list(table.column_names)
    if with_source:
        columns.append(pa.repeat(one.name.encode("utf-8", "backslashreplace").decode(), table.num_rows))
        names.append(SOURCE)
    return pa.Table.from_arrays(columns, names=names)


def _as_values(cells: pa.ChunkedArray) -> pa.ChunkedArray:
    column = encode_cells(cells)
    return column.decode(column.values, pa.string())


def _refuse_other_columns(first: OpenedTable, other: OpenedTable) -> None:
    names, given = first.names, other.names
    for place, (wanted, given_name) in enumerate(zip(names, given, strict=False), 1):
        if wanted != given_name:
            raise TableError(
                f"{other.name}: column {place:,} is {given_name!r}; in {first.name} it is {wanted!r}"
                f"{did_you_mean(given_name, names)}"
            )
    if len(names) != len(given):
        longer, name = (first, names[len(given)]) if len(names) > len(given) else (other, given[len(names)])
        shorter = other if longer is first else first
        raise TableError(f"{shorter.name} has no column {name!r}, which {longer.name} has")
