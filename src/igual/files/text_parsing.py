"""Text tables parsed by Arrow: single blocks, or a whole file where only a parser tells rows apart."""

from __future__ import annotations

import codecs
import re
from collections.abc import Callable, Iterator, Mapping, Sequence
from typing import IO, Any

import numpy as np
import pyarrow as pa
from pyarrow import csv

from igual.column import TEXT
from igual.files.dialects import Dialect
from igual.files.quotes import refuse_malformed_quotes, remove_quotes
from igual.files.sources import Readable

BLOCK = 4 << 20
LARGEST = (1 << 31) - (1 << 20)
_MARK = b"\xef\xbb\xbf"
# So many bytes of a block tell which columns repeat, where they are so many rows.
_SAMPLE_BYTES, _SAMPLE_ROWS = 1 << 15, 1 << 6
_REPEATED = pa.dictionary(pa.int32(), pa.string())
_LINE = re.compile(rb"[^\r\n]*(?:\r\n|\n|\r)")


def read_as_utf_8(file: IO[bytes], dialect: Dialect) -> Callable[[int], bytes]:
    """Read a file as UTF-8.

    Args:
        file: The file.
        dialect: How it is written.

    Returns:
        What reads about so many bytes, without a byte order mark.
    """
    if dialect.encoding != "utf-8":
        decoder = codecs.getincrementaldecoder(dialect.encoding)()

        def read(size: int) -> bytes:
            while raw := file.read(size):
                if text := decoder.decode(raw):
                    return text.encode()
            return decoder.decode(b"", final=True).encode()

        return read
    start = file.read(len(_MARK))
    kept = [] if start == _MARK else [start]

    def read_plain(size: int) -> bytes:
        return b"".join([*(kept.pop() for _ in kept[:]), file.read(size)])

    return read_plain


def skip_lines(read: Callable[[int], bytes], count: int, size: int) -> bytes:
    """Read past the first lines.

    Args:
        read: What reads about so many bytes.
        count: How many lines.
        size: How many bytes to read at a time.

    Returns:
        What was read already of the rest.
    """
    data = b""
    while True:
        more = read(size)
        data += more
        end = _find_end_of_lines(data, count)
        # A return at the very end may be the first half of a line break.
        if end is not None and not (more and end == len(data) and data.endswith(b"\r")):
            return data[end:]
        if not more:
            return b""


def _find_end_of_lines(data: bytes, count: int) -> int | None:
    """Where the first so many lines end; None where there are fewer."""
    end = 0
    for _ in range(count):
        line = _LINE.match(data, end)
        if line is None:
            return None
        end = line.end()
    return end


def find_end_of_rows(data: bytes, before: bytes = b"") -> int:
    """Find where the last whole row ends, if quotes are as RFC 4180 has them; 0 where none does.

    Args:
        data: Some bytes.
        before: The beginning of the first row.
    """
    is_inside = (count_quotes(before) + count_quotes(data)) % 2 == 1
    end = len(data)
    newline = end
    while True:
        if is_inside:
            # No row ends in a quoted cell: on with what stands before it.
            end = data.rfind(b'"', 0, end)
            if end < 0:
                return 0
        newline = newline if newline < end else data.rfind(b"\n", 0, end)
        # A return at the very end may be the first half of a line break.
        line = max(newline, data.rfind(b"\r", newline + 1, min(end, max(len(data) - 1, 0))))
        # A row ends where as many quotes have been closed as opened.
        is_inside = data.count(b'"', max(line, 0), end) % 2 == 1
        if line < 0 or not is_inside:
            return line + 1
        end = line


def count_quotes(data: bytes) -> int:
    """Count the quotes; faster than `bytes.count`."""
    return int(np.count_nonzero(np.frombuffer(data, np.uint8) == ord('"'))) if b'"' in data else 0


def parse_block(data: bytes, dialect: Dialect, places: Sequence[int] | None = None) -> pa.Table:
    """Parse whole rows.

    Args:
        data: The rows, in UTF-8.
        dialect: How they are written.
        places: The positions of the columns that are needed, which come in this order, in dictionaries where that is
            faster than to encode them later; None: all columns, as texts.

    Returns:
        A table of texts.

    Raises:
        ArrowInvalid: For a row that is longer or shorter than the header, and what isn't UTF-8.
    """
    header = dialect.header
    if places is None:
        return _parse(data, dialect, range(len(header)), {}).rename_columns(list(header))
    kinds = _choose_kinds(data, dialect, places)
    return _parse(data, dialect, places, kinds).rename_columns([header[place] for place in places])


