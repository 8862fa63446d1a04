"""Texts as one row of bytes, as Arrow keeps them, for work by NumPy on all bytes at once.

Masks over the bytes say what stands where; Arrow's own `take` moves the bytes, which is faster than any index.
"""

from __future__ import annotations

from collections.abc import Iterable
from itertools import chain
from typing import NamedTuple

import numpy as np
import numpy.typing as npt
import pyarrow as pa

from igual.column import TEXT, Mask, to_mask
from igual.hashing import view_bytes

Bytes = npt.NDArray[np.uint8]
Offsets = npt.NDArray[np.int64]


class Packed(NamedTuple):
    """Texts as bytes.

    Attributes:
        data: UTF-8, text after text, (bytes,).
        offsets: Where each text begins, and the end of the last, (texts + 1,).
    """

    data: Bytes
    offsets: Offsets

    @property
    def is_ascii(self) -> bool:
        """Whether all texts are plain ASCII."""
        return not len(self.data) or int(self.data.max()) < 0x80

    def texts_at(self, places: Offsets) -> Offsets:
        """Which texts bytes belong to: their positions, (places,)."""
        return np.searchsorted(self.offsets, places, side="right") - 1

    def firsts(self) -> Offsets:
        """Where texts begin that aren't empty."""
        starts = self.offsets[:-1]
        return starts[starts < self.offsets[1:]]

    def lasts(self) -> Offsets:
        """The last byte of each text that isn't empty."""
        ends = self.offsets[1:]
        return ends[self.offsets[:-1] < ends] - 1


class Runs(NamedTuple):
    """Runs of marked bytes within texts, in order: where each begins, and where it has ended, (runs,) each."""

    starts: Offsets
    stops: Offsets


def unpack(values: pa.Array) -> Packed:
    """The bytes of texts; missing ones have none."""
    if values.type != TEXT:
        values = values.cast(TEXT)
    if values.null_count:
        values = values.fill_null("")
    return Packed(*view_bytes(values))


_NONE = np.zeros(1, np.int64)


def pack(packed: Packed, like: pa.Array) -> pa.Array:
    """Texts of bytes; missing where `like` is missing.

    Args:
        packed: The bytes.
        like: As many texts, (texts,).
    """
    return _as_texts(packed.offsets, packed.data, to_mask(like.is_valid()) if like.null_count else None)


def _as_texts(offsets: Offsets, data: Bytes, valid: Mask | None = None) -> pa.Array:
    return pa.LargeStringArray.from_buffers(
        len(offsets) - 1,
        pa.py_buffer(np.ascontiguousarray(offsets, np.int64)),
        pa.py_buffer(data),
        None if valid is None else pa.py_buffer(np.packbits(valid, bitorder="little")),
    )


def join_texts(pieces: Iterable[pa.Array], like: pa.Array, before: pa.Array) -> pa.Array:
    """Join arrays of texts one by one, so that pieces that are made on the way needn't all be held.

    Args:
        pieces: Texts (large_string).
        like: As many texts as all of them, of about their size, (texts,).
        before: Texts that are to stand before them in memory, for who puts these before them later.
    """
    offsets = np.zeros(len(before) + len(like) + 1, np.int64)
    # What is never written to takes no memory.
    data = np.empty(before.nbytes + 2 * like.nbytes, np.uint8)
    place, is_missing = 0, []
    for piece in chain([before], pieces):
        held, where = view_bytes(piece)
        begin, end = int(offsets[place]), int(offsets[place]) + len(held)
        if end > len(data):
            data = np.concatenate([data[:begin], np.empty(2 * end - begin, np.uint8)])
        data[begin:end] = held
        offsets[place + 1 : place + len(where)] = where[1:] + begin
        if piece.null_count:
            is_missing.append(np.flatnonzero(to_mask(piece.is_null())) + place)
        place += len(piece)
    valid = ~mark(place, np.concatenate(is_missing)) if is_missing else None
    return _as_texts(offsets, data[: offsets[-1]], valid).slice(len(before))


