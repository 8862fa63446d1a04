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

from igual.column import TEXT, Mask, to_mask
from igual.matching.edits import FAR, UNIT, Edits
from igual.matching.pairs import Ints, expand_spans, mark_run_starts, number_within_runs
from igual.matching.texts import Texts
from igual.matching.vocabulary import NUMBERS, Vocabulary

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

    Attributes:
        starts: (texts,).
        counts: How many words each text has, (texts,).
        ids: Places in the vocabulary, (words,).
        vocabulary: The words, all distinct.
        known: Where each stands in the vocabulary of the entries, -1 for nowhere, (vocabulary,).
    """

    starts: Ints
    counts: Ints
    ids: Ints
    vocabulary: pa.Array
    known: Ints

    @classmethod
    def of(cls, keys: pa.Array, place_of: Mapping[str, int] | None = None) -> Words:
        """keys: words keys, with one space between words; those of nothing but spaces have no words.

        Args:
            keys: Words keys, with one space between words; those of nothing but spaces have no words.
            place_of: The vocabulary of the entries; none for the entries themselves.
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
        """Choose some of them by position."""
        return self._replace(starts=self.starts[places], counts=self.counts[places])

    def texts_of(self, place: int) -> list[str]:
        """List the words of one text."""
        ids = self.ids[self.starts[place] : self.starts[place] + self.counts[place]]
        texts: list[str] = self.vocabulary.take(pa.array(ids)).to_pylist()
        return texts


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
        self._stand_for = _find_equivalents(vocabulary, entries.vocabulary)
        self._small = to_mask(pc.is_in(entries.vocabulary, self._small_words))
        self._missing = np.where(self._small, _SMALL, _MISSING + _MISSING_RARE * rarity)
        self._rarity = rarity

    def costs(self, values: Words, value_idx: Ints, entry_idx: Ints) -> npt.NDArray[np.float64]:
        """The cost of reading each pair by its words, (pairs,), in nats; infinite where no word says anything."""
        aligned = self.align(values, value_idx, entry_idx)
        total = np.bincount(aligned.pair, aligned.cost, len(value_idx)).astype(np.float64)
        value_left, entry_left = self._left(values, value_idx, entry_idx, aligned)
        extra, missing = self._weights(values)
        total += np.bincount(value_left[0], extra[value_left[1]], len(value_idx)) + np.bincount(
            entry_left[0], missing[entry_left[1]], len(value_idx)
        )
        total += _READ + _ORDER * _out_of_order(aligned, len(value_idx))
        small = self._small[
            self.entries.ids[self.entries.starts[entry_idx[aligned.pair]] + aligned.entry_word]
        ]
        says = np.bincount(aligned.pair, ~small, len(value_idx)) > 0
        return np.where(says, total, np.inf)

    @cached_property
    def _position_of(self) -> dict[str, int]:
        return {word: place for place, word in enumerate(self.entries.vocabulary.to_pylist())}

    def words(self, keys: pa.Array) -> Words:
        """Values as words, next to those of the entries; see `Words.of`."""
        return Words.of(keys, self._position_of)

    def understands(self, values: Words) -> Mask:
        """Which values have no word but such as entries have, or such as stand for one of theirs."""
        stated = pc.is_in(values.vocabulary, pa.array(self._stand_for, TEXT))
        known = (values.known >= 0) | to_mask(stated)
        owner = np.repeat(np.arange(len(values.counts)), values.counts)
        strange = np.bincount(
            owner, ~known[values.ids[expand_spans(values.starts, values.counts)]], len(values.counts)
        )
        is_understood: Mask = (strange == 0) & (values.counts > 0)
        return is_understood

    def _weights(self, values: Words) -> tuple[npt.NDArray[np.float64], npt.NDArray[np.float64]]:
        rarity = np.where(values.known < 0, 1.0, self._rarity[values.known])
        small = to_mask(pc.is_in(values.vocabulary, self._small_words))
        return np.where(small, _SMALL, _EXTRA + _EXTRA_RARE * rarity), self._missing

    def _left(
        self, values: Words, value_idx: Ints, entry_idx: Ints, aligned: Alignment
    ) -> tuple[tuple[Ints, Ints], tuple[Ints, Ints]]:
        """Words that stand for none: the pair and the word's id, of values and of entries."""
        left = []
        for words, places, taken in (
            (values, value_idx, aligned.value_word),
            (self.entries, entry_idx, aligned.entry_word),
        ):
            counts = words.counts[places]
            pair = np.repeat(np.arange(len(places)), counts)
            word = number_within_runs(counts)
            free = np.ones(len(pair), np.bool_)
            free[(np.cumsum(counts) - counts)[aligned.pair] + taken] = False
            left.append((pair[free], words.ids[words.starts[places][pair[free]] + word[free]]))
        return left[0], left[1]

    def left_over(
        self, values: Words, value_idx: Ints, entry_idx: Ints, aligned: Alignment
    ) -> list[tuple[list[str], list[str]]]:
        """For each pair the words of the value and those of the entry that stand for none."""
        words_left: list[tuple[list[str], list[str]]] = [([], []) for _ in value_idx]
        sides = self._left(values, value_idx, entry_idx, aligned)
        for side, (words, (pairs, ids)) in enumerate(zip((values, self.entries), sides, strict=True)):
            for pair, word in zip(
                pairs.tolist(), words.vocabulary.take(pa.array(ids)).to_pylist(), strict=True
            ):
                words_left[pair][side].append(word)
        return words_left

    def align(self, values: Words, value_idx: Ints, entry_idx: Ints) -> Alignment:
        """The words that stand for each other in each pair, cheapest first taken."""
        entries = self.entries
        combinations = values.counts[value_idx] * entries.counts[entry_idx]
        pair = np.repeat(np.arange(len(value_idx)), combinations)
        number = number_within_runs(combinations)
        value_word, entry_word = np.divmod(number, np.maximum(entries.counts[entry_idx], 1)[pair])
        value_ids = values.ids[values.starts[value_idx][pair] + value_word]
        entry_ids = entries.ids[entries.starts[entry_idx][pair] + entry_word]
        distinct, back = np.unique(value_ids * len(entries.vocabulary) + entry_ids, return_inverse=True)
        costs, hows = self._word_costs(values, *np.divmod(distinct, len(entries.vocabulary)))
        cost, how = costs[back], hows[back]
        # A word that costs more than leaving both words out stands for nothing.
        extra, missing = self._weights(values)
        worth = np.flatnonzero(cost < extra[value_ids] + missing[entry_ids])
        order = worth[np.lexsort((entry_word[worth], value_word[worth], cost[worth], pair[worth]))]
        taken = []
        while len(order):
            owner = pair[order]
            first = order[mark_run_starts(owner)]
            taken.append(first)
            word_of_value, word_of_entry = np.full(len(value_idx), -1), np.full(len(value_idx), -1)
            word_of_value[pair[first]], word_of_entry[pair[first]] = value_word[first], entry_word[first]
            order = order[
                (value_word[order] != word_of_value[owner]) & (entry_word[order] != word_of_entry[owner])
            ]
        chosen = np.concatenate([np.zeros(0, np.int64), *taken])
        chosen = chosen[np.lexsort((value_word[chosen], pair[chosen]))]
        return Alignment(pair[chosen], value_word[chosen], entry_word[chosen], how[chosen], cost[chosen])

    def _word_costs(
        self, values: Words, value_ids: Ints, entry_ids: Ints
    ) -> tuple[npt.NDArray[np.float64], npt.NDArray[np.int8]]:
        """What it costs that one word stands for another, and how it does, (pairs of words,)."""
        used, place = np.unique(value_ids, return_inverse=True)
        words = values.vocabulary.take(pa.array(used))
        spelled, texts = words.to_pylist(), Texts.of(words, _LONGEST_WORD)
        edited = self._edits.costs(self._edits.values(texts), self._prepared, place, entry_ids)
        cost = edited / UNIT
        lengths = texts.lengths[place], self._texts.lengths[entry_ids]
        short = np.minimum(*lengths)
        cost[
            (edited > UNIT * _MISSPELT_PER_LETTER * short) | (edited >= FAR) | ((short < 4) & (edited > 0))
        ] = np.inf
        how = np.where(edited == 0, SAME, EDITED).astype(np.int8)
        for known, cheap, kind in (
            (self._mark_stated(spelled, place, entry_ids), np.full(len(entry_ids), _STATED), STATED),
            (None, _shortening_costs(texts, self._texts, place, entry_ids), CUT),
            (None, _shortening_costs(self._texts, texts, entry_ids, place) + _ENTRY_CUT, LONGER),
        ):
            cheap = cheap if known is None else np.where(known, cheap, np.inf)
            how[cheap < cost] = kind
            cost = np.minimum(cost, cheap)
        return cost, how

    def _mark_stated(self, spelled: Sequence[str], value_ids: Ints, entry_ids: Ints) -> Mask:
        """Pairs of words of which one is a stated abbreviation of the other, or a number in words."""
        known = [
            (place, self._stand_for[word]) for place, word in enumerate(spelled) if word in self._stand_for
        ]
        pairs = [place * len(self._texts) + entry for place, entries in known for entry in entries]
        pairs_stated: Mask = np.isin(value_ids * len(self._texts) + entry_ids, pairs)
        return pairs_stated


