"""Where any of many texts stand in others: all are looked for at once, the longest wins where several begin."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Collection, Sequence
from typing import NamedTuple

import numpy as np
import numpy.typing as npt

from igual.column import Mask
from igual.distinct import Hashes, hash_bytes
from igual.text.packed import Bytes, Offsets, Packed, mark

# Texts are looked for by their first four bytes, told apart by their heads, and compared in words of eight.
_SHORT, _WORD = 4, 8
# Where more texts than these begin with the same four bytes, heads are longer.
_CROWD = 16
# Multiplicative hashing (Knuth, The Art of Computer Programming, vol. 3, 6.4): the high half of the product.
_FACTOR, _HALF = np.uint32(2_654_435_761), np.uint32(16)
_Words = npt.NDArray[np.uint64]


class FoundTexts(NamedTuple):
    """Where sought texts stand, in order; none overlaps another.

    Attributes:
        starts: Where each begins, (found,).
        stops: Where it has ended, (found,).
        which: Which of the sought texts it is, (found,).
    """

    starts: Offsets
    stops: Offsets
    which: Offsets

    def where(self, meant: Mask) -> FoundTexts:
        """Those that are meant."""
        return FoundTexts(self.starts[meant], self.stops[meant], self.which[meant])


class _Group(NamedTuple):
    """Sought texts whose heads have one length, those with equal heads together, the longest of them first.

    Attributes:
        size: Of the heads, in bytes.
        which: Their positions among all that are sought, (texts,).
        lengths: In bytes, (texts,).
        words: Their bytes in words of eight, zeros behind their ends: first words, second words, …, (texts,) each.
        masks: Which bits of these words are theirs, (texts,) each.
        heads: A number for each head, in order, (heads,).
        first: For each head the first of its texts, (heads,).
        last: For each head the end of the last of its texts, (heads,).
        has: Which hashes of a beginning of four bytes have a text, (hashes,).
    """

    size: int
    which: Offsets
    lengths: Offsets
    words: tuple[_Words, ...]
    masks: tuple[_Words, ...]
    heads: Hashes
    first: Offsets
    last: Offsets
    has: Mask


class TextFinder:
    """Texts to look for, prepared for being found in many others.

    Args:
        sought: The texts, none of them empty.
    """

    def __init__(self, sought: Sequence[str]) -> None:
        texts = [text.encode() for text in sought]
        lengths = np.array([len(text) for text in texts], np.int64)
        sizes = _choose_heads(texts, lengths)
        self._groups = [
            _make_group(texts, np.flatnonzero(sizes == size), size)
            for size in np.unique(sizes)[::-1].tolist()
        ]
        self._room = int(lengths.max(initial=0)) + _WORD

    def find(
        self,
        packed: Packed,
        accept: Callable[[Offsets, Offsets], Mask] | None = None,
        at: Offsets | None = None,
    ) -> FoundTexts:
        """Find the texts: leftmost first, the longest that is accepted where several begin at one place.

        Args:
            packed: The texts to look in.
            accept: Tells which places, from where to where, are good ones.
            at: The only places where a text may begin, in order; None: any.
        """
        data = np.concatenate([packed.data, np.zeros(self._room, np.uint8)])
        # All heads of four bytes and more are looked for in one go.
        long = [group for group in self._groups if group.size >= _SHORT]
        parts = []
        if long:
            maybe = _scan(
                data, len(packed.data), np.logical_or.reduce([group.has for group in long]), _SHORT, at
            )
            parts += [_find_group(group, data, packed, accept, maybe) for group in long]
        for group in self._groups[len(long) :]:
            maybe = _scan(data, len(packed.data), group.has, group.size, at)
            parts.append(_find_group(group, data, packed, accept, maybe))
        if len(parts) == 1 and _are_apart(parts[0]):
            return parts[0]
        found = _join(parts)
        order = np.lexsort((-found.stops, found.starts))
        return take_leftmost(FoundTexts(*(column[order] for column in found)))


def _join(parts: Sequence[FoundTexts]) -> FoundTexts:
    if not parts:
        return FoundTexts(*(np.zeros(0, np.int64) for _ in range(3)))
    return FoundTexts(*(np.concatenate(column) for column in zip(*parts, strict=True)))


def _scan(data: Bytes, length: int, has: Mask, size: int, at: Offsets | None) -> Offsets:
    """Where beginnings of so many bytes stand that have a mark, or that share their hash with one."""
    beginnings = np.ndarray((length,), "<u4", data, strides=(1,))
    if at is None:
        return np.flatnonzero(has.take(_hash(beginnings, size)))
    return at[has.take(_hash(beginnings[at], size))]


def _find_group(
    group: _Group,
    data: Bytes,
    packed: Packed,
    accept: Callable[[Offsets, Offsets], Mask] | None,
    places: Offsets,
) -> FoundTexts:
    """Where texts of a group stand: at each place the longest that is accepted."""
    words = np.ndarray((len(data) - _WORD + 1,), "<u8", data, strides=(1,))
    numbers = _number_heads(data, places, group.size)
    head = np.minimum(np.searchsorted(group.heads, numbers), len(group.heads) - 1)
    is_known = group.heads.take(head) == numbers
    places, head = places[is_known], head[is_known]
    left, end = group.first.take(head), group.last.take(head)
    ends = packed.offsets[1:].take(packed.texts_at(places))
    found: list[FoundTexts] = []
    while len(places):
        stops = places + group.lengths.take(left)
        good = stops <= ends
        for number, (texts, masks) in enumerate(zip(group.words, group.masks, strict=True)):
            # Behind the end of what is sought the mask is empty, whatever stands there.
            where = places + number * _WORD if number else places
            good &= (words[np.minimum(where, len(words) - 1)] & masks.take(left)) == texts.take(left)
        if accept is not None and good.any():
            good[good] = accept(places[good], stops[good])
        found.append(FoundTexts(places[good], stops[good], group.which.take(left[good])))
        left += 1
        goes_on = np.flatnonzero(~good & (left < end))
        places, left, end, ends = (some.take(goes_on) for some in (places, left, end, ends))
    if len(found) == 1:
        return found[0]
    joined = _join(found)
    order = np.argsort(joined.starts, kind="stable")
    return FoundTexts(*(column[order] for column in joined))


def _number_heads(data: Bytes, places: Offsets, size: int) -> Hashes:
    """A number for the head that begins at each place: its bytes, or a hash of many."""
    if size > _SHORT:
        return hash_bytes(data, places, np.full(len(places), size))
    beginnings = np.ndarray((len(data) - _WORD,), "<u4", data, strides=(1,))[places]
    return (beginnings & np.uint32((1 << 8 * size) - 1)).astype(np.uint64)


def find_words(packed: Packed, words: Collection[str], begins: Mask, ends: Mask) -> FoundTexts:
    """Where some words stand.

    Args:
        packed: The texts to look in.
        words: The words, each of them one word only.
        begins: Where a word begins, (bytes,).
        ends: Where a word's last byte stands, and perhaps other bytes of no word, (bytes,).
    """
    starts = np.flatnonzero(begins) if words else np.zeros(0, np.int64)
    return TextFinder(list(words)).find(packed, lambda _, stops: ends[stops - 1], starts)


def _choose_heads(texts: Sequence[bytes], lengths: Offsets) -> Offsets:
    """How many bytes the head of each text has: the more, the longer it is, so that few have the same."""
    sizes = [1, 2, 3, _SHORT, *(16 * 4**step for step in range(10))]
    begins = Counter(text[:_SHORT] for text in texts)
    if max(begins.values(), default=0) > _CROWD:
        sizes.insert(_SHORT, _WORD)
    bounds = np.array(sizes)
    heads: Offsets = bounds[np.searchsorted(bounds, lengths, side="right") - 1]
    return heads


def _make_group(texts: Sequence[bytes], members: Offsets, size: int) -> _Group:
    own = [texts[place] for place in members.tolist()]
    lengths = np.array([len(text) for text in own], np.int64)
    many = -(-int(lengths.max()) // _WORD)
    held = b"".join(text.ljust(many * _WORD, b"\0") for text in own)
    words = np.frombuffer(held, "<u8").reshape(len(own), many)
    data = np.frombuffer(held + bytes(_WORD), np.uint8)
    places = np.arange(len(own)) * many * _WORD
    numbers = _number_heads(data, places, size)
    order = np.lexsort((-lengths, numbers))
    heads, counts = np.unique(numbers, return_counts=True)
    last = np.cumsum(counts)
    full = np.array([(1 << 8 * size) - 1 for size in range(_WORD + 1)], np.uint64)
    room = np.clip(lengths[order, np.newaxis] - _WORD * np.arange(many), 0, _WORD)
    beginnings = words[:, 0].astype("<u4")
    return _Group(
        size,
        members[order],
        lengths[order],
        tuple(np.ascontiguousarray(words[order].T)),
        tuple(np.ascontiguousarray(full[room].T)),
        heads,
        last - counts,
        last,
        mark(1 << 16, _hash(beginnings, min(size, _SHORT)).astype(np.int64)),
    )


def _hash(beginnings: npt.NDArray[np.uint32], size: int) -> npt.NDArray[np.uint32]:
    """A number of 16 bits for the first bytes of each beginning of four."""
    mask = np.uint32((1 << 8 * size) - 1)
    product = (beginnings if size == _SHORT else beginnings & mask) * _FACTOR
    product >>= _HALF
    return product


def _are_apart(found: FoundTexts) -> bool:
    return bool((found.stops[:-1] <= found.starts[1:]).all())


def take_leftmost(found: FoundTexts) -> FoundTexts:
    """Of what overlaps only what begins first; of what begins at one place the first, which is the longest."""
    if _are_apart(found):
        return found
    # Whatever begins before all that came earlier has ended, and reaches into nothing, stands as it is.
    reach = np.maximum.accumulate(found.stops)
    begins = np.append(True, found.starts[1:] >= reach[:-1])
    alone = begins & np.append(begins[1:], True)
    taken = alone.copy()
    behind = -1
    crowded = np.flatnonzero(~alone)
    spans = zip(found.starts[crowded].tolist(), found.stops[crowded].tolist(), strict=True)
    for place, (start, stop) in zip(crowded.tolist(), spans, strict=True):
        if start >= behind:
            taken[place], behind = True, stop
    return found.where(taken)
