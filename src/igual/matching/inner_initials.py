"""Initials inside a name: one word of a text that stands for several of the other, such as UP for University Press."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from igual.column import Mask
from igual.matching.pairs import Ints

# So many letters at least and at most.
_SHORTEST, _LONGEST = 2, 4


class InnerInitials(NamedTuple):
    """Words that stand for several others by their initials.

    Attributes:
        pair: The pair of texts, (found,).
        short: Which of the left-over words of the one side it is, (found,).
        long: Which left-over words of the other side it stands for, (their words,).
        words: The short word and the words it stands for, with spaces between, (found,).
    """

    pair: Ints
    short: Ints
    long: Ints
    words: list[tuple[str, str]]


def mark_maybe_initials(vocabulary: pa.Array, ids: Ints) -> Mask:
    """Mark words that may be initials: a few letters and nothing else.

    Args:
        vocabulary: Words, (vocabulary,).
        ids: Places in it, (words,).

    Returns:
        A flag for each, (words,).
    """
    distinct, back = np.unique(ids, return_inverse=True)
    words = vocabulary.take(pa.array(distinct))
    lengths = pc.utf8_length(words).to_numpy(zero_copy_only=False)
    flags = (
        pc.utf8_is_alpha(words).to_numpy(zero_copy_only=False)
        & (lengths >= _SHORTEST)
        & (lengths <= _LONGEST)
    )
    marked: Mask = flags[back]
    return marked


def find_inner_initials(
    short_pair: Ints,
    short_ids: Ints,
    short_words: pa.Array,
    long_pair: Ints,
    long_ids: Ints,
    long_words: pa.Array,
) -> InnerInitials:
    """Find left-over words that are the initials of consecutive left-over words of the other text.

    Args:
        short_pair: The pair of each left-over word that may be initials, (short,).
        short_ids: The word, (short,).
        short_words: The vocabulary of their side.
        long_pair: The pair of each left-over word of the other side, sorted, in the order of the text, (long,).
        long_ids: The word, (long,).
        long_words: The vocabulary of that side.

    Returns:
        What was found.
    """
    starts = np.searchsorted(long_pair, short_pair)
    ends = np.searchsorted(long_pair, short_pair, "right")
    maybe = np.flatnonzero(ends - starts >= _SHORTEST)
    pair, short, long, words = [], [], [], []
    texts = short_words.take(pa.array(short_ids[maybe])).to_pylist()
    for place, text in zip(maybe.tolist(), texts, strict=True):
        run = range(int(starts[place]), int(ends[place]))
        spelled = long_words.take(pa.array(long_ids[run.start : run.stop])).to_pylist()
        at = "".join(word[:1] for word in spelled).find(text)
        if at >= 0:
            pair.append(int(short_pair[place]))
            short.append(place)
            long += list(run[at : at + len(text)])
            words.append((text, " ".join(spelled[at : at + len(text)])))
    return InnerInitials(np.array(pair, np.int64), np.array(short, np.int64), np.array(long, np.int64), words)
