"""Similarity by words: the same words in another order, some missing, some cut short.

Each word of the value is set beside the word of the entry that it most cheaply stands for; words left over cost
as much as they say, which is more the fewer entries have them.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from functools import cached_property
from typing import NamedTuple

import numpy as np
import numpy.typing as npt
import pyarrow as pa
import pyarrow.compute as pc

from igual.core.column import TEXT, Mask, as_mask
from igual.core.matching.edits import FAR, UNIT, Edits
from igual.core.matching.texts import Ints, Texts, spans
from igual.core.matching.vocabulary import NUMBERS, Vocabulary

# Words of a text that are looked at.
MOST_WORDS = 12
_LONGEST_WORD = 32
# Ways in which one word may stand for another.
SAME, EDITED, STATED, CUT, LONGER = range(5)
# What they cost, in nats; a word that is one letter says less than one that is merely cut.
_STATED, _CUT, _CUT_TO_TWO, _CUT_TO_ONE, _CONTRACTED, _ENTRY_CUT = 0.3, 1.5, 2.2, 2.6, 3.0, 3.5
# Reading by words at all, words in another order, and a word that may be left out.
_READ, _ORDER, _SMALL = 1.0, 0.6, 0.2
_MISSING, _MISSING_RARE, _EXTRA, _EXTRA_RARE = 2.0, 4.0, 2.5, 4.5
# A word may be misspelt by so much, for each of its letters.
_MISSPELT_PER_LETTER = 1.2


class Words(NamedTuple):
    """Texts as words.

    starts, counts: (texts,). ids: places in the vocabulary, (words,). vocabulary: the words, all distinct. known: where
    each stands in the vocabulary of the entries, -1 for nowhere, (vocabulary,).
    """

    starts: Ints
    counts: Ints
    ids: Ints
    vocabulary: pa.Array
    known: Ints

    @classmethod
    def of(cls, keys: pa.Array, place_of: Mapping[str, int] | None = None) -> Words:
        """keys: words keys, with one space between words; those of nothing but spaces have no words.

        place_of: the vocabulary of the entries; none for the entries themselves.
        """
        lists = pc.split_pattern(keys, " ")
        flat = lists.flatten().dictionary_encode()
        bounds = lists.offsets.to_numpy(zero_copy_only=False).astype(np.int64)
        counts = np.minimum(np.diff(bounds), MOST_WORDS)
        counts[pc.equal(keys, "").to_numpy(zero_copy_only=False)] = 0
        ids = flat.indices.to_numpy(zero_copy_only=False).astype(np.int64)
        words = flat.dictionary.cast(TEXT)
        known = np.arange(len(words))
        if place_of is not None:
            known = np.array([place_of.get(word, -1) for word in words.to_pylist()], np.int64)
        return cls(bounds[:-1] - bounds[0], counts, ids, words, known)

    def take(self, places: Ints) -> Words:
        return self._replace(starts=self.starts[places], counts=self.counts[places])

    def texts_of(self, place: int) -> list[str]:
        ids = self.ids[self.starts[place] : self.starts[place] + self.counts[place]]
        found: list[str] = self.vocabulary.take(pa.array(ids)).to_pylist()
        return found


class Alignment(NamedTuple):
    """Which word stands for which: the pair it belongs to, the places of the words, how, and what it costs."""

    pair: Ints
    value_word: Ints
    entry_word: Ints
    how: npt.NDArray[np.int8]
    cost: npt.NDArray[np.float64]


class Wording:
    """The words of entries, made ready for comparing."""

    def __init__(self, entries: Words, edits: Edits, vocabulary: Vocabulary) -> None:
        self.entries = entries
        self._edits = edits
        self._texts = Texts.of(entries.vocabulary, _LONGEST_WORD)
        self._prepared = edits.entries(self._texts)
        shared = np.bincount(entries.ids, minlength=len(entries.vocabulary))
        rarity = np.log1p(len(entries.counts) / np.maximum(shared, 1)) / np.log1p(max(len(entries.counts), 1))
        self._small_words = pa.array(vocabulary.small_words, TEXT)
        self._stand_for = _standing_for(vocabulary, entries.vocabulary)
        self._small = as_mask(pc.is_in(entries.vocabulary, self._small_words))
        self._missing = np.where(self._small, _SMALL, _MISSING + _MISSING_RARE * rarity)
        self._rarity = rarity

    def costs(self, values: Words, one: Ints, other: Ints) -> npt.NDArray[np.float64]:
        """The cost of reading each pair by its words, (pairs,), in nats; infinite where no word says anything."""
        aligned = self.aligned(values, one, other)
        total = np.bincount(aligned.pair, aligned.cost, len(one)).astype(np.float64)
        mine, theirs = self._left(values, one, other, aligned)
        extra, missing = self._weights(values)
        total += np.bincount(mine[0], extra[mine[1]], len(one)) + np.bincount(
            theirs[0], missing[theirs[1]], len(one)
        )
        total += _READ + _ORDER * _out_of_order(aligned, len(one))
        small = self._small[self.entries.ids[self.entries.starts[other[aligned.pair]] + aligned.entry_word]]
        says = np.bincount(aligned.pair, ~small, len(one)) > 0
        return np.where(says, total, np.inf)

    @cached_property
    def _place_of(self) -> dict[str, int]:
        return {word: place for place, word in enumerate(self.entries.vocabulary.to_pylist())}

    def words(self, keys: pa.Array) -> Words:
        """Values as words, next to those of the entries; see `Words.of`."""
        return Words.of(keys, self._place_of)

    def understands(self, values: Words) -> Mask:
        """Which values have no word but such as entries have, or such as stand for one of theirs."""
        stated = pc.is_in(values.vocabulary, pa.array(self._stand_for, TEXT))
        known = (values.known >= 0) | as_mask(stated)
        owner = np.repeat(np.arange(len(values.counts)), values.counts)
        strange = np.bincount(
            owner, ~known[values.ids[spans(values.starts, values.counts)]], len(values.counts)
        )
        found: Mask = (strange == 0) & (values.counts > 0)
        return found

    def _weights(self, values: Words) -> tuple[npt.NDArray[np.float64], npt.NDArray[np.float64]]:
        rarity = np.where(values.known < 0, 1.0, self._rarity[values.known])
        small = as_mask(pc.is_in(values.vocabulary, self._small_words))
        return np.where(small, _SMALL, _EXTRA + _EXTRA_RARE * rarity), self._missing

    def _left(
        self, values: Words, one: Ints, other: Ints, aligned: Alignment
    ) -> tuple[tuple[Ints, Ints], tuple[Ints, Ints]]:
        """Words that stand for none: the pair and the word's id, of values and of entries."""
        left = []
        for words, places, taken in (
            (values, one, aligned.value_word),
            (self.entries, other, aligned.entry_word),
        ):
            counts = words.counts[places]
            pair = np.repeat(np.arange(len(places)), counts)
            word = spans(np.zeros(len(places), np.int64), counts)
            free = np.ones(len(pair), np.bool_)
            free[(np.cumsum(counts) - counts)[aligned.pair] + taken] = False
            left.append((pair[free], words.ids[words.starts[places][pair[free]] + word[free]]))
        return left[0], left[1]

    def left_over(
        self, values: Words, one: Ints, other: Ints, aligned: Alignment
    ) -> list[tuple[list[str], list[str]]]:
        """For each pair the words of the value and those of the entry that stand for none."""
        found: list[tuple[list[str], list[str]]] = [([], []) for _ in one]
        sides = self._left(values, one, other, aligned)
        for side, (words, (pairs, ids)) in enumerate(zip((values, self.entries), sides, strict=True)):
            for pair, word in zip(
                pairs.tolist(), words.vocabulary.take(pa.array(ids)).to_pylist(), strict=True
            ):
                found[pair][side].append(word)
        return found

    def aligned(self, values: Words, one: Ints, other: Ints) -> Alignment:
        """The words that stand for each other in each pair, cheapest first taken."""
        theirs = self.entries
        combinations = values.counts[one] * theirs.counts[other]
        pair = np.repeat(np.arange(len(one)), combinations)
        number = spans(np.zeros(len(one), np.int64), combinations)
        value_word, entry_word = np.divmod(number, np.maximum(theirs.counts[other], 1)[pair])
        mine = values.ids[values.starts[one][pair] + value_word]
        its = theirs.ids[theirs.starts[other][pair] + entry_word]
        distinct, back = np.unique(mine * len(theirs.vocabulary) + its, return_inverse=True)
        costs, hows = self._word_costs(values, *np.divmod(distinct, len(theirs.vocabulary)))
        cost, how = costs[back], hows[back]
        # A word that costs more than leaving both words out stands for nothing.
        extra, missing = self._weights(values)
        worth = np.flatnonzero(cost < extra[mine] + missing[its])
        order = worth[np.lexsort((entry_word[worth], value_word[worth], cost[worth], pair[worth]))]
        taken = []
        while len(order):
            owner = pair[order]
            first = order[np.concatenate([[True], owner[1:] != owner[:-1]])]
            taken.append(first)
            word_of_value, word_of_entry = np.full(len(one), -1), np.full(len(one), -1)
            word_of_value[pair[first]], word_of_entry[pair[first]] = value_word[first], entry_word[first]
            order = order[
                (value_word[order] != word_of_value[owner]) & (entry_word[order] != word_of_entry[owner])
            ]
        chosen = np.concatenate([np.zeros(0, np.int64), *taken])
        chosen = chosen[np.lexsort((value_word[chosen], pair[chosen]))]
        return Alignment(pair[chosen], value_word[chosen], entry_word[chosen], how[chosen], cost[chosen])

    def _word_costs(
        self, values: Words, mine: Ints, its: Ints
    ) -> tuple[npt.NDArray[np.float64], npt.NDArray[np.int8]]:
        """What it costs that one word stands for another, and how it does, (pairs of words,)."""
        used, place = np.unique(mine, return_inverse=True)
        words = values.vocabulary.take(pa.array(used))
        spelled, texts = words.to_pylist(), Texts.of(words, _LONGEST_WORD)
        edited = self._edits.costs(self._edits.values(texts), self._prepared, place, its)
        cost = edited / UNIT
        lengths = texts.lengths[place], self._texts.lengths[its]
        short = np.minimum(*lengths)
        cost[
            (edited > UNIT * _MISSPELT_PER_LETTER * short) | (edited >= FAR) | ((short < 4) & (edited > 0))
        ] = np.inf
        how = np.where(edited == 0, SAME, EDITED).astype(np.int8)
        for known, cheap, kind in (
            (self._stated(spelled, place, its), np.full(len(its), _STATED), STATED),
            (None, _shortened(texts, self._texts, place, its), CUT),
            (None, _shortened(self._texts, texts, its, place) + _ENTRY_CUT, LONGER),
        ):
            cheap = cheap if known is None else np.where(known, cheap, np.inf)
            how[cheap < cost] = kind
            cost = np.minimum(cost, cheap)
        return cost, how

    def _stated(self, spelled: Sequence[str], mine: Ints, its: Ints) -> Mask:
        """Pairs of words of which one is a stated abbreviation of the other, or a number in words."""
        known = [
            (place, self._stand_for[word]) for place, word in enumerate(spelled) if word in self._stand_for
        ]
        pairs = [place * len(self._texts) + entry for place, entries in known for entry in entries]
        found: Mask = np.isin(mine * len(self._texts) + its, pairs)
        return found


