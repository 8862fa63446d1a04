"""The edit distance of two texts, for many pairs at once."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import numpy.typing as npt

Ints = npt.NDArray[np.int64]
_Points = npt.NDArray[np.uint32]

# So many characters of pairs are compared at once.
_BLOCK = 1 << 22


def damerau_levenshtein(texts_a: Sequence[str], texts_b: Sequence[str]) -> Ints:
    """Count the edits that make one text of the other, for many pairs at once.

    Two swapped neighbours are one edit, and no text is edited twice: optimal string alignment (Damerau 1964), by the
    dynamic programme of Wagner and Fischer (1974).

    Args:
        texts_a: Texts, (pairs,).
        texts_b: As many texts, (pairs,).

    Returns:
        Characters to insert, delete, replace or swap, (pairs,).
    """
    distances = np.zeros(len(texts_a), np.int64)
    for places, a, b, lengths in _blocks(texts_a, texts_b):
        rows, columns = a.shape[1], b.shape[1]
        before2, before = None, np.repeat(np.arange(columns + 1)[None, :], len(places), axis=0)
        result = np.where(lengths[0] == 0, lengths[1], -1)
        for row in range(rows):
            now = np.empty_like(before)
            now[:, 0] = row + 1
            differs = a[:, row, None] != b
            # The step from the left is taken by a running minimum of all costs without their columns.
            reached = np.minimum(before[:, 1:] + 1, before[:, :-1] + differs)
            if row and before2 is not None:
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


def _blocks(
    texts_a: Sequence[str], texts_b: Sequence[str]
) -> list[tuple[Ints, _Points, _Points, tuple[Ints, Ints]]]:
    """Pairs of alike length, with their characters (0 behind the end) and lengths."""
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
