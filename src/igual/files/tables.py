"""Table files: the ending of a name decides which format reads and writes it."""

from __future__ import annotations

import os
from collections.abc import Collection, Mapping, Sequence
from pathlib import Path
from typing import Any

import pyarrow as pa

from igual.errors import OutputError, TableError
from igual.files.formats import find_formats
from igual.files.formats.base import OpenedTable, TableFile, TextStyle
from igual.files.sources import existing_file, reading


def readable_endings() -> tuple[str, ...]:
    """List the endings of table files that are read."""
    return tuple(find_formats())


def writable_endings() -> tuple[str, ...]:
    """List the endings of table files that are written."""
    return tuple(ending for ending, format_ in find_formats().items() if format_.write is not None)


def is_text_ending(ending: str) -> bool:
    """Tell whether a file with such an ending is a text table."""
    format_ = find_formats().get(ending.lower())
    return format_ is not None and format_.is_text


def open_table_file(path: str | os.PathLike[str], encoding: str | None = None) -> OpenedTable:
    """Open a table file.

    Args:
        path: The file.
        encoding: Of a text table, when it is known better than its bytes tell.

    Returns:
        The table, ready to be read.

    Raises:
        TableError: Where it isn't a table that can be read.
    """
    found = existing_file(path)
    format_ = find_formats().get(found.suffix.lower())
    if format_ is None:
        endings = ", ".join(readable_endings())
        raise TableError(f"{found.name}: can't read this kind of file; tables end with {endings}")
    with reading(found.name):
        opened = format_.open(found, encoding)

    def read(categorical: Collection[str]) -> TableFile:
        with reading(found.name):
            return opened.read(categorical)

    return opened._replace(read=read)


def read_table(
    path: str | os.PathLike[str], encoding: str | None = None, categorical: Collection[str] = ()
) -> TableFile:
    """Read a table file.

    Args:
        path: The file.
        encoding: Of a text table, when it is known better than its bytes tell.
        categorical: Columns to hold as dictionary-encoded texts, where that helps.

    Returns:
        The table.

    Raises:
        TableError: Where it isn't a table that can be read.
    """
    return open_table_file(path, encoding).read(categorical)


def write_table(table: pa.Table, path: Path, ending: str, style: TextStyle | None = None) -> None:
    """Write a table.

    Args:
        table: The table.
        path: Where to write it now.
        ending: The ending of its final name, which was checked.
        style: How a text table is to be written.

    Raises:
        OutputError: For an encoding that can't be used.
    """
    write = find_formats()[ending.lower()].write
    if write is None:
        raise OutputError(f"files that end with {ending} are only read")
    write(table, path, ending, style or TextStyle())


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
    ending = Path(path).suffix
    if ending.lower() not in writable_endings():
        endings = ", ".join(writable_endings())
        raise OutputError(f"{path}: can't tell what to write; end the name with one of {endings}")
    return ending
