"""Which word stands for which: misspelt, stated, cut short, or another form of it."""

from __future__ import annotations

from collections.abc import Sequence
from functools import cached_property
from typing import NamedTuple

import numpy as np
import numpy.typing as npt
import pyarrow as pa
import pyarrow.compute as pc

from igual.column import TEXT, Mask, to_mask
from igual.matching import fitted
from igual.matching.edits import FAR, UNIT, Edits
from igual.matching.pairs import Ints, mark_run_starts, number_within_runs
from igual.matching.texts import Texts
from igual.matching.vocabulary import CONNECTING, NUMBERS, Vocabulary
from igual.matching.words import Words

Floats = npt.NDArray[np.float64]

_LONGEST_WORD = 32
# Ways in which one word may stand for another.
SAME, EDITED, STATED, STEM, CUT, CUT_TO_TWO, CUT_TO_ONE, CONTRACTED = range(8)
# What each but the first two costs is fitted; a word that is one letter says less than one that is merely cut.
HOW_NAMES = ("same", "edited", "stated", "stem", "cut", "cut to two", "cut to one", "contracted")
# A word may be misspelt by so much, for each of its letters.
_MISSPELT_PER_LETTER = 1.2
# Forms of one word begin with so many letters, and end in so many of their own at most.
_STEM, _ENDING = 4, 4


class Alignment(NamedTuple):
    """Which word stands for which, sorted by pair and the value's words, (aligned,) each.

    Attributes:
        pair: The pair that the words belong to.
        value_word: The place of the word in the value.
        entry_word: The place of the word in the entry.
        how: How one stands for the other.
        is_longer: The value has the longer of the two: the entry is cut.
        edits: What edits between the two cost, in nats; 0 where they differ otherwise.
        cost: What it costs, in nats.
    """

    pair: Ints
    value_word: Ints
    entry_word: Ints
    how: npt.NDArray[np.int8]
    is_longer: Mask
    edits: Floats
    cost: Floats

    def take(self, places: Ints) -> Alignment:
        """Choose some of them by position."""
        return Alignment(
            self.pair[places],
            self.value_word[places],
            self.entry_word[places],
            self.how[places],
            self.is_longer[places],
            self.edits[places],
            self.cost[places],
        )

    def mark_out_of_order(self, pairs: int) -> Mask:
        """Mark the pairs whose words stand in another order, (pairs,)."""
        same = self.pair[1:] == self.pair[:-1]
        back = same & (self.entry_word[1:] < self.entry_word[:-1])
        crossed: Mask = np.bincount(self.pair[1:][back], minlength=pairs) > 0
        return crossed


def read_words(vocabulary: pa.Array) -> Texts:
    """The words of a vocabulary, as characters."""
    return Texts.of(vocabulary, _LONGEST_WORD)


