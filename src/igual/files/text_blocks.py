"""Text tables block by block: whole rows at a time, their cells found without being copied."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np
import numpy.typing as npt
import pyarrow as pa
import pyarrow.compute as pc

from igual.column import TEXT, Codes, Mask
from igual.engines.combinations import CHANGED
from igual.errors import TableError
from igual.files.dialects import Dialect
from igual.files.quotes import are_quotes_well_formed
from igual.files.sources import NeedsParserError, Readable
from igual.files.text_parsing import (
    BLOCK,
    LARGEST,
    count_quotes,
    find_end_of_rows,
    parse_block,
    parse_without_quotes,
    read_as_utf_8,
    skip_lines,
)
from igual.text.packed import places_in
from igual.threads import lazy_property

# In wider rows the cells of a column stand too far apart to be cut one by one.
_WIDE = 64
_MARK = b"\xef\xbb\xbf"

_QUOTE, _NEWLINE, _RETURN = ord('"'), ord("\n"), ord("\r")

Places = npt.NDArray[np.int64]
Signs = npt.NDArray[np.uint8]


class Spliced(NamedTuple):
    """New cells for a column of a block.

    Attributes:
        place: The position of the column in the rows; None puts it at their ends.
        cells: Distinct new cells as they are to be written, quotes and all, (cells,).
        codes: For each row the place of its cell, (rows,).
    """

    place: int | None
    cells: pa.Array
    codes: Codes


class _Plain(NamedTuple):
    """Rows whose cells can be found, and exchanged, without a parser.

    Attributes:
        data: The rows.
        ends: Where the cells end, (rows, columns).
        past: How many signs the end of a row has.
        is_quoted: Which cells stand between quotes, (rows, columns); None: none does.
        needs_quotes: Which of these couldn't do without, (rows, columns); None: all could.
        has_doubled: Whether quotes stand inside cells, where they are doubled.
    """

    data: Signs
    ends: Places
    past: int
    is_quoted: Mask | None = None
    needs_quotes: Mask | None = None
    has_doubled: bool = False

    def starts(self) -> Places:
        """Where the cells begin, (rows, columns)."""
        flat = np.empty(self.ends.size, np.int64)
        flat[0] = 0
        np.add(self.ends.ravel()[:-1], 1, out=flat[1:])
        starts = flat.reshape(self.ends.shape)
        starts[1:, 0] += self.past - 1
        return starts

    def find_quoted(self) -> Mask:
        """Which cells begin and end with a quote, (rows, columns)."""
        starts, ends = self.starts(), self.ends
        is_quoted: Mask = (
            (self.data[starts] == _QUOTE) & (self.data[ends - 1] == _QUOTE) & (ends - starts >= 2)
        )
        return is_quoted

    def bounds(self, place: int) -> tuple[Places, Places]:
        """Where the cells of a column begin and end, inside their quotes, (rows,) each."""
        ends = self.ends[:, place]
        starts = self.ends[:, place - 1] + 1
        if place == 0:
            starts = np.concatenate([[0], self.ends[:-1, -1] + self.past])
        return (
            (starts, ends)
            if self.is_quoted is None
            else (starts + self.is_quoted[:, place], ends - self.is_quoted[:, place])
        )


@dataclass
class Outlook:
    """What the blocks of a table tell each other.

    Attributes:
        is_plain: Whether no quoted cell was met yet that holds a delimiter or a line end.
    """

    is_plain: bool = True


class TextBlock:
    """Some whole rows of a text table, in UTF-8.

    Args:
        data: The bytes.
        dialect: How they are written.
        places: The positions of the columns whose cells will be asked for; none: of all, or of none.
        outlook: What the blocks of a table tell each other.
    """

    def __init__(
        self,
        data: bytes,
        dialect: Dialect,
        places: Sequence[int] | None = None,
        outlook: Outlook | None = None,
    ) -> None:
        self.data = data if data.endswith((b"\n", b"\r")) else data + dialect.line_end.encode()
        self.dialect = dialect
        self._places = places or None
        self._outlook = outlook or Outlook()
        self._at = {place: at for at, place in enumerate(places)} if places else None

    @lazy_property
    def _plain(self) -> _Plain | None:
        """The rows, where all are as long as the header and end alike; quotes are in the rows, but not in the cells."""
        plain = self._find_cells()
        if plain is None:
            self._check_quotes()
        return plain

    def _check_quotes(self) -> None:
        """Raise NeedsParserError where a parser of single blocks might take quotes for something else."""
        if b'"' in self.data and not are_quotes_well_formed(self.data, self.dialect.delimiter):
            raise NeedsParserError

    def _find_cells(self) -> _Plain | None:
        data, width, past = self.data, len(self.dialect.header), len(self.dialect.line_end)
        # A single byte is sought much faster than several.
        has_mark = _MARK[:1] in data and _MARK in data
        if width == 1 or has_mark or (b"\r" in data) != (past == 2):
            return None
        signs = np.frombuffer(data, np.uint8)
        edges = np.flatnonzero((signs == _NEWLINE) | (signs == ord(self.dialect.delimiter)))
        plain = self._arrange(signs, edges)
        if b'"' not in data:
            return plain
        is_quote = signs == _QUOTE
        if plain is not None:
            is_quoted = plain.find_quoted()
            if 2 * np.count_nonzero(is_quoted) == np.count_nonzero(is_quote):
                return plain._replace(is_quoted=is_quoted)
        return self._find_cells_between(signs, edges, np.flatnonzero(is_quote))

    def _arrange(self, signs: Signs, edges: Places) -> _Plain | None:
        """The rows whose cells end at some edges; None where they don't end alike, or differ in length."""
        width, past = len(self.dialect.header), len(self.dialect.line_end)
        is_end = signs[edges] == _NEWLINE
        rows = np.count_nonzero(is_end)
        if len(edges) != rows * width or not is_end[width - 1 :: width].all():
            return None
        ends = edges.reshape(rows, width)
        if past == 2:
            ends = ends.copy()
            ends[:, -1] -= 1
            is_return = signs == _RETURN
            if np.count_nonzero(is_return) != rows or not is_return[ends[:, -1]].all():
                return None
        return _Plain(signs, ends, past)

    def _find_cells_between(self, signs: Signs, edges: Places, quotes: Places) -> _Plain | None:
        """The rows, where quoted cells hold delimiters, line ends or quotes; None where a quote is out of place."""
        if len(quotes) % 2:
            return None
        # Where quotes are in order, every second one closes: what stands between two is no end of a cell.
        opened, closed = np.searchsorted(edges, quotes).reshape(-1, 2).T
        inside = places_in(opened, closed)
        is_end = np.ones(len(edges), np.bool_)
        is_end[inside] = False
        plain = self._arrange(signs, edges[is_end])
        if plain is None:
            return None
        is_quoted = plain.find_quoted()
        needs_quotes = np.zeros(plain.ends.shape, np.bool_)
        # As many cells have ended before one as ends of cells stand before what it holds.
        needs_quotes.ravel()[inside - np.arange(len(inside))] = True
        has_doubled = 2 * np.count_nonzero(is_quoted) != len(quotes)
        if has_doubled:
            if not are_quotes_well_formed(self.data, self.dialect.delimiter):
                return None
            outer = np.concatenate([plain.starts()[is_quoted], plain.ends[is_quoted] - 1])
            inner = np.setdiff1d(quotes, outer)
            needs_quotes.ravel()[np.searchsorted(plain.ends.ravel(), inner)] = True
        return plain._replace(is_quoted=is_quoted, needs_quotes=needs_quotes, has_doubled=has_doubled)

    @lazy_property
    def _bare(self) -> _Plain:
        """The rows without the quotes that they can do without; the others are part of their cells."""
        plain = self._plain
        assert plain is not None
        if plain.is_quoted is None:
            return plain
        if plain.needs_quotes is None:
            is_bared, is_kept = plain.is_quoted, plain.data != _QUOTE
        else:
            is_bared, is_kept = plain.is_quoted & ~plain.needs_quotes, np.ones(len(plain.data), np.bool_)
            is_kept[plain.starts()[is_bared]] = is_kept[plain.ends[is_bared] - 1] = False
        if not is_bared.any():
            return _Plain(plain.data, plain.ends, plain.past)
        kept = pa.py_buffer(np.packbits(is_kept, bitorder="little"))
        flags = pa.Array.from_buffers(pa.bool_(), len(is_kept), [None, kept])
        # Arrow's filter is faster here than NumPy's, and lets other threads run.
        bare = pa.array(plain.data).filter(flags).to_numpy()
        ends = plain.ends - 2 * np.cumsum(is_bared).reshape(plain.ends.shape)
        return _Plain(bare, ends, plain.past)

    def find_layout(self) -> Places | None:
        """Tell how long the cells are and how they are quoted, for `recall`; None where that takes a parser."""
        plain = self._plain
        if plain is None:
            return None
        layout = np.empty(plain.ends.size + 1, np.int64)
        layout[0] = plain.has_doubled
        cells = layout[1:]
        np.left_shift(np.diff(plain.ends.ravel(), prepend=-1), 2, out=cells)
        for bit, marks in ((1, plain.is_quoted), (2, plain.needs_quotes)):
            if marks is not None:
                cells |= marks.ravel() * np.int64(bit)
        return layout

    def recall(self, layout: npt.NDArray[np.integer]) -> None:
        """Take the cells as they were found before.

        Args:
            layout: What `find_layout` gave for the same bytes.

        Raises:
            TableError: Where other bytes stand there now.
        """
        signs, past = np.frombuffer(self.data, np.uint8), len(self.dialect.line_end)
        cells = layout[1:].reshape(-1, len(self.dialect.header))
        ends = (np.cumsum(cells >> 2, dtype=np.int64) - 1).reshape(cells.shape)
        if int(ends[-1, -1]) + past != len(signs):
            raise TableError(CHANGED)
        sign_after = np.full(cells.shape[1], ord(self.dialect.delimiter), np.uint8)
        sign_after[-1] = ord(self.dialect.line_end[0])
        if (signs[ends] != sign_after).any():
            raise TableError(CHANGED)
        is_quoted, needs_quotes = ((cells & bit).astype(np.bool_) for bit in (1, 2))
        self._plain = _Plain(
            signs,
            ends,
            past,
            is_quoted if is_quoted.any() else None,
            needs_quotes if needs_quotes.any() else None,
            bool(layout[0]),
        )

    @property
    def is_plain(self) -> bool:
        """Whether its cells can be found, and exchanged, without a parser."""
        return self._plain is not None

    @lazy_property
    def _parsed(self) -> pa.Table:
        """The cells that a parser finds, of the columns that are needed."""
        if self._places and len(self._places) == len(self.dialect.header) and self._outlook.is_plain:
            parsed = parse_without_quotes(self.data, self.dialect, self._places)
            if parsed is not None:
                return parsed
            self._outlook.is_plain = False
        self._check_quotes()
        return parse_block(self.data, self.dialect, self._places)

    @property
    def _found(self) -> _Plain | None:
        """The rows; None where a parser finds the cells, since it must, or since they weren't found already."""
        return None if self._places and "_plain" not in vars(self) else self._plain

    @property
    def rows(self) -> int:
        """How many rows it has."""
        found = self._found
        return self._parsed.num_rows if found is None else len(found.ends)

    def table(self) -> pa.Table:
        """Give the rows as a table of texts, with the columns that are needed."""
        return self._parsed

    def cells(self, place: int) -> pa.Array | pa.ChunkedArray:
        """Give the cells of a column, (rows,)."""
        found = self._found
        if found is None or len(self.dialect.header) > _WIDE:
            column = self._parsed.column(place if self._at is None else self._at[place])
            return column.chunk(0) if column.num_chunks == 1 else column
        pieces = _cut(found, [place], is_end_cut=False)
        texts = pieces.take(pa.array(np.arange(1, len(pieces), 2))).view(TEXT)
        return pc.replace_substring(texts, '""', '"') if found.has_doubled else texts

    def splice(self, columns: Sequence[Spliced]) -> pa.Buffer:
        """Put new cells into the rows.

        Args:
            columns: In the order of the rows.

        Returns:
            The rows, all other bytes as they were.
        """
        if not columns:
            return pa.py_buffer(self._bare.data)
        kept = [column.place for column in columns if column.place is not None]
        added = [column for column in columns if column.place is None]
        pieces = _cut(self._bare, kept, is_end_cut=bool(added))
        rows, step = self.rows, 2 * len(kept) + bool(added)
        sources, base = [pieces], len(pieces)
        order = np.empty((rows, 2 * len(kept) + bool(added) + len(added)), np.int64)
        at = 1 + step * np.arange(rows)
        for number, column in enumerate(columns):
            place = 2 * number if column.place is not None else 2 * len(kept) + number - len(kept)
            order[:, place] = base + column.codes
            if column.place is not None:
                order[:, place + 1] = at + place + 1
            sources.append(column.cells)
            base += len(column.cells)
        if added:
            # Behind the last exchanged cell stands the rest of the row, then the new cells, then its end.
            order[:, -1] = at + step - 1
        whole = np.concatenate([[0], order.ravel()])
        made = pa.concat_arrays([source.cast(pa.large_binary()) for source in sources]).take(pa.array(whole))
        ends = np.frombuffer(made.buffers()[1], np.int64)[[made.offset, made.offset + len(made)]]
        return made.buffers()[2].slice(ends[0], ends[1] - ends[0])


