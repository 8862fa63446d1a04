"""Text tables (CSV, TSV): every cell a text, read and written as RFC 4180 has it."""

from __future__ import annotations

import re
from collections.abc import Callable, Collection
from pathlib import Path
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from pyarrow import csv

from igual.column import to_mask
from igual.errors import OutputError, TableError
from igual.files.dialects import Dialect, establish, first_undecodable, likely_encoding
from igual.files.formats.base import Format, OpenedTable, TableFile, TextStyle
from igual.text.characters import visible

_BLOCK = 1 << 20
_LARGEST_BLOCK = (1 << 31) - 2
_WRITE_ROWS = 1 << 16
# Bytes that never occur in UTF-8 stand in for the characters of a cell that must be quoted, while Arrow
# writes the rows without looking for quotes; then the bytes are exchanged.
_QUOTE, _COMMA, _NEWLINE, _RETURN = b"\xf8", b"\xf9", b"\xfa", b"\xfb"


def read_csv(
    path: Path, dialect: Dialect | None = None, categorical: Collection[str] = (), encoding: str | None = None
) -> tuple[pa.Table, Dialect]:
    """Read a text table, every cell as a text; an empty cell is an empty text, never a missing value.

    Args:
        path: The file.
        dialect: How it is written, where that is known already.
        categorical: Columns to hold as dictionary-encoded texts.
        encoding: The encoding that was asked for, if any.

    Returns:
        The table, and how the file turned out to be written.

    Raises:
        TableError: Names the row (the header is row 1) or the byte offset where it can't be read.
    """
    dialect = dialect or establish(path, encoding)
    try:
        return _read(path, dialect, categorical), dialect
    except UnicodeError:
        pass
    was_supposed = encoding is None and not dialect.bom and dialect.encoding == "utf-8"
    if was_supposed and (likely := likely_encoding(path)) is not None:
        dialect = establish(path, likely)
        return _read(path, dialect, categorical), dialect
    bad = first_undecodable(path, dialect.encoding)
    where = f" at offset {bad.offset:,} (byte 0x{bad.byte:02x})" if bad else ""
    raise TableError(
        f"{path.name} is not valid {dialect.encoding}{where}; mend that place, or name its encoding (--encoding)"
    )


def _read(path: Path, dialect: Dialect, categorical: Collection[str]) -> pa.Table:
    names = [f"c{place}" for place in range(len(dialect.header))]
    coded = pa.dictionary(pa.int32(), pa.string())
    types = {
        name: coded if title in categorical else pa.string()
        for name, title in zip(names, dialect.header, strict=True)
    }
    size = path.stat().st_size
    block = _BLOCK
    while True:
        try:
            table = _read_blocks(path, dialect, types, block)
            break
        except pa.ArrowInvalid as error:
            if "straddling object" in str(error) and block < min(2 * size, _LARGEST_BLOCK):
                # A row longer than a block: read with larger ones, up to the whole file at once.
                block = min(block * 16, _LARGEST_BLOCK)
                continue
            if "straddling object" in str(error):
                table = pa.table({name: pa.array([], kind) for name, kind in types.items()})
                break
            if "UTF8" in str(error):
                raise UnicodeError(str(error)) from error
            raise _explained(path, dialect, types, error) from None
    _refuse_unclosed_quote(path, table)
    # What the parser needed in passing goes back to the system before the rules need memory of their own.
    pa.default_memory_pool().release_unused()
    return table.rename_columns(list(dialect.header))


def _read_blocks(
    path: Path, dialect: Dialect, types: dict[str, pa.DataType], block: int, handler: Any = None
) -> pa.Table:
    return csv.read_csv(
        path,
        read_options=csv.ReadOptions(
            column_names=list(types),
            skip_rows_after_names=1,
            encoding=dialect.encoding,
            block_size=block,
            use_threads=handler is None,
        ),
        parse_options=csv.ParseOptions(
            delimiter=dialect.delimiter,
            newlines_in_values=True,
            # In a table of one column an empty line is an empty cell; in a wider one it is nothing.
            ignore_empty_lines=len(types) > 1,
            invalid_row_handler=handler,
        ),
        convert_options=csv.ConvertOptions(column_types=types, strings_can_be_null=False),
    )


