"""Table files by their kind: which reader and writer serves which ending."""

from __future__ import annotations

import os
from collections.abc import Callable, Collection, Mapping, Sequence
from pathlib import Path
from typing import Any, NamedTuple

import pyarrow as pa

from igual.errors import OutputError, TableError
from igual.files.dialects import Dialect
from igual.files.sources import existing_file

TEXT_ENDINGS = (".csv", ".tsv", ".txt")
PARQUET_ENDINGS = (".parquet", ".pq")
ENDINGS = (*TEXT_ENDINGS, *PARQUET_ENDINGS)
WORKBOOK_ENDINGS = (".xlsx",)


class TableFile(NamedTuple):
    """A table that was read.

    Attributes:
        path: The file.
        table: The table.
        dialect: How the file was written; None for what isn't a text table.
        is_guessed: Whether the encoding was found out rather than known.
    """

    path: Path
    table: pa.Table
    dialect: Dialect | None
    is_guessed: bool = False


class OpenedTable(NamedTuple):
    """A table file whose columns are known, and whose rows are read when they are needed.

    Attributes:
        path: The file.
        names: Its columns.
        read: Reads it; takes the columns to hold as dictionary-encoded texts, where that helps.
    """

    path: Path
    names: Sequence[str]
    read: Callable[[Collection[str]], TableFile]


def open_table_file(path: str | os.PathLike[str], encoding: str | None = None) -> OpenedTable:
    """Open a table file; its ending decides of which kind it is.

    Args:
        path: The file.
        encoding: Of a text table, when it is known better than its bytes tell.

    Returns:
        The table, ready to be read.

    Raises:
        TableError: Where it isn't a table that can be read.
    """
    found = existing_file(path)
    if _is_text(found):
        from igual.files.csv_tables import read_csv
        from igual.files.dialects import establish

        dialect = establish(found, encoding)

        def read_text(categorical: Collection[str]) -> TableFile:
            table, known = read_csv(found, dialect, categorical, encoding)
            return TableFile(found, table, known, encoding is None)

        return OpenedTable(found, dialect.header, read_text)
    if found.suffix.lower() in WORKBOOK_ENDINGS:
        from igual.files.workbooks import read_workbook

        table = read_workbook(found)
        return OpenedTable(found, table.column_names, lambda _: TableFile(found, table, None))
    file = _parquet(found)
    return OpenedTable(found, file.schema_arrow.names, lambda _: TableFile(found, file.read(), None))


def read_table(
    path: str | os.PathLike[str], encoding: str | None = None, categorical: Collection[str] = ()
) -> TableFile:
    """Read a table file; its ending decides of which kind it is.

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


def write_table(
    table: pa.Table, path: Path, ending: str, like: Dialect | None = None, encoding: str | None = None
) -> None:
    """Write a table as the kind of file that `ending` says; a text table in the manner of `like`."""
    if ending.lower() in PARQUET_ENDINGS:
        from pyarrow import parquet

        # What was read from a text table are texts, however they are held here.
        parquet.write_table(table if like is None else _as_texts(table), path)
        return
    from igual.files.csv_tables import write_csv

    delimiter = (
        "\t" if ending.lower() == ".tsv" else like.delimiter if like and like.delimiter != "\t" else ","
    )
    line_end, bom = (like.line_end, like.bom) if like else ("\n", False)
    write_csv(table, path, delimiter, line_end, bom and encoding is None, encoding)


def table_of(records: Sequence[Mapping[str, Any]], columns: Sequence[str]) -> pa.Table:
    """Records as a table, with its columns even where there are none."""
    return pa.table({name: pa.array([record[name] for record in records]) for name in columns})


def _as_texts(table: pa.Table) -> pa.Table:
    kinds = [
        field.with_type(pa.string()) if pa.types.is_dictionary(field.type) else field
        for field in table.schema
    ]
    return table.cast(pa.schema(kinds))


def checked_ending(path: str | os.PathLike[str]) -> str:
    """The ending of an output, if Igual writes that kind of file."""
    ending = Path(path).suffix
    if ending.lower() not in ENDINGS:
        raise OutputError(f"{path}: can't tell what to write; end the name with one of {', '.join(ENDINGS)}")
    return ending


def _is_text(path: Path) -> bool:
    ending = path.suffix.lower()
    readable = (*ENDINGS, *WORKBOOK_ENDINGS)
    if ending not in readable:
        raise TableError(f"{path.name}: can't read this kind of file; tables end with {', '.join(readable)}")
    return ending in TEXT_ENDINGS


def _parquet(path: Path):  # type: ignore[no-untyped-def]
    from pyarrow import parquet

    try:
        return parquet.ParquetFile(path)
    except pa.ArrowInvalid as error:
        raise TableError(
            f"{path.name} is not a Parquet file, or is damaged: {str(error).splitlines()[0]}"
        ) from None
