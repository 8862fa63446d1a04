"""Textbook measures of how alike two texts are, for many pairs at once."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import numpy.typing as npt
from scipy import sparse

from igual.errors import TableError

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]
_Points = npt.NDArray[np.uint32]

# So many characters of pairs are compared at once.
_BLOCK = 1 << 22
_PREFIX, _PREFIX_WEIGHT = 4, 0.1


def levenshtein(texts_a: Sequence[str], texts_b: Sequence[str]) -> Ints:
    """How many characters must be inserted, deleted or replaced to make one text of the other, (pairs,)."""
    return _distances(texts_a, texts_b, swaps=False)


def damerau_levenshtein(texts_a: Sequence[str], texts_b: Sequence[str]) -> Ints:
    """The same, with two swapped neighbours as one edit and no text edited twice (optimal string alignment)."""
    return _distances(texts_a, texts_b, swaps=True)


def _distances(texts_a: Sequence[str], texts_b: Sequence[str], *, swaps: bool) -> Ints:
    distances = np.zeros(len(texts_a), np.int64)
    for places, a, b, lengths in _blocks(texts_a, texts_b):
        rows, columns = a.shape[1], b.shape[1]
        before2, before = None, np.repeat(np.arange(columns + 1)[None, :], len(places), axis=0)
        result = np.where(lengths[0] == 0, lengths[1], -1)
        for row in range(rows):
            now = np.empty_like(before)
            now[:, 0] = row + 1
            differs = a[:, row, None] != b
            # The step from the left is left out of the vectors, and made up for by a running minimum.
            reached = np.minimum(before[:, 1:] + 1, before[:, :-1] + differs)
            if swaps and row and before2 is not None:
                crossed = (a[:, row, None] == b[:, :-1]) & (a[:, row - 1, None] == b[:, 1:])
                reached[:, 1:] = np.where(
                    crossed, np.minimum(reached[:, 1:], before2[:, :-2] + 1), reached[:, 1:]
                )
            now[:, 1:] = reached
            offsets = np.arange(columns + 1)
            now = np.minimum.accumulate(now - offsets, axis=1) + offsets
            ends = lengths[0] == row + 1
            result[ends] = now[ends, lengths[1][ends]]
            before2, before = before, now
        distances[places] = result
    return distances


def jaro_winkler(texts_a: Sequence[str], texts_b: Sequence[str]) -> Floats:
    """Jaro's similarity, raised where the first four characters agree, (pairs,), from 0 to 1.

    Two empty texts are the same; one empty text is like no other.
    """
    similarity = np.zeros(len(texts_a))
    for places, a, b, lengths in _blocks(texts_a, texts_b):
        size, rows = len(places), np.arange(len(places))
        window = np.maximum(np.maximum(*lengths) // 2 - 1, 0)
        mine, theirs = np.zeros(a.shape, np.bool_), np.zeros(b.shape, np.bool_)
        columns = np.arange(b.shape[1])
        for at in range(a.shape[1]):
            free = (a[:, at, None] == b) & ~theirs & (np.abs(columns - at) <= window[:, None])
            free &= (at < lengths[0])[:, None] & (columns < lengths[1][:, None])
            first = free.argmax(axis=1)
            hit = free[rows, first]
            mine[:, at] = hit
            theirs[rows[hit], first[hit]] = True
        matches = mine.sum(axis=1)
        # The matching characters of both, in order; half of those out of place are transpositions.
        width = max(int(matches.max(initial=0)), 1)
        orders = []
        for text, flags in ((a, mine), (b, theirs)):
            packed = np.zeros((size, width), np.uint32)
            row, column = np.nonzero(flags)
            packed[row, (np.cumsum(flags, axis=1) - 1)[row, column]] = text[row, column]
            orders.append(packed)
        moved = (orders[0] != orders[1]).sum(axis=1) // 2
        some = np.maximum(matches, 1)
        parts = (
            matches / np.maximum(lengths[0], 1)
            + matches / np.maximum(lengths[1], 1)
            + (matches - moved) / some
        )
        jaro = np.where(matches > 0, parts / 3, 0)
        head = min(_PREFIX, a.shape[1], b.shape[1])
        agree = (a[:, :head] == b[:, :head]) & (a[:, :head] != 0)
        prefix = np.logical_and.accumulate(agree, axis=1).sum(axis=1)
        raised = np.where(jaro > _RAISED_ABOVE, jaro + prefix * _PREFIX_WEIGHT * (1 - jaro), jaro)
        similarity[places] = np.where((lengths[0] == 0) & (lengths[1] == 0), 1.0, raised)
    return similarity


# Winkler raises only what is alike to begin with.
_RAISED_ABOVE = 0.7


def qgram_cosine(texts_a: Sequence[str], texts_b: Sequence[str], q: int = 2) -> Floats:
    """The cosine of how often each run of `q` characters occurs in two texts, (pairs,), from 0 to 1.

    Ends count: texts are set between q - 1 blanks. Texts without any run are like their equals only.
    """
    if q < 1:
        raise TableError(f"q-grams need at least one character; found q = {q}")
    if len(texts_a) != len(texts_b):
        raise TableError(f"texts are compared pair by pair; found {len(texts_a):,} and {len(texts_b):,}")
    if not len(texts_a):
        return np.zeros(0)
    pad = "\0" * (q - 1)
    numbers: dict[str, int] = {}
    sides = []
    for texts in (texts_a, texts_b):
        rows, columns = [], []
        for row, text in enumerate(texts):
            padded = f"{pad}{text}{pad}"
            for at in range(len(padded) - q + 1 if text else 0):
                rows.append(row)
                columns.append(numbers.setdefault(padded[at : at + q], len(numbers)))
        sides.append((rows, columns))
    shape = len(texts_a), max(len(numbers), 1)
    first, second = (
        sparse.csr_array((np.ones(len(rows)), (rows, columns)), shape=shape) for rows, columns in sides
    )
    shared = (first * second).sum(axis=1)
    lengths = np.sqrt((first * first).sum(axis=1) * (second * second).sum(axis=1))
    both_empty = np.array([not a and not b for a, b in zip(texts_a, texts_b, strict=True)], np.bool_)
    cosine: Floats = np.where(lengths > 0, shared / np.where(lengths > 0, lengths, 1), both_empty * 1.0)
    return np.minimum(cosine, 1.0)


def _blocks(
    texts_a: Sequence[str], texts_b: Sequence[str]
) -> list[tuple[Ints, _Points, _Points, tuple[Ints, Ints]]]:
    """Pairs of alike length, with their characters (0 behind the end) and lengths."""
    if len(texts_a) != len(texts_b):
        raise TableError(f"texts are compared pair by pair; found {len(texts_a):,} and {len(texts_b):,}")
    lengths = (
        np.array([len(text) for text in texts_a], np.int64),
        np.array([len(text) for text in texts_b], np.int64),
    )
    order = np.argsort(np.maximum(*lengths), kind="stable")
    blocks = []
    start = 0
    while start < len(order):
        end = start + 1
        longest = int(np.maximum(*lengths)[order[start]])
        while end < len(order) and (end - start) * (longest + 1) ** 2 < _BLOCK:
            end += max((end - start) // 4, 1)
            longest = int(np.maximum(*lengths)[order[min(end, len(order)) - 1]])
        places = order[start:end]
        texts = [[side[place] for place in places.tolist()] for side in (texts_a, texts_b)]
        blocks.append(
            (places, _points(texts[0]), _points(texts[1]), (lengths[0][places], lengths[1][places]))
        )
        start = end
    return blocks


def _points(texts: Sequence[str]) -> _Points:
    width = max((len(text) for text in texts), default=0) or 1
    points: _Points = (
        np.array(texts, dtype=f"U{width}").reshape(-1, 1).view(np.uint32).reshape(len(texts), width)
    )
    return points