class WordAligner:
    """Finds which words of values stand for which of entries.

    Args:
        entries: The words of the entries.
        edits: The costs of edits between letters.
        vocabulary: Words that are treated in a way of their own.
    """

    def __init__(self, entries: Words, edits: Edits, vocabulary: Vocabulary) -> None:
        self.entries = entries
        self._edits = edits
        self.texts = read_words(entries.vocabulary)
        self._prepared = edits.entries(self.texts)
        self.stands_for = _find_equivalents(vocabulary, entries.vocabulary)
        self._connects = _mark_connecting(entries)

    def align(
        self, values: Words, texts: Texts, value_idx: Ints, entry_idx: Ints, extra: Floats, missing: Floats
    ) -> Alignment:
        """Find the words that stand for each other in each pair, cheapest first taken.

        Args:
            values: The words of values.
            texts: Their vocabulary, by `read_words`.
            value_idx: Positions of values, (pairs,).
            entry_idx: Positions of entries, (pairs,).
            extra: What leaving out a word of the values costs, (their vocabulary,).
            missing: The same for the entries; a word that costs more than both stands for nothing.

        Returns:
            The aligned words.
        """
        entries = self.entries
        combinations = values.counts[value_idx] * entries.counts[entry_idx]
        pair = np.repeat(np.arange(len(value_idx)), combinations)
        number = number_within_runs(combinations)
        value_word, entry_word = np.divmod(number, np.maximum(entries.counts[entry_idx], 1)[pair])
        value_ids = values.ids[values.starts[value_idx][pair] + value_word]
        entry_ids = entries.ids[entries.starts[entry_idx][pair] + entry_word]
        distinct, back = np.unique(value_ids * len(entries.vocabulary) + entry_ids, return_inverse=True)
        ids = np.divmod(distinct, len(entries.vocabulary))
        how, is_longer, edits, cost = self._compare(values.vocabulary, texts, *ids)
        cost = cost[back]
        all_words = Alignment(pair, value_word, entry_word, how[back], is_longer[back], edits[back], cost)
        is_worth = cost < extra[value_ids] + missing[entry_ids]
        is_worth[self._find_connecting(all_words, values, value_idx, entry_idx, is_worth)] = False
        worth = np.flatnonzero(is_worth)
        # Of words that cost the same, those that stand in the same places.
        apart = np.abs(value_word[worth] - entry_word[worth])
        order = worth[np.lexsort((entry_word[worth], value_word[worth], apart, cost[worth], pair[worth]))]
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
        return all_words.take(chosen[np.lexsort((value_word[chosen], pair[chosen]))])

    @cached_property
    def entry_of(self) -> Ints:
        """The entry that is nothing but a word, -1 where there is none, (vocabulary + 1,); at last for no word."""
        alone = np.flatnonzero(self.entries.counts == 1)
        entry_of = np.full(len(self.entries.vocabulary) + 1, -1)
        entry_of[self.entries.ids[self.entries.starts[alone]]] = alone
        return entry_of

    def find_stated(self, values: Words) -> tuple[Ints, Ints]:
        """Find values of one word that stands for an entry of one, as is stated: places in both, (pairs,) each."""
        stated = to_mask(pc.is_in(values.vocabulary, pa.array(self.stands_for, TEXT)))
        alone = np.flatnonzero(values.counts == 1)
        alone = alone[stated[values.ids[values.starts[alone]]]]
        pairs = [
            (value, entry)
            for value, word in zip(
                alone.tolist(),
                values.vocabulary.take(pa.array(values.ids[values.starts[alone]])).to_pylist(),
                strict=True,
            )
            for entry in self.entry_of[self.stands_for[word]].tolist()
            if entry >= 0
        ]
        value_idx, entry_idx = np.array(pairs, np.int64).reshape(-1, 2).T
        return value_idx, entry_idx

    def _find_connecting(
        self, words: Alignment, values: Words, value_idx: Ints, entry_idx: Ints, looked_at: Mask
    ) -> Ints:
        """Words that connect others and would be short for one that doesn't: the last of a text connects nothing."""
        cut = np.flatnonzero(looked_at & (words.how >= CUT))
        pair, sides = words.pair[cut], []
        for side, connects, places, word in (
            (values, _mark_connecting(values), value_idx[pair], words.value_word[cut]),
            (self.entries, self._connects, entry_idx[pair], words.entry_word[cut]),
        ):
            is_such = connects[side.ids[side.starts[places] + word]]
            sides.append((is_such, is_such & (word < side.counts[places] - 1)))
        value, entry = sides
        is_longer = words.is_longer[cut]
        is_found = np.where(is_longer, entry[1] & ~value[0], value[1] & ~entry[0])
        found: Ints = cut[is_found]
        return found

    def _compare(
        self, vocabulary: pa.Array, all_texts: Texts, value_ids: Ints, entry_ids: Ints
    ) -> tuple[npt.NDArray[np.int8], Mask, Floats, Floats]:
        """How one word stands for another, whether the value has the longer one, edits and cost."""
        used, place = np.unique(value_ids, return_inverse=True)
        spelled, texts = vocabulary.take(pa.array(used)).to_pylist(), all_texts.take(used)
        edited = self._edits.costs(self._edits.values(texts), self._prepared, place, entry_ids)
        short = np.minimum(texts.lengths[place], self.texts.lengths[entry_ids])
        far = (edited > UNIT * _MISSPELT_PER_LETTER * short) | (edited >= FAR) | ((short < 4) & (edited > 0))
        edits = np.where(far, np.inf, edited / UNIT)
        cost = edits * fitted.WORDS["edited"]
        how = np.where(edited == 0, SAME, EDITED).astype(np.int8)
        is_longer = np.zeros(len(how), np.bool_)
        stated = np.where(self._mark_stated(spelled, place, entry_ids), STATED, -1)
        stem = _mark_stems(texts, self.texts, place, entry_ids)
        ways = (
            (stated, False),
            (stem, False),
            (_find_shortenings(texts, self.texts, place, entry_ids), False),
            (_find_shortenings(self.texts, texts, entry_ids, place), True),
        )
        for way, longer in ways:
            price = _price_of(way) + (fitted.WORDS["entry cut"] if longer else 0)
            better = price < cost
            how[better], is_longer[better], edits[better] = way[better], longer, 0
            cost = np.minimum(cost, price)
        return how, is_longer, np.where(np.isfinite(edits), edits, 0), cost

    def _mark_stated(self, spelled: Sequence[str], value_ids: Ints, entry_ids: Ints) -> Mask:
        """Pairs of words of which one is a stated abbreviation of the other, or a number in words."""
        known = [
            (place, self.stands_for[word]) for place, word in enumerate(spelled) if word in self.stands_for
        ]
        pairs = [place * len(self.texts) + entry for place, entries in known for entry in entries]
        pairs_stated: Mask = np.isin(value_ids * len(self.texts) + entry_ids, pairs)
        return pairs_stated


