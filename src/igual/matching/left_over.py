"""Words of a text that stand for none of the other text."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from igual.column import Mask
from igual.matching.pairs import Ints, expand_spans, number_within_runs
from igual.matching.words import Words


class LeftOver(NamedTuple):
    """Words of one side that stand for none, (words,) each.

    Attributes:
        pair: The pair.
        ids: The word, its place in the vocabulary of its side.
        place: Which word of its text it is.
        gap: How many words before it stand for others.
        is_last: Whether it is the last.
        is_aside: Whether it stands in a part of which no word stands for any.
        in_brackets: Whether such a part stands in brackets.
    """

    pair: Ints
    ids: Ints
    place: Ints
    gap: Ints
    is_last: Mask
    is_aside: Mask
    in_brackets: Mask

    def without(self, places: Ints) -> LeftOver:
        """Leave some of them out."""
        kept = np.ones(len(self.pair), np.bool_)
        kept[places] = False
        return self.take(kept)

    def take(self, places: Mask | Ints) -> LeftOver:
        """Choose some of them."""
        return LeftOver(
            self.pair[places],
            self.ids[places],
            self.place[places],
            self.gap[places],
            self.is_last[places],
            self.is_aside[places],
            self.in_brackets[places],
        )


def find_left_over(words: Words, places: Ints, pair_taken: Ints, word_taken: Ints) -> LeftOver:
    """Find the words of texts that stand for none of the other side.

    Args:
        words: The words of one side.
        places: The text of each pair, (pairs,).
        pair_taken: The pair of each word that stands for one, (taken,).
        word_taken: Its place in its text, (taken,).

    Returns:
        The other words.
    """
    counts = words.counts[places]
    pair = np.repeat(np.arange(len(places)), counts)
    word = number_within_runs(counts)
    flat = expand_spans(words.starts[places], counts)
    taken = np.zeros(len(pair), np.bool_)
    taken[(np.cumsum(counts) - counts)[pair_taken] + word_taken] = True
    parts = words.parts[flat]
    most = int(parts.max(initial=0)) + 1
    part = pair * most + parts
    is_met = np.zeros(len(places) * most, np.bool_)
    is_met[part[taken]] = True
    left = np.flatnonzero(~taken)
    met_before = np.append(0, np.cumsum(taken))
    gap = met_before[:-1] - met_before[np.cumsum(counts) - counts][pair]
    return LeftOver(
        pair[left],
        words.ids[flat[left]],
        word[left],
        gap[left],
        word[left] == counts[pair[left]] - 1,
        ~is_met[part[left]],
        words.in_brackets[flat[left]],
    )
