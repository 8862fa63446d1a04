"""Text tables (CSV, TSV): every cell a text, read and written as RFC 4180 has it."""

from __future__ import annotations

import codecs
import re
from collections.abc import Callable, Collection, Iterator, Sequence
from decimal import Decimal
from pathlib import Path
from typing import NamedTuple

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from pyarrow import csv

from igual.column import to_mask
from igual.errors import OutputError, TableError
from igual.files.dialects import Dialect, checked_encoding, establish, first_undecodable, likely_encoding
from igual.files.formats.base import Format, OpenedTable, TableFile, TextStyle
from igual.files.quotes import count_cells, refuse_malformed_quotes
from igual.files.sources import open_for_arrow
from igual.text.arrays import each_where, has_pattern
from igual.text.characters import visible

_BLOCK = 1 << 20
_LARGEST_BLOCK = (1 << 31) - 2
_WRITE_ROWS = 1 << 16
_MARK = "\ufeff"
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
    refuse_malformed_quotes(path, dialect.encoding, dialect.delimiter)
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
            raise _explain_failure(path, dialect, error) from None
    # What the parser needed in passing goes back to the system before the rules need memory of their own.
    pa.default_memory_pool().release_unused()
    return table.rename_columns(list(dialect.header))


def _read_blocks(path: Path, dialect: Dialect, types: dict[str, pa.DataType], block: int) -> pa.Table:
    has_nul = any("\x00" in name for name in dialect.header)
    table = csv.read_csv(
        open_for_arrow(path),
        read_options=csv.ReadOptions(
            column_names=list(types),
            skip_rows=dialect.blank_lines,
            # Arrow skips too much where a skipped row holds a NUL.
            skip_rows_after_names=0 if has_nul else 1,
            encoding=dialect.encoding,
            block_size=block,
        ),
        parse_options=csv.ParseOptions(
            delimiter=dialect.delimiter,
            newlines_in_values=True,
            # In a table of one column an empty line is an empty cell; in a wider one it is nothing.
            ignore_empty_lines=len(types) > 1,
        ),
        convert_options=csv.ConvertOptions(column_types=types, strings_can_be_null=False),
    )
    return table.slice(1) if has_nul else table


def _explain_failure(path: Path, dialect: Dialect, error: Exception) -> TableError:
    """The error for the first row that doesn't have as many cells as the header."""
    sizes = count_cells(path, dialect.encoding, dialect.delimiter)
    expected = len(dialect.header)
    # In a wider table an empty line is nothing.
    ragged = np.flatnonzero((sizes != expected) & (sizes > 0))
    if not len(ragged):
        return TableError(f"{path.name}: {str(error).splitlines()[0][:200]}")
    actual, others = int(sizes[ragged[0]]), len(ragged) - 1
    more = f" (further rows not in order: {others:,})" if others else ""
    return TableError(
        f"{path.name}, row {ragged[0] + 1:,}: {actual:,} {'cell' if actual == 1 else 'cells'} found, "
        f"{expected:,} expected as in the header{more}"
    )


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
    encode = _encoder(checked_encoding(encoding, OutputError) if encoding is not None else None)
    with path.open("wb") as file:
        if bom:
            file.write(b"\xef\xbb\xbf")
        for rows in encode_csv(table, delimiter, line_end):
            file.write(encode(rows))


def encode_csv(
    table: pa.Table, delimiter: str = ",", line_end: str = "\n", quoted_start: str = _MARK
) -> Iterator[bytes]:
    """Turn a table into the bytes of a text table, some rows at a time; see `write_csv`.

    Args:
        table: As for `write_csv`.
        delimiter: Stands between cells.
        line_end: Stands between rows.
        quoted_start: Characters that a cell begins with only inside quotes: a byte order mark in the first cell would
            be taken for that of the file.

    Yields:
        Rows in UTF-8.
    """
    style = _Style(delimiter, table.num_columns == 1, quoted_start)
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
    cells = pa.table([_quoted_once(column, style) for column in table.columns], names=places)
    for part in (header, cells):
        for batch in part.to_batches(max_chunksize=_WRITE_ROWS):
            columns = [_quoted(column, style) for column in batch.columns]
            rows = pa.BufferOutputStream()
            csv.write_csv(pa.record_batch(columns, names=places), rows, options)
            written = rows.getvalue().to_pybytes()
            for stand_in, sign in exchanged:
                written = written.replace(stand_in, sign) if stand_in != sign else written
            yield written