def mark(length: int, places: Offsets) -> Mask:
    """A mask of so many bytes, with some places marked."""
    marks = np.zeros(length, np.bool_)
    marks[places] = True
    return marks


def mark_character(data: Bytes, character: str) -> Mask:
    """Which bytes are those of a character, which may have several."""
    first, *others = character.encode()
    marks: Mask = data == first
    if not others or not marks.any():
        return marks
    for place, byte in enumerate(others, 1):
        marks[:-place] &= data[place:] == byte
        marks[-place:] = False
    whole: Mask = np.logical_or.reduce([np.roll(marks, place) for place in range(len(others) + 1)])
    return whole


def before(marks: Mask, packed: Packed) -> Mask:
    """Whether the byte before each is marked; none stands before the first of a text."""
    moved = np.empty_like(marks)
    moved[1:] = marks[:-1]
    moved[packed.firsts()] = False
    return moved


def behind(marks: Mask, packed: Packed) -> Mask:
    """Whether the byte behind each is marked; none stands behind the last of a text."""
    moved = np.empty_like(marks)
    moved[:-1] = marks[1:]
    moved[packed.lasts()] = False
    return moved


def mark_between(packed: Packed, inside: Mask, joiners: str) -> Mask:
    """Which bytes are those of joining characters that stand between two marked ones."""
    marks = np.zeros(len(inside), np.bool_)
    for joiner in joiners:
        width = len(joiner.encode())
        joins = mark_character(packed.data, joiner)
        if not joins.any():
            continue
        first = np.flatnonzero(before(inside, packed) & joins)
        leads = behind(inside, packed) & joins
        whole = first[leads[np.minimum(first + width - 1, len(leads) - 1)]]
        marks[places_in(whole, whole + width)] = True
    return marks


def find_runs(marks: Mask, packed: Packed) -> Runs:
    """Runs of marked bytes; none goes on in the next text."""
    return Runs(
        np.flatnonzero(marks & ~before(marks, packed)), np.flatnonzero(marks & ~behind(marks, packed)) + 1
    )


def places_in(starts: Offsets, stops: Offsets) -> Offsets:
    """All places in ranges, one after another."""
    lengths = stops - starts
    total = np.cumsum(lengths)
    first = np.repeat(starts - total + lengths, lengths)
    return first + np.arange(len(first))


def cut_out(packed: Packed, starts: Offsets, stops: Offsets) -> Packed:
    """Texts without the bytes in some ranges, which are in order and don't overlap."""
    return keep_bytes(packed, ~mark(len(packed.data), places_in(starts, stops)))


def keep_bytes(packed: Packed, keep: Mask) -> Packed:
    """Texts with the marked bytes alone."""
    if keep.all():
        return packed
    bits = np.packbits(keep, bitorder="little")
    flags = pa.Array.from_buffers(pa.bool_(), len(keep), [None, pa.py_buffer(bits)])
    kept = pa.array(packed.data).filter(flags).to_numpy(zero_copy_only=False)
    return Packed(kept, _count_before(bits, packed.offsets))


def _count_before(bits: Bytes, places: Offsets) -> Offsets:
    """How many bits are set before each place, (places,)."""
    words = np.append(bits, np.zeros(16 - len(bits) % 8, np.uint8)).view("<u8")
    counts = np.concatenate([_NONE, np.cumsum(np.bitwise_count(words), dtype=np.int64)])
    word = places >> 6
    lower = (np.uint64(1) << (places & 63).astype(np.uint64)) - np.uint64(1)
    before: Offsets = counts.take(word) + np.bitwise_count(words.take(word) & lower)
    return before


