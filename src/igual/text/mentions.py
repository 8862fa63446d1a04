"""Which entries of a list free texts mention: whole words, the longest entry at each place."""

from __future__ import annotations

import re
from collections.abc import Mapping
from typing import NamedTuple

import numpy as np
import numpy.typing as npt
import pyarrow as pa
import pyarrow.compute as pc

from igual.column import TEXT, Mask, to_mask
from igual.distinct import find_distinct
from igual.hashing import Hashes, hash_bytes
from igual.text.beyond import mark_alnum
from igual.text.finding import FoundTexts, take_leftmost
from igual.text.packed import (
    Offsets,
    Packed,
    before,
    behind,
    is_between,
    mark_between,
    pack,
    slices,
    splice,
    unpack,
)

# Within a word stand hyphens and apostrophes: `Guinea-Bissau` is one word, so that it doesn't mention `Guinea`.
_JOINERS = "'-’‐"
_FILTER_BITS = 16
# Spellings of more words are found by keys of their runs, so that long ones take no room for each place.
_WIDE = 8
_MODULI = ((2_147_483_647, 1_000_003), (2_147_483_629, 1_234_577))
# What stands in the place of a spelling that was found: no word goes on beyond it.
# It is a noncharacter, which stands in no text that is exchanged.
FOUND_MARK = "\ufdd0"
_SEPARATOR = re.compile(r"[;|/]")
DENYING_WORDS = (
    "not", "no", "non", "never", "without", "except", "excluding", "excl", "nicht", "kein", "keine", "keinen", "ohne",
    "sans", "senza", "sin",
)  # fmt: skip
# So many words before a mention may deny it, unless one of these marks comes between.
_DENIED_WORDS, _BREAKS = 3, b";,.:|/()\n"


class Mentioned(NamedTuple):
    """Entries that texts mention, each once, in the order of texts and of first mention.

    Attributes:
        owners: The positions of the texts, (mentions,).
        entries: What they mention, (mentions,).
        is_denied: Which of them a word such as `no` or `without` stands before, each time, (mentions,).
    """

    owners: Offsets
    entries: Offsets
    is_denied: Mask


