"""The packages that workbooks are: what is refused, and what the reader of cells drops or doesn't tell."""

from __future__ import annotations

import posixpath
import re
from collections.abc import Iterator, Sequence
from datetime import date, time
from io import BytesIO
from pathlib import Path
from typing import IO, Any
from xml.etree import ElementTree
from zipfile import BadZipFile, ZipFile

import numpy as np

from igual.errors import TableError

# A stranger's file may be small and unpack to any size, or have a single cell at the far corner of its sheet.
_MOST_BYTES = 256 << 20
_MOST_CELLS = 10_000_000
_ENCRYPTED = 1
# A workbook with a password is no package of its own, but lies in a container.
_CONTAINER = b"\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1"
_WIDE = (b"\xff\xfe", b"\xfe\xff", b"<\x00", b"\x00<")
# Tags hold no "<", and those of cells are short: patterns stop there, so that no file makes them search for ever.
_LONGEST_TAG = 400
_LONG_CELL = re.compile(rb"<(?:\w+:)?c\s[^<>]{%d}" % _LONGEST_TAG)
_CELL = re.compile(rb"<(?:\w+:)?c(?=[\s>])([^<>]*[^/<>])?>")
_PLACE = re.compile(rb"\br\s*=\s*[\"']([A-Za-z]{1,9})(\d{1,18})[\"']")
_NUMBERED = re.compile(rb"\br\s*=\s*[\"'](\d{1,18})[\"']")
# The reader takes a place in the table of strings that is no number for the first.
_BROKEN_TEXT = re.compile(
    rb"<(?:\w+:)?c\s[^<>]{0,%d}\bt\s*=\s*[\"']s[\"'][^<>]*>\s*<(?:\w+:)?v(?=[\s>])[^<>]*>(?!\d{0,9}</)[^<]*"
    % _LONGEST_TAG
)
_ROW = re.compile(rb"<(?:\w+:)?row(?=[\s/>])[^<>]*>")
_TIMES = re.compile(rb"number-(?:rows|columns)-repeated\s*=\s*[\"'](\d{1,18})[\"']")
_ODS_ROW = re.compile(rb"<(?:\w+:)?table-row(?=[\s/>])[^<>]*>")
_ODS_CELL = re.compile(rb"<(?:\w+:)?(?:covered-)?table-cell(?=[\s/>])[^<>]*>")
_ODS_CONTENT = "content.xml"
_BREAK = re.compile(rb"<text:(tab|line-break)(?=[\s/>])[^<>]*/>")
_BREAKS = {b"tab": b"&#9;", b"line-break": b"&#10;"}
_FORMULA = rb"<(?:\w+:)?f(?=[\s>/])(?:[^<]*</(?:\w+:)?f>|[^<>]*/>)\s*"
_UNCOUNTED = re.compile(_FORMULA + rb"(?:<(?:\w+:)?v\s*/>|<(?:\w+:)?v></(?:\w+:)?v>|</)")
_ERROR = re.compile(rb"<(?:\w+:)?c\s[^<>]{0,%d}\bt\s*=\s*[\"']e[\"']" % _LONGEST_TAG)
_VALUE = rb"<(?:\w+:)?v(?=[\s>])[^<>]*>\s*"
# Numbers that are no time in whatever unit, at which the reader fails where their cell has a format of times.
_HUGE = rb"-?(?:\d{10}|[\d.]{1,40}[eE]\+?\d)"
_ANY_HUGE = re.compile(_VALUE + _HUGE)
_HUGE_CELL = re.compile(
    rb"(<(?:\w+:)?c(?=\s)[^<>]{0,%d}?)\ss\s*=\s*[\"']\d{1,9}[\"']([^<>]*>(?:%s)?\s*%s%s)"
    % (_LONGEST_TAG, _FORMULA, _VALUE, _HUGE)
)
# Numbers that are no day: those below 0, and the 29th of February 1900, which the format counts and which never was.
_NO_DAY = rb"(-[^<]{1,40}|60(?:\.[^<]{1,40})?)</"
_ANY_NO_DAY = re.compile(_VALUE + _NO_DAY)
_TAG = re.compile(rb"<(?:\w+:)?(row|c)(?=[\s/>])([^<>]*)>(?:(?:%s)?\s*%s%s)?" % (_FORMULA, _VALUE, _NO_DAY))


def refuse_vast_package(path: Path) -> None:
    """Refuse a workbook whose cells are more than a table's, before they are made.

    Args:
        path: The workbook.

    Raises:
        TableError: For it, and for what is no workbook.
    """
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
                # Any part may be a sheet, whatever its name.
                _refuse_vast_sheet(path.name, packed.read(part), part.filename.endswith((".xml", ".rels")))
    except (BadZipFile, NotImplementedError, RuntimeError, EOFError, OSError, ValueError, KeyError) as error:
        why = (str(error).splitlines() or [type(error).__name__])[0][:200]
        raise TableError(f"{path.name} is not a spreadsheet ({path.suffix}), or is damaged: {why}") from None
    except Exception as error:
        if isinstance(error, TableError):
            raise
        raise TableError(f"{path.name} is not a spreadsheet ({path.suffix}), or is damaged") from None


