"""How a text table is written: its encoding, delimiter and line ends, established from its bytes."""

from __future__ import annotations

import codecs
import contextlib
import csv
import io
import itertools
import re
from collections.abc import Iterator
from pathlib import Path
from typing import NamedTuple

import numpy as np
import pyarrow as pa

from igual.errors import IgualError, TableError
from igual.files.quotes import END_OF_DATA, OPEN_QUOTE, TEXT_BEHIND_QUOTE, csv_of_any_size
from igual.files.sources import Readable
from igual.threads import map_in_order

HEAD_BYTES = 1 << 18
_LONGEST_HEADER = 64 << 20
_MOST_COLUMNS = 100_000
_SAMPLE_BYTES = 1 << 16
_PIECE_BYTES = 1 << 22
# So many bytes of a character in UTF-8 follow the first one.
_MOST_CONTINUING = 3
# Which share of the bytes beside those of Western letters are NUL, at least, in encodings of two and four bytes.
_ZEROS = {2: 0.4, 4: 0.9}
_DELIMITERS = ",;\t|"
_LINE_END = re.compile(r"\r\n|\n|\r")
# Some programs write a first line that states the delimiter.
_STATED = re.compile(r"sep=([,;\t|])(?:\r\n|\n|\r)", re.IGNORECASE)
# The mark of UTF-32 begins with that of UTF-16.
_BOMS = (
    (codecs.BOM_UTF8, "utf-8"),
    (codecs.BOM_UTF32_LE, "utf-32"),
    (codecs.BOM_UTF32_BE, "utf-32"),
    (codecs.BOM_UTF16_LE, "utf-16"),
    (codecs.BOM_UTF16_BE, "utf-16"),
)
# Codecs of Python that turn texts into texts for other purposes.
_NO_ENCODINGS = frozenset({"idna", "punycode", "unicode_escape", "raw_unicode_escape", "undefined"})
# Where the detector finds several equally likely, the first of these is taken.
_SINGLE_BYTE = ("cp1252", "cp1250", "cp1251", "cp1253", "cp1254", "cp1257", "koi8_r", "cp850", "mac_roman")


class Dialect(NamedTuple):
    """How a text table is written.

    Attributes:
        encoding: The name of a Python codec.
        bom: Whether a UTF-8 byte order mark stands first.
        header: The cells of its first row.
        skipped_lines: How many lines stand before the header.
        header_lines: How many lines the header takes: a cell in quotes may have several.
    """

    encoding: str
    bom: bool
    delimiter: str
    line_end: str
    header: tuple[str, ...]
    skipped_lines: int = 0
    header_lines: int = 1


def establish(path: Readable, encoding: str | None = None, header_row: int | None = None) -> Dialect:
    """Find out how a text table is written, from its first 256 KiB, or as much as its first row takes.

    Args:
        path: The file.
        encoding: Taken as it is when given. Otherwise a byte order mark decides, then NUL bytes at every other
            place (UTF-16, or UTF-32). Else it is UTF-8, unless its bytes say otherwise: those looked at here, or
            later ones, for which a reader asks `likely_encoding`.
        header_row: The row that has the column names, from 1; None: the first that isn't empty, after one that
            states the delimiter (`sep=;`).
    """
    size = HEAD_BYTES
    while True:
        with path.open("rb") as file:
            head = file.read(size)
            whole = not file.read(1)
        dialect = _read_head(path, head, whole, encoding, header_row)
        if dialect is not None:
            return dialect
        if size >= _LONGEST_HEADER:
            raise TableError(f"{path.name}: the first row is longer than {_LONGEST_HEADER >> 20} MiB")
        size *= 8


