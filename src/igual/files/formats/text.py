"""Text tables (CSV, TSV): every cell a text, read and written as RFC 4180 has it."""

from __future__ import annotations

import codecs
import contextlib
from collections.abc import Callable, Iterator, Sequence
from dataclasses import replace
from pathlib import Path
from typing import IO, Any

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from igual.errors import OutputError, TableError
from igual.files.csv_rows import RowStyle, encode_csv, quote_cells
from igual.files.dialects import Dialect, checked_encoding, establish, first_undecodable, likely_encoding
from igual.files.formats.base import (
    BatchPart,
    CleanPart,
    Format,
    Layout,
    OpenedTable,
    ReadOptions,
    TablePart,
    TextStyle,
    Writer,
)
from igual.files.quotes import count_cells
from igual.files.sources import Readable
from igual.files.text_blocks import Spliced, TextBlock, read_blocks
from igual.files.text_parsing import parse_stream
from igual.text.characters import visible
from igual.text.plain_types import decode_dictionary


def read_csv(
    path: Readable, dialect: Dialect | None = None, encoding: str | None = None
) -> tuple[pa.Table, Dialect]:
    """Read a text table, every cell as a text; an empty cell is an empty text, never a missing value.

    Args:
        path: The file.
        dialect: How it is written, where that is known already.
        encoding: The encoding that was asked for, if any.

    Returns:
        The table, and how the file turned out to be written.

    Raises:
        TableError: Names the row (the header is row 1) or the byte offset where it can't be read.
    """
    opened = _open(path, dialect or _establish(path, encoding), is_guessed=False)
    assert opened.dialect is not None
    return opened.read(), opened.dialect


def _establish(path: Readable, encoding: str | None, header_row: int | None = None) -> Dialect:
    """How a file is written; all its bytes are looked at where UTF-8 is only supposed."""
    dialect = establish(path, encoding, header_row)
    if dialect.encoding != "utf-8" or (bad := first_undecodable(path, "utf-8")) is None:
        return dialect
    likely = likely_encoding(path) if encoding is None and not dialect.bom else None
    if likely is None:
        raise _undecodable(path, "utf-8", f" at offset {bad.offset:,} (byte 0x{bad.byte:02x})")
    return establish(path, likely, header_row)


def _undecodable(path: Readable, encoding: str, where: str) -> TableError:
    return TableError(
        f"{path.name} is not valid {encoding}{where}; mend that place, or name its encoding (--encoding)"
    )


def _open(path: Readable, dialect: Dialect, *, is_guessed: bool) -> OpenedTable:
    schema = pa.schema([(name, pa.string()) for name in dialect.header])

    def parts(places: Sequence[int] | None, size: int) -> Iterator[TablePart]:
        with _explaining(path, dialect):
            yield from (_Part(path, block) for block in read_blocks(path, dialect, size, places))

    def parsed(places: Sequence[int] | None, size: int) -> Iterator[TablePart]:
        with _explaining(path, dialect):
            yield from map(BatchPart, parse_stream(path, dialect))

    by_parser = OpenedTable(path, schema, parsed, dialect, is_guessed, has_same_parts=True)
    return replace(by_parser, make_parts=parts, otherwise=by_parser)


@contextlib.contextmanager
def _explaining(path: Readable, dialect: Dialect) -> Iterator[None]:
    """Name the place where a file isn't in its encoding, or in the shape of a table."""
    try:
        yield
    except UnicodeError:
        bad = first_undecodable(path, dialect.encoding)
        where = f" at offset {bad.offset:,} (byte 0x{bad.byte:02x})" if bad else ""
        raise _undecodable(path, dialect.encoding, where) from None
    except pa.ArrowInvalid as error:
        raise _explain_failure(path, dialect, error) from None


class _Part:
    """A block of a text table whose errors name its file."""

    def __init__(self, path: Readable, block: TextBlock) -> None:
        self.block = block
        self._path = path

    def _explained(self, give: Callable[[], Any]) -> Any:
        with _explaining(self._path, self.block.dialect):
            return give()

    @property
    def rows(self) -> int:
        """How many rows it has."""
        return self._explained(lambda: self.block.rows)  # type: ignore[no-any-return]

    def table(self) -> pa.Table:
        """Give all cells."""
        return self._explained(self.block.table)

    def cells(self, place: int) -> pa.Array | pa.ChunkedArray:
        """Give the cells of a column."""
        return self._explained(lambda: self.block.cells(place))

    def find_layout(self) -> Layout | None:
        """Tell how long the cells are."""
        return self.block.find_layout()

    def recall(self, layout: Layout) -> None:
        """Take the cells as they were found before."""
        self.block.recall(layout)