class Reading(NamedTuple):
    """Texts as they were read.

    Attributes:
        mentioned: What they mention.
        rest: The texts with a mark in the place of each spelling that was found, (texts,).
    """

    mentioned: Mentioned
    rest: pa.Array


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
        numbers: Which of all spellings each is, (spellings,).
        keys: A key for each, in order, (spellings,).
        has_first: Which words one of them begins with, (vocabulary,).
    """

    words: npt.NDArray[np.int64]
    numbers: Offsets
    keys: npt.NDArray[np.int64]
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
        self._entries = np.fromiter(spellings.values(), np.int64, len(spellings))
        self._words = np.split(ids, np.cumsum(np.bincount(words.owners, minlength=len(spellings)))[:-1])
        sizes = np.array([len(some) for some in self._words])
        self._by_size = [
            _make_spellings(
                np.stack([self._words[number] for number in np.flatnonzero(sizes == size)]),
                np.flatnonzero(sizes == size),
                len(self._vocabulary),
            )
            for size in np.unique(sizes[sizes > 0])[::-1].tolist()
        ]

    def find_in(self, values: pa.Array) -> Mentioned:
        """Find the entries that each text mentions.

        Args:
            values: The texts, (values,).

        Returns:
            The entries.
        """
        return self.read(values, with_rest=False).mentioned

    def read(self, values: pa.Array, *, with_rest: bool = True) -> Reading:
        """Find the entries that each text mentions, and what else stands in it.

        Args:
            values: The texts, (values,).
            with_rest: Whether the rest is wanted; without it, that is the texts as they are.

        Returns:
            Both.
        """
        packed = unpack(values)
        words = _find_words(packed)
        ids = self._identify(packed, words)
        nowhere = np.zeros(0, np.int64)
        if not self._by_size or not len(ids):
            return Reading(Mentioned(nowhere, nowhere, np.zeros(0, np.bool_)), values)
        rolling = _RollingKeys(ids) if any(some.words.shape[1] > _WIDE for some in self._by_size) else None
        parts = [_find_spellings(some, ids, words.owners, rolling) for some in self._by_size]
        hits = FoundTexts(*(np.concatenate(column) for column in zip(*parts, strict=True)))
        hits = take_leftmost(hits.where(np.lexsort((-hits.stops, hits.starts))))
        hits = hits.where(self._mark_proven(hits, ids))
        rest = _put_marks(values, packed, words, hits) if with_rest else values
        is_denied = _mark_denied(packed, words, hits)
        # Each entry once for each text.
        entries = self._entries[hits.which]
        pairs = hits.owners * (int(entries.max(initial=0)) + 1) + entries
        _, first, back = np.unique(pairs, return_index=True, return_inverse=True)
        is_stated = np.bincount(back, ~is_denied, len(first)) > 0
        order = np.argsort(first)
        chosen = first[order]
        return Reading(Mentioned(hits.owners[chosen], entries[chosen], ~is_stated[order]), rest)

    def _mark_proven(self, hits: FoundTexts, ids: Offsets) -> Mask:
        """Which hits have the words of their spelling; of long ones only the keys were compared."""
        is_proven = np.ones(len(hits.starts), np.bool_)
        for hit in np.flatnonzero(hits.stops - hits.starts > _WIDE).tolist():
            found = ids[hits.starts[hit] : hits.stops[hit]]
            is_proven[hit] = np.array_equal(found, self._words[hits.which[hit]])
        return is_proven

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


def has_lost_piece(rest: str) -> bool:
    """Tell whether a text lists several things, of which one is found as a whole and another not at all.

    Args:
        rest: The text with `FOUND_MARK` in the place of whatever was found.

    Returns:
        Whether a piece was lost; text that goes on without semicolons, bars or slashes lists nothing.

    Example:
        >>> has_lost_piece(f"{FOUND_MARK}; Brokat"), has_lost_piece(f"made of {FOUND_MARK}; new")
        (True, False)
    """
    pieces = _SEPARATOR.split(rest)
    if not any(piece.strip(" ") == FOUND_MARK for piece in pieces):
        return False
    return any(FOUND_MARK not in piece and any(map(str.isalnum, piece)) for piece in pieces)


def _find_words(packed: Packed) -> _Words:
    inside = mark_alnum(packed)
    inside = inside | mark_between(packed, inside, _JOINERS)
    starts = np.flatnonzero(inside & ~before(inside, packed))
    return _Words(packed.texts_at(starts), starts, np.flatnonzero(inside & ~behind(inside, packed)) + 1)


def _make_spellings(words: npt.NDArray[np.int64], numbers: Offsets, vocabulary: int) -> _Spellings:
    size = words.shape[1]
    if size > _WIDE:
        keys = np.array([_RollingKeys(row).find(np.zeros(1, np.int64), size)[0] for row in words], np.int64)
    else:
        keys = _number(words.T)
    # Of equal spellings the first counts.
    order = np.argsort(keys, kind="stable")
    has_first = np.zeros(vocabulary, np.bool_)
    has_first[words[:, 0]] = True
    return _Spellings(words[order], numbers[order], keys[order], has_first)


def _number(columns: npt.NDArray[np.int64]) -> npt.NDArray[np.int64]:
    """A number for each row of words, hardly ever the same for others."""
    factors = np.random.default_rng(21).integers(0, 1 << 62, len(columns), np.int64) * 2 + 1
    with np.errstate(over="ignore"):
        numbers: npt.NDArray[np.int64] = (columns * factors[:, np.newaxis]).sum(axis=0)
    return numbers


class _RollingKeys:
    """Keys of runs of words of any length, each in the same time (Karp and Rabin, 1987; two prime moduli).

    Args:
        ids: The words, (words,); -1 for one that is in no spelling.
    """

    def __init__(self, ids: Offsets) -> None:
        self._sides = []
        for prime, base in _MODULI:
            powers = _list_powers(base, prime, len(ids))
            sums = np.append(0, np.cumsum((ids + 2) * powers % prime))
            self._sides.append((prime, powers, sums))

    def find(self, starts: Offsets, size: int) -> npt.NDArray[np.int64]:
        """Give the key of the run of so many words from each start, (starts,)."""
        keys = np.zeros(len(starts), np.int64)
        for prime, powers, sums in self._sides:
            run = (sums[starts + size] - sums[starts]) % prime
            # All runs are moved to one place, so that the same words have the same key wherever they stand.
            key = run * _invert(powers[starts], prime) % prime
            keys = keys * np.int64(1 << 31) + key
        return keys


def _list_powers(base: int, prime: int, count: int) -> npt.NDArray[np.int64]:
    powers = np.ones(1, np.int64)
    while len(powers) < count:
        step = pow(base, len(powers), prime)
        powers = np.concatenate([powers, powers * step % prime])
    return powers[:count]


def _invert(numbers: npt.NDArray[np.int64], prime: int) -> npt.NDArray[np.int64]:
    """Inverses modulo a prime, by Fermat's little theorem."""
    inverse, power, left = np.ones(len(numbers), np.int64), numbers % prime, prime - 2
    while left:
        if left & 1:
            inverse = inverse * power % prime
        power, left = power * power % prime, left >> 1
    return inverse