def _standing_for(vocabulary: Vocabulary, words: pa.Array) -> dict[str, list[int]]:
    """For each abbreviation, long form, number and number word the words of the entries that it stands for."""
    twos = [(short, long) for short, longs in vocabulary.abbreviations.items() for long in longs]
    twos += NUMBERS.items()
    twos += [(long, short) for short, long in twos]
    places = pc.index_in(pa.array([other for _, other in twos], TEXT), words).to_pylist()
    found: dict[str, list[int]] = {}
    for (one, _), place in zip(twos, places, strict=True):
        if place is not None:
            found.setdefault(one, []).append(place)
    return found


def _shortened(short: Texts, long: Texts, one: Ints, other: Ints) -> npt.NDArray[np.float64]:
    """The cost of reading a word as the beginning of a longer one, or as some of its letters in order."""
    cost = np.full(len(one), np.inf)
    lengths = short.lengths[one], long.lengths[other]
    maybe = np.flatnonzero(
        (lengths[0] < lengths[1])
        & (lengths[0] > 0)
        & (short.characters[one, 0] == long.characters[other, 0])
        & (short.characters[one, 0] >= ord("a"))
    )
    if not len(maybe):
        return cost
    mine, its = short.characters[one[maybe]], long.characters[other[maybe]]
    size = lengths[0][maybe]
    width = min(mine.shape[1], its.shape[1])
    starts = ((mine[:, :width] == its[:, :width]) | (np.arange(width) >= size[:, None])).all(axis=1)
    starts &= size <= width
    by_size = np.where(size == 1, _CUT_TO_ONE, np.where(size == 2, _CUT_TO_TWO, _CUT))
    # The letters in order: walk along the longer word, and step on in the shorter where they meet.
    at = np.zeros(len(maybe), np.int64)
    rows = np.arange(len(maybe))
    for column in range(its.shape[1]):
        at += (at < size) & (mine[rows, np.minimum(at, mine.shape[1] - 1)] == its[:, column])
    within = (at >= size) & (size >= 2) & (size + 2 <= lengths[1][maybe]) & (size <= 5)
    cost[maybe] = np.where(starts, by_size, np.where(within, _CONTRACTED, np.inf))
    return cost


def _out_of_order(aligned: Alignment, pairs: int) -> npt.NDArray[np.float64]:
    same = aligned.pair[1:] == aligned.pair[:-1]
    back = same & (aligned.entry_word[1:] < aligned.entry_word[:-1])
    return (np.bincount(aligned.pair[1:][back], minlength=pairs) > 0).astype(np.float64)
