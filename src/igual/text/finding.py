"""Where any of many texts stand in others: all are looked for at once, the longest wins where several begin."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Collection, Sequence
from itertools import groupby
from typing import NamedTuple

import numpy as np
import numpy.typing as npt

from igual.column import Mask
from igual.hashing import hash_bytes
from igual.text.packed import Bytes, Offsets, Packed, mark

# Texts are looked for by four of their bytes, and compared in words of eight.
_SHORT, _WORD = 4, 8
# Where more texts than these begin with the same four bytes, more bytes tell them apart.
_CROWD = 16
# Multiplicative hashing (Knuth, The Art of Computer Programming, vol. 3, 6.4): the high half of the product.
_HASH_BITS = 16
_FACTOR, _HALF, _HASHES = np.uint32(2_654_435_761), np.uint32(16), 1 << _HASH_BITS
# With so many bits more than the texts' number takes, few share a hash.
_SPARE_BITS = 4
# With more places to be known than these, too many bytes would look like one of them.
_MOST_KNOWN = _HASHES // 8
_Words = npt.NDArray[np.uint64]


class FoundTexts(NamedTuple):
    """Where sought texts stand, in order; none overlaps another.

    Attributes:
        starts: Where each begins, (found,).
        stops: Where it has ended, (found,).
        which: Which of the sought texts it is, (found,).
        owners: In which text it stands, (found,).
    """

    starts: Offsets
    stops: Offsets
    which: Offsets
    owners: Offsets

    def where(self, chosen: Mask | Offsets) -> FoundTexts:
        """Those that are chosen."""
        return FoundTexts(*(column[chosen] for column in self))


class _Group(NamedTuple):
    """Sought texts that are known by the same number of bytes.

    Attributes:
        size: By how many bytes they are known: up to four, or a longer head.
        step: How far apart the places are that are looked at; each text is known by so many of its places in a row.
        which: Their positions among all that are sought, (known,).
        behind: How many bytes behind its beginning each is known by, (known,).
        lengths: In bytes, (known,).
        words: Their bytes in words of eight, zeros behind their ends: first words, second words, …, (known,) each.
        masks: Which bits of these words are theirs, (known,) each.
        shift: How many of the last bits of a hash don't count: few texts are told apart by few bits.
        first: For each hash the first of those that are known by it, and the end of the last, (hashes + 1,).
        has: Which hashes of four bytes (or fewer) may be of a text, (hashes,).
    """

    size: int
    step: int
    which: Offsets
    behind: Offsets
    lengths: Offsets
    words: tuple[_Words, ...]
    masks: tuple[_Words, ...]
    shift: int
    first: Offsets
    has: Mask


class TextFinder:
    """Texts to look for, prepared for being found in many others.

    Args:
        sought: The texts, none of them empty.
        anywhere: Whether they may begin at any place.
    """

    def __init__(self, sought: Sequence[str], *, anywhere: bool = True) -> None:
        texts = [text.encode() for text in sought]
        lengths = np.array([len(text) for text in texts], np.int64)
        begins = Counter(text[:_SHORT] for text in texts)
        is_crowded = max(begins.values(), default=0) > _CROWD
        sizes = _choose_heads(lengths, is_crowded)
        self._groups = [
            _make_group(
                texts, np.flatnonzero(sizes == size), size if is_crowded else min(size, _SHORT), anywhere
            )
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
            at: The only places where a text may begin, in order; for texts that don't begin anywhere.
        """
        hits = self.find_all(packed, accept, at)
        if _are_apart(hits):
            return hits
        # Leftmost first, and the longest first at one place.
        keys = hits.starts * self._room - (hits.stops - hits.starts)
        # What was found in turn is in order mostly, of which a stable sort makes use.
        order = np.argsort(keys, kind="stable")
        return take_leftmost(hits.where(order))

    def find_all(
        self,
        packed: Packed,
        accept: Callable[[Offsets, Offsets], Mask] | None = None,
        at: Offsets | None = None,
    ) -> FoundTexts:
        """Find every place of every text, in no order and however they overlap; the arguments are those of `find`."""
        data = np.concatenate([packed.data, np.zeros(self._room, np.uint8)])
        parts = []
        for (size, step), groups in groupby(
            self._groups, lambda group: (min(group.size, _SHORT), group.step)
        ):
            # Groups with the same places are looked for in one go.
            some = list(groups)
            has = np.logical_or.reduce([group.has for group in some])
            maybe = _scan(data, len(packed.data), has, size, step, at)
            parts += [_find_group(group, data, packed, accept, maybe) for group in some]
        return _join(parts)


