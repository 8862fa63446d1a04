"""Spreadsheets (.xlsx): read as tables of texts, and written with texts as texts."""

from __future__ import annotations

import math
import re
from collections.abc import Sequence
from datetime import date, datetime, time, timedelta
from pathlib import Path
from typing import IO, Any

import pyarrow as pa

from igual.errors import OutputError
from igual.files.formats.base import BatchPart, CleanPart, Format, OpenedTable, ReadOptions, TextStyle, Writer
from igual.files.sources import Readable
from igual.files.workbook_writing import save_workbook
from igual.files.workbooks import cell_text, read_workbook
from igual.text.cells import list_cells
from igual.text.plain_types import join_chunks, to_plain

MOST_ROWS, _MOST_COLUMNS, MOST_CHARACTERS = 1_048_576, 16_384, 32_767
# Dates begin in 1900, with a precision of milliseconds; numbers are doubles.
_FIRST_YEAR, _LARGEST_WHOLE = 1900, 1 << 53
# Characters that XML can't hold stand in cells by their numbers (ECMA-376, 22.9.2.19, ST_Xstring); so does the first
# of a text that is all spaces, for an element that has nothing else is taken for an empty one.
_TO_ESCAPE = re.compile(r"[\x00-\x08\x0b-\x1f\ufffe\uffff]|_(?=x[0-9A-Fa-f]{4}_)|\A[ \t\n](?=[ \t\n]*\Z)")


def escape_text(text: str) -> str:
    r"""A text as a cell holds it: what XML can't hold, or would drop, by its number.

    Example:
        >>> escape_text("a\x01_x0041_"), escape_text("  ")
        ('a_x0001__x005F_x0041_', '_x0020_ ')
    """
    return _TO_ESCAPE.sub(lambda character: f"_x{ord(character[0]):04X}_", text)


def _holds(given: Any) -> bool:
    """Whether a cell of a spreadsheet holds all of something that isn't a text; texts hold the rest."""
    if isinstance(given, datetime):
        return given.tzinfo is None and given.year >= _FIRST_YEAR and given.microsecond % 1000 == 0
    if isinstance(given, date):
        return given.year >= _FIRST_YEAR
    if isinstance(given, time):
        return given.microsecond % 1000 == 0
    if isinstance(given, int):
        return abs(given) <= _LARGEST_WHOLE
    return bool(math.isfinite(given))


def _restore_natives(cells: list[Any], natives: Sequence[Any]) -> list[Any]:
    """The cells of a column, as the workbook that it was read from had them where their text is the same."""
    return [
        native
        if native is not None
        and not isinstance(native, str)
        and _is_held(native)
        and cell_text(native) == cell
        else cell
        for cell, native in zip(cells, natives, strict=True)
    ]


def _is_held(native: Any) -> bool:
    return isinstance(native, timedelta) or _holds(native)


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
        self._sheet = self._book.create_sheet("table")
        self._rows = 1
        self._sheet.append([self._cell(name) for name in schema.names])

    def _cell(self, given: Any) -> Any:
        from openpyxl.cell import WriteOnlyCell

        if isinstance(given, float) and float(f"{given:.16g}") != given:
            # The writer rounds to sixteen digits.
            cell = WriteOnlyCell(self._sheet, repr(given))
            cell.data_type = "n"
            return cell
        if not isinstance(given, str):
            return given
        if len(given) > MOST_CHARACTERS:
            raise OutputError(
                f"a cell of a spreadsheet holds {MOST_CHARACTERS:,} characters; one has {len(given):,}"
            )
        cell = WriteOnlyCell(self._sheet, escape_text(given))
        cell.data_type = "s"  # never a formula, whatever it starts with
        return cell

    def prepare(self, clean: CleanPart) -> Any:
        """Give the cells."""
        columns = [list_cells(join_chunks(to_plain(column)), _holds) for column in clean.table().columns]
        natives = clean.part.natives if isinstance(clean.part, BatchPart) else None
        for place, cells in enumerate(natives or ()):
            columns[place] = _restore_natives(columns[place], cells)
        return columns, clean.part.rows

    def write(self, prepared: Any) -> None:
        """Write rows."""
        columns, rows = prepared
        self._rows += rows
        if self._rows > MOST_ROWS:
            raise OutputError(f"a spreadsheet holds {MOST_ROWS:,} rows; write the table as .csv or .parquet")
        for cells in zip(*columns, strict=True):
            self._sheet.append([self._cell(cell) for cell in cells])

    def close(self) -> None:
        """Write the workbook."""
        save_workbook(self._book, self._file)


FORMAT: Format = XlsxFormat()