def _find_spellings(
    spellings: _Spellings, ids: Offsets, owners: Offsets, rolling: _RollingKeys | None
) -> FoundTexts:
    """Where spellings of one number of words stand among words."""
    size = spellings.words.shape[1]
    starts = np.flatnonzero((ids >= 0) & spellings.has_first.take(ids, mode="clip"))
    starts = starts[starts + size <= len(ids)]
    starts = starts[owners[starts + size - 1] == owners[starts]]
    is_wide = size > _WIDE
    if is_wide:
        assert rolling is not None
        keys = rolling.find(starts, size)
    else:
        words = ids[starts[:, np.newaxis] + np.arange(size)]
        keys = _number(words.T)
    place = np.minimum(np.searchsorted(spellings.keys, keys), len(spellings.keys) - 1)
    is_same = spellings.keys[place] == keys if is_wide else (spellings.words[place] == words).all(axis=1)
    starts = starts[is_same]
    return FoundTexts(starts, starts + size, spellings.numbers[place[is_same]], owners[starts])


def _put_marks(values: pa.Array, packed: Packed, words: _Words, hits: FoundTexts) -> pa.Array:
    """Texts with a mark in the place of what was found."""
    if not len(hits.starts):
        return values
    starts, stops = words.starts[hits.starts], words.stops[hits.stops - 1]
    which = np.zeros(len(starts), np.int64)
    return pack(splice(packed, starts, stops, pa.array([FOUND_MARK], TEXT), which, hits.owners), values)


def _mark_denied(packed: Packed, words: _Words, hits: FoundTexts) -> Mask:
    """Which hits stand behind a word that denies what follows, with few words and no punctuation between."""
    is_denied = np.zeros(len(hits.starts), np.bool_)
    first_of_text = np.searchsorted(words.owners, hits.owners)
    is_break = np.isin(packed.data, np.frombuffer(_BREAKS, np.uint8))
    breaks = np.append(0, np.cumsum(is_break))
    for back in range(1, _DENIED_WORDS + 1):
        place = hits.starts - back
        some = np.flatnonzero((place >= first_of_text) & ~is_denied)
        at = place[some]
        texts = pc.utf8_lower(slices(packed, words.starts[at], words.stops[at]))
        denies = to_mask(pc.is_in(texts, pa.array(DENYING_WORDS, TEXT)))
        is_joined = breaks[words.stops[at]] == breaks[words.starts[hits.starts[some]]]
        # Before a number, `no` says that it is one.
        follows = words.starts[np.minimum(at + 1, len(words.starts) - 1)]
        is_number = is_between(packed.data[follows], "0", "9")
        is_denied[some] = denies & is_joined & ~is_number
    return is_denied


def _high_bits(hashes: Hashes) -> npt.NDArray[np.int64]:
    return (hashes >> np.uint64(64 - _FILTER_BITS)).astype(np.int64)


def _are_equal(one: pa.Array, other: pa.Array) -> Mask:
    same: Mask = pc.equal(one, other).to_numpy(zero_copy_only=False)
    return same