def _join(parts: Sequence[FoundTexts]) -> FoundTexts:
    if len(parts) == 1:
        return parts[0]
    if not parts:
        return FoundTexts(*(np.zeros(0, np.int64) for _ in FoundTexts._fields))
    return FoundTexts(*(np.concatenate(column) for column in zip(*parts, strict=True)))


def _scan(data: Bytes, length: int, has: Mask, size: int, step: int, at: Offsets | None) -> Offsets:
    """Where bytes stand that have a mark, or that share their hash with some that do."""
    if at is not None:
        beginnings = np.ndarray((length,), "<u4", data, strides=(1,))
        return at[has.take(_hash(beginnings[at], size))]
    beginnings = np.ndarray((-(-length // step),), "<u4", data, strides=(step,))
    return np.flatnonzero(has.take(_hash(beginnings, size))) * step


def _find_group(
    group: _Group,
    data: Bytes,
    packed: Packed,
    accept: Callable[[Offsets, Offsets], Mask] | None,
    places: Offsets,
) -> FoundTexts:
    """Where texts of a group stand that are accepted."""
    words = np.ndarray((len(data) - _WORD + 1,), "<u8", data, strides=(1,))
    hashes = _hash_heads(data, places, group.size) >> group.shift
    left, end = group.first.take(hashes), group.first.take(hashes + 1)
    hits: list[FoundTexts] = []
    while True:
        goes_on = np.flatnonzero(left < end)
        places, left, end = (some.take(goes_on) for some in (places, left, end))
        if not len(places):
            return _join(hits)
        starts = places - group.behind.take(left) if group.step > 1 else places
        # Before the first text nothing begins; what such a place shows instead is refused below.
        good = (words[starts] & group.masks[0].take(left)) == group.words[0].take(left)
        for number in range(1, len(group.words)):
            # Behind the end of what is sought the mask is empty, whatever stands there.
            where = words[starts + number * _WORD]
            good &= (where & group.masks[number].take(left)) == group.words[number].take(left)
        same = np.flatnonzero(good)
        starts, which = starts.take(same), left.take(same)
        stops = starts + group.lengths.take(which)
        owners = packed.texts_at(places.take(same))
        inside = (starts >= packed.offsets.take(owners)) & (stops <= packed.offsets.take(owners + 1))
        here = FoundTexts(starts, stops, group.which.take(which), owners)
        here = here if inside.all() else here.where(inside)
        hits.append(here if accept is None else here.where(accept(here.starts, here.stops)))
        left += 1


def _hash_heads(data: Bytes, places: Offsets, size: int) -> Offsets:
    """A number of 16 bits for the bytes that begin at each place."""
    if size > _SHORT:
        hashes = hash_bytes(data, places, np.full(len(places), size)) >> np.uint64(48)
        return hashes.astype(np.int64)
    beginnings = np.ndarray((len(data) - _WORD,), "<u4", data, strides=(1,))[places]
    return _hash(beginnings, size).astype(np.int64)


def find_words(packed: Packed, words: Collection[str], begins: Mask, ends: Mask) -> FoundTexts:
    """Where some words stand.

    Args:
        packed: The texts to look in.
        words: The words, each of them one word only.
        begins: Where a word begins, (bytes,).
        ends: Where a word's last byte stands, and perhaps other bytes of no word, (bytes,).
    """
    starts = np.flatnonzero(begins) if words else np.zeros(0, np.int64)
    return TextFinder(list(words), anywhere=False).find(packed, lambda _, stops: ends[stops - 1], starts)


def _choose_heads(lengths: Offsets, is_crowded: bool) -> Offsets:
    """How many bytes the head of each text has: the more, the longer it is, so that few have the same."""
    sizes = [1, 2, 3, _SHORT, *([_WORD] if is_crowded else []), *(16 * 4**step for step in range(10))]
    bounds = np.array(sizes)
    heads: Offsets = bounds[np.searchsorted(bounds, lengths, side="right") - 1]
    return heads


def _make_group(texts: Sequence[bytes], members: Offsets, size: int, anywhere: bool) -> _Group:
    own = [texts[place] for place in members.tolist()]
    lengths = np.array([len(text) for text in own], np.int64)
    many = -(-int(lengths.max()) // _WORD)
    held = b"".join(text.ljust(many * _WORD, b"\0") for text in own)
    words = np.frombuffer(held, "<u8").reshape(len(own), many)
    data = np.frombuffer(held + bytes(_WORD), np.uint8)
    step = _choose_step(lengths, size) if anywhere else 1
    # Each text by each of its first places; one of them stands where is looked.
    known = np.repeat(np.arange(len(own)), step)
    behind = np.tile(np.arange(step), len(own))
    places = known * many * _WORD + behind
    hashes = _hash_heads(data, places, size)
    order = np.lexsort((-lengths[known], hashes))
    known = known[order]
    shift = max(_HASH_BITS - _SPARE_BITS - len(known).bit_length(), 0)
    counts = np.bincount(hashes >> shift, minlength=_HASHES >> shift)
    full = np.array([(1 << 8 * size) - 1 for size in range(_WORD + 1)], np.uint64)
    room = np.clip(lengths[known, np.newaxis] - _WORD * np.arange(many), 0, _WORD)
    return _Group(
        size,
        step,
        members[known],
        behind[order],
        lengths[known],
        tuple(np.ascontiguousarray(words[known].T)),
        tuple(np.ascontiguousarray(full[room].T)),
        shift,
        np.concatenate([[0], np.cumsum(counts)]),
        mark(_HASHES, _hash_heads(data, places, min(size, _SHORT))),
    )


def _choose_step(lengths: Offsets, size: int) -> int:
    """How far apart to look: long texts are known by any four bytes of their beginnings."""
    if size > _SHORT:
        return 1
    shortest, number = int(lengths.min()), len(lengths)
    return next(
        (step for step in (4, 2) if shortest >= _SHORT - 1 + step and number * step <= _MOST_KNOWN), 1
    )


def _hash(beginnings: npt.NDArray[np.uint32], size: int) -> npt.NDArray[np.uint32]:
    """A number of 16 bits for the first bytes of each beginning of four."""
    mask = np.uint32((1 << 8 * size) - 1)
    product = (beginnings if size == _SHORT else beginnings & mask) * _FACTOR
    product >>= _HALF
    return product


def _are_apart(hits: FoundTexts) -> bool:
    return bool((hits.stops[:-1] <= hits.starts[1:]).all())


def take_leftmost(hits: FoundTexts) -> FoundTexts:
    """Of what overlaps only what begins first; of what begins at one place the first, which is the longest."""
    if _are_apart(hits):
        return hits
    # Whatever begins before all that came earlier has ended, and reaches into nothing, stands as it is.
    reach = np.maximum.accumulate(hits.stops)
    begins = np.append(True, hits.starts[1:] >= reach[:-1])
    alone = begins & np.append(begins[1:], True)
    taken = alone.copy()
    behind = -1
    crowded = np.flatnonzero(~alone)
    spans = zip(hits.starts[crowded].tolist(), hits.stops[crowded].tolist(), strict=True)
    for place, (start, stop) in zip(crowded.tolist(), spans, strict=True):
        if start >= behind:
            taken[place], behind = True, stop
    return hits.where(taken)
