"""Table files: the ending of a name decides which format reads and writes it."""

from __future__ import annotations

import contextlib
import os
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import replace
from pathlib import Path
from typing import Any

import pyarrow as pa

from igual.errors import OutputError, TableError
from igual.files.formats import find_formats
from igual.files.formats.base import (
    BatchPart,
    CleanPart,
    Format,
    OpenedTable,
    ReadOptions,
    TablePart,
    TextStyle,
    Writer,
)
from igual.files.sources import PACKINGS, existing_file, packing, readable, reading, to_path


def readable_endings() -> tuple[str, ...]:
    """List the endings of table files that are read."""
    return tuple(find_formats())


def writable_endings() -> tuple[str, ...]:
    """List the endings of table files that are written."""
    return tuple(ending for ending, format_ in find_formats().items() if format_.begin is not None)


def is_text_ending(ending: str) -> bool:
    """Tell whether a file with such an ending is a text table."""
    format_ = find_format(ending)
    return format_ is not None and format_.is_text


def ending_of(path: str | os.PathLike[str]) -> str:
    """The ending of a table's name, with that of a compressed file behind it, in lower case.

    Example:
        >>> ending_of("Trees.csv.gz"), ending_of("trees.parquet")
        ('.csv.gz', '.parquet')
    """
    path_of = to_path(path)
    packing = path_of.suffix if path_of.suffix.lower() in PACKINGS else ""
    return f"{Path(path_of.stem).suffix if packing else path_of.suffix}{packing}".lower()


def find_format(ending: str) -> Format | None:
    """Find the format of table files with an ending; None where there is none, or it isn't compressed as a whole."""
    packing = next((packing for packing in PACKINGS if ending.lower().endswith(packing)), "")
    format_ = find_formats().get(ending.lower().removesuffix(packing))
    return None if format_ is not None and packing and not format_.is_packable else format_


def open_table_file(path: str | os.PathLike[str], options: ReadOptions | None = None) -> OpenedTable:
    """Open a table file.

    Args:
        path: The file.
        options: What is known of it.

    Returns:
        The table, ready to be read; whatever goes wrong in reading it is a TableError.

    Raises:
        TableError: Where it isn't a table that can be read.
    """
    existing = existing_file(path)
    format_ = find_format(ending_of(existing))
    if format_ is None:
        endings = ", ".join(readable_endings())
        raise TableError(f"{existing.name}: can't read this kind of file; tables end with {endings}")
    with reading(existing.name):
        opened = format_.open(readable(existing), options or ReadOptions())
        # Names that aren't UTF-8 only show when they are asked for.
        _ = opened.names
        return _reporting(opened)


def _reporting(opened: OpenedTable) -> OpenedTable:
    """The same table; whatever goes wrong in reading it is a TableError."""

    def parts(places: Sequence[int] | None, size: int) -> Iterator[TablePart]:
        made = opened.make_parts(places, size)
        while True:
            with reading(opened.name):
                part = next(made, None)
            if part is None:
                return
            yield part

    other = _reporting(opened.otherwise) if opened.otherwise is not None else None
    return replace(opened, make_parts=parts, otherwise=other)


def read_table(path: str | os.PathLike[str], encoding: str | None = None) -> pa.Table:
    """Read a table file.

    Args:
        path: The file.
        encoding: Of a text table, when it is known better than its bytes tell.

    Returns:
        The table.

    Raises:
        TableError: Where it isn't a table that can be read.
    """
    return open_table_file(path, ReadOptions(encoding)).read()


@contextlib.contextmanager
def writing_table(
    path: Path, ending: str, schema: pa.Schema, style: TextStyle | None = None
) -> Iterator[Writer]:
    """Write a table part by part.

    Args:
        path: Where to write it now.
        ending: The ending of its final name, which was checked.
        schema: Its columns.
        style: How a text table is to be written.

    Yields:
        What writes the parts.

    Raises:
        OutputError: For an encoding that can't be used.
    """
    format_ = find_format(ending)
    if format_ is None or format_.begin is None:
        raise OutputError(f"files that end with {ending} are only read")
    with path.open("wb") as plain, packing(plain, ending) as file:
        writer = format_.begin(file, schema, ending, style or TextStyle())
        yield writer
        writer.close()


def write_table(table: pa.Table, path: Path, ending: str, style: TextStyle | None = None) -> None:
    """Write a whole table; see `writing_table`."""
    with writing_table(path, ending, table.schema, style) as writer:
        writer.write(writer.prepare(CleanPart(BatchPart(table))))


def table_of(records: Sequence[Mapping[str, Any]], columns: Sequence[str]) -> pa.Table:
    """Make a table of records, with its columns even where there are none.

    Args:
        records: The records.
        columns: The columns, in order.

    Returns:
        The table.
    """
    return pa.table({name: pa.array([record[name] for record in records]) for name in columns})


def checked_ending(path: str | os.PathLike[str]) -> str:
    """Check that Igual writes files of a kind.

    Args:
        path: The output.

    Returns:
        Its ending.

    Raises:
        OutputError: For another ending.
    """
    ending = ending_of(path)
    format_ = find_format(ending)
    if format_ is None or format_.begin is None:
        endings = ", ".join(writable_endings())
        raise OutputError(f"{path}: can't tell what to write; end the name with one of {endings}")
    return ending
