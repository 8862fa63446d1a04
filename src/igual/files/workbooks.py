"""Workbooks (.xlsx, .ods): the cells of a sheet as values, and what a reader should know of it."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from datetime import timedelta
from pathlib import Path
from typing import Any, NamedTuple

import pyarrow as pa

from igual.errors import TableError, did_you_mean
from igual.files.workbook_packages import (
    note_cells,
    open_readably,
    read_sheet_part,
    refuse_vast_package,
    restore_numbers,
)
from igual.values import value_of

_NAMED = "column {}"


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

    refuse_vast_package(path)
    with _reading(path), open_readably(path) as file:
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
    content = read_sheet_part(path, chosen)
    notes += note_cells(path.name, content)
    if restored := restore_numbers(rows, content):
        have = "1 cell has" if len(restored) == 1 else f"{len(restored):,} cells have"
        notes.append(
            f"{path.name}: {have} a format of days or times and a number that is none (the first in row "
            f"{restored[0]:,}), which is read as the number"
        )
    return Sheet(rows, notes)


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

    refuse_vast_package(path)
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


class Workbook(NamedTuple):
    """A sheet of a workbook as a table.

    Attributes:
        table: Its cells as texts.
        notes: What a reader should know of it.
        natives: For each column the cells as the workbook holds them, (columns,) of (rows,).
    """

    table: pa.Table
    notes: list[str]
    natives: list[list[Any]]


def read_workbook(path: Path, sheet: str | None = None, header_row: int | None = None) -> Workbook:
    """Read a sheet as a table of texts.

    Args:
        path: The workbook.
        sheet: The name of the sheet, or its number from 1.
        header_row: The row that has the names, from 1; None takes the first that isn't empty.

    Returns:
        The table, without empty rows and columns at its ends.

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
    natives = [[line[place] for line in lines[1:]] for place in range(width)]
    columns = [pa.array([cell_text(cell) for cell in cells], pa.string()) for cells in natives]
    return Workbook(pa.Table.from_arrays(columns, names=names), notes, natives)


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