def parse_without_quotes(data: bytes, dialect: Dialect, places: Sequence[int]) -> pa.Table | None:
    """Parse whole rows whose quoted cells hold no delimiters and no line ends.

    Then every cell is as it is written, and quotes are looked at in what differs alone.

    Args:
        data: The rows, in UTF-8.
        dialect: How they are written.
        places: The positions of all columns, which come in this order.

    Returns:
        A table as `parse_block` gives it; None where it takes a parser that knows of quotes, or to tell what is wrong.
    """
    try:
        raw = _parse(data, dialect, places, _choose_kinds(data, dialect, places), has_quotes=False)
    except pa.ArrowInvalid:
        return None
    columns = []
    for column in raw.columns:
        cells = column.combine_chunks()
        is_encoded = pa.types.is_dictionary(cells.type)
        held = remove_quotes(cells.dictionary if is_encoded else cells)
        if held is None:
            return None
        columns.append(pa.DictionaryArray.from_arrays(cells.indices, held) if is_encoded else held)
    return pa.table(columns, [dialect.header[place] for place in places])


def _choose_kinds(data: bytes, dialect: Dialect, places: Sequence[int]) -> dict[int, pa.DataType]:
    """Choose dictionaries for columns whose first cells show that a text stands in a block twice or more."""
    end = find_end_of_rows(data[:_SAMPLE_BYTES])
    if not end:
        return {}
    sample = _parse(data[:end], dialect, places, {})
    rows = sample.num_rows
    if rows < _SAMPLE_ROWS:
        return {}
    # If half as many texts as rows were drawn at random, so many of the first would be there again.
    again = [rows - len(column.unique()) for column in sample.columns]
    return {
        place: _REPEATED if count * len(data) > rows * end else TEXT
        for place, count in zip(places, again, strict=True)
    }


def _parse(
    data: bytes,
    dialect: Dialect,
    places: Sequence[int],
    kinds: Mapping[int, pa.DataType],
    *,
    has_quotes: bool = True,
) -> pa.Table:
    # Arrow takes a mark at the beginning for no character.
    data = _MARK + data if data.startswith(_MARK) else data
    size = min(len(data) + 1, LARGEST)
    options = _options(dialect, max(size, 64), places, kinds, has_quotes)
    return csv.read_csv(pa.BufferReader(data), **options)


def parse_stream(path: Readable, dialect: Dialect) -> Iterator[pa.Table]:
    """Read the rows of a text table by a parser that finds the rows too.

    Args:
        path: The file.
        dialect: How it is written.

    Yields:
        Tables of texts.

    Raises:
        TableError: Names the row (the header is row 1) where quotes are out of order.
        ArrowInvalid: For a row that is longer or shorter than the header.
    """
    refuse_malformed_quotes(path, dialect.encoding, dialect.delimiter)
    with path.open("rb") as file:
        read = read_as_utf_8(file, dialect)
        first = skip_lines(read, dialect.skipped_lines + dialect.header_lines, BLOCK) or read(BLOCK)
        if not first:
            return
        stream = pa.PythonFile(_Rest(_MARK + first, read), mode="r")
        for batch in csv.open_csv(stream, **_options(dialect, BLOCK, range(len(dialect.header)), {})):
            yield pa.Table.from_batches([batch]).rename_columns(list(dialect.header))


def _options(
    dialect: Dialect,
    block_size: int,
    places: Sequence[int],
    kinds: Mapping[int, pa.DataType],
    has_quotes: bool = True,
) -> dict[str, Any]:
    """What Arrow's parser is told: which columns are needed, and which of them not as texts."""
    names = [f"c{place}" for place in range(len(dialect.header))]
    types = {names[place]: kinds.get(place, pa.string()) for place in places}
    return {
        "read_options": csv.ReadOptions(column_names=names, block_size=block_size, use_threads=False),
        "parse_options": csv.ParseOptions(
            delimiter=dialect.delimiter,
            quote_char='"' if has_quotes else False,
            newlines_in_values=has_quotes,
            # In a table of one column an empty line is an empty cell; in a wider one it is nothing.
            ignore_empty_lines=len(names) > 1,
        ),
        "convert_options": csv.ConvertOptions(
            column_types=types,
            include_columns=list(types),
            strings_can_be_null=False,
            # What is only counted was found to be UTF-8 when the table was opened.
            check_utf8=not kinds,
        ),
    }


class _Rest:
    """What was read already, and the rest behind it, as a file."""

    closed = False

    def __init__(self, data: bytes, read: Callable[[int], bytes]) -> None:
        self._data, self._read = data, read

    def read(self, size: int) -> bytes:
        while len(self._data) <= size and (more := self._read(BLOCK)):
            self._data += more
        # Behind a block that ends in a return Arrow leaves out a line feed, be it in a cell.
        end = size - 1 if self._data[:size].endswith(b"\r") and 1 < size < len(self._data) else size
        given, self._data = self._data[:end], self._data[end:]
        return given

    def close(self) -> None:
        self.closed = True

    def readable(self) -> bool:
        return True

    def seekable(self) -> bool:
        return False
