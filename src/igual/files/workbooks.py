"""Workbooks (.xlsx, .ods): the cells of a sheet as values, and what a reader should know of it."""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from datetime import timedelta
from io import BytesIO
from pathlib import Path
from typing import IO, Any, NamedTuple
from zipfile import BadZipFile, ZipFile

import numpy as np
import pyarrow as pa

from igual.errors import TableError, did_you_mean
from igual.values import value_of

# A stranger's file may be small and unpack to any size, or have a single cell at the far corner of its sheet.
_MOST_BYTES = 256 << 20
_MOST_CELLS = 10_000_000
_ENCRYPTED = 1
# A workbook with a password is no package of its own, but lies in a container.
_CONTAINER = b"\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1"
_NAMED = "column {}"
_CELL = re.compile(rb"<(?:\w+:)?c(?=[\s>])([^>]*[^/>])?>")
_PLACE = re.compile(rb"\br\s*=\s*[\"']([A-Za-z]{1,9})(\d{1,18})[\"']")
# The reader takes a place in the table of strings that is no number for the first.
_BROKEN_TEXT = re.compile(
    rb"<(?:\w+:)?c\s[^>]*\bt\s*=\s*[\"']s[\"'][^>]*>\s*<(?:\w+:)?v(?=[\s>])[^>]*>(?!\d{0,9}</)[^<]*"
)
_ROW = re.compile(rb"<(?:\w+:)?row(?=[\s/>])[^>]*>")
_TIMES = re.compile(rb"number-(?:rows|columns)-repeated\s*=\s*[\"'](\d{1,18})[\"']")
_ODS_ROW = re.compile(rb"<(?:\w+:)?table-row(?=[\s/>])[^>]*>")
_ODS_CELL = re.compile(rb"<(?:\w+:)?(?:covered-)?table-cell(?=[\s/>])[^>]*>")
_ODS_CONTENT = "content.xml"
_BREAK = re.compile(rb"<text:(tab|line-break)(?=[\s/>])[^>]*/>")
_BREAKS = {b"tab": b"&#9;", b"line-break": b"&#10;"}
_UNCOUNTED = re.compile(
    rb"<(?:\w+:)?f(?=[\s>/])(?:[^<]*</(?:\w+:)?f>|[^>]*/>)\s*(?:<(?:\w+:)?v\s*/>|<(?:\w+:)?v></(?:\w+:)?v>|</)"
)
_ERROR = re.compile(rb"<(?:\w+:)?c\s[^>]*\bt\s*=\s*[\"']e[\"']")


class Sheet(NamedTuple):
    """A sheet of a workbook.

    Attributes:
        rows: Its cells from the first row and column on: texts, numbers, truth values, days and times; None is empty.
        notes: What a reader should know of it.
    """

    rows: Sequence[Sequence[Any]]
    notes: Sequence[str]


def read_sheet_cells(path: Path, sheet: str | None = None) -> Sheet:
    """Read the cells of a sheet, as values and never as formulas.

    Args:
        path: The workbook.
        sheet: The name of the sheet, or its number from 1; None: the first that can be seen.

    Returns:
        The cells.

    Raises:
        TableError: For what isn't a workbook, or reaches farther than a table does, and for a sheet that isn't there.
    """
    from python_calamine import CalamineWorkbook, SheetVisibleEnum

    _refuse_vast_package(path)
    with _reading(path), _open_with_breaks(path) as file:
        book = CalamineWorkbook.from_filelike(file)
        names = list(book.sheet_names)
        visible = [one.name for one in book.sheets_metadata if one.visible == SheetVisibleEnum.Visible]
        if not visible:
            raise TableError(f"{path.name} has no sheet")
        chosen = visible[0] if sheet is None else _find_sheet(path.name, names, sheet)
        notes = [] if sheet is not None or len(visible) == 1 else [_note_sheets(path.name, chosen, visible)]
        opened = book.get_sheet_by_name(chosen)
        rows = [
            [None if cell == "" else cell for cell in row] for row in opened.to_python(skip_empty_area=False)
        ]
        merged = len(opened.merged_cell_ranges or ())
        book.close()
    if merged:
        what = "an area of merged cells" if merged == 1 else f"{merged:,} areas of merged cells"
        notes.append(f"{path.name}: sheet {chosen!r} has {what}; only the first cell of each has a value")
    notes += _note_cells(path, names.index(chosen) + 1)
    return Sheet(rows, notes)


