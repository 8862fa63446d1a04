"""What a format of table files can do: one module of this package for each, found without being listed anywhere."""

from __future__ import annotations

from collections.abc import Callable, Collection, Sequence
from pathlib import Path
from typing import NamedTuple, Protocol

import pyarrow as pa

from igual.files.dialects import Dialect


class TableFile(NamedTuple):
    """A table that was read.

    Attributes:
        path: The file.
        table: The table.
        dialect: How the file was written; None for what isn't a text table.
        is_guessed: Whether the encoding was found out rather than known.
    """

    path: Path
    table: pa.Table
    dialect: Dialect | None
    is_guessed: bool = False


class OpenedTable(NamedTuple):
    """A table file whose columns are known, and whose rows are read when they are needed.

    Attributes:
        path: The file.
        names: Its columns.
        read: Reads it; takes the columns to hold as dictionary-encoded texts, where that helps.
    """

    path: Path
    names: Sequence[str]
    read: Callable[[Collection[str]], TableFile]


class TextStyle(NamedTuple):
    """How a text table is to be written.

    Attributes:
        like: The dialect of the table that it is made from; None writes as RFC 4180 has it.
        encoding: The name of a Python codec; None is UTF-8.
    """

    like: Dialect | None = None
    encoding: str | None = None


class Format(Protocol):
    """A format of table files. A module of this package whose `FORMAT` is one is known everywhere."""

    @property
    def endings(self) -> tuple[str, ...]:
        """The endings of its files, in lower case."""

    @property
    def is_text(self) -> bool:
        """Whether a spreadsheet program may take its cells for formulas."""

    def open(self, path: Path, encoding: str | None) -> OpenedTable:
        """Open a file.

        Args:
            path: The file, which is there.
            encoding: Of a text table, when it is known better than its bytes tell.

        Returns:
            The table, ready to be read.

        Raises:
            TableError: Where it can't be read.
        """

    @property
    def write(self) -> Callable[[pa.Table, Path, str, TextStyle], None] | None:
        """Writes a table to a file, whose final name has the ending that is given; None: it is only read."""
