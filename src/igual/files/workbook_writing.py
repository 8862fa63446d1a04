"""Spreadsheets (.xlsx) as files that bear no time."""

from __future__ import annotations

import os
import shutil
from datetime import datetime
from typing import IO, TYPE_CHECKING
from zipfile import ZIP_DEFLATED, ZipFile, ZipInfo

if TYPE_CHECKING:
    from _typeshed import SizedBuffer, StrPath
    from openpyxl import Workbook

# The system that a part says it was made on.
_UNIX = 3


class _TimelessArchive(ZipFile):
    """An archive whose parts bear one fixed time."""

    def writestr(
        self,
        zinfo_or_arcname: str | ZipInfo,
        data: SizedBuffer | str,
        compress_type: int | None = None,
        compresslevel: int | None = None,
    ) -> None:
        name = zinfo_or_arcname if isinstance(zinfo_or_arcname, str) else zinfo_or_arcname.filename
        super().writestr(_make_part(name), data)

    def write(
        self,
        filename: StrPath,
        arcname: StrPath | None = None,
        compress_type: int | None = None,
        compresslevel: int | None = None,
    ) -> None:
        part = _make_part(str(arcname or filename))
        part.file_size = os.path.getsize(filename)
        with open(filename, "rb") as given, self.open(part, "w") as made:
            shutil.copyfileobj(given, made)


def _make_part(name: str) -> ZipInfo:
    part = ZipInfo(name, (2000, 1, 1, 0, 0, 0))
    part.compress_type, part.create_system = ZIP_DEFLATED, _UNIX
    return part


def save_workbook(book: Workbook, file: IO[bytes]) -> None:
    """Write an .xlsx that bears no time, so that the same workbook is the same file.

    Args:
        book: The workbook.
        file: Where to write it.
    """
    from openpyxl.writer.excel import ExcelWriter

    book.properties.created = book.properties.modified = datetime(2000, 1, 1)
    # What `Workbook.save` does, which states the time now.
    ExcelWriter(book, _TimelessArchive(file, "w", ZIP_DEFLATED)).save()