def _explained(path: Path, dialect: Dialect, types: dict[str, pa.DataType], error: Exception) -> TableError:
    """The error for the first row that doesn't have as many cells as the header."""
    ragged: list[Any] = []

    def note(row: Any) -> str:
        ragged.append(row)
        return "skip"

    _read_blocks(path, dialect, types, max(_BLOCK, min(2 * path.stat().st_size, _LARGEST_BLOCK)), note)
    if not ragged:
        return TableError(f"{path.name}: {error}")
    first, others = ragged[0], len(ragged) - 1
    more = f" (further rows not in order: {others:,})" if others else ""
    cells = "cell" if first.actual_columns == 1 else "cells"
    if first.text and first.text.count('"') % 2:
        more += "; perhaps a quote in it is never closed"
    return TableError(
        f"{path.name}, row {first.number:,}: {first.actual_columns} {cells} found, "
        f"{first.expected_columns} expected as in the header{more}"
    )


def _refuse_unclosed_quote(path: Path, table: pa.Table) -> None:
    """A quote that is never closed makes all that follows it one cell: the last, with line breaks in it."""
    if not table.num_rows or not table.num_columns:
        return
    last = table.column(table.num_columns - 1)[table.num_rows - 1].as_py()
    if not ("\n" in last or "\r" in last):
        return
    quotes = 0
    with path.open("rb") as file:
        while block := file.read(_BLOCK):
            quotes += block.count(b'"')
    if quotes % 2:
        raise TableError(f"{path.name}, row {table.num_rows + 1:,}: a quote is opened and never closed")


def write_csv(
    table: pa.Table,
    path: Path,
    delimiter: str = ",",
    line_end: str = "\n",
    bom: bool = False,
    encoding: str | None = None,
) -> None:
    """Write a text table; cells are quoted only where they must be, missing values become empty cells.

    Args:
        table: Texts, dictionary-encoded or not; other types are written as Arrow turns them into text.
        path: The file.
        delimiter: Stands between cells.
        line_end: Stands between rows.
        bom: Whether a byte order mark stands first.
        encoding: The name of a Python codec; None is UTF-8.

    Raises:
        OutputError: For an encoding that there isn't, or that lacks a character.
    """
    encode = _encoder(encoding)
    alone = table.num_columns == 1
    # Line breaks within cells are stand-ins still when those between rows are exchanged.
    exchanged = (
        (b"\n", line_end.encode()),
        (_QUOTE, b'"'),
        (_COMMA, delimiter.encode()),
        (_NEWLINE, b"\n"),
        (_RETURN, b"\r"),
    )
    options = csv.WriteOptions(include_header=False, delimiter=delimiter, quoting_style="none")
    places = [str(place) for place in range(table.num_columns)]
    header = pa.table([pa.array([name]) for name in table.column_names], names=places)
    cells = pa.table([_quoted_once(column, delimiter, alone) for column in table.columns], names=places)
    with path.open("wb") as file:
        if bom:
            file.write(b"\xef\xbb\xbf")
        for part in (header, cells):
            for batch in part.to_batches(max_chunksize=_WRITE_ROWS):
                columns = [_quoted(column, delimiter, alone) for column in batch.columns]
                rows = pa.BufferOutputStream()
                csv.write_csv(pa.record_batch(columns, names=places), rows, options)
                written = rows.getvalue().to_pybytes()
                for stand_in, sign in exchanged:
                    written = written.replace(stand_in, sign) if stand_in != sign else written
                file.write(encode(written))


