"""Candidates within two edits: texts that become the same when up to two characters are left out of each.

Two texts within an edit distance of two (swapped neighbours counting as one edit) share a text that is left of
each when at most two characters are deleted. The texts with characters deleted are never made: their hashes
come from prefix sums, one addition each, and equal hashes are found by sorting.
"""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from igual.matching.pairs import Ints, expand_spans, find_run_starts, sort_distinct_pairs
from igual.matching.texts import Texts

Hashes = npt.NDArray[np.uint64]

_BASE = 0x9E3779B97F4A7C15  # odd, so that it has an inverse modulo 2^64
_SPREAD = np.uint64(0xBF58476D1CE4E5B9)
_FILTER_BITS = 27
# Texts longer than this have too many pairs of characters to delete; they are found by their words.
_TWO_DELETIONS = range(4, 25)
_CROWD, _EVER_SO_MANY = 40, 2000
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


def _mix_bits(numbers: Hashes) -> Hashes:
    numbers = (numbers ^ (numbers >> np.uint64(31))) * _SPREAD
    return (numbers ^ (numbers >> np.uint64(29))) * _SPREAD


class Deletions:
    """An index of entries by what is left when characters are deleted.

    Args:
        most: Leave out at most so many; 0 finds entries that are the same.
    """

    def __init__(self, entries: Texts, most: int = 2) -> None:
        self._most = most
        self._bits = np.uint64(max(len(entries) - 1, 1).bit_length())
        keys = self._packed(entries)
        keys.sort()
        hashes = keys >> self._bits
        # Where each hash begins among the owners, and one more, where the last ends.
        begins, _ = find_run_starts(hashes)
        self._hashes = hashes[begins]
        self._begins = np.append(begins, len(hashes)).astype(np.uint32)
        self._owners = (keys & ((np.uint64(1) << self._bits) - np.uint64(1))).astype(np.int32)
        # Most hashes of a value meet no entry's: a table of their first bits says so at once.
        self._filter_shift = np.uint64(64 - min(max(len(keys).bit_length() + 4, 10), _FILTER_BITS))
        self._occurs = np.zeros(1 << (64 - int(self._filter_shift)), np.bool_)
        self._occurs[keys >> self._filter_shift] = True

    def pairs(self, values: Texts) -> tuple[Ints, Ints]:
        """Values and entries that may be within two edits: places in both, sorted, no pair twice.

        What is left of many entries says little about any: where two characters of a value are left out, such
        meetings are passed over.
        """
        hashes, askers, crowds = [_NO_HASHES], [_NO_PLACES], [_NO_PLACES]
        for length, places in values.by_length:
            deleted = _hashes(values.characters[places, :length], min(deletions(length), self._most))
            row, way = np.nonzero(self._occurs[deleted >> self._filter_shift])
            hashes.append(deleted[row, way] >> self._bits)
            askers.append(places[row])
            crowds.append(np.where(way > length, _CROWD, _EVER_SO_MANY))
        wanted, asker, crowd = np.concatenate(hashes), np.concatenate(askers), np.concatenate(crowds)
        order = np.argsort(wanted)
        wanted, asker, crowd = wanted[order], asker[order], crowd[order]
        place = np.minimum(np.searchsorted(self._hashes, wanted), max(len(self._hashes) - 1, 0))
        met = np.flatnonzero(self._hashes[place] == wanted) if len(self._hashes) else place[:0]
        begin = self._begins[place[met]].astype(np.int64)
        times = self._begins[place[met] + 1] - begin
        times[times > crowd[met]] = 0
        owner = self._owners[expand_spans(begin, times)].astype(np.int64)
        return sort_distinct_pairs(np.repeat(asker[met], times), owner)

    def _packed(self, texts: Texts) -> Hashes:
        """The first bits of each hash, with the place of its text in the last."""
        parts = [_NO_HASHES]
        for length, places in texts.by_length:
            hashes = _hashes(texts.characters[places, :length], min(deletions(length), self._most))
            parts.append(((hashes >> self._bits << self._bits) | places.astype(np.uint64)[:, None]).ravel())
        return np.concatenate(parts)
