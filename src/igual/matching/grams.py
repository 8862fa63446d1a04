"""Candidates that share rare bits of text: for whatever deletions don't reach.

Texts are cut into runs of three characters (q-grams), once as they are written and once as their consonants
sound. Entries that share rare ones with a value come first: by cosine with TF-IDF weights, and by how much of
the value they cover. Frequencies come from the list alone.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
import numpy.typing as npt

from igual.matching.pairs import Ints, number_within_runs, sort_distinct_pairs
from igual.matching.scope import Scope
from igual.matching.sounds import consonants
from igual.matching.texts import Texts
from igual.text.packed import mark

if TYPE_CHECKING:
    from scipy import sparse

# A number of a q-gram has twenty bits; few of them are of a short list.
_NUMBERS = 1 << 20
_SPACE = ord(" ")
# q-grams that more entries share say too little: a share of the list, and a number for long lists.
_COMMON_SHARE, _COMMON = 0.02, 800
_FEW = 60
_BY_COSINE, _BY_COVER = 20, 8
_ROW_BITS = 10
_BLOCK = 1 << _ROW_BITS
_WORTH = np.float32(0.35)
Hashes = npt.NDArray[np.uint64]


def _runs(texts: Texts, seed: int) -> tuple[Ints, Ints]:
    """Places of texts, and a number for each run of three characters within a word and its borders."""
    width = texts.characters.shape[1]
    padded = np.full((len(texts), width + 2), _SPACE, np.uint16)
    padded[:, 1:-1] = np.where(texts.characters == 0, np.uint16(_SPACE), texts.characters)
    written = padded.ravel()
    places = np.flatnonzero(written != _SPACE)
    first, middle, last = (written[places + beside].astype(np.uint64) for beside in (-1, 0, 1))
    high, low = first << np.uint64(32), middle << np.uint64(16)
    number = ((high | low | last) + np.uint64(seed)) * np.uint64(0x9E3779B97F4A7C15)
    return places // (width + 2), (number >> np.uint64(44)).astype(np.int64)


def _list_grams(texts: Texts, sounded: Texts) -> tuple[Ints, Ints]:
    """Places of texts, and a number for each q-gram that they have, or that their consonants have."""
    kinds = _runs(texts, 1), _runs(consonants(sounded), 2)
    rows, numbers = (np.concatenate(both) for both in zip(*kinds, strict=True))
    return rows, numbers


def _mark_grams(rows: Ints, columns: npt.NDArray[np.int32], shape: tuple[int, int]) -> sparse.csr_array:
    """Which q-grams each text has, (texts, columns)."""
    from scipy import sparse  # it takes a sixth of a second to load, and not every list needs it

    counts = sparse.csr_array((np.ones(len(rows), np.float32), (rows, columns)), shape=shape)
    counts.sum_duplicates()
    counts.data[:] = 1
    return counts


class Grams:
    """An index of entries by their q-grams. entries, sounded: their words and sounds, with single spaces."""

    def __init__(self, entries: Texts, sounded: Texts) -> None:
        rows, numbers = _list_grams(entries, sounded)
        known = np.flatnonzero(mark(_NUMBERS, numbers))
        self._columns = np.full(_NUMBERS, -1, np.int32)
        self._columns[known] = np.arange(len(known))
        counted = _mark_grams(rows, self._columns[numbers], (len(entries), len(known)))
        shared = np.bincount(counted.indices, minlength=len(known))
        self._weights = np.log1p(len(entries) / np.maximum(shared, 1)).astype(np.float32)
        most = max(_FEW, min(_COMMON_SHARE * len(entries), _COMMON))
        weighted = self._weights[counted.indices]
        counted.data = weighted**2
        norms = np.sqrt(counted.sum(axis=1))
        self._norms = np.maximum(norms, 1e-6).astype(np.float32)
        counted.data = np.where(shared[counted.indices] > most, 0, weighted).astype(np.float32)
        counted.eliminate_zeros()
        self._by_gram = counted.T.tocsr()

    def pairs(self, values: Texts, sounded: Texts, scope: Scope | None = None) -> tuple[Ints, Ints]:
        """Values and the entries that share most with each: places in both, sorted, no pair twice."""
        blocks = [np.arange(at, min(at + _BLOCK, len(values))) for at in range(0, len(values), _BLOCK)]
        pairs_of_blocks = [
            self._pairs(
                block[0],
                values.take(block),
                sounded.take(block),
                None if scope is None else scope.take(block),
            )
            for block in blocks
        ]
        if not pairs_of_blocks:
            return np.zeros(0, np.int64), np.zeros(0, np.int64)
        value_idx, entry_idx = (np.concatenate(parts) for parts in zip(*pairs_of_blocks, strict=True))
        return value_idx, entry_idx

    def _pairs(self, start: int, values: Texts, sounded: Texts, scope: Scope | None) -> tuple[Ints, Ints]:
        rows, numbers = _list_grams(values, sounded)
        columns = self._columns[numbers]
        # What no entry has tells nothing.
        is_known = columns >= 0
        shape = len(values), len(self._weights)
        counted = _mark_grams(rows[is_known], columns[is_known], shape)
        counted.data = self._weights[counted.indices]
        shared = (counted @ self._by_gram).tocsr()
        if scope is not None:
            asker = np.repeat(np.arange(len(values)), np.diff(shared.indptr))
            shared.data[~scope.allows(asker, shared.indices)] = 0
            shared.eliminate_zeros()
        # Entries that cover little of a value, next to what the best covers, are let go at once.
        sizes = np.diff(shared.indptr)
        filled = np.flatnonzero(sizes)
        if not len(filled):
            return np.zeros(0, np.int64), np.zeros(0, np.int64)
        top = np.maximum.reduceat(shared.data, shared.indptr[filled])
        worth = np.flatnonzero(shared.data >= np.repeat(top * _WORTH, sizes[filled]))
        rows = np.repeat(np.arange(len(sizes)), np.diff(np.searchsorted(worth, shared.indptr)))
        entries, cover = shared.indices[worth].astype(np.uint64), shared.data[worth]
        norms = self._norms[shared.indices[worth]]
        # Of entries that cover as much of a value, the shorter ones.
        best = (
            _best(rows, entries, cover / norms, _BY_COSINE),
            _best(rows, entries, cover - norms * np.float32(1e-3), _BY_COVER),
        )
        value_idx, entry_idx = sort_distinct_pairs(
            np.concatenate([row for row, _ in best]), np.concatenate([entry for _, entry in best])
        )
        return value_idx + start, entry_idx


def _best(rows: Ints, entries: Hashes, score: npt.NDArray[np.float32], most: int) -> tuple[Ints, Ints]:
    """The best so many entries of each row; ties go to the entry that stands first.

    Row, score and entry are put into one number, which sorts much faster than three.
    """
    bits = max(int(entries.max()).bit_length(), 1)
    # The bits of a positive number with a floating point rise with it.
    falling = np.uint64(0xFFFFFFFF) - np.maximum(score, 0).view(np.uint32).astype(np.uint64)
    dropped = max(_ROW_BITS + 32 + bits - 64, 0)
    ranked = rows.astype(np.uint64) << np.uint64(32 - dropped) | falling >> np.uint64(dropped)
    ranked = np.sort(ranked << np.uint64(bits) | entries)
    row = (ranked >> np.uint64(bits + 32 - dropped)).astype(np.int64)
    sizes = np.bincount(row)
    first = number_within_runs(sizes) < most
    entry = ranked[first] & ((np.uint64(1) << np.uint64(bits)) - np.uint64(1))
    return row[first], entry.astype(np.int64)
