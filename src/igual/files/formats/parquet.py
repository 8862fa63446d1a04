"""Parquet."""

from __future__ import annotations

from collections.abc import Collection
from pathlib import Path
from typing import Any

import pyarrow as pa

from igual.errors import TableError
from igual.files.formats.base import Format, OpenedTable, TableFile, TextStyle
from igual.files.sources import open_for_arrow


class ParquetFormat:
    """Parquet, read and written by Arrow."""

    endings = (".parquet", ".pq")
    is_text = False

    def open(self, path: Path, encoding: str | None) -> OpenedTable:
        """Read the schema of a Parquet file."""
        file = _open(path)

        def read(_: Collection[str]) -> TableFile:
            table = file.read()
            # A damaged file, or a stranger's, may hold texts that aren't UTF-8, or point beyond its own bytes.
            table.validate(full=True)
            return TableFile(path, table, None)

        return OpenedTable(path, file.schema_arrow.names, read)

    def write(self, table: pa.Table, path: Path, ending: str, style: TextStyle) -> None:
        """Write a Parquet file; what was read from a text table are texts, however they are held here."""
        from pyarrow import parquet

        with path.open("wb") as file:
            parquet.write_table(table if style.like is None else _as_texts(table), file)


def _open(path: Path) -> Any:
    from pyarrow import parquet

    try:
        return parquet.ParquetFile(open_for_arrow(path))
    except pa.ArrowInvalid as error:
        raise TableError(
            f"{path.name} is not a Parquet file, or is damaged: {str(error).splitlines()[0]}"
        ) from None


def _as_texts(table: pa.Table) -> pa.Table:
    kinds = [
        field.with_type(pa.string()) if pa.types.is_dictionary(field.type) else field
        for field in table.schema
    ]
    return table.cast(pa.schema(kinds))


FORMAT: Format = ParquetFormat()