def _explain_failure(path: Readable, dialect: Dialect, error: Exception) -> TableError:
    """The error for the first row that doesn't have as many cells as the header."""
    sizes = count_cells(path, dialect.encoding, dialect.delimiter)
    expected = len(dialect.header)
    # In a wider table an empty line is nothing.
    ragged = np.flatnonzero(
        (sizes != expected) & (sizes > 0) & (np.arange(len(sizes)) >= dialect.skipped_lines)
    )
    if not len(ragged):
        return TableError(f"{path.name}: {str(error).splitlines()[0][:200]}")
    actual, others = int(sizes[ragged[0]]), len(ragged) - 1
    more = f" (further rows not in order: {others:,})" if others else ""
    return TableError(
        f"{path.name}, row {ragged[0] + 1:,}: {actual:,} {'cell' if actual == 1 else 'cells'} found, "
        f"{expected:,} expected as in the header{more}"
    )


class TextWriter:
    """Writes a text table; cells are quoted only where they must be, missing values become empty cells.

    Args:
        file: Where to.
        schema: The columns; other types than texts are written as Arrow turns them into text.
        delimiter: Stands between cells.
        line_end: Stands between rows.
        bom: Whether a byte order mark stands first.
        encoding: The name of a Python codec; None is UTF-8.

    Raises:
        OutputError: For an encoding that there isn't, or that lacks a character.
    """

    def __init__(
        self,
        file: IO[bytes],
        schema: pa.Schema,
        delimiter: str = ",",
        line_end: str = "\n",
        bom: bool = False,
        encoding: str | None = None,
    ) -> None:
        self._file = file
        self._style = RowStyle(delimiter, len(schema) == 1)
        self._line_end = line_end
        self._encode = _encoder(checked_encoding(encoding, OutputError) if encoding is not None else None)
        # What was quoted already, by the place of its column.
        self._quoted: dict[int, pa.Array] = {}
        if bom:
            file.write(b"\xef\xbb\xbf")
        self._write_rows(encode_csv(pa.Table.from_batches([], schema), delimiter, line_end))

    def prepare(self, clean: CleanPart) -> Any:
        """Turn rows into bytes. Several threads may do so at once, for parts of their own."""
        block = clean.part.block if isinstance(clean.part, _Part) and not clean.is_guarded else None
        if block is not None and block.is_plain and self._is_written_alike(block.dialect):
            columns = [
                Spliced(column.place, self._quote(number, column.made.cells, column.place), column.codes)
                for number, column in enumerate(clean.columns)
            ]
            return [block.splice(columns)]
        table = clean.table()
        return list(encode_csv(table, self._style.delimiter, self._line_end, has_header=False))

    def _is_written_alike(self, dialect: Dialect) -> bool:
        return (dialect.delimiter, dialect.line_end) == (self._style.delimiter, self._line_end)

    def _quote(self, number: int, cells: pa.Array, place: int | None) -> pa.Array:
        if number not in self._quoted:
            held = decode_dictionary(cells) if pa.types.is_dictionary(cells.type) else cells
            quoted = quote_cells(held, self._style)
            lead = self._style.delimiter.encode() if place is None else b""
            empty = pa.scalar(b"", pa.large_binary())
            self._quoted[number] = pc.binary_join_element_wise(
                pa.scalar(lead, pa.large_binary()), quoted, empty
            )
        return self._quoted[number]

    def write(self, prepared: Any) -> None:
        """Write rows that were prepared."""
        self._write_rows(prepared)

    def _write_rows(self, parts: Any) -> None:
        for part in parts:
            self._file.write(self._encode(part))

    def close(self) -> None:
        """Nothing is left to write."""


def write_csv(
    table: pa.Table,
    path: Path,
    delimiter: str = ",",
    line_end: str = "\n",
    bom: bool = False,
    encoding: str | None = None,
) -> None:
    """Write a text table; see `TextWriter` for the words."""
    with path.open("wb") as file:
        writer = TextWriter(file, table.schema, delimiter, line_end, bom, encoding)
        writer.write(writer.prepare(CleanPart(BatchPart(table))))


def _encoder(encoding: str | None) -> Callable[[Any], Any]:
    """What turns UTF-8 into another encoding."""
    if encoding is None:
        return lambda written: written

    # One encoder for the whole file: a byte order mark is written once.
    encoder = codecs.getincrementalencoder(encoding)()

    def encode(written: Any) -> bytes:
        try:
            return encoder.encode(str(written, "utf-8"))
        except UnicodeEncodeError as error:
            character = visible(error.object[error.start])
            raise OutputError(f"the encoding {encoding} has no {character!r}; choose another") from None

    return encode


class TextFormat:
    """CSV and TSV."""

    endings = (".csv", ".tsv", ".txt")
    is_text = True
    is_packable = True

    def open(self, path: Readable, options: ReadOptions) -> OpenedTable:
        """Establish how a text table is written."""
        dialect = _establish(path, options.encoding, options.header_row)
        return _open(path, dialect, is_guessed=options.encoding is None)

    def begin(self, file: IO[bytes], schema: pa.Schema, ending: str, style: TextStyle) -> Writer:
        """Write a text table in the manner of another."""
        like, encoding = style
        comma = like.delimiter if like and like.delimiter != "\t" else ","
        delimiter = "\t" if ending.lower().startswith(".tsv") else comma
        line_end, bom = (like.line_end, like.bom) if like else ("\n", False)
        return TextWriter(file, schema, delimiter, line_end, bom and encoding is None, encoding)


FORMAT: Format = TextFormat()
