"""Rows of text tables, written as RFC 4180 has them: cells are quoted only where they must be."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator, Sequence
from decimal import Decimal
from functools import partial
from typing import Any, NamedTuple

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from pyarrow import csv

from igual.column import to_mask
from igual.errors import OutputError, error_context
from igual.text.arrays import each_where, has_pattern
from igual.text.cells import print_times
from igual.text.plain_types import decode_dictionary, to_plain

_WRITE_ROWS = 1 << 16
_MARK = "\ufeff"
# Bytes that never occur in UTF-8 stand in for the characters of a cell that must be quoted, while Arrow
# writes the rows without looking for quotes; then the bytes are exchanged.
_QUOTE, _COMMA, _NEWLINE, _RETURN = b"\xf8", b"\xf9", b"\xfa", b"\xfb"


def encode_csv(
    table: pa.Table,
    delimiter: str = ",",
    line_end: str = "\n",
    quoted_start: str = _MARK,
    *,
    has_header: bool = True,
) -> Iterator[bytes]:
    """Turn a table into the bytes of a text table, some rows at a time; see `write_csv`.

    Args:
        table: As for `write_csv`.
        delimiter: Stands between cells.
        line_end: Stands between rows.
        quoted_start: Characters that a cell begins with only inside quotes: a byte order mark in the first cell would
            be taken for that of the file.
        has_header: Whether the column names come first.

    Yields:
        Rows in UTF-8.
    """
    style = RowStyle(delimiter, table.num_columns == 1, quoted_start)
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
    names = table.column_names
    quoted = _name_refused(names, table.columns, lambda column: _quoted_once(to_plain(column), style))
    cells = pa.table(quoted, names=places)
    parts = [(header, style._replace(is_header=True))] if has_header else []
    for part, its_style in (*parts, (cells, style)):
        for batch in part.to_batches(max_chunksize=_WRITE_ROWS):
            columns = _name_refused(names, batch.columns, partial(_quoted, style=its_style))
            rows = pa.BufferOutputStream()
            csv.write_csv(pa.record_batch(columns, names=places), rows, options)
            written = rows.getvalue().to_pybytes()
            for stand_in, sign in exchanged:
                written = written.replace(stand_in, sign) if stand_in != sign else written
            yield written


def _name_refused(names: Sequence[str], columns: Sequence[Any], quote: Callable[[Any], Any]) -> list[Any]:
    """Quote columns; the error for one that a text table can't hold names it."""
    quoted = []
    for name, column in zip(names, columns, strict=True):
        with error_context(f"column {name!r}", OutputError):
            quoted.append(quote(column))
    return quoted


class RowStyle(NamedTuple):
    """Which cells are quoted.

    Attributes:
        delimiter: Stands between cells.
        is_alone: Whether a row is a single cell: where that is blank the row would be taken for none.
        quoted_start: What a cell begins with only inside quotes.
        is_header: Whether it is the first row, which some programs use to state the delimiter (`sep=;`).
    """

    delimiter: str
    is_alone: bool
    quoted_start: str = _MARK
    is_header: bool = False

    @property
    def pattern(self) -> str:
        """A pattern of what needs quotes."""
        special = f'^[{re.escape(self.quoted_start)}]|[{re.escape(self.delimiter)}"\\r\\n]'
        special = rf"^(?i:sep=)|{special}" if self.is_header else special
        return rf"^\s*$|{special}" if self.is_alone else special

    @property
    def signs(self) -> list[bytes]:
        """What occurs in every cell that needs quotes, unless it is blank."""
        return [b'"', self.delimiter.encode(), b"\n", b"\r", *(sign.encode() for sign in self.quoted_start)]


def quote_cells(values: pa.Array, style: RowStyle) -> pa.Array:
    """Write cells as they stand between delimiters.

    Args:
        values: Texts, or numbers and the like, (cells,).
        style: Which cells are quoted.

    Returns:
        Their bytes, (cells,).
    """
    quoted = _quoted(values, style).cast(pa.large_binary()).fill_null(b"")
    for stand_in, sign in (
        (_QUOTE, b'"'),
        (_COMMA, style.delimiter.encode()),
        (_NEWLINE, b"\n"),
        (_RETURN, b"\r"),
    ):
        quoted = pc.replace_substring(quoted, pattern=stand_in, replacement=sign)
    return quoted


def _quoted_once(column: pa.ChunkedArray, style: RowStyle) -> pa.ChunkedArray:
    """Quote a dictionary-encoded column by its distinct texts; others are quoted as they are written."""
    if not pa.types.is_dictionary(column.type) or not column.num_chunks:
        return column
    try:
        column = column.unify_dictionaries()
    except pa.ArrowNotImplementedError:  # of lists or structs
        return pa.chunked_array([decode_dictionary(part) for part in column.chunks])
    texts = _quoted(column.chunk(0).dictionary, style)
    return pa.chunked_array([pa.DictionaryArray.from_arrays(part.indices, texts) for part in column.chunks])


def _quoted(column: pa.Array, style: RowStyle) -> pa.Array:
    """A column as bytes, with stand-ins in the cells that need quotes."""
    if pa.types.is_dictionary(column.type):
        return column.dictionary.take(column.indices)
    # Of a missing cell there may be bytes, which Arrow's writer would read.
    column = _as_texts(column).fill_null("")
    # An empty line would be taken for no row at all.
    if not (style.is_alone or style.is_header) and not _has_special(column, style.signs):
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
    if pa.types.is_date(kind) or pa.types.is_timestamp(kind):
        return print_times(column)
    try:
        texts = column.cast(pa.string())
    except (pa.ArrowNotImplementedError, pa.ArrowInvalid):
        raise OutputError(
            f"{kind} is what a text table can't hold; leave the column out, or write .parquet or .arrow"
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
