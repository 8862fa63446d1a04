"""Words that only one of a value and an entry has, and that may make them different things."""

from __future__ import annotations

from collections.abc import Iterator
from typing import NamedTuple

import numpy as np
import pyarrow as pa

from igual.column import Mask
from igual.matching.alignment import STEM
from igual.matching.left_over import LeftOver
from igual.matching.pairs import Ints
from igual.matching.wording import MOST_GAPS, SideInformation, WordByWord, Wording
from igual.matching.words import Words

# From which share on a word tells apart, and from which rarity on it tells nearly all.
_APART, _RARE, _BOTH_RARE = 0.25, 0.75, 0.5


class Distinguishing(NamedTuple):
    """A word that only one of a pair has.

    Attributes:
        pair: The pair.
        word: The word.
        place: Its place in the vocabulary of the entries where it tells these apart, else -1.
    """

    pair: int
    word: str
    place: int


def find_distinguishing(
    wording: Wording, values: Words, value_idx: Ints, entry_idx: Ints, one_sided: Mask
) -> Iterator[Distinguishing]:
    """Find words that only one of a pair has, and that tell entries apart, replace another or are entries.

    Of words that are forms of one, such as `Turkish` and `Turkey`, each may be a word of its own, too.

    Args:
        wording: The words of the entries.
        values: The words of values.
        value_idx: Positions of values, (pairs,).
        entry_idx: Positions of entries, (pairs,).
        one_sided: Pairs in which such words only count where the other text has no word left over, and letters
            that stand alone in the value count always, (pairs,).

    Yields:
        Each such word.
    """
    pairs = len(value_idx)
    compared = wording.align(values, value_idx, entry_idx)
    sides = [
        (left.take(~told.is_small[left.ids]), told)
        for left, told in zip(compared.left, compared.told, strict=True)
    ]
    left_of = [np.bincount(left.pair, minlength=pairs) > 0 for left, _ in sides]
    counts = ~one_sided | (left_of[0] != left_of[1])
    in_brackets = _mark_met_in_brackets((values, wording.entries), (value_idx, entry_idx), compared)
    matters = _mark_mattering(wording, values, one_sided, sides)
    for side, (words, (left, told)) in enumerate(zip((values, wording.entries), sides, strict=True)):
        matter = matters[side] | (in_brackets[side][left.pair] & ~left.in_brackets)
        # What follows a name makes another of it (`Dawlish Warren`) sooner than what stands before it.
        follows = (side == 0) & (told.entries[left.ids] <= 1) & (left.gap > 0) & ~left.is_aside
        some = (matter | follows) & counts[left.pair]
        ids = left.ids[some]
        texts = words.vocabulary.take(pa.array(ids)).to_pylist()
        places = np.where(told.apart[ids] >= _APART, words.known[ids], -1)
        columns = left.pair[some].tolist(), texts, places.tolist()
        yield from map(Distinguishing._make, zip(*columns, strict=True))
    aligned = compared.aligned
    forms = aligned.take(np.flatnonzero((aligned.how == STEM) & ~one_sided[aligned.pair]))
    for pair, value_word, entry_word in zip(*(column.tolist() for column in forms[:3]), strict=True):
        word = values.texts_of(int(value_idx[pair]))[value_word]
        if not _is_same_word(word, wording.entries.texts_of(int(entry_idx[pair]))[entry_word]):
            yield Distinguishing(pair, word, -1)


def _is_same_word(word: str, other: str) -> bool:
    """Whether one of two words of one stem is cut, or both are one but for their number."""
    cut = word.startswith(other) or other.startswith(word)
    return cut or word.removesuffix("ies") + "y" == other or other.removesuffix("ies") + "y" == word


def _mark_mattering(
    wording: Wording, values: Words, one_sided: Mask, sides: list[tuple[LeftOver, SideInformation]]
) -> tuple[Mask, Mask]:
    """Which words that are left over may matter, of the value and of the entry."""
    (extra, extra_told), (missing, missing_told) = sides
    rarity = [np.bincount(left.pair, told.rarity[left.ids], len(one_sided)) for left, told in sides]
    both = np.minimum(*rarity) > _BOTH_RARE
    extra_gap, missing_gap = (left.pair * MOST_GAPS + left.gap for left, _ in sides)
    return (
        np.isin(extra_gap, missing_gap)
        | extra_told.excludes[extra.ids]
        | (extra_told.apart[extra.ids] >= _APART)
        | both[extra.pair]
        | (one_sided[extra.pair] & (values.is_letter | (values.known < 0))[extra.ids])
        | (wording.aligner.entry_of[values.known[extra.ids]] >= 0),
        np.isin(missing_gap, extra_gap)
        | missing_told.excludes[missing.ids]
        | (missing_told.apart[missing.ids] >= _APART)
        | ((missing_told.rarity[missing.ids] > _RARE) & ~missing.is_aside)
        | both[missing.pair],
    )


def _mark_met_in_brackets(
    words: tuple[Words, Words], places: tuple[Ints, Ints], compared: WordByWord
) -> tuple[Mask, Mask]:
    """In which pairs only such words of the value, or of the entry, stand for others as stand in brackets."""
    aligned, pairs = compared.aligned, len(places[0])
    marks = []
    for side, text, word in zip(words, places, (aligned.value_word, aligned.entry_word), strict=True):
        in_brackets = side.in_brackets[side.starts[text[aligned.pair]] + word]
        marks.append(np.bincount(aligned.pair, ~in_brackets, pairs) == 0)
    return marks[0], marks[1]