def _read_head(
    path: Readable, head: bytes, whole: bool, encoding: str | None, header_row: int | None
) -> Dialect | None:
    """How a table is written, from its first bytes; None where its first row is longer than these."""
    if not head.strip(b"\r\n\t \x00" if encoding is None else b""):
        raise TableError(f"{path.name} is empty: a table needs at least a row of column names")
    bom = next((name for mark, name in _BOMS if head.startswith(mark)), None)
    named = checked_encoding(encoding) if encoding is not None else bom or _find_wide_encoding(head)
    if named in ("utf-16", "utf-32") and bom != named:
        # Without a mark Python would take the bytes in the order of this machine.
        named = _find_wide_encoding(head) or f"{named}-le"
    if named is None:
        named = "utf-8" if _is_utf_8(head) else likely_encoding(path) or "utf-8"
    text = head.decode("utf-8-sig" if named == "utf-8" else named, errors="replace")
    started = text.lstrip("\r\n")
    stated = _STATED.match(started)
    skipped = len(text[: len(text) - len(started)].splitlines()) + bool(stated)
    if header_row is not None:
        skipped = header_row - 1
    body = text[_end_of_lines(text, skipped) :]
    lines = body if whole else body[: max(body.rfind("\n"), body.rfind("\r")) + 1]
    if not lines and not whole:
        return None
    delimiter = stated[1] if stated else "\t" if path.suffix.lower() == ".tsv" else _delimiter(lines)
    try:
        header, header_lines = _read_header(lines, delimiter)
    except csv.Error as error:
        is_open = END_OF_DATA in str(error)
        if is_open and not whole:
            return None
        told = OPEN_QUOTE if is_open else TEXT_BEHIND_QUOTE
        raise TableError(f"{path.name}, row {header_row or 1:,}: {told}") from None
    if not header:
        raise TableError(f"{path.name}, row {header_row or 1:,}: no column names were found")
    if len(header) > _MOST_COLUMNS:
        raise TableError(f"{path.name} has {len(header):,} columns; up to {_MOST_COLUMNS:,} are read")
    line_end = "\r\n" if re.match(r"[^\r\n]*\r\n", body) else "\n"
    return Dialect(named, bom == "utf-8", delimiter, line_end, header, skipped, header_lines)


def _end_of_lines(text: str, count: int) -> int:
    """Where the first so many lines end."""
    ends = [found.end() for found in itertools.islice(_LINE_END.finditer(text), count)]
    return len(text) if len(ends) < count else ends[-1] if ends else 0


def _read_header(lines: str, delimiter: str) -> tuple[tuple[str, ...], int]:
    """The cells of the first row, and how many lines it takes; csv.Error where its quotes are out of order."""
    with csv_of_any_size():
        reader = csv.reader(io.StringIO(lines, newline=""), delimiter=delimiter, strict=True)
        return tuple(next(reader, ())), reader.line_num


def checked_encoding(name: str, error: type[IgualError] = TableError) -> str:
    """The name of an encoding of texts, as Python calls it.

    Raises:
        IgualError: Of the given class, for a name that isn't one.
    """
    try:
        codec = codecs.lookup(name)
        known = (
            codec.name.replace("-", "_") not in _NO_ENCODINGS
            and "a,".encode(codec.name).decode(codec.name) == "a,"
        )
    except (LookupError, ValueError, TypeError):
        known = False
    if not known:
        raise error(f"no encoding is called {name!r}; common ones: utf-8, utf-16, cp1252, cp1250")
    return "utf-8" if codec.name == "utf-8-sig" else codec.name


def _is_utf_8(head: bytes) -> bool:
    try:
        codecs.getincrementaldecoder("utf-8")().decode(head)
    except UnicodeDecodeError:
        return False
    return True


def likely_encoding(path: Readable) -> str | None:
    """The encoding of a file that isn't UTF-8, if there is one in which all of it can be read."""
    supposed = encoding_of_bytes(path)
    return supposed if supposed and first_undecodable(path, supposed) is None else None


def _begins_plainly(head: bytes, wide: str) -> bool:
    """Whether a first line can be read byte by byte, and ends where a wide encoding has no end of a line.

    Cells of a text in bytes may hold NUL at every second place.
    """
    head = head[: len(head) - len(head.lstrip(b"\r\n")) + 1000]
    found = re.search(rb"[^\r\n]([\r\n])", head)
    if found is None:
        return False
    end = found.start(1)
    unit = found[1].decode().encode(wide)
    at = end - unit.index(found[1])
    is_wide = at % len(unit) == 0 and head[at : at + len(unit)] == unit
    line = head[:end].strip(b"\r\n")
    return not is_wide and _is_utf_8(line) and line.decode(errors="ignore").replace("\t", "").isprintable()