def splice(
    packed: Packed,
    starts: Offsets,
    stops: Offsets,
    texts: pa.Array,
    which: Offsets,
    owners: Offsets | None = None,
) -> Packed:
    """Put texts in the places of some ranges, which are in order and don't overlap.

    An empty range is a place before a byte; it belongs to the text that this byte belongs to.

    Args:
        packed: The texts.
        starts: Where each range begins, (ranges,).
        stops: Where each has ended, (ranges,).
        texts: What is put in, (texts,).
        which: Which of these is put in each range, (ranges,).
        owners: In which text each range is, (ranges,), where that is known.
    """
    if not len(starts):
        return packed
    edges = np.empty(2 * len(starts) + 2, np.int64)
    edges[0], edges[-1] = 0, len(packed.data)
    edges[1:-1:2], edges[2:-1:2] = starts, stops
    between = _as_texts(edges, packed.data)
    # What stays and what is put in take turns; of what stood there nothing is taken.
    turns = np.arange(2 * len(starts) + 1)
    turns[1::2] = which + len(between)
    made = unpack(pa.concat_arrays([between, texts.cast(TEXT)]).take(pa.array(turns)))
    sizes = unpack(texts).offsets
    owners = packed.texts_at(starts) if owners is None else owners
    # Whole numbers of bytes, exact in doubles.
    grown = np.bincount(owners, np.diff(sizes).take(which) - (stops - starts), len(packed.offsets) - 1)
    offsets = packed.offsets.copy()
    offsets[1:] += np.cumsum(grown).astype(np.int64)
    return Packed(made.data, offsets)


def slices(packed: Packed, starts: Offsets, stops: Offsets) -> pa.Array:
    """The texts in ranges, which are in order and don't overlap, (ranges,)."""
    edges = np.empty(2 * len(starts), np.int64)
    edges[::2], edges[1::2] = starts, stops
    if not len(edges):
        return pa.array([], TEXT)
    return _as_texts(edges, packed.data).take(pa.array(np.arange(0, len(edges) - 1, 2)))


def begins_character(data: Bytes) -> Mask:
    """Which bytes begin a character: all but those that go on with one."""
    begins: Mask = (data & np.uint8(0xC0)) != 0x80
    return begins


def count_marked(marks: Mask, packed: Packed) -> Offsets:
    """How many marked bytes each text has, (texts,)."""
    return np.diff(_count_before(np.packbits(marks, bitorder="little"), packed.offsets))


def find_bytes(data: Bytes) -> Mask:
    """Which bytes occur at all, (256,); looked up two at a time."""
    even = data[: len(data) & ~1]
    pairs = np.zeros((256, 256), np.bool_)
    pairs.ravel()[even.view("<u2")] = True
    seen = np.logical_or(pairs.any(axis=0), pairs.any(axis=1))
    seen[data[len(even) :]] = True
    return seen


def is_letter(data: Bytes) -> Mask:
    """Which bytes are ASCII letters."""
    return is_between(data | np.uint8(0x20), "a", "z")


def is_between(data: Bytes, first: str, last: str) -> Mask:
    """Which bytes are ASCII characters from one to another."""
    low = ord(first)
    marks: Mask = (data - np.uint8(low)) <= np.uint8(ord(last) - low)
    return marks


def lowered(data: Bytes) -> Bytes:
    """ASCII capitals as small letters; all other bytes as they are."""
    return data | (is_between(data, "A", "Z").view(np.uint8) << np.uint8(5))


class ByteKinds:
    """Which bytes are of some kind, looked up for two bytes at a time: NumPy takes as long for two as for one.

    Args:
        marks: Which bytes are, (256,).
    """

    def __init__(self, marks: Mask) -> None:
        self._pairs = np.stack(np.broadcast_arrays(marks, marks[:, None]), axis=-1).view(np.uint16).ravel()

    def mark(self, data: Bytes) -> Mask:
        """Mark the bytes of this kind, (bytes,)."""
        even = np.append(data, np.uint8(0)) if len(data) % 2 else np.ascontiguousarray(data)
        return self._pairs.take(even.view("<u2")).view(np.bool_)[: len(data)]
