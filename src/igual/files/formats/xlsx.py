"""Spreadsheets (.xlsx) as tables of texts."""

from __future__ import annotations

import contextlib
import re
from collections.abc import Mapping, Sequence
from datetime import datetime, time
from pathlib import Path
from typing import IO, Any
from zipfile import BadZipFile, ZipFile

import pyarrow as pa

from igual.errors import TableError
from igual.files.formats.base import Format, OpenedTable
from igual.files.sources import Readable, reading

# A stranger's file may be small and unpack to any size, or have a single cell at the far corner of its sheet.
_MOST_BYTES = 256 << 20
_MOST_ROWS, _MOST_COLUMNS = 1_048_576, 16_384
_MOST_CELLS = 5_000_000
_NAMED = "column {}"
# Characters that XML can't hold stand in cells by their numbers (ECMA-376, 22.9.2.19, ST_Xstring).
_ESCAPED = re.compile(r"(?:_x[0-9A-Fa-f]{4}_)+")
_TO_ESCAPE = re.compile(r"[\x00-\x08\x0b-\x1f\ufffe\uffff]|_(?=x[0-9A-Fa-f]{4}_)")


def rows_of(path: Path) -> list[Sequence[Any]]:
    """The cells of the first sheet that can be seen, row by row, as values and never as formulas.

    openpyxl reads with defusedxml, which refuses files whose entities would unfold without end.

    Raises:
        TableError: For what isn't a spreadsheet, or is larger than a table that people keep in one.
    """
    with reading(path.name):
        return _rows_of(path)


def _rows_of(path: Path) -> list[Sequence[Any]]:
    from openpyxl import load_workbook
    from openpyxl.utils.exceptions import InvalidFileException

    try:
        with ZipFile(path) as packed:
            if sum(part.file_size for part in packed.infolist()) > _MOST_BYTES:
                raise TableError(f"{path.name} unpacks to more than {_MOST_BYTES >> 20} MiB; save it as CSV")
        with contextlib.closing(
            load_workbook(path, read_only=True, data_only=True, keep_links=False)
        ) as book:
            sheets = [sheet for sheet in book.worksheets if sheet.sheet_state == "visible"]
            if not sheets:
                raise TableError(f"{path.name} has no sheet")
            with sheets[0]._get_source() as source:
                _refuse_vast_sheet(path.name, source)
            sheets[0].reset_dimensions()
            return list(sheets[0].iter_rows(values_only=True))
    except (BadZipFile, InvalidFileException, KeyError, SyntaxError) as error:
        said = (str(error).splitlines() or [type(error).__name__])[0]
        raise TableError(f"{path.name} is not a spreadsheet (.xlsx), or is damaged: {said}") from None


def _refuse_vast_sheet(name: str, source: IO[bytes]) -> None:
    """Raise TableError for a sheet whose cells reach farther than a table's do, before they are made."""
    from defusedxml.ElementTree import DefusedXMLParser

    extent = _Extent(name)
    parser = DefusedXMLParser(target=extent)
    while block := source.read(1 << 20):
        parser.feed(block)
    parser.close()


class _Extent:
    """How far the cells of a sheet reach, told element by element."""

    def __init__(self, name: str) -> None:
        from openpyxl.utils.cell import column_index_from_string, coordinate_from_string

        self._name = name
        self._split, self._find_column = coordinate_from_string, column_index_from_string
        self._row = self._column = self._last_row = self._last_column = 0

    def start(self, tag: str, attributes: Mapping[str, str]) -> None:
        kind, at = tag.rpartition("}")[2], attributes.get("r")
        if kind == "row":
            self._row, self._column = int(at) if at else self._row + 1, 0
            self._last_row = max(self._last_row, self._row)
        elif kind == "c":
            # A cell that doesn't say where it is stands behind the one before.
            letters, number = self._split(at) if at else ("", self._row)
            self._column = self._find_column(letters) if at else self._column + 1
            self._last_column, self._last_row = (
                max(self._last_column, self._column),
                max(self._last_row, number),
            )
        else:
            return
        rows, columns = self._last_row, self._last_column
        if rows > _MOST_ROWS or columns > _MOST_COLUMNS or rows * columns > _MOST_CELLS:
            raise TableError(
                f"{self._name} has cells as far as row {rows:,} and column {columns:,}; up to {_MOST_CELLS:,} cells "
                "are read: save it as CSV, or delete what is empty"
            )

    def close(self) -> None:
        """Nothing is kept."""


def escape_text(text: str) -> str:
    r"""A text as a cell holds it: what XML can't hold by its number.

    Example:
        >>> escape_text("a\x01_x0041_")
        'a_x0001__x005F_x0041_'
    """
    return _TO_ESCAPE.sub(lambda found: f"_x{ord(found[0]):04X}_", text)


def _unescape_text(text: str) -> str:
    def unescape(found: re.Match[str]) -> str:
        units = bytes.fromhex(re.sub("_x|_", "", found[0]))
        return units.decode("utf-16-be", "replace")

    return _ESCAPED.sub(unescape, text) if "_x" in text else text


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
    names = [cell_text(cell) or _NAMED.format(place) for place, cell in enumerate(lines[0][:width], 1)]
    columns = [
        pa.array([cell_text(line[place]) for line in lines[1:]], pa.string()) for place in range(width)
    ]
    return pa.Table.from_arrays(columns, names=names)


def cell_text(cell: Any) -> str | None:
    """A cell as a steward sees it: whole numbers without a point, days without a time."""
    if cell is None:
        return None
    if isinstance(cell, str):
        return _unescape_text(cell)
    if isinstance(cell, bool):
        return str(cell).upper()
    if isinstance(cell, float) and cell.is_integer():
        return str(int(cell))
    if isinstance(cell, datetime) and cell.time() == time():
        return str(cell.date())
    return str(cell)


class XlsxFormat:
    """Spreadsheets; they are read, and only sheets of open values are written as such."""

    endings = (".xlsx",)
    is_text = False
    is_packable = False
    begin = None

    def open(self, path: Readable, encoding: str | None) -> OpenedTable:
        """Read the first sheet."""
        assert isinstance(path, Path)
        return OpenedTable.of(path, read_workbook(path))


FORMAT: Format = XlsxFormat()