def _refuse_vast_sheet(name: str, content: bytes, is_xml: bool) -> None:
    declares = is_xml and (b"\x00" in content[:100] or b"<!DOCTYPE" in content or b"<!ENTITY" in content)
    # The bytes of pictures may look like anything.
    is_long = content[:100].lstrip(b"\xef\xbb\xbf\r\n\t ").startswith(b"<") and _LONG_CELL.search(content)
    if declares or content.startswith(_WIDE) or is_long:
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


def open_readably(path: Path) -> IO[bytes]:
    """Open a workbook, with what its reader would drop or fail at written in another way.

    Args:
        path: The workbook.

    Returns:
        The file, or one like it: tabs and line breaks of .ods are characters; numbers of .xlsx that are no time have
        no format.
    """
    is_ods = path.suffix.lower() == ".ods"
    with ZipFile(path) as packed:
        written = {}
        for part in packed.namelist():
            content = packed.read(part)
            if is_ods and part == _ODS_CONTENT and _BREAK.search(content):
                written[part] = _BREAK.sub(lambda found: _BREAKS[found[1]], content)
            elif not is_ods and _ANY_HUGE.search(content):
                written[part] = _HUGE_CELL.sub(rb"\1\2", content)
        if not written:
            return path.open("rb")
        again = BytesIO()
        with ZipFile(again, "w") as made:
            for part in dict.fromkeys(packed.namelist()):
                made.writestr(part, written[part] if part in written else packed.read(part))
    again.seek(0)
    return again


def read_sheet_part(path: Path, sheet: str) -> bytes:
    """Read the part of an .xlsx that holds a sheet.

    Args:
        path: The workbook.
        sheet: The sheet's name.

    Returns:
        Its XML; nothing for other kinds of workbooks, and where the part isn't found.
    """
    if path.suffix.lower() != ".xlsx":
        return b""
    with ZipFile(path) as packed:
        try:
            # What declares entities was refused before.
            book = ElementTree.fromstring(packed.read("xl/workbook.xml"))  # noqa: S314
            links = ElementTree.fromstring(packed.read("xl/_rels/workbook.xml.rels"))  # noqa: S314
        except (KeyError, ElementTree.ParseError):
            return b""
        stated = (one for one in book.iter() if one.tag.endswith("}sheet") and one.get("name") == sheet)
        ids = {value for one in stated for key, value in one.items() if key.endswith("}id")}
        targets = [posixpath.join("/xl", one.get("Target", "")) for one in links if one.get("Id") in ids]
        names = {f"/{name}": name for name in packed.namelist()}
        return next((packed.read(names[at]) for at in map(posixpath.normpath, targets) if at in names), b"")


def restore_numbers(rows: Sequence[list[Any]], content: bytes) -> list[int]:
    """Put back numbers that the reader gave as times: formats of days and times hold no number below 0.

    Args:
        rows: The cells that were read, changed in place.
        content: The sheet that they are of.

    Returns:
        The rows of these cells, from 1.
    """
    if not _ANY_NO_DAY.search(content) or not any(
        isinstance(cell, time | date) for row in rows for cell in row
    ):
        return []
    restored = []
    row = column = 0
    for tag, attributes, number in _TAG.findall(content):
        if tag == b"row":
            placed = _NUMBERED.search(attributes)
            row, column = int(placed[1]) if placed else row + 1, 0
            continue
        place = _PLACE.search(attributes)
        row, column = (int(place[2]), _column_number(place[1])) if place else (row, column + 1)
        if number and 0 < row <= len(rows) and column <= len(rows[row - 1]):
            cell = rows[row - 1][column - 1]
            if isinstance(cell, time) if number.startswith(b"-") else _is_last_of_february(cell):
                rows[row - 1][column - 1] = float(number)
                restored.append(row)
    return restored


def _is_last_of_february(cell: Any) -> bool:
    return isinstance(cell, date) and (cell.year, cell.month, cell.day) == (1900, 2, 28)


def note_cells(name: str, content: bytes) -> Iterator[str]:
    """Say what the cells of a sheet don't tell by their values.

    Args:
        name: The workbook's name.
        content: The part that holds the sheet.

    Yields:
        What a reader should know.
    """
    if formulas := len(_UNCOUNTED.findall(content)):
        have = "1 formula has" if formulas == 1 else f"{formulas:,} formulas have"
        yield (
            f"{name}: {have} no value, which is read as missing; open the file in a spreadsheet program and "
            "save it"
        )
    if errors := len(_ERROR.findall(content)):
        hold = "1 cell holds" if errors == 1 else f"{errors:,} cells hold"
        yield f"{name}: {hold} an error (such as #DIV/0!), which is read as missing"
