"""What a format of table files can do: one module of this package for each, found without being listed anywhere."""

from __future__ import annotations

import contextlib
from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import IO, Any, NamedTuple, Protocol, TypeVar

import numpy as np
import numpy.typing as npt
import pyarrow as pa

from igual.column import Codes
from igual.engines.arrow import CleanCells, put_in_rows
from igual.files.csv_cells import guarded
from igual.files.dialects import Dialect
from igual.files.sources import NeedsParserError, Readable, path_of
from igual.text.plain_types import cast_cells, holds_type, is_joined_wrongly, join_chunks

_Made = TypeVar("_Made")
Layout = npt.NDArray[np.integer]


# Small enough for a processor's cache.
PART_BYTES = 1 << 21
_ENOUGH_ROWS, _ENOUGH_BYTES = 1 << 16, 1 << 26


class TablePart(Protocol):
    """Some rows of a table."""

    @property
    def rows(self) -> int:
        """How many rows it has."""

    def cells(self, place: int) -> pa.Array | pa.ChunkedArray:
        """Give the cells of a column of the table, by its position."""

    def table(self) -> pa.Table:
        """Give all cells."""

    def find_layout(self) -> Layout | None:
        """Give what saves finding the cells once more, for `recall`; None where nothing does."""

    def recall(self, layout: Layout) -> None:
        """Take what `find_layout` gave for the same part before."""


class BatchPart:
    """Rows that Arrow holds.

    Args:
        table: The rows.
        places: The positions of its columns in the whole table; None where it has all of them.
        natives: For each column the cells as the file holds them (numbers, days), where the table has texts for them;
            None where it has the cells themselves.
    """

    def __init__(
        self,
        table: pa.Table,
        places: Sequence[int] | None = None,
        natives: Sequence[Sequence[Any]] | None = None,
    ) -> None:
        self.natives = natives
        self._table = table
        self._places = None if places is None else {place: at for at, place in enumerate(places)}
        self.rows: int = table.num_rows

    def cells(self, place: int) -> pa.ChunkedArray:
        """Give the cells of a column of the table, by its position in it."""
        return self._table.column(place if self._places is None else self._places[place])

    def table(self) -> pa.Table:
        """Give all cells that were read."""
        return self._table

    def find_layout(self) -> None:
        """Give nothing: the cells are found."""

    def recall(self, layout: Layout) -> None:
        """Have nothing to recall."""


def join_batches(batches: Iterable[pa.RecordBatch]) -> Iterator[pa.Table]:
    """Join what was read in small batches: each part costs something for every column, however few rows it has.

    Args:
        batches: As they are read.

    Yields:
        Tables of some ten thousand rows, or more where a batch has more.

    Raises:
        ArrowInvalid: For a damaged file, or a stranger's, that holds texts which aren't UTF-8 or points beyond its own
            bytes; a batch that was handed on would not know them.
    """
    waiting: list[pa.RecordBatch] = []
    rows = size = 0
    for batch in batches:
        if not batch.num_rows:
            # Arrow reads some empty columns in such a way that asking for their size ends the process.
            continue
        batch.validate(full=True)
        waiting.append(batch)
        rows, size = rows + batch.num_rows, size + batch.nbytes
        if rows >= _ENOUGH_ROWS or size >= _ENOUGH_BYTES:
            yield _join(waiting)
            waiting, rows, size = [], 0, 0
    if waiting:
        yield _join(waiting)


def _join(batches: Sequence[pa.RecordBatch]) -> pa.Table:
    table = pa.Table.from_batches(batches)
    if len(batches) > 1 and not any(holds_type(field.type, is_joined_wrongly) for field in table.schema):
        # Where Arrow can't join dictionaries, the part stays in pieces.
        with contextlib.suppress(pa.ArrowInvalid, pa.ArrowNotImplementedError):
            return table.combine_chunks()
    return table


def cast_rows(table: pa.Table, schema: pa.Schema) -> pa.Table:
    """Give rows in the types of a schema, which has the same columns in types that hold their cells."""
    return pa.Table.from_arrays([*map(cast_cells, table.columns, schema.types)], schema=schema)


class NewCells(NamedTuple):
    """New cells for a column.

    Attributes:
        place: The position of the column in the table; None for a new one at the end.
        made: The cells that there are, the same for all parts.
        codes: For each row the place of its cell, (rows,).
    """

    place: int | None
    made: CleanCells
    codes: Codes

    def column(self, raw: pa.ChunkedArray | None = None) -> pa.Array:
        """Give a cell for each row, (rows,), given the raw cells of the rows, (rows,); None for a new column."""
        kept = None if raw is None or self.made.is_kept is None else join_chunks(raw)
        return put_in_rows(self.made, self.codes, kept)


class CleanPart(NamedTuple):
    """Rows as they are to be written.

    Attributes:
        part: The rows as they were read.
        columns: What takes the place of some of their cells, those in place before new ones.
        names: The column names to write; None: those of the part.
        is_guarded: Whether cells that a spreadsheet program takes for formulas get an apostrophe.
    """

    part: TablePart
    columns: Sequence[NewCells] = ()
    names: Sequence[str] | None = None
    is_guarded: bool = False

    def table(self) -> pa.Table:
        """Give the rows with their new cells."""
        table = self.part.table()
        columns = list(table.columns)
        for new in self.columns:
            cells = pa.chunked_array([new.column(None if new.place is None else columns[new.place])])
            if new.place is None:
                columns.append(cells)
            else:
                columns[new.place] = cells
        names = list(self.names or table.column_names)
        made = pa.Table.from_arrays(columns, names=names)
        return guarded(made).rename_columns(names) if self.is_guarded else made


