"""Whether the quotes of a text table are in order: what is opened is closed, and nothing follows in the same cell."""

from __future__ import annotations

import csv
import itertools
import re
import threading
from collections import deque
from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any

import numpy as np
import numpy.typing as npt
import pyarrow as pa
import pyarrow.compute as pc

from igual.column import to_mask
from igual.errors import TableError
from igual.files.sources import Readable
from igual.text.arrays import has_any
from igual.text.packed import mark, slices, unpack

# Small enough for a processor's cache.
_BLOCK = 1 << 20
_QUOTE = b'"'
# Between two such bytes nothing is cut from a quote that it stands beside.
_NO_QUOTES = re.compile(rb'[^"][^"]')
_WIDE = ("utf-16", "utf-32", "utf_16", "utf_32")

# What the standard library says where a quote is open at the end.
END_OF_DATA = "end of data"
OPEN_QUOTE = "a quote is opened and never closed"
TEXT_BEHIND_QUOTE = "text follows a closing quote in the same cell; write a quote inside a quoted cell twice"

# The standard library has one limit for all threads: what each reader at work found there.
_LIMIT = threading.Lock()
_LIMITS_FOUND: list[int] = []

Bytes = npt.NDArray[np.uint8]


def refuse_malformed_quotes(path: Readable, encoding: str, delimiter: str) -> None:
    """Check the quotes of a text table as RFC 4180 has them; a quote inside a cell that isn't quoted is a character.

    Args:
        path: The file.
        encoding: Its encoding.
        delimiter: What stands between cells.

    Raises:
        TableError: Names the row (the header is row 1).
    """
    is_plain = not encoding.lower().startswith(_WIDE)
    if is_plain and _are_all_well_formed(path, delimiter):
        return
    rows = itertools.count(1)
    with csv_of_any_size(), path.open(encoding=encoding, errors="replace", newline="") as file:
        reader = csv.reader(file, delimiter=delimiter, strict=True)
        try:
            deque(zip(reader, rows, strict=False), maxlen=0)
        except csv.Error as error:
            # `zip` has taken a number for each row before the bad one.
            row = next(rows)
            told = OPEN_QUOTE if END_OF_DATA in str(error) else TEXT_BEHIND_QUOTE
            raise TableError(f"{path.name}, row {row:,}: {told}") from None


def count_cells(path: Readable, encoding: str, delimiter: str) -> npt.NDArray[np.int64]:
    """Count the cells of each row of a text table.

    Args:
        path: The file.
        encoding: Its encoding; what can't be decoded is replaced.
        delimiter: What stands between cells.

    Returns:
        How many cells each row has, (rows,); none for an empty line.
    """
    with csv_of_any_size(), path.open(encoding=encoding, errors="replace", newline="") as file:
        return np.fromiter(map(len, csv.reader(file, delimiter=delimiter)), np.int64)


@contextmanager
def csv_of_any_size() -> Iterator[None]:
    """Let cells be as long as they are; the limit that was there comes back with the last reader that ends."""
    with _LIMIT:
        _LIMITS_FOUND.append(csv.field_size_limit((1 << 31) - 1))
    try:
        yield
    finally:
        with _LIMIT:
            found = _LIMITS_FOUND.pop()
            if not _LIMITS_FOUND:
                csv.field_size_limit(found)


def _are_all_well_formed(path: Readable, delimiter: str) -> bool:
    """Whether every quote opens a cell, closes one, or is doubled inside one; a quick look at the bytes.

    Every second quote closes, as if a doubled one closed a cell and opened it again. So what opens stands behind
    another quote or at the beginning of a cell, and what closes before another quote or at the end of a cell.
    """
    edges = _find_edges(delimiter)
    is_inside, before = False, ord("\n")
    with path.open("rb") as file:
        # A compressed file can't be read from its beginning again.
        start = file.read(3).removeprefix(b"\xef\xbb\xbf")
        while block := start + _read_block(file):
            start = b""
            if _QUOTE in block:
                data = np.frombuffer(b"%c%b\n" % (before, block), np.uint8)
                inside = _check_block(data, edges, is_inside)
                if inside is None:
                    return False
                is_inside = inside
            before = block[-1]
    return not is_inside


def are_quotes_well_formed(rows: bytes, delimiter: str) -> bool:
    """Tell whether every quote in whole rows opens a cell, closes one, or is doubled inside one.

    Args:
        rows: The rows, in UTF-8.
        delimiter: What stands between cells.
    """
    data, edges = np.frombuffer(rows, np.uint8), _find_edges(delimiter)
    inside: bool | None = False
    start = 0
    while start < len(rows) and inside is not None:
        cut = _NO_QUOTES.search(rows, start + _BLOCK)
        end = cut.start() + 1 if cut else len(rows)
        inside = _check_block(data[start:end], edges, inside)
        start = end
    return inside is False


def remove_quotes(cells: pa.Array) -> pa.Array | None:
    """Read cells as they are written in a text table, none of which holds a delimiter or a line end.

    Args:
        cells: Texts, none of them missing, (cells,).

    Returns:
        What they hold, (cells,); None where quotes are out of place, or in a cell that isn't quoted.
    """
    packed = unpack(cells)
    quotes = int(np.count_nonzero(packed.data == ord(_QUOTE)))
    if not quotes:
        return cells
    starts, stops = packed.offsets[:-1], packed.offsets[1:]
    first, last = (packed.data.take(places, mode="clip") for places in (starts, stops - 1))
    is_quoted = (first == ord(_QUOTE)) & (last == ord(_QUOTE)) & (stops - starts >= 2)
    held = slices(packed, starts + is_quoted, stops - is_quoted)
    if quotes == 2 * np.count_nonzero(is_quoted):
        return held
    doubled = np.flatnonzero(to_mask(pc.match_substring(held, '"')))
    some = held.take(pa.array(doubled))
    if not is_quoted[doubled].all() or has_any(pc.replace_substring(some, '""', ""), '"'):
        return None
    return pc.replace_with_mask(held, mark(len(held), doubled), pc.replace_substring(some, '""', '"'))


def _find_edges(delimiter: str) -> bytes:
    return f'{delimiter}\r\n"'.encode()


def _read_block(file: Any) -> bytes:
    """A block that doesn't end with a quote, so that no run of quotes is cut."""
    block: bytes = file.read(_BLOCK)
    while block.endswith(_QUOTE) and (more := file.read(len(block))):
        block += more
    return block


def _check_block(data: Bytes, edges: bytes, is_inside: bool) -> bool | None:
    """Whether a block ends inside a quoted cell; None where a quote is out of place.

    Args:
        data: A block, with what stands beside the quotes in it.
        edges: What may stand beside a quote, outside the cell: another quote, or what stands between cells.
        is_inside: Whether it begins inside a quoted cell.
    """
    quotes = np.flatnonzero(data == ord(_QUOTE))
    opening, closing = quotes[int(is_inside) :: 2], quotes[int(not is_inside) :: 2]
    # A quote at the very beginning or end of all rows stands beside itself.
    for beside in (data.take(opening - 1, mode="clip"), data.take(closing + 1, mode="clip")):
        # Compared with each in turn: faster here than any look-up.
        if not np.logical_or.reduce([beside == edge for edge in edges]).all():
            return None
    return is_inside ^ bool(len(quotes) % 2)