def _cut(rows: _Plain, places: Sequence[int], *, is_end_cut: bool) -> pa.Array:
    """Cut rows before and behind some cells: every second piece is one of them."""
    bounds = [edge for place in places for edge in rows.bounds(place)]
    bounds += [rows.ends[:, -1]] if is_end_cut else []
    offsets = np.empty(len(bounds) * len(rows.ends) + 2, np.int64)
    offsets[0], offsets[-1] = 0, len(rows.data)
    for number, bound in enumerate(bounds):
        offsets[1 + number : -1 : len(bounds)] = bound
    buffers = [None, pa.py_buffer(offsets), pa.py_buffer(rows.data)]
    return pa.Array.from_buffers(pa.large_binary(), len(offsets) - 1, buffers)


def read_blocks(
    path: Readable, dialect: Dialect, size: int = BLOCK, places: Sequence[int] | None = None
) -> Iterator[TextBlock]:
    """Read the rows of a text table, the header left out.

    Args:
        path: The file.
        dialect: How it is written.
        size: How many bytes a block has, about.
        places: See `TextBlock`.

    Yields:
        Blocks of rows; the first that is asked for its cells may raise NeedsParserError.

    Raises:
        NeedsParserError: Where `parse_stream` has to read the file.
        UnicodeError: For a byte that isn't valid in the encoding.
    """
    outlook = Outlook()
    with path.open("rb") as file:
        read = read_as_utf_8(file, dialect)
        waiting, wanted = skip_lines(read, dialect.skipped_lines + dialect.header_lines, size), size
        while more := read(wanted):
            split = find_end_of_rows(more, waiting)
            if split == 0:
                waiting += more
                if len(waiting) > LARGEST:
                    raise TableError(f"{path.name}: a row is longer than {LARGEST >> 20:,} MiB")
                wanted = max(wanted, len(waiting))
                continue
            # Copied once: fresh memory takes as long as the work on it.
            yield TextBlock(b"".join([waiting, memoryview(more)[:split]]), dialect, places, outlook)
            waiting, wanted = more[split:], size
    if count_quotes(waiting) % 2 == 1:
        raise NeedsParserError
    if waiting:
        yield TextBlock(waiting, dialect, places, outlook)
