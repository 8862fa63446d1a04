"""Spreadsheets in the OpenDocument format (.ods): read as tables of texts."""

from __future__ import annotations

from pathlib import Path

from igual.files.formats.base import Format, OpenedTable, ReadOptions
from igual.files.sources import Readable
from igual.files.workbooks import read_workbook


class OdsFormat:
    """Spreadsheets (.ods); they are only read."""

    endings = (".ods",)
    is_text = False
    is_packable = False
    begin = None

    def open(self, path: Readable, options: ReadOptions) -> OpenedTable:
        """Read a sheet."""
        assert isinstance(path, Path)
        return OpenedTable.of(path, *read_workbook(path, options.sheet, options.header_row))


FORMAT: Format = OdsFormat()