def _find_equivalents(vocabulary: Vocabulary, words: pa.Array) -> dict[str, list[int]]:
    """For each abbreviation, long form, number and number word the words of the entries that it stands for."""
    equivalents = [(short, long) for short, longs in vocabulary.abbreviations.items() for long in longs]
    equivalents += NUMBERS.items()
    equivalents += [(long, short) for short, long in equivalents]
    positions = pc.index_in(pa.array([word for _, word in equivalents], TEXT), words).to_pylist()
    stands_for: dict[str, list[int]] = {}
    for (written, _), position in zip(equivalents, positions, strict=True):
        if position is not None:
            stands_for.setdefault(written, []).append(position)
    return stands_for


def _shortening_costs(short: Texts, long: Texts, value_idx: Ints, entry_idx: Ints) -> npt.NDArray[np.float64]:
    """The cost of reading a word as the beginning of a longer one, or as some of its letters in order."""
    cost = np.full(len(value_idx), np.inf)
    lengths = short.lengths[value_idx], long.lengths[entry_idx]
    maybe = np.flatnonzero(
        (lengths[0] < lengths[1])
        & (lengths[0] > 0)
        & (short.characters[value_idx, 0] == long.characters[entry_idx, 0])
        & (short.characters[value_idx, 0] >= ord("a"))
    )
    if not len(maybe):
        return cost
    short_characters, long_characters = short.characters[value_idx[maybe]], long.characters[entry_idx[maybe]]
    size = lengths[0][maybe]
    width = min(short_characters.shape[1], long_characters.shape[1])
    starts = (
        (short_characters[:, :width] == long_characters[:, :width]) | (np.arange(width) >= size[:, None])
    ).all(axis=1)
    starts &= size <= width
    by_size = np.where(size == 1, _CUT_TO_ONE, np.where(size == 2, _CUT_TO_TWO, _CUT))
    # The letters in order: walk along the longer word, and step on in the shorter where they meet.
    matched = np.zeros(len(maybe), np.int64)
    rows = np.arange(len(maybe))
    for column in range(long_characters.shape[1]):
        matched += (matched < size) & (
            short_characters[rows, np.minimum(matched, short_characters.shape[1] - 1)]
            == long_characters[:, column]
        )
    within = (matched >= size) & (size >= 2) & (size + 2 <= lengths[1][maybe]) & (size <= 5)
    cost[maybe] = np.where(starts, by_size, np.where(within, _CONTRACTED, np.inf))
    return cost


def _out_of_order(aligned: Alignment, pairs: int) -> npt.NDArray[np.float64]:
    same = aligned.pair[1:] == aligned.pair[:-1]
    back = same & (aligned.entry_word[1:] < aligned.entry_word[:-1])
    return (np.bincount(aligned.pair[1:][back], minlength=pairs) > 0).astype(np.float64)