def _mark_connecting(words: Words) -> Mask:
    """Which words connect others, (vocabulary,); letters may be short for a word."""
    connecting = [word for word in CONNECTING if len(word) > 1]
    return to_mask(pc.is_in(words.vocabulary, pa.array(connecting, TEXT)))


def _price_of(way: Ints) -> Floats:
    """What each way costs, (words,); infinite where there is none, -1."""
    prices = np.array([fitted.WORDS.get(name, np.inf) for name in HOW_NAMES] + [np.inf])
    price: Floats = prices[way]
    return price


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


def _mark_stems(values: Texts, entries: Texts, value_idx: Ints, entry_idx: Ints) -> Ints:
    """STEM where two words begin alike and differ in their endings, -1 elsewhere."""
    lengths = values.lengths[value_idx], entries.lengths[entry_idx]
    stems = np.full(len(value_idx), -1)
    if min(values.characters.shape[1], entries.characters.shape[1]) < _STEM:
        return stems
    maybe = np.flatnonzero(
        (np.minimum(*lengths) > _STEM)
        & (np.abs(lengths[0] - lengths[1]) <= _ENDING)
        & (values.characters[value_idx, _STEM - 1] == entries.characters[entry_idx, _STEM - 1])
        & (values.characters[value_idx, 0] == entries.characters[entry_idx, 0])
    )
    width = min(values.characters.shape[1], entries.characters.shape[1])
    same = values.characters[value_idx[maybe], :width] == entries.characters[entry_idx[maybe], :width]
    stem = np.logical_and.accumulate(same, axis=1).sum(axis=1)
    stem = np.minimum(stem, np.minimum(*lengths)[maybe])
    longest = np.maximum(*lengths)[maybe]
    stems[maybe[(stem >= _STEM) & (longest - stem <= _ENDING) & (2 * stem >= longest)]] = STEM
    return stems


def _find_shortenings(short: Texts, long: Texts, value_idx: Ints, entry_idx: Ints) -> Ints:
    """How a word may be read as the beginning of a longer one, or as some of its letters in order; -1 for neither."""
    how = np.full(len(value_idx), -1)
    lengths = short.lengths[value_idx], long.lengths[entry_idx]
    maybe = np.flatnonzero(
        (lengths[0] < lengths[1])
        & (lengths[0] > 0)
        & (short.characters[value_idx, 0] == long.characters[entry_idx, 0])
        & (short.characters[value_idx, 0] >= ord("a"))
    )
    if not len(maybe):
        return how
    short_characters, long_characters = short.characters[value_idx[maybe]], long.characters[entry_idx[maybe]]
    size = lengths[0][maybe]
    width = min(short_characters.shape[1], long_characters.shape[1])
    starts = (
        (short_characters[:, :width] == long_characters[:, :width]) | (np.arange(width) >= size[:, None])
    ).all(axis=1)
    starts &= size <= width
    by_size = np.where(size == 1, CUT_TO_ONE, np.where(size == 2, CUT_TO_TWO, CUT))
    # The letters in order: walk along the longer word, and step on in the shorter where they meet.
    matched = np.zeros(len(maybe), np.int64)
    rows = np.arange(len(maybe))
    for column in range(long_characters.shape[1]):
        matched += (matched < size) & (
            short_characters[rows, np.minimum(matched, short_characters.shape[1] - 1)]
            == long_characters[:, column]
        )
    within = (matched >= size) & (size >= 2) & (size + 2 <= lengths[1][maybe]) & (size <= 5)
    how[maybe] = np.where(starts, by_size, np.where(within, CONTRACTED, -1))
    return how