def _open_with_breaks(path: Path) -> IO[bytes]:
    """Open a workbook; the tabs and line breaks of an .ods, which the reader drops, as characters."""
    if path.suffix.lower() != ".ods":
        return path.open("rb")
    with ZipFile(path) as packed:
        content = packed.read(_ODS_CONTENT)
        if not _BREAK.search(content):
            return path.open("rb")
        again = BytesIO()
        with ZipFile(again, "w") as made:
            for part in packed.infolist():
                if part.filename != _ODS_CONTENT:
                    made.writestr(part.filename, packed.read(part))
            made.writestr(_ODS_CONTENT, _BREAK.sub(lambda found: _BREAKS[found[1]], content))
    again.seek(0)
    return again


def list_sheets(path: Path) -> list[str]:
    """List the sheets of a workbook.

    Args:
        path: The workbook.

    Returns:
        Their names, hidden ones too.

    Raises:
        TableError: For what isn't a workbook.
    """
    from python_calamine import CalamineWorkbook

    _refuse_vast_package(path)
    with _reading(path), path.open("rb") as file:
        book = CalamineWorkbook.from_filelike(file)
        names = list(book.sheet_names)
        book.close()
    return names


def _find_sheet(file: str, names: Sequence[str], sheet: str) -> str:
    if sheet in names:
        return sheet
    if sheet.isdecimal() and len(sheet) < 6 and 1 <= int(sheet) <= len(names):
        return names[int(sheet) - 1]
    raise TableError(f"{file} has no sheet {sheet!r}{did_you_mean(sheet, names)}")


def _note_sheets(file: str, chosen: str, names: Sequence[str]) -> str:
    others = ", ".join(repr(name) for name in names if name != chosen)
    return f"{file} has {len(names):,} sheets; {chosen!r} was read: --sheet names another ({others[:200]})"


def _note_cells(path: Path, number: int) -> Iterator[str]:
    """What the cells of an .xlsx sheet don't tell by their values."""
    if path.suffix.lower() != ".xlsx":
        return
    with ZipFile(path) as packed:
        name = f"xl/worksheets/sheet{number}.xml"
        content = packed.read(name) if name in packed.namelist() else b""
    if formulas := len(_UNCOUNTED.findall(content)):
        have = "1 formula has" if formulas == 1 else f"{formulas:,} formulas have"
        yield (
            f"{path.name}: {have} no value, which is read as missing; open the file in a spreadsheet program and "
            "save it"
        )
    if errors := len(_ERROR.findall(content)):
        hold = "1 cell holds" if errors == 1 else f"{errors:,} cells hold"
        yield f"{path.name}: {hold} an error (such as #DIV/0!), which is read as missing"


@contextmanager
def _reading(path: Path) -> Iterator[None]:
    """Turn whatever the reader of workbooks says of a damaged file into an error for the steward."""
    try:
        yield
    except (TableError, KeyboardInterrupt, SystemExit, MemoryError):
        raise
    except BaseException as error:  # a failed assertion within that reader is no Exception
        why = (str(error).splitlines() or [type(error).__name__])[0][:200]
        raise TableError(f"{path.name} is not a spreadsheet ({path.suffix}), or is damaged: {why}") from None


def _refuse_vast_package(path: Path) -> None:
    """Raise TableError for a workbook whose cells are more than a table's, before they are made."""
    try:
        with path.open("rb") as file:
            if file.read(len(_CONTAINER)) == _CONTAINER:
                raise TableError(
                    f"{path.name} is encrypted, or of an older kind; save it as .xlsx without a password"
                )
        with ZipFile(path) as packed:
            parts = packed.infolist()
            if sum(part.file_size for part in parts) > _MOST_BYTES:
                raise TableError(f"{path.name} unpacks to more than {_MOST_BYTES >> 20} MiB; save it as CSV")
            if any(part.flag_bits & _ENCRYPTED for part in parts):
                raise TableError(f"{path.name} is encrypted; save it without a password")
            for part in parts:
                if part.filename.endswith(".xml") and (
                    "sheet" in part.filename or part.filename == _ODS_CONTENT
                ):
                    _refuse_vast_sheet(path.name, packed.read(part))
    except (BadZipFile, NotImplementedError, RuntimeError, EOFError, OSError, ValueError, KeyError) as error:
        why = (str(error).splitlines() or [type(error).__name__])[0][:200]
        raise TableError(f"{path.name} is not a spreadsheet ({path.suffix}), or is damaged: {why}") from None
    except Exception as error:
        if isinstance(error, TableError):
            raise
        raise TableError(f"{path.name} is not a spreadsheet ({path.suffix}), or is damaged") from None


