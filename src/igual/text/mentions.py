"""Which entries of a list free texts mention: whole words, the longest entry at each place."""

from __future__ import annotations

from collections.abc import Mapping
from typing import NamedTuple

import numpy as np
import numpy.typing as npt
import pyarrow as pa
import pyarrow.compute as pc

from igual.column import TEXT, Mask
from igual.distinct import find_distinct
from igual.hashing import Hashes, hash_bytes
from igual.text.beyond import mark_alnum
from igual.text.finding import FoundTexts, take_leftmost
from igual.text.packed import Offsets, Packed, before, behind, mark_between, slices, unpack

# Within a word stand hyphens and apostrophes: `Guinea-Bissau` is one word, so that it doesn't mention `Guinea`.
_JOINERS = "'-’‐"
_FILTER_BITS = 16


class Mentioned(NamedTuple):
    """Entries that texts mention, each once, in the order of texts and of first mention.

    Attributes:
        owners: The positions of the texts, (mentions,).
        entries: What they mention, (mentions,).
    """

    owners: Offsets
    entries: Offsets


class _Words(NamedTuple):
    """The words of some texts, in order.

    Attributes:
        owners: The positions of their texts, (words,).
        starts: Where they begin, (words,).
        stops: Where they have ended, (words,).
    """

    owners: Offsets
    starts: Offsets
    stops: Offsets


class _Spellings(NamedTuple):
    """Spellings of so many words each.

    Attributes:
        words: Which words each has, (spellings, words).
        entries: The entry that each stands for, (spellings,).
        keys: A number for each, in order, (spellings,).
        has_first: Which words one of them begins with, (vocabulary,).
    """

    words: npt.NDArray[np.int64]
    entries: Offsets
    keys: Hashes
    has_first: Mask


class Mentions:
    """Spellings of entries, ready to be found in texts.

    A text is read from left to right; where several spellings begin at a word the longest is taken, and
    reading goes on behind it.
    """

    def __init__(self, spellings: Mapping[str, int]) -> None:
        """spellings: texts and the place of the entry that each stands for."""
        packed = unpack(pa.array(spellings.keys(), TEXT))
        words = _find_words(packed)
        self._vocabulary, codes = find_distinct(slices(packed, words.starts, words.stops))
        ids = np.arange(len(words.starts)) if codes is None else codes.astype(np.int64)
        known = unpack(self._vocabulary)
        hashes = hash_bytes(known.data, known.offsets[:-1], np.diff(known.offsets))
        self._order = np.argsort(hashes, kind="stable")
        self._hashes = hashes[self._order]
        # Most words of free texts are in no entry; few bits tell that of nearly all.
        self._may_be_known = np.zeros(1 << _FILTER_BITS, np.bool_)
        self._may_be_known[_high_bits(hashes)] = True
        entries = np.fromiter(spellings.values(), np.int64, len(spellings))
        sizes = np.bincount(words.owners, minlength=len(spellings))
        ends = np.cumsum(sizes)
        self._by_size = [
            _make_spellings(
                ids[(ends - sizes)[sizes == size, np.newaxis] + np.arange(size)],
                entries[sizes == size],
                len(self._vocabulary),
            )
            for size in np.unique(sizes[sizes > 0])[::-1].tolist()
        ]

    def find_in(self, values: pa.Array) -> Mentioned:
        """The entries that each text mentions.

        Args:
            values: The texts, (values,).
        """
        packed = unpack(values)
        words = _find_words(packed)
        ids = self._identify(packed, words)
        parts = [_find_spellings(some, ids, words.owners) for some in self._by_size]
        if not parts:
            return Mentioned(np.zeros(0, np.int64), np.zeros(0, np.int64))
        hits = FoundTexts(*(np.concatenate(column) for column in zip(*parts, strict=True)))
        hits = take_leftmost(hits.where(np.lexsort((-hits.stops, hits.starts))))
        owners = hits.owners
        # Each entry once for each text.
        pairs = owners * (int(hits.which.max(initial=0)) + 1) + hits.which
        first = np.sort(np.unique(pairs, return_index=True)[1])
        return Mentioned(owners[first], hits.which[first])

    def _identify(self, packed: Packed, words: _Words) -> Offsets:
        """Which word of the vocabulary each word is, (words,); -1: none."""
        hashes = hash_bytes(packed.data, words.starts, words.stops - words.starts)
        ids = np.full(len(hashes), -1, np.int64)
        likely = np.flatnonzero(self._may_be_known.take(_high_bits(hashes)))
        if not len(likely):
            return ids
        place = np.minimum(np.searchsorted(self._hashes, hashes[likely]), len(self._hashes) - 1)
        is_equal = self._hashes[place] == hashes[likely]
        likely, known = likely[is_equal], self._order[place[is_equal]]
        # Equal numbers nearly prove equal words; the words themselves do.
        stood = slices(packed, words.starts[likely], words.stops[likely])
        is_same = _are_equal(stood, self._vocabulary.take(pa.array(known)))
        ids[likely[is_same]] = known[is_same]
        return ids


def _find_words(packed: Packed) -> _Words:
    inside = mark_alnum(packed)
    inside = inside | mark_between(packed, inside, _JOINERS)
    starts = np.flatnonzero(inside & ~before(inside, packed))
    return _Words(packed.texts_at(starts), starts, np.flatnonzero(inside & ~behind(inside, packed)) + 1)


def _make_spellings(words: npt.NDArray[np.int64], entries: Offsets, vocabulary: int) -> _Spellings:
    keys = _number(words.T)
    # Of equal spellings the first counts.
    order = np.argsort(keys, kind="stable")
    has_first = np.zeros(vocabulary, np.bool_)
    has_first[words[:, 0]] = True
    return _Spellings(words[order], entries[order], keys[order], has_first)


def _number(columns: npt.NDArray[np.int64]) -> Hashes:
    """A number for each row of words, hardly ever the same for others."""
    factors = np.random.default_rng(21).integers(0, 1 << 63, len(columns), np.uint64) * np.uint64(
        2
    ) + np.uint64(1)
    numbers: Hashes = (columns.astype(np.uint64) * factors[:, np.newaxis]).sum(axis=0, dtype=np.uint64)
    return numbers


def _find_spellings(spellings: _Spellings, ids: Offsets, owners: Offsets) -> FoundTexts:
    """Where spellings of one number of words stand among words."""
    size = spellings.words.shape[1]
    starts = np.flatnonzero((ids >= 0) & spellings.has_first.take(ids, mode="clip"))
    starts = starts[starts + size <= len(ids)]
    starts = starts[owners[starts + size - 1] == owners[starts]]
    words = ids[starts[:, np.newaxis] + np.arange(size)]
    keys = _number(words.T)
    place = np.minimum(np.searchsorted(spellings.keys, keys), len(spellings.keys) - 1)
    is_same = (spellings.words[place] == words).all(axis=1)
    starts = starts[is_same]
    return FoundTexts(starts, starts + size, spellings.entries[place[is_same]], owners[starts])


def _high_bits(hashes: Hashes) -> npt.NDArray[np.int64]:
    return (hashes >> np.uint64(64 - _FILTER_BITS)).astype(np.int64)


def _are_equal(one: pa.Array, other: pa.Array) -> Mask:
    same: Mask = pc.equal(one, other).to_numpy(zero_copy_only=False)
    return same
