"""Endings by which entries of a list differ from one another, such as the s of plurals.

A value that differs from an entry by nothing else may well be a word of its own that the list lacks.
"""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from igual.matching.pairs import Ints, expand_spans, find_run_starts
from igual.matching.texts import Matrix, Texts

Floats = npt.NDArray[np.float64]
_Hashes = npt.NDArray[np.uint64]

_SHORTEST_STEM, _LONGEST_ENDING = 4, 3
# Stems that more entries have are passed over, and so are pairs of endings that fewer have; shares of few entries are
# drawn towards none by so many.
_CROWD, _FEWEST, _DOUBTFUL = 30, 3, 10
_BITS = 16
_FACTOR = np.uint64(0x9E3779B97F4A7C15)


class Endings:
    """Pairs of endings that entries with one stem have.

    Args:
        entries: Their letters.
    """

    def __init__(self, entries: Texts) -> None:
        stem, ending = _cut_endings(entries)
        order = np.lexsort((ending, stem))
        stem, ending = stem[order], ending[order]
        known, of_ending = np.unique(ending, return_counts=True)
        starts, sizes = find_run_starts(stem)
        few = (sizes > 1) & (sizes <= _CROWD)
        starts, sizes = starts[few], sizes[few]
        one = np.repeat(expand_spans(starts, sizes), np.repeat(sizes, sizes))
        other = expand_spans(np.repeat(starts, sizes), np.repeat(sizes, sizes))
        apart = _first_of(ending[one]) != _first_of(ending[other])
        pairs, counts = np.unique(_pair(ending[one[apart]], ending[other[apart]]), return_counts=True)
        sample = np.zeros(len(pairs), np.uint64)
        sample[np.searchsorted(pairs, _pair(ending[one[apart]], ending[other[apart]]))] = ending[one[apart]]
        share = counts / (of_ending[np.searchsorted(known, sample)] + _DOUBTFUL) if len(pairs) else counts
        kept = counts >= _FEWEST
        self._pairs, self._shares = pairs[kept], share[kept].astype(np.float64)

    def share(self, values: Texts, entries: Texts, value_idx: Ints, entry_idx: Ints) -> Floats:
        """Find how many entries with the ending of an entry have a sibling with that of a value.

        Args:
            values: Letters of values.
            entries: Letters of entries.
            value_idx: Positions of values, (pairs,).
            entry_idx: Positions of entries, (pairs,).

        Returns:
            A share, 0 where the two differ otherwise, (pairs,).
        """
        shares = np.zeros(len(value_idx))
        if not len(self._pairs) or not len(value_idx):
            return shares
        width = min(values.characters.shape[1], entries.characters.shape[1])
        lengths = values.lengths[value_idx], entries.lengths[entry_idx]
        maybe = np.flatnonzero(
            (np.abs(lengths[0] - lengths[1]) <= _LONGEST_ENDING) & (np.minimum(*lengths) >= _SHORTEST_STEM)
        )
        rows = value_idx[maybe], entry_idx[maybe]
        same = values.characters[rows[0], :width] == entries.characters[rows[1], :width]
        shortest = np.minimum(lengths[0][maybe], lengths[1][maybe])
        stem = np.minimum(np.logical_and.accumulate(same, axis=1).sum(axis=1), shortest)
        longest = np.maximum(lengths[0][maybe], lengths[1][maybe]) - stem
        near = (stem >= _SHORTEST_STEM) & (longest <= _LONGEST_ENDING)
        maybe, stem = maybe[near], stem[near]
        endings = [
            _pack(texts.characters, texts.lengths, places[maybe], stem)
            for texts, places in ((entries, entry_idx), (values, value_idx))
        ]
        pairs = _pair(*endings)
        positions = np.minimum(np.searchsorted(self._pairs, pairs), len(self._pairs) - 1)
        shares[maybe] = np.where(self._pairs[positions] == pairs, self._shares[positions], 0)
        return shares


def _cut_endings(texts: Texts) -> tuple[_Hashes, _Hashes]:
    """The hash of each stem of each text, and its ending, packed, (stems,) each."""
    stems, endings = [np.zeros(0, np.uint64)], [np.zeros(0, np.uint64)]
    for _, some in texts.by_width:
        width = some.characters.shape[1]
        hashes = np.zeros((len(some), width + 1), np.uint64)
        for column in range(width):
            hashes[:, column + 1] = (hashes[:, column] + some.characters[:, column] + np.uint64(1)) * _FACTOR
            hashes[:, column + 1] ^= hashes[:, column + 1] >> np.uint64(29)
        for size in range(_LONGEST_ENDING + 1):
            rows = np.flatnonzero(some.lengths >= _SHORTEST_STEM + size)
            stem = some.lengths[rows] - size
            stems.append(hashes[rows, stem])
            endings.append(_pack(some.characters, some.lengths, rows, stem))
    return np.concatenate(stems), np.concatenate(endings)


def _pack(characters: Matrix, lengths: Ints, rows: Ints, stem: Ints) -> _Hashes:
    """The characters behind the stem of some texts, in one number each, the first in the lowest bits."""
    packed = np.zeros(len(rows), np.uint64)
    for place in range(_LONGEST_ENDING):
        column = np.minimum(stem + place, characters.shape[1] - 1)
        there = stem + place < lengths[rows]
        packed |= np.where(there, characters[rows, column], 0).astype(np.uint64) << np.uint64(_BITS * place)
    return packed


def _first_of(endings: _Hashes) -> _Hashes:
    first: _Hashes = endings & np.uint64((1 << _BITS) - 1)
    return first


def _pair(one: _Hashes, other: _Hashes) -> _Hashes:
    """Two endings in one number."""
    mixed = one * _FACTOR
    pair: _Hashes = (mixed ^ (mixed >> np.uint64(31))) * _FACTOR + other
    return pair
