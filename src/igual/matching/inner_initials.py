"""Initials inside a name: one word of a text that stands for several of the other, such as UP for University Press."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
import numpy.typing as npt
import pyarrow as pa
import pyarrow.compute as pc

from igual.column import Mask, to_mask
from igual.matching.pairs import Ints, expand_spans
from igual.matching.texts import Texts

# So many letters at least and at most.
_SHORTEST, _LONGEST = 2, 4


class InnerInitials(NamedTuple):
    """Words that stand for several others by their initials, (found,) each.

    Attributes:
        pair: The pair of texts.
        short: Which of the left-over words of the one side it is.
        first: The first of the left-over words of the other side that it stands for.
        size: How many these are.
        short_id: The word's place in the vocabulary of its side.
        long_ids: The same for the words that it stands for, those of all one after another.
    """

    pair: Ints
    short: Ints
    first: Ints
    size: Ints
    short_id: Ints
    long_ids: Ints

    @property
    def long(self) -> Ints:
        """All left-over words of the other side that are stood for."""
        return expand_spans(self.first, self.size)


_NOTHING = InnerInitials(*[np.zeros(0, np.int64)] * len(InnerInitials._fields))


def mark_maybe_initials(words: pa.Array, lengths: Ints) -> Mask:
    """Mark words that may be initials: a few letters and nothing else.

    Args:
        words: The words, (words,).
        lengths: How many characters each has, (words,).

    Returns:
        A flag for each, (words,).
    """
    marked: Mask = to_mask(pc.utf8_is_alpha(words)) & (lengths >= _SHORTEST) & (lengths <= _LONGEST)
    return marked


def find_inner_initials(
    short_pair: Ints,
    short_ids: Ints,
    short_words: Texts,
    long_pair: Ints,
    long_ids: Ints,
    long_words: Texts,
    is_small: Mask,
) -> InnerInitials:
    """Find left-over words that are the initials of consecutive left-over words of the other text.

    Args:
        short_pair: The pair of each left-over word that may be initials, (short,).
        short_ids: The word, (short,).
        short_words: The vocabulary of their side.
        long_pair: The pair of each left-over word of the other side, sorted, in the order of the text, (long,).
        long_ids: The word, (long,).
        long_words: The vocabulary of that side.
        is_small: Which words of that vocabulary initials may leave out where they stand between others, (vocabulary,).

    Returns:
        What was found, each short word once.
    """
    if not len(short_ids) or not len(long_ids):
        return _NOTHING
    letters, sizes = short_words.characters[short_ids, :_LONGEST], short_words.lengths[short_ids]
    initials = long_words.characters[long_ids, 0]
    small = is_small[long_ids]
    parts = [_find_runs(short_pair, letters, sizes, long_pair, initials)]
    if small.any():
        some = np.flatnonzero(~small)
        short, first, last = _find_runs(short_pair, letters, sizes, long_pair[some], initials[some])
        parts.append((short, some[first], some[last]))
    short, first, last = (np.concatenate(columns) for columns in zip(*parts, strict=True))
    # Those of all words go first.
    short, once = np.unique(short, return_index=True)
    first, size = first[once], last[once] - first[once] + 1
    long_of_run = long_ids[expand_spans(first, size)]
    return InnerInitials(short_pair[short], short, first, size, short_ids[short], long_of_run)


def _find_runs(
    short_pair: Ints,
    letters: npt.NDArray[np.generic],
    sizes: Ints,
    long_pair: Ints,
    initials: npt.NDArray[np.generic],
) -> tuple[Ints, Ints, Ints]:
    """Which short words have the initials of a run of long ones, and which are the first and the last of these."""
    starts = np.searchsorted(long_pair, short_pair)
    ends = np.searchsorted(long_pair, short_pair, "right")
    # Every place at which the initials may begin.
    places = np.maximum(ends - starts - sizes + 1, 0)
    short = np.repeat(np.arange(len(short_pair)), places)
    first = expand_spans(starts, places)
    same = np.ones(len(first), np.bool_)
    for place in range(letters.shape[1] if len(first) else 0):
        there = place < sizes[short]
        at = np.minimum(first + place, len(initials) - 1)
        same &= ~there | (initials[at] == letters[short, place])
    short, first = short[same], first[same]
    return short, first, first + sizes[short] - 1
