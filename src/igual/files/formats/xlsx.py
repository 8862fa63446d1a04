"""Spreadsheets (.xlsx) as tables of texts."""

from __future__ import annotations

import contextlib
from collections.abc import Sequence
from pathlib import Path
from typing import Any
from zipfile import BadZipFile, ZipFile

import pyarrow as pa

from igual.errors import TableError
from igual.files.formats.base import Format, OpenedTable, TableFile

# A stranger's file may be small and unpack to any size.
_LARGEST = 1 << 30
_NAMED = "column {}"


def rows_of(path: Path) -> list[Sequence[Any]]:
    """The cells of the first sheet that can be seen, row by row, as values and never as formulas.

    openpyxl reads with defusedxml, which refuses files whose entities would unfold without end.
    """
    from openpyxl import load_workbook
    from openpyxl.utils.exceptions import InvalidFileException

    try:
        with ZipFile(path) as packed:
            if sum(part.file_size for part in packed.infolist()) > _LARGEST:
                raise TableError(f"{path.name} unpacks to more than a gigabyte; save it as CSV")
        with contextlib.closing(
            load_workbook(path, read_only=True, data_only=True, keep_links=False)
        ) as book:
            sheets = [sheet for sheet in book.worksheets if sheet.sheet_state == "visible"]
            if not sheets:
                raise TableError(f"{path.name} has no sheet")
            sheets[0].reset_dimensions()
            return list(sheets[0].iter_rows(values_only=True))
    except (BadZipFile, InvalidFileException, KeyError, ValueError, SyntaxError) as error:
        said = (str(error).splitlines() or [type(error).__name__])[0]
        raise TableError(f"{path.name} is not a spreadsheet (.xlsx), or is damaged: {said}") from None


def read_workbook(path: Path) -> pa.Table:
    """The first sheet as a table of texts; its first row has the names. Empty rows at the end are left out."""
    lines = [list(line) for line in rows_of(path)]
    while lines and all(cell is None for cell in lines[-1]):
        lines.pop()
    if not lines:
        raise TableError(f"{path.name} is empty")
    width = max(len(line) for line in lines)
    lines = [line + [None] * (width - len(line)) for line in lines]
    while width and all(line[width - 1] is None for line in lines):
        width -= 1
    names = [_text(cell) or _NAMED.format(place) for place, cell in enumerate(lines[0][:width], 1)]
    columns = [pa.array([_text(line[place]) for line in lines[1:]], pa.string()) for place in range(width)]
    return pa.Table.from_arrays(columns, names=names)


def _text(cell: Any) -> str | None:
    """A cell as a steward sees it: whole numbers without a point, days without a time."""
    if cell is None:
        return None
    if isinstance(cell, bool):
        return str(cell).upper()
    if isinstance(cell, float) and cell.is_integer():
        return str(int(cell))
    said = str(cell)
    return said.removesuffix(" 00:00:00")


class XlsxFormat:
    """Spreadsheets; they are read, and only sheets of open values are written as such."""

    endings = (".xlsx",)
    is_text = False
    write = None

    def open(self, path: Path, encoding: str | None) -> OpenedTable:
        """Read the first sheet."""
        table = read_workbook(path)
        return OpenedTable(path, table.column_names, lambda _: TableFile(path, table, None))


FORMAT: Format = XlsxFormat()