def _encoder(encoding: str | None) -> Callable[[bytes], bytes]:
    """What turns UTF-8 into another encoding."""
    if encoding is None:
        return lambda written: written
    try:
        "".encode(encoding)
    except LookupError:
        raise OutputError(f"no encoding is called {encoding!r}; common ones: utf-8, cp1252, cp1250") from None

    def encode(written: bytes) -> bytes:
        try:
            return written.decode("utf-8").encode(encoding)
        except UnicodeEncodeError as error:
            character = visible(error.object[error.start])
            raise OutputError(f"the encoding {encoding} has no {character!r}; choose another") from None

    return encode


def _quoted_once(column: pa.ChunkedArray, delimiter: str, alone: bool) -> pa.ChunkedArray:
    """Quote a dictionary-encoded column by its distinct texts; others are quoted as they are written."""
    if not pa.types.is_dictionary(column.type) or not column.num_chunks:
        return column
    column = column.unify_dictionaries()
    texts = _quoted(column.chunk(0).dictionary, delimiter, alone)
    return pa.chunked_array([pa.DictionaryArray.from_arrays(part.indices, texts) for part in column.chunks])


def _quoted(column: pa.Array, delimiter: str, alone: bool) -> pa.Array:
    """A column as bytes, with stand-ins in the cells that need quotes."""
    if pa.types.is_dictionary(column.type):
        return column.dictionary.take(column.indices)
    kind = column.type
    if not (pa.types.is_string(kind) or pa.types.is_large_string(kind)):
        column = column.cast(pa.string())
    if alone:
        # An empty line would be taken for no row at all.
        column = column.fill_null("")
    elif not _has_special(column, delimiter):
        return column
    special = re.escape(delimiter) + '"\\r\\n'
    needs = to_mask(pc.match_substring_regex(column, pattern=f"^$|[{special}]" if alone else f"[{special}]"))
    if not needs.any():
        return column
    flags = pa.array(needs)
    cells = column.filter(flags).cast(pa.large_binary())
    for sought, stand_in in (
        (b'"', _QUOTE + _QUOTE),
        (delimiter.encode(), _COMMA),
        (b"\n", _NEWLINE),
        (b"\r", _RETURN),
    ):
        cells = pc.replace_substring(cells, pattern=sought, replacement=stand_in)
    around = pa.scalar(_QUOTE, pa.large_binary())
    cells = pc.binary_join_element_wise(around, cells, around, pa.scalar(b"", pa.large_binary()))
    # The stand-ins aren't valid text, so the bytes are viewed as texts rather than cast.
    return pc.replace_with_mask(column.cast(pa.large_binary()), flags, cells).view(pa.large_string())


def _has_special(column: pa.Array, delimiter: str) -> bool:
    """Whether any cell may need quotes: a look at the bytes of all cells at once."""
    _, offsets, data = column.buffers()
    if data is None or not len(column):
        return False
    width = np.int64 if pa.types.is_large_string(column.type) else np.int32
    ends = np.frombuffer(offsets, width)[[column.offset, column.offset + len(column)]]
    content = data.slice(ends[0], ends[1] - ends[0]).to_pybytes()
    return any(sign in content for sign in (b'"', delimiter.encode(), b"\n", b"\r"))


class TextFormat:
    """CSV and TSV."""

    endings = (".csv", ".tsv", ".txt")
    is_text = True

    def open(self, path: Path, encoding: str | None) -> OpenedTable:
        """Establish how a text table is written."""
        dialect = establish(path, encoding)

        def read(categorical: Collection[str]) -> TableFile:
            table, known = read_csv(path, dialect, categorical, encoding)
            return TableFile(path, table, known, encoding is None)

        return OpenedTable(path, dialect.header, read)

    def write(self, table: pa.Table, path: Path, ending: str, style: TextStyle) -> None:
        """Write a text table in the manner of another."""
        like, encoding = style
        comma = like.delimiter if like and like.delimiter != "\t" else ","
        delimiter = "\t" if ending.lower() == ".tsv" else comma
        line_end, bom = (like.line_end, like.bom) if like else ("\n", False)
        write_csv(table, path, delimiter, line_end, bom and encoding is None, encoding)


FORMAT: Format = TextFormat()