def _find_wide_encoding(head: bytes) -> str | None:
    """UTF-16 or UTF-32 without a mark: Western letters have a NUL in nearly every pair of bytes, or three in four."""
    for name, width, filled in (
        ("utf-32-le", 4, 0),
        ("utf-32-be", 4, 3),
        ("utf-16-le", 2, 0),
        ("utf-16-be", 2, 1),
    ):
        zeros = b"".join(head[place:1000:width] for place in range(width) if place != filled)
        if zeros and zeros.count(0) > _ZEROS[width] * len(zeros) and not _begins_plainly(head, name):
            text = head[: 1000 // width * width].decode(name, errors="ignore")
            if "\x00" not in text and any(sign in text for sign in f"{_DELIMITERS}\r\n"):
                return name
    return None


def _rows(text: str, delimiter: str) -> Iterator[list[str]]:
    # An unclosed quote at the cut end of the sample is no mistake: the rows before it count.
    with csv_of_any_size(), contextlib.suppress(csv.Error):
        yield from csv.reader(io.StringIO(text, newline=""), delimiter=delimiter)


def _delimiter(text: str) -> str:
    """The delimiter that cuts the most rows into as many cells as the first row has, more than one.

    Many equal rows outweigh many cells: a comma in each of some texts doesn't beat the semicolon of all rows.
    """
    # Most signs don't cut the first row: then the others needn't be parsed.
    cells = {sign: len(next(filter(None, _rows(text, sign)), ())) for sign in _DELIMITERS}
    possible = [sign for sign, count in cells.items() if count > 1]
    if len(possible) < 2:
        return possible[0] if possible else ","

    def fitness(delimiter: str) -> tuple[float, int]:
        sizes = [len(row) for row in _rows(text, delimiter) if row]
        return sizes.count(cells[delimiter]) / len(sizes), cells[delimiter]

    return max(possible, key=fitness)


def encoding_of_bytes(path: Readable) -> str | None:
    """The single-byte encoding a file that isn't UTF-8 is probably in; None where it is damaged UTF-8.

    Only the lines with bytes beyond ASCII are judged. Where most of these bytes form valid UTF-8, a few that
    don't are damage, and no reason to read the others wrongly.
    """
    import charset_normalizer

    sample = bytearray()
    with path.open("rb") as file:
        for line in file:
            if not line.isascii():
                sample += line
                if len(sample) > _SAMPLE_BYTES:
                    break
    read = sample.decode("utf-8", errors="replace")
    damaged = read.count("\ufffd")
    if sum(not c.isascii() for c in read) - damaged > damaged:
        return None
    guesses = charset_normalizer.from_bytes(bytes(sample), cp_isolation=list(_SINGLE_BYTE))
    if not (best := guesses.best()):
        return None
    likely = {
        name
        for match in guesses
        if (match.chaos, -match.coherence) <= (best.chaos, -best.coherence)
        for name in match.could_be_from_charset
    }

    def count_oddities(name: str) -> int:
        """Signs inside words, and words of nothing but accented Latin letters: both speak against it."""
        text = sample.decode(name, errors="replace")
        signs = sum(not c.isascii() and not c.isalpha() for c in text)
        words = re.findall(r"[^\W\d_]{3,}", text)
        return signs + sum(all("\x7f" < c < "\u0250" for c in word) for word in words)

    return min((name for name in _SINGLE_BYTE if name in likely), key=count_oddities, default=best.encoding)


class Undecodable(NamedTuple):
    """A byte that can't be decoded.

    Attributes:
        offset: Its offset from the start of the file.
        byte: The byte.
    """

    offset: int
    byte: int


def first_undecodable(path: Readable, encoding: str) -> Undecodable | None:
    """The first byte of a file that isn't valid in an encoding, with its offset from the start."""
    if encoding == "utf-8" and isinstance(path, Path) and _is_utf_8_throughout(path):
        return None
    decoder = codecs.getincrementaldecoder(encoding)()
    done = 0
    with path.open("rb") as file:
        while True:
            block = file.read(1 << 20)
            waiting = len(decoder.getstate()[0])
            if not waiting and block and encoding == "utf-8" and block.isascii():
                done += len(block)
                continue
            try:
                decoder.decode(block, final=not block)
            except UnicodeDecodeError as error:
                return Undecodable(done - waiting + error.start, error.object[error.start])
            if not block:
                return None
            done += len(block)


def _is_utf_8_throughout(path: Path) -> bool:
    """Whether a file is valid UTF-8; pieces of it are read and looked at beside each other."""

    def check(start: int) -> bool:
        with path.open("rb", buffering=0) as file:
            file.seek(start)
            piece = file.read(_PIECE_BYTES + _MOST_CONTINUING)
        # A character that is cut belongs to the piece in which it begins.
        begin = _skip_continuing(piece, 0) if start else 0
        end = _skip_continuing(piece, min(_PIECE_BYTES, len(piece)))
        edges = pa.py_buffer(np.array([begin, max(begin, end)]))
        text = pa.Array.from_buffers(pa.large_binary(), 1, [None, edges, pa.py_buffer(piece)])
        try:
            text.cast(pa.large_string())
        except pa.ArrowInvalid:
            return False
        return True

    return all(map_in_order(check, range(0, path.stat().st_size, _PIECE_BYTES)))


def _skip_continuing(data: bytes, place: int) -> int:
    """The first place from this one on where no character goes on that began before; at most some bytes behind it."""
    most = min(place + _MOST_CONTINUING, len(data))
    return next((at for at in range(place, most) if data[at] & 0xC0 != 0x80), most)