class _Style(NamedTuple):
    """Which cells are quoted.

    Attributes:
        delimiter: Stands between cells.
        is_alone: Whether a row is a single cell: where that is blank the row would be taken for none.
        quoted_start: What a cell begins with only inside quotes.
    """

    delimiter: str
    is_alone: bool
    quoted_start: str

    @property
    def pattern(self) -> str:
        """A pattern of what needs quotes."""
        special = f'^[{re.escape(self.quoted_start)}]|[{re.escape(self.delimiter)}"\\r\\n]'
        return rf"^\s*$|{special}" if self.is_alone else special

    @property
    def signs(self) -> list[bytes]:
        """What occurs in every cell that needs quotes, unless it is blank."""
        return [b'"', self.delimiter.encode(), b"\n", b"\r", *(sign.encode() for sign in self.quoted_start)]


def _encoder(encoding: str | None) -> Callable[[bytes], bytes]:
    """What turns UTF-8 into another encoding."""
    if encoding is None:
        return lambda written: written

    # One encoder for the whole file: a byte order mark is written once.
    encoder = codecs.getincrementalencoder(encoding)()

    def encode(written: bytes) -> bytes:
        try:
            return encoder.encode(written.decode("utf-8"))
        except UnicodeEncodeError as error:
            character = visible(error.object[error.start])
            raise OutputError(f"the encoding {encoding} has no {character!r}; choose another") from None

    return encode


def _quoted_once(column: pa.ChunkedArray, style: _Style) -> pa.ChunkedArray:
    """Quote a dictionary-encoded column by its distinct texts; others are quoted as they are written."""
    if not pa.types.is_dictionary(column.type) or not column.num_chunks:
        return column
    column = column.unify_dictionaries()
    texts = _quoted(column.chunk(0).dictionary, style)
    return pa.chunked_array([pa.DictionaryArray.from_arrays(part.indices, texts) for part in column.chunks])


def _quoted(column: pa.Array, style: _Style) -> pa.Array:
    """A column as bytes, with stand-ins in the cells that need quotes."""
    if pa.types.is_dictionary(column.type):
        return column.dictionary.take(column.indices)
    column = _as_texts(column)
    if style.is_alone:
        # An empty line would be taken for no row at all.
        column = column.fill_null("")
    elif not _has_special(column, style.signs):
        return column
    needs = to_mask(pc.match_substring_regex(column, pattern=style.pattern))
    if not needs.any():
        return column
    flags = pa.array(needs)
    cells = column.filter(flags).cast(pa.large_binary())
    for sought, stand_in in (
        (b'"', _QUOTE + _QUOTE),
        (style.delimiter.encode(), _COMMA),
        (b"\n", _NEWLINE),
        (b"\r", _RETURN),
    ):
        cells = pc.replace_substring(cells, pattern=sought, replacement=stand_in)
    around = pa.scalar(_QUOTE, pa.large_binary())
    cells = pc.binary_join_element_wise(around, cells, around, pa.scalar(b"", pa.large_binary()))
    # The stand-ins aren't valid text, so the bytes are viewed as texts rather than cast.
    return pc.replace_with_mask(column.cast(pa.large_binary()), flags, cells).view(pa.large_string())


def _as_texts(column: pa.Array) -> pa.Array:
    """The cells as texts; numbers in plain decimal notation, never with an exponent."""
    kind = column.type
    if pa.types.is_string(kind) or pa.types.is_large_string(kind):
        return column
    try:
        texts = column.cast(pa.string())
    except (pa.ArrowNotImplementedError, pa.ArrowInvalid):
        raise OutputError(
            f"a column is {kind}, which a text table can't hold; leave the column out, or write .parquet"
        ) from None
    if not (pa.types.is_floating(kind) or pa.types.is_decimal(kind)):
        return texts
    has_exponent = has_pattern(texts, "[eE]")
    return each_where(texts, has_exponent, texts, lambda text: f"{Decimal(text):f}")


def _has_special(column: pa.Array, signs: Sequence[bytes]) -> bool:
    """Whether any cell may need quotes: a look at the bytes of all cells at once."""
    _, offsets, data = column.buffers()
    if data is None or not len(column):
        return False
    width = np.int64 if pa.types.is_large_string(column.type) else np.int32
    ends = np.frombuffer(offsets, width)[[column.offset, column.offset + len(column)]]
    content = data.slice(ends[0], ends[1] - ends[0]).to_pybytes()
    return any(sign in content for sign in signs)


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
