"""Candidates within two edits: texts that become the same when up to two characters are left out of each.

Two texts within an edit distance of two (swapped neighbours counting as one edit) share a text that is left of
each when at most two characters are deleted. The texts with characters deleted are never made: their hashes
come from prefix sums, one addition each, and equal hashes are found by sorting.
"""

from __future__ import annotations

import math
from collections.abc import Iterator

import numpy as np
import numpy.typing as npt

from igual.matching.pairs import Ints, expand_spans, mark_run_starts, sort_distinct_pairs, split_runs
from igual.matching.scope import Scope, keep_allowed
from igual.matching.texts import Texts

Hashes = npt.NDArray[np.uint64]

_BASE = 0x9E3779B97F4A7C15  # odd, so that it has an inverse modulo 2^64
_SPREAD = np.uint64(0xBF58476D1CE4E5B9)
_FILTER_BITS = 27
# Texts longer than this have too many pairs of characters to delete; they are found by their words.
_TWO_DELETIONS = range(4, 25)
_CROWD, _EVER_SO_MANY = 40, 2000
# So many texts, keys or meetings are worked on at a time.
_TEXTS, _BLOCK = 4096, 1 << 20
_NO_HASHES, _NO_PLACES = np.zeros(0, np.uint64), np.zeros(0, np.int64)


def deletions(length: int) -> int:
    """How many characters may be left out of a text of a length."""
    if length < 2:
        return 0
    return 2 if length in _TWO_DELETIONS else 1


def _hashes(characters: npt.NDArray[np.uint16], away: int) -> Hashes:
    """Hashes of texts of one length with up to `away` characters left out, (texts, ways to leave out).

    A text's hash is the sum of c(i) * BASE^i modulo 2^64, c(i) a scattered character.
    """
    length = characters.shape[1]
    inverse = pow(_BASE, -1, 1 << 64)
    powers = np.array([pow(_BASE, i, 1 << 64) for i in range(length)], np.uint64)
    once, twice = np.uint64(inverse), np.uint64(inverse * inverse % (1 << 64))
    scattered = _mix_bits(characters.astype(np.uint64))
    prefix = np.zeros((len(characters), length + 1), np.uint64)
    np.cumsum(scattered * powers, axis=1, out=prefix[:, 1:])
    whole = prefix[:, -1:]
    # What stands behind a deleted character moves one place forward: its part is divided by BASE once.
    first = prefix[:, :-1] - prefix[:, 1:] * once
    ways = [whole]
    if away >= 1:
        ways.append(first + whole * once)
    if away >= 2:
        second = prefix[:, :-1] * once - prefix[:, 1:] * twice + whole * twice
        one, other = np.triu_indices(length, 1)
        ways.append(first[:, one] + second[:, other])
    return _mix_bits(np.concatenate(ways, axis=1))


def _count_ways(length: int, most: int) -> int:
    """How many hashes a text of a length has."""
    return sum(math.comb(length, away) for away in range(min(deletions(length), most) + 1))


def _mix_bits(numbers: Hashes) -> Hashes:
    numbers = (numbers ^ (numbers >> np.uint64(31))) * _SPREAD
    return (numbers ^ (numbers >> np.uint64(29))) * _SPREAD


def _keep_shared(keys: Hashes, bits: np.uint64) -> Hashes:
    """The sorted keys whose hash several have, in the room of all of them at first."""
    kept, last = 0, None
    for start in range(0, len(keys), _BLOCK):
        block = keys[start : start + _BLOCK]
        hashes = keys[start : start + _BLOCK + 1] >> bits
        is_next_same = hashes[1:] == hashes[:-1]
        is_shared = np.zeros(len(block) + 1, np.bool_)
        is_shared[: len(is_next_same)] = is_next_same
        is_shared[1 : len(is_next_same) + 1] |= is_next_same
        is_shared[0] |= last is not None and hashes[0] == last
        last = hashes[len(block) - 1]
        shared = block[is_shared[:-1]]
        keys[kept : kept + len(shared)] = shared
        kept += len(shared)
    return keys[:kept].copy()


