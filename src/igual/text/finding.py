"""Where any of many texts stand in others: all are looked for at once, the longest wins where several begin."""

from __future__ import annotations

from collections.abc import Callable, Collection, Sequence
from typing import NamedTuple

import numpy as np
import numpy.typing as npt

from igual.column import Mask
from igual.text.packed import Bytes, Offsets, Packed

# Texts are told apart by their first bytes, four at most, and compared in words of eight.
_HEAD, _WORD = 4, 8
# Multiplicative hashing (Knuth, The Art of Computer Programming, vol. 3, 6.4): the high half of the product.
_FACTOR, _HALF = np.uint32(2_654_435_761), np.uint32(16)
_WHOLE = np.uint32(0xFFFFFFFF)
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
    """Sought texts whose heads have one length, those with equal hashes together, the longest of them first.

    Attributes:
        head: The bytes of the head that count, as a mask of a word of four.
        which: Their positions among all that are sought, (texts,).
        lengths: In bytes, (texts,).
        words: Their bytes in words of eight, zeros behind their ends: first words, second words, …, (texts,) each.
        masks: Which bits of these words are theirs, (texts,) each.
        first: For each hash the first of its texts, (hashes,).
        last: For each hash the end of the last of its texts, (hashes,).
        has: Which hashes have a text, (hashes,).
    """

    head: np.uint32
    which: Offsets
    lengths: Offsets
    words: tuple[_Words, ...]
    masks: tuple[_Words, ...]
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
        sizes = np.array([min(len(text), _HEAD) for text in texts], np.int64)
        self._groups = [
            _make_group(texts, np.flatnonzero(sizes == size)) for size in np.unique(sizes)[::-1].tolist()
        ]
        longest = max(map(len, texts), default=0)
        self._room = longest + _WORD

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
        parts = [self._find_group(group, data, packed, accept, at) for group in self._groups]
        starts = np.concatenate([part.starts for part in parts]) if parts else np.zeros(0, np.int64)
        if len(parts) == 1 and _are_apart(parts[0]):
            return parts[0]
        stops = np.concatenate([part.stops for part in parts]) if parts else starts
        which = np.concatenate([part.which for part in parts]) if parts else starts
        order = np.lexsort((-stops, starts))
        return take_leftmost(FoundTexts(starts[order], stops[order], which[order]))

    def _find_group(
        self,
        group: _Group,
        data: Bytes,
        packed: Packed,
        accept: Callable[[Offsets, Offsets], Mask] | None,
        at: Offsets | None,
    ) -> FoundTexts:
        heads = np.ndarray((len(packed.data),), "<u4", data, strides=(1,))
        words = np.ndarray((len(data) - _WORD + 1,), "<u8", data, strides=(1,))
        if at is None:
            places = np.flatnonzero(group.has.take(_hash(heads, group.head)))
        else:
            places = at[group.has.take(_hash(heads[at], group.head))]
        hashes = _hash(heads[places], group.head)
        left, end = group.first.take(hashes), group.last.take(hashes)
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
        starts = np.concatenate([part.starts for part in found]) if found else np.zeros(0, np.int64)
        order = np.argsort(starts, kind="stable")
        stops = np.concatenate([part.stops for part in found])[order] if found else starts
        which = np.concatenate([part.which for part in found])[order] if found else starts
        return FoundTexts(starts[order], stops, which)


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


def _make_group(texts: Sequence[bytes], members: Offsets) -> _Group:
    size = min(len(texts[members[0]]), _HEAD)
    head = np.uint32((1 << 8 * size) - 1)
    lengths = np.array([len(texts[place]) for place in members.tolist()], np.int64)
    many = -(-int(lengths.max()) // _WORD)
    held = b"".join(texts[place].ljust(many * _WORD, b"\0") for place in members.tolist())
    words = np.frombuffer(held, "<u8").reshape(len(members), many)
    hashes = _hash((words[:, 0] & np.uint64(0xFFFFFFFF)).astype(np.uint32), head)
    order = np.lexsort((-lengths, hashes))
    last = np.cumsum(np.bincount(hashes, minlength=1 << 16))
    full = np.array([(1 << 8 * size) - 1 for size in range(_WORD + 1)], np.uint64)
    room = np.clip(lengths[order, np.newaxis] - _WORD * np.arange(many), 0, _WORD)
    return _Group(
        head,
        members[order],
        lengths[order],
        tuple(np.ascontiguousarray(words[order].T)),
        tuple(np.ascontiguousarray(full[room].T)),
        np.append(0, last[:-1]),
        last,
        np.diff(last, prepend=0) > 0,
    )


def _hash(heads: npt.NDArray[np.uint32], head: np.uint32) -> npt.NDArray[np.uint32]:
    product = (heads if head == _WHOLE else heads & head) * _FACTOR
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