@dataclass(frozen=True)
class OpenedTable:
    """A table file whose columns are known; its rows are read part by part, as often as they are needed.

    Attributes:
        path: The file.
        schema: Its columns.
        make_parts: Reads its rows in order; takes the positions of the columns that are needed, None for all, and about
            how many bytes of the file a part should have.
        dialect: How the file is written; None for what isn't a text table.
        is_guessed: Whether the encoding was found out rather than known.
        notes: What else a reader should know of how it was read.
        has_same_parts: Whether parts of one size have the same rows each time, whichever columns are needed.
        otherwise: The same table read in another way, for when a part raises NeedsParserError.
        parts_of: The files that it is made of, where these are several.
    """

    path: Readable
    schema: pa.Schema
    make_parts: Callable[[Sequence[int] | None, int], Iterator[TablePart]]
    dialect: Dialect | None = None
    is_guessed: bool = False
    notes: Sequence[str] = ()
    has_same_parts: bool = False
    otherwise: OpenedTable | None = None
    parts_of: Sequence[Path] = ()

    @property
    def files(self) -> Sequence[Path]:
        """The files that it is read from."""
        return self.parts_of or [path_of(self.path)]

    @property
    def name(self) -> str:
        """The name of the file."""
        more = len(self.parts_of) - 1
        return f"{self.path.name} and {more:,} more" if more > 0 else self.path.name

    @property
    def names(self) -> list[str]:
        """Its columns."""
        return list(self.schema.names)

    @classmethod
    def of(
        cls,
        path: Readable,
        table: pa.Table,
        notes: Sequence[str] = (),
        natives: Sequence[Sequence[Any]] | None = None,
    ) -> OpenedTable:
        """Give a table that was read as a whole.

        Args:
            path: The file.
            table: Its content.
            notes: What else a reader should know of how it was read.
            natives: As for `BatchPart`.
        """
        part = BatchPart(table, natives=natives)
        return cls(path, table.schema, lambda places, size: iter([part]), notes=notes)

    def parts(self, places: Sequence[int] | None = None, size: int = PART_BYTES) -> Iterator[TablePart]:
        """Read the rows in order.

        Args:
            places: The positions of the columns that are needed; None for all.
            size: About how many bytes of the file a part has, where the format leaves a choice.
        """
        return self.make_parts(places, size)

    def read(self) -> pa.Table:
        """Read the whole table."""
        return self.read_by(lambda opened: opened._read())

    def read_by(self, work: Callable[[OpenedTable], _Made]) -> _Made:
        """Do work that reads the table, once more in the other way where it takes a parser.

        Args:
            work: What to do.

        Returns:
            What it gives.
        """
        try:
            return work(self)
        except NeedsParserError:
            assert self.otherwise is not None
            return work(self.otherwise)

    def _read(self) -> pa.Table:
        # Parts of one file may come as dictionaries, and those of another as texts.
        tables = [cast_rows(part.table(), self.schema) for part in self.parts()]
        return pa.concat_tables(tables) if tables else pa.Table.from_batches([], self.schema)


class ReadOptions(NamedTuple):
    """What is known of a table file that it doesn't tell itself.

    Attributes:
        encoding: Of a text table.
        sheet: Of a workbook: the name of the sheet, or its number from 1.
        header_row: The row that has the column names, from 1.
    """

    encoding: str | None = None
    sheet: str | None = None
    header_row: int | None = None


class TextStyle(NamedTuple):
    """How a text table is to be written.

    Attributes:
        like: The dialect of the table that it is made from; None writes as RFC 4180 has it.
        encoding: The name of a Python codec; None is UTF-8.
    """

    like: Dialect | None = None
    encoding: str | None = None


class Writer(Protocol):
    """Writes a table, part after part."""

    def prepare(self, clean: CleanPart) -> Any:
        """Do what can be done for a part by itself; several threads may be at it."""

    def write(self, prepared: Any) -> None:
        """Write a part that was prepared, in its turn."""

    def close(self) -> None:
        """Write what stands at the end."""


class WholeWriter:
    """Gathers a table whose format has to have all of it at once.

    Args:
        schema: Its columns.
        write_table: Writes it.
    """

    def __init__(self, schema: pa.Schema, write_table: Callable[[pa.Table], None]) -> None:
        self._schema = schema
        self._write_table = write_table
        self._tables: list[pa.Table] = []

    def prepare(self, clean: CleanPart) -> Any:
        """Give the rows."""
        return cast_rows(clean.table(), self._schema)

    def write(self, prepared: Any) -> None:
        """Keep the rows."""
        self._tables.append(prepared)

    def close(self) -> None:
        """Write all rows."""
        self._write_table(
            pa.concat_tables(self._tables) if self._tables else pa.Table.from_batches([], self._schema)
        )


class Format(Protocol):
    """A format of table files. A module of this package whose `FORMAT` is one is known everywhere."""

    @property
    def endings(self) -> tuple[str, ...]:
        """The endings of its files, in lower case."""

    @property
    def is_text(self) -> bool:
        """Whether a spreadsheet program may take its cells for formulas."""

    @property
    def is_packable(self) -> bool:
        """Whether its files are compressed as a whole where that is wanted (.gz, .zst)."""

    def open(self, path: Readable, options: ReadOptions) -> OpenedTable:
        """Open a file.

        Args:
            path: The file, which is there.
            options: What is known of it.

        Returns:
            The table, ready to be read.

        Raises:
            TableError: Where it can't be read.
        """

    @property
    def begin(self) -> Callable[[IO[bytes], pa.Schema, str, TextStyle], Writer] | None:
        """Begins a file with such columns, whose final name has the ending that is given; None: it is only read."""
