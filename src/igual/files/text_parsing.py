"""Text tables parsed by Arrow: single blocks, or a whole file where only a parser tells rows apart."""

from __future__ import annotations

import codecs
import re
from collections.abc import Callable, Iterator
from typing import IO, Any

import pyarrow as pa
from pyarrow import csv

from igual.files.dialects import Dialect
from igual.files.quotes import refuse_malformed_quotes
from igual.files.sources import Readable

BLOCK = 4 << 20
LARGEST = (1 << 31) - (1 << 20)
_MARK = b"\xef\xbb\xbf"
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


def parse_block(data: bytes, dialect: Dialect) -> pa.Table:
    """Parse whole rows.

    Args:
        data: The rows, in UTF-8.
        dialect: How they are written.

    Returns:
        A table of texts.

    Raises:
        ArrowInvalid: For a row that is longer or shorter than the header, and what isn't UTF-8.
    """
    # Arrow takes a mark at the beginning for no character.
    data = _MARK + data if data.startswith(_MARK) else data
    size = min(len(data) + 1, LARGEST)
    table = csv.read_csv(pa.BufferReader(data), **_options(dialect, block_size=max(size, 64)))
    return table.rename_columns(list(dialect.header))


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
        for batch in csv.open_csv(stream, **_options(dialect, block_size=BLOCK)):
            yield pa.Table.from_batches([batch]).rename_columns(list(dialect.header))


def _options(dialect: Dialect, block_size: int) -> dict[str, Any]:
    names = [f"c{place}" for place in range(len(dialect.header))]
    return {
        "read_options": csv.ReadOptions(column_names=names, block_size=block_size, use_threads=False),
        "parse_options": csv.ParseOptions(
            delimiter=dialect.delimiter,
            newlines_in_values=True,
            # In a table of one column an empty line is an empty cell; in a wider one it is nothing.
            ignore_empty_lines=len(names) > 1,
        ),
        "convert_options": csv.ConvertOptions(
            column_types=dict.fromkeys(names, pa.string()), strings_can_be_null=False
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