class Deletions:
    """An index of entries by what is left when characters are deleted.

    Args:
        most: Leave out at most so many; 0 finds entries that are the same.
        among_themselves: Only entries are looked for: what is left of one alone leads to no other.
    """

    def __init__(self, entries: Texts, most: int = 2, *, among_themselves: bool = False) -> None:
        self._most = most
        self._bits = np.uint64(max(len(entries) - 1, 1).bit_length())
        keys = self._pack(entries)
        keys.sort()
        if among_themselves:
            keys = _keep_shared(keys, self._bits)
        # Most hashes of a value meet no entry's: a table of their first bits says so at once.
        self._filter_shift = np.uint64(64 - min(max(len(keys).bit_length() + 4, 10), _FILTER_BITS))
        self._occurs = np.zeros(1 << (64 - int(self._filter_shift)), np.bool_)
        self._owners = np.empty(len(keys), np.int32)
        # Where each hash begins among the owners, and one more, where the last ends.
        begins = []
        distinct, last = 0, None
        for start in range(0, len(keys), _BLOCK):
            block = keys[start : start + _BLOCK]
            self._occurs[block >> self._filter_shift] = True
            self._owners[start : start + _BLOCK] = block & ((np.uint64(1) << self._bits) - np.uint64(1))
            hashes = block >> self._bits
            is_first = mark_run_starts(hashes)
            is_first[0] = last is None or hashes[0] != last
            last = hashes[-1]
            begins.append((start + np.flatnonzero(is_first)).astype(np.uint32))
            # There are at most as many hashes as keys, which are done with: the hashes take their room.
            keys[distinct : distinct + len(begins[-1])] = hashes[is_first]
            distinct += len(begins[-1])
        self._hashes = keys[:distinct]
        self._begins = np.concatenate([*begins, np.array([len(keys)], np.uint32)])

    def pairs(self, values: Texts, scope: Scope | None = None) -> tuple[Ints, Ints]:
        """Values and entries that may be within two edits: places in both, sorted, no pair twice.

        What is left of many entries says little about any: where two characters of a value are left out, such
        meetings are passed over.
        """
        hashes, askers, crowds = [_NO_HASHES], [_NO_PLACES], [_NO_PLACES]
        for places, deleted in self._delete(values):
            row, way = np.nonzero(self._occurs[deleted >> self._filter_shift])
            hashes.append(deleted[row, way] >> self._bits)
            askers.append(places[row])
            length = values.lengths[places[0]]
            crowds.append(np.where((way > length) & (scope is None), _CROWD, _EVER_SO_MANY))
        wanted, asker, crowd = np.concatenate(hashes), np.concatenate(askers), np.concatenate(crowds)
        order = np.argsort(wanted)
        wanted, asker, crowd = wanted[order], asker[order], crowd[order]
        place = np.minimum(np.searchsorted(self._hashes, wanted), max(len(self._hashes) - 1, 0))
        met = np.flatnonzero(self._hashes[place] == wanted) if len(self._hashes) else place[:0]
        met = met[np.argsort(asker[met], kind="stable")]
        begin, asker = self._begins[place[met]].astype(np.int64), asker[met]
        times = self._begins[place[met] + 1] - begin
        times[times > crowd[met]] = 0
        pairs = []
        for some in split_runs(asker, times, _BLOCK):
            owner = self._owners[expand_spans(begin[some], times[some])].astype(np.int64)
            met_pairs = keep_allowed(scope, np.repeat(asker[some], times[some]), owner)
            pairs.append(sort_distinct_pairs(*met_pairs))
        value_idx, entry_idx = zip(*pairs, strict=True)
        return np.concatenate(value_idx), np.concatenate(entry_idx)

    def _pack(self, texts: Texts) -> Hashes:
        """The first bits of each hash, with the place of its text in the last."""
        counts = (len(places) * _count_ways(length, self._most) for length, places in texts.by_length)
        packed, end = np.empty(sum(counts), np.uint64), 0
        for places, hashes in self._delete(texts):
            keys = (hashes >> self._bits << self._bits) | places.astype(np.uint64)[:, None]
            packed[end : end + keys.size] = keys.ravel()
            end += keys.size
        return packed

    def _delete(self, texts: Texts) -> Iterator[tuple[Ints, Hashes]]:
        """Texts of one length, some at a time: their places, and hashes of what may be left of each."""
        for length, places in texts.by_length:
            away = min(deletions(length), self._most)
            for start in range(0, len(places), _TEXTS):
                some = places[start : start + _TEXTS]
                yield some, _hashes(texts.characters[some, :length], away)
