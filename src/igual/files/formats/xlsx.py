"""Spreadsheets (.xlsx): read as tables of texts, and written with texts as texts."""

from __future__ import annotations

import re
from datetime import datetime
from pathlib import Path
from typing import IO, Any

import pyarrow as pa

from igual.errors import OutputError
from igual.files.formats.base import CleanPart, Format, OpenedTable, ReadOptions, TextStyle, Writer
from igual.files.sources import Readable
from igual.files.workbooks import read_workbook

_MOST_ROWS, _MOST_COLUMNS, _MOST_CHARACTERS = 1_048_576, 16_384, 32_767
# Characters that XML can't hold stand in cells by their numbers (ECMA-376, 22.9.2.19, ST_Xstring).
_TO_ESCAPE = re.compile(r"[\x00-\x08\x0b-\x1f\ufffe\uffff]|_(?=x[0-9A-Fa-f]{4}_)")


def escape_text(text: str) -> str:
    r"""A text as a cell holds it: what XML can't hold by its number.

    Example:
        >>> escape_text("a\x01_x0041_")
        'a_x0001__x005F_x0041_'
    """
    return _TO_ESCAPE.sub(lambda found: f"_x{ord(found[0]):04X}_", text)


class XlsxFormat:
    """Spreadsheets (.xlsx)."""

    endings = (".xlsx",)
    is_text = False
    is_packable = False

    def open(self, path: Readable, options: ReadOptions) -> OpenedTable:
        """Read a sheet."""
        assert isinstance(path, Path)
        return OpenedTable.of(path, *read_workbook(path, options.sheet, options.header_row))

    def begin(self, file: IO[bytes], schema: pa.Schema, ending: str, style: TextStyle) -> Writer:
        """Begin a workbook with one sheet."""
        return _XlsxWriter(file, schema)


class _XlsxWriter:
    """Writes rows as they come; texts stay texts, whatever they look like."""

    def __init__(self, file: IO[bytes], schema: pa.Schema) -> None:
        from openpyxl import Workbook

        if len(schema) > _MOST_COLUMNS:
            raise OutputError(f"a spreadsheet holds {_MOST_COLUMNS:,} columns; the table has {len(schema):,}")
        self._file = file
        self._book = Workbook(write_only=True)
        self._book.properties.created = self._book.properties.modified = datetime(2000, 1, 1)
        self._sheet = self._book.create_sheet("table")
        self._rows = 1
        self._sheet.append([self._cell(name) for name in schema.names])

    def _cell(self, given: Any) -> Any:
        from openpyxl.cell import WriteOnlyCell

        if not isinstance(given, str):
            return (
                given
                if given is None or isinstance(given, bool | int | float | datetime)
                else self._plain(given)
            )
        if len(given) > _MOST_CHARACTERS:
            raise OutputError(
                f"a cell of a spreadsheet holds {_MOST_CHARACTERS:,} characters; one has {len(given):,}"
            )
        cell = WriteOnlyCell(self._sheet, escape_text(given))
        cell.data_type = "s"  # never a formula, whatever it starts with
        return cell

    def _plain(self, given: Any) -> Any:
        return given if hasattr(given, "isoformat") else self._cell(str(given))

    def prepare(self, clean: CleanPart) -> Any:
        """Give the cells."""
        return [column.to_pylist() for column in clean.table().columns], clean.part.rows

    def write(self, prepared: Any) -> None:
        """Write rows."""
        columns, rows = prepared
        self._rows += rows
        if self._rows > _MOST_ROWS:
            raise OutputError(f"a spreadsheet holds {_MOST_ROWS:,} rows; write the table as .csv or .parquet")
        for cells in zip(*columns, strict=True):
            self._sheet.append([self._cell(cell) for cell in cells])

    def close(self) -> None:
        """Write the workbook."""
        self._book.save(self._file)


FORMAT: Format = XlsxFormat()