def _refuse_vast_sheet(name: str, content: bytes) -> None:
    if b"\x00" in content[:100] or b"<!DOCTYPE" in content or b"<!ENTITY" in content:
        raise TableError(f"{name} has a sheet that is written in no usual way; save it again, or as CSV")
    if broken := _BROKEN_TEXT.search(content):
        said = broken[0].rpartition(b">")[2].decode(errors="replace")[:40]
        raise TableError(
            f"{name} is damaged: a cell refers to text number {said!r}; save it again, or as CSV"
        )
    rows, columns = _extent_of_ods(content)
    unplaced = []
    for cell in _CELL.finditer(content):
        if place := _PLACE.search(cell[1] or b""):
            rows, columns = max(rows, int(place[2])), max(columns, _column_number(place[1]))
        else:
            unplaced.append(cell.start())
    if unplaced:
        # Cells that don't say where they are stand behind one another.
        starts = np.array([row.start() for row in _ROW.finditer(content)] or [0], np.int64)
        per_row = np.bincount(np.searchsorted(starts, np.array(unplaced, np.int64)))
        rows, columns = max(rows, len(starts)), max(columns, int(per_row.max()))
    if rows > 1_048_576 or columns > 16_384 or rows * columns > _MOST_CELLS:
        raise TableError(
            f"{name} has cells as far as row {rows:,} and column {columns:,}; up to {_MOST_CELLS:,} cells "
            "are read: save it as CSV, or delete what is empty"
        )


def _extent_of_ods(content: bytes) -> tuple[int, int]:
    """How far the filled cells of an .ods sheet reach, where rows and cells are stated once and repeated."""
    starts = [*_ODS_ROW.finditer(content)]
    rows = last_row = columns = 0
    for row, following in zip(starts, [*starts, None][1:], strict=True):
        rows += _repeats(row[0])
        column = 0
        for cell in _ODS_CELL.finditer(content, row.end(), following.start() if following else len(content)):
            column += _repeats(cell[0])
            # A cell without content ends where it begins.
            if not cell[0].endswith(b"/>"):
                last_row, columns = rows, max(columns, column)
    return last_row, columns


def _repeats(tag: bytes) -> int:
    times = _TIMES.search(tag)
    return int(times[1]) if times else 1


def _column_number(letters: bytes) -> int:
    number = 0
    for letter in letters.upper():
        number = number * 26 + letter - 64
    return number


def read_workbook(
    path: Path, sheet: str | None = None, header_row: int | None = None
) -> tuple[pa.Table, list[str]]:
    """Read a sheet as a table of texts.

    Args:
        path: The workbook.
        sheet: The name of the sheet, or its number from 1.
        header_row: The row that has the names, from 1; None takes the first that isn't empty.

    Returns:
        The table, without empty rows and columns at its ends, and what a reader should know of it.

    Raises:
        TableError: Where there is no table.
    """
    rows, given = read_sheet_cells(path, sheet)
    notes = list(given)
    filled = [at for at, row in enumerate(rows) if any(cell is not None for cell in row)]
    if not filled:
        raise TableError(f"{path.name} is empty")
    first = filled[0] if header_row is None else header_row - 1
    if first > filled[-1]:
        raise TableError(f"{path.name} has no row {header_row:,}; its last is {filled[-1] + 1:,}")
    if header_row is None and first:
        notes.append(f"{path.name}: the table starts in row {first + 1:,}; --header-row N names another")
    lines = rows[first : filled[-1] + 1]
    width = max((at + 1 for row in lines for at, cell in enumerate(row) if cell is not None), default=0)
    names = [cell_text(cell) or _NAMED.format(place) for place, cell in enumerate(lines[0][:width], 1)]
    unnamed = sum(cell is None for cell in lines[0][:width])
    if unnamed and len(lines) > 1:
        are = "1 column has" if unnamed == 1 else f"{unnamed:,} columns have"
        notes.append(f"{path.name}: {are} no name in row {first + 1:,}; --header-row N names another row")
    columns = [
        pa.array([cell_text(line[place]) for line in lines[1:]], pa.string()) for place in range(width)
    ]
    return pa.Table.from_arrays(columns, names=names), notes


def cell_text(cell: Any) -> str | None:
    """A cell as a value: whole numbers without a point, days without a time, time that passed as hours.

    Example:
        >>> cell_text(2.0), cell_text(timedelta(hours=36)), cell_text(timedelta(milliseconds=-500))
        ('2', '36:00:00', '-00:00:00.5')
    """
    if cell is None:
        return None
    if isinstance(cell, timedelta):
        whole, micros = divmod(abs(cell), timedelta(seconds=1))
        sign = "-" if cell < timedelta() else ""
        passed = f"{sign}{whole // 3600:02}:{whole // 60 % 60:02}:{whole % 60:02}"
        return f"{passed}.{micros.microseconds:06}".rstrip("0") if micros else passed
    value = value_of(cell)
    return str(cell) if value is None else value.removesuffix("T00:00:00")
