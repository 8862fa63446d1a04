"""Similarity by words: the same words in another order, some missing, some cut short.

Each word of the value is set beside the word of the entry that it most cheaply stands for. What lies between the two
texts is a sum of events, such as a word that is missing; what each costs, and what it says about whether any entry is
meant at all, is fitted. A word that is left out or added costs as much as it tells about the entries.
"""

from __future__ import annotations

from collections.abc import Mapping
from functools import cached_property
from itertools import islice
from typing import NamedTuple

import numpy as np
import numpy.typing as npt
import pyarrow as pa
import pyarrow.compute as pc

from igual.column import TEXT, Mask, to_mask
from igual.matching import fitted
from igual.matching.alignment import HOW_NAMES, SAME, STATED, Alignment, WordAligner, read_words
from igual.matching.edits import Edits
from igual.matching.information import Floats, WordInformation, weigh_words
from igual.matching.inner_initials import InnerInitials, find_inner_initials, mark_maybe_initials
from igual.matching.left_over import LeftOver, find_left_over
from igual.matching.pairs import Ints, expand_spans
from igual.matching.spellings import Spellings
from igual.matching.texts import Texts
from igual.matching.vocabulary import Vocabulary
from igual.matching.words import MOST_WORDS, Words

# A word that stands for another otherwise than by being the same says so much less.
_AGREED = np.array([1.0, 0.7, 0.7, 0.5, 0.5, 0.4, 0.3, 0.4])
_MOST_AGREED = 1.5
_OF_LEFT = ("small", "left", "rarity", "first", "last", "aside", "aside rarity", "in brackets", "apart")
# Everything that may lie between two texts; what each costs is in `fitted`, 0 where it isn't named there.
EVENTS = (
    "read", "order", "agreed", "entry cut", *HOW_NAMES[1:],
    *(f"extra {kind}" for kind in _OF_LEFT), *(f"missing {kind}" for kind in _OF_LEFT),
    "both rarity", "instead", "known changed", "inner initials",
)  # fmt: skip
_PLACE = {name: place for place, name in enumerate(EVENTS)}
# More than there are gaps between the words of a text.
MOST_GAPS = MOST_WORDS + 1
# Words of the value are extra, those of the entry missing.
_SIDES = ("extra", "missing")
# Events that change no word, and the evidence that there are no others.
_UNCHANGED = ("read", "order", "agreed")
_SAME_WORDS = 7.0
# Down from which rarity no letter of a word tells: the square root of all spellings has it, or more.
_IDLE = 0.5
# A small word rather stands for another than that it is left over, if that costs no more.
_LEAST_SMALL = 2.0
# A word that so few entries have is enough for comparing them.
_FEW_ENTRIES = 5
# Up to this rarity a word is so usual that leaving it out says nothing.
_USUAL = 0.3
# A value whose words, all of them an entry's, tell as much together is asked about: the evidence that it gets at least.
_WORTH_ASKING, _ASKED = 0.3, 0.5


class Events(NamedTuple):
    """What lies between pairs of texts, (events,) each.

    Attributes:
        pair: The pair.
        kind: Its place in EVENTS.
        amount: How many times, or how much.
    """

    pair: Ints
    kind: npt.NDArray[np.int8]
    amount: Floats

    def weigh(self, weights: Mapping[str, float], pairs: int) -> Floats:
        """Add up what the events of each pair weigh, (pairs,)."""
        weight = np.array([weights.get(name, 0.0) for name in EVENTS])
        return np.bincount(self.pair, weight[self.kind] * self.amount, pairs).astype(np.float64)

    def tabulate(self, pairs: int) -> Floats:
        """Add up the amounts of each kind, (pairs, kinds): what the fit weighs."""
        where = self.pair * len(EVENTS) + self.kind
        counts = np.bincount(where, self.amount, pairs * len(EVENTS)).astype(np.float64)
        return counts.reshape(pairs, len(EVENTS))


class SideInformation(NamedTuple):
    """What the words of one side tell, (vocabulary,) each."""

    is_small: Mask
    excludes: Mask
    maybe_initials: Mask
    rarity: Floats
    apart: Floats
    entries: Ints


class WordByWord(NamedTuple):
    """Pairs of a value and an entry, word by word; all but the first for each side.

    Attributes:
        aligned: The words that stand for each other.
        left: Words that stand for none.
        initials: Words that stand for several by their initials.
        told: What the words tell.
    """

    aligned: Alignment
    left: tuple[LeftOver, LeftOver]
    initials: tuple[InnerInitials, InnerInitials]
    told: tuple[SideInformation, SideInformation]


class Wording:
    """The words of entries, made ready for comparing.

    Args:
        entries: The words of the entries.
        edits: The costs of edits between letters.
        vocabulary: Words that are treated in a way of their own.
        owners: The entry of each spelling, (spellings,); None where each is its own.
        groups: A number for each entry, where words tell entries apart within a group alone, (entries,).
    """

    def __init__(
        self,
        entries: Words,
        edits: Edits,
        vocabulary: Vocabulary,
        owners: Ints | None = None,
        groups: Ints | None = None,
    ) -> None:
        self.entries = entries
        self.aligner = WordAligner(entries, edits, vocabulary)
        self._small_words = pa.array(vocabulary.small_words, TEXT)
        self.information: WordInformation = weigh_words(
            entries, np.arange(len(entries.counts)) if owners is None else owners, groups
        )
        self._opposites = pa.array(sorted(vocabulary.groups_of), TEXT)
        kinds = self._mark_kinds(entries.vocabulary, self.aligner.texts)
        self._of_entries = SideInformation(*kinds, *self.information[1:3], self.information.entries)

    @cached_property
    def known_words(self) -> Spellings:
        """The words of the entries."""
        words = self.entries.vocabulary
        return Spellings(words, np.arange(len(words)))

    def words(self, keys: pa.Array, parts: pa.Array) -> Words:
        """Values as words, next to those of the entries; see `Words.of`."""
        return Words.of(keys, parts, self.known_words)

    @cached_property
    def _rare_words(self) -> tuple[Ints, Ints]:
        """The entries that have each word of few, by their words, and where those of each word begin and end."""
        ids, owners = self.entries.all_ids, self.entries.owners
        rare = np.flatnonzero(self.information.entries[ids] <= _FEW_ENTRIES)
        rare = rare[np.argsort(ids[rare], kind="stable")]
        return owners[rare], np.searchsorted(ids[rare], np.arange(len(self.entries.vocabulary) + 1))

    def find_sharing(self, values: Words) -> tuple[Ints, Ints]:
        """Find the entries that have a rare word of a value of several, or are nothing but a word of it.

        Args:
            values: The words of values.

        Returns:
            Positions of values and of entries, (pairs,) each.
        """
        owners, known = values.owners, values.known[values.all_ids]
        some = np.flatnonzero((known >= 0) & (values.counts[owners] > 1))
        owners, known = owners[some], known[some]
        entries, bounds = self._rare_words
        sizes = bounds[known + 1] - bounds[known]
        whole = self.aligner.entry_of[known]
        is_whole = np.flatnonzero(whole >= 0)
        value_idx = np.concatenate([np.repeat(owners, sizes), owners[is_whole]])
        return value_idx, np.concatenate([entries[expand_spans(bounds[known], sizes)], whole[is_whole]])

    def knows_all_words(self, values: Words) -> Mask:
        """Which values have no word but such as entries have, or such as stand for one of theirs, or letters alone."""
        stated = pc.is_in(values.vocabulary, pa.array(self.aligner.stands_for, TEXT))
        known = (values.known >= 0) | to_mask(stated) | values.is_letter
        strange = np.bincount(values.owners, ~known[values.all_ids], len(values.counts))
        is_understood: Mask = (strange == 0) & (values.counts > 0)
        return is_understood

    def count_distinguishing_letters(self, values: Words, letters: Ints) -> Floats:
        """Count the letters of values; those of a word that many entries have count less.

        Args:
            values: The words of values.
            letters: How many letters each value has, (values,).

        Returns:
            How many of its letters tell one entry from others, (values,).
        """
        rarity = np.where(values.known < 0, 1.0, self.information.rarity[values.known])
        idle = pc.utf8_length(values.vocabulary).to_numpy() * np.minimum((1 - rarity) / (1 - _IDLE), 1)
        lost = np.bincount(values.owners, idle[values.all_ids], len(values.counts))
        counted: Floats = np.maximum(letters - lost, 0)
        return counted

    @cached_property
    def _costs_of_entries(self) -> Floats:
        return _cost_words_left(_SIDES[1], self._of_entries)

    def align(self, values: Words, value_idx: Ints, entry_idx: Ints) -> WordByWord:
        """Find the words that stand for each other in each pair, cheapest first taken, and those left over.

        Args:
            values: The words of values.
            value_idx: Positions of values, (pairs,).
            entry_idx: Positions of entries, (pairs,).

        Returns:
            The pairs, word by word.
        """
        texts = read_words(values.vocabulary), self.aligner.texts
        told = self._measure_information(values, texts[0]), self._of_entries
        costs = _cost_words_left(_SIDES[0], told[0]), self._costs_of_entries
        aligned = self.aligner.align(values, texts[0], value_idx, entry_idx, *costs)
        lefts = [
            find_left_over(values, value_idx, aligned.pair, aligned.value_word),
            find_left_over(self.entries, entry_idx, aligned.pair, aligned.entry_word),
        ]
        inner: list[InnerInitials] = []
        for one, other in ((0, 1), (1, 0)):
            maybe = np.flatnonzero(told[one].maybe_initials[lefts[one].ids])
            short, long = lefts[one].take(maybe), lefts[other]
            sides = (short.pair, short.ids, texts[one]), (long.pair, long.ids, texts[other])
            initials = find_inner_initials(*sides[0], *sides[1], told[other].is_small)
            inner.append(initials)
            if len(initials.pair):
                lefts[one] = lefts[one].without(maybe[initials.short])
                lefts[other] = lefts[other].without(initials.long)
        return WordByWord(aligned, (lefts[0], lefts[1]), (inner[0], inner[1]), told)

    def compare(self, values: Words, value_idx: Ints, entry_idx: Ints) -> tuple[Events, Mask]:
        """Find what lies between values and entries, read by their words.

        Args:
            values: The words of values.
            value_idx: Positions of values, (pairs,).
            entry_idx: Positions of entries, (pairs,).

        Returns:
            The events, and in which pairs any word of weight stands for another, (pairs,).
        """
        pairs = len(value_idx)
        aligned, lefts, initials, told_of = self.align(values, value_idx, entry_idx)
        entry_ids = self.entries.ids[self.entries.starts[entry_idx[aligned.pair]] + aligned.entry_word]
        agreed = np.bincount(aligned.pair, self._of_entries.rarity[entry_ids] * _AGREED[aligned.how], pairs)
        one_each = np.arange(pairs)
        parts = [
            _event("read", one_each),
            _event("agreed", one_each, np.minimum(agreed, _MOST_AGREED)),
            _event("order", np.flatnonzero(aligned.mark_out_of_order(pairs))),
            _event("entry cut", aligned.pair[aligned.is_longer]),
        ]
        # A word that some entry has means itself sooner than another.
        value_ids = values.ids[values.starts[value_idx[aligned.pair]] + aligned.value_word]
        known = (values.known[value_ids] >= 0) & (aligned.how != SAME) & (aligned.how != STATED)
        parts.append(_event("known changed", aligned.pair[known]))
        changed = aligned.how != SAME
        how = np.array([_PLACE.get(name, 0) for name in HOW_NAMES])[aligned.how[changed]]
        amount = np.where(how == _PLACE["edited"], aligned.edits[changed], 1.0)
        parts.append(Events(aligned.pair[changed], how.astype(np.int8), amount))
        rarities, gaps = [], []
        parts += [_event("inner initials", initial.pair) for initial in initials]
        for side, told, left in zip(_SIDES, told_of, lefts, strict=True):
            parts += _events_of_left(side, left, told, pairs)
            heavy = ~told.is_small[left.ids]
            rarities.append(np.bincount(left.pair[heavy], told.rarity[left.ids[heavy]], pairs))
            gaps.append(left.pair[heavy] * MOST_GAPS + left.gap[heavy])
        parts.append(_event("both rarity", one_each, np.minimum(*rarities)))
        parts.append(_event("instead", np.intersect1d(gaps[0], gaps[1]) // MOST_GAPS))
        says = np.bincount(aligned.pair, ~self._of_entries.is_small[entry_ids], pairs) > 0
        events = Events(*(np.concatenate(columns) for columns in zip(*parts, strict=True)))
        return events, says

    def read(self, values: Words, value_idx: Ints, entry_idx: Ints) -> tuple[Floats, Floats]:
        """Weigh what lies between values and entries, read by their words.

        Args:
            values: The words of values.
            value_idx: Positions of values, (pairs,).
            entry_idx: Positions of entries, (pairs,).

        Returns:
            What each pair costs, in nats, infinite where no word says anything; and what speaks for any entry being
            meant, as a logit, (pairs,) each.
        """
        pairs = len(value_idx)
        if not pairs:
            return np.zeros(0), np.zeros(0)
        events, says = self.compare(values, value_idx, entry_idx)
        evidence = fitted.LISTED_BY_WORDS + events.weigh(fitted.EVIDENCE, pairs)
        # A value all of whose words an entry has is worth asking about, whoever else has them.
        agreed = events.weigh({"agreed": 1, "extra left": -_MOST_AGREED, "extra aside": -_MOST_AGREED}, pairs)
        evidence = np.where(agreed > _WORTH_ASKING, np.maximum(evidence, _ASKED), evidence)
        # The very words of an entry in another order are as sure as a folded spelling.
        changed = events.weigh({name: 1 for name in EVENTS if name not in _UNCHANGED}, pairs)
        evidence = np.where(changed == 0, np.maximum(evidence, _SAME_WORDS), evidence)
        return np.where(says, events.weigh(fitted.WORDS, pairs), np.inf), evidence

    def list_left_over(self, values: Words, pairs: int, compared: WordByWord) -> list[tuple[list[str], ...]]:
        """For each pair the words of the value that stand for none, the small ones of these, and so for the entry."""
        left_over: list[tuple[list[str], ...]] = [([], [], [], []) for _ in range(pairs)]
        is_small = compared.told[0].is_small[compared.left[0].ids]
        is_usual = is_small, self._of_entries.rarity[compared.left[1].ids] <= _USUAL
        for side, (words, left) in enumerate(zip((values, self.entries), compared.left, strict=True)):
            texts = words.vocabulary.take(pa.array(left.ids)).to_pylist()
            for pair, word, usual in zip(left.pair.tolist(), texts, is_usual[side].tolist(), strict=True):
                left_over[pair][2 * side + usual].append(word)
        return left_over

    def _mark_kinds(self, vocabulary: pa.Array, texts: Texts) -> tuple[Mask, Mask, Mask]:
        """Which words may be left out, which exclude others, such as directions, and which may be initials."""
        small, opposites = (
            to_mask(pc.is_in(vocabulary, some)) for some in (self._small_words, self._opposites)
        )
        return small, opposites, mark_maybe_initials(vocabulary, texts.lengths)

    def _measure_information(self, values: Words, texts: Texts) -> SideInformation:
        known = values.known
        strange = known < 0
        return SideInformation(
            *self._mark_kinds(values.vocabulary, texts),
            np.where(strange, 1.0, self.information.rarity[known]),
            np.where(strange, 0.0, self.information.apart[known]),
            np.where(strange, 0, self.information.entries[known]),
        )

    def name_initials(self, values: Words, compared: WordByWord) -> list[tuple[int, tuple[str, str]]]:
        """Words that stand for several by their initials: the pair, the short word and the long ones."""
        named = []
        vocabularies = values.vocabulary, self.entries.vocabulary
        for side, initials in enumerate(compared.initials):
            short = vocabularies[side].take(pa.array(initials.short_id)).to_pylist()
            long = iter(vocabularies[1 - side].take(pa.array(initials.long_ids)).to_pylist())
            for pair, word, size in zip(initials.pair.tolist(), short, initials.size.tolist(), strict=True):
                named.append((pair, (word, " ".join(islice(long, size)))))
        return named


def _cost_words_left(side: str, told: SideInformation) -> Floats:
    """What it costs where a word is left over, (words,)."""
    costs: Floats = np.where(
        told.is_small,
        max(fitted.WORDS[f"{side} small"], _LEAST_SMALL),
        fitted.WORDS[f"{side} left"] + fitted.WORDS[f"{side} rarity"] * told.rarity,
    )
    return costs


def _event(name: str, pair: Ints, amount: Floats | None = None) -> Events:
    kinds = np.full(len(pair), _PLACE[name], np.int8)
    return Events(pair, kinds, np.ones(len(pair)) if amount is None else amount)


def _events_of_left(side: str, left: LeftOver, told: SideInformation, pairs: int) -> list[Events]:
    """What words that stand for none say. Words in a part of which nothing stands for anything say less."""
    small = told.is_small[left.ids]
    heavy = left.take(~small)
    rarity, apart = told.rarity[heavy.ids], told.apart[heavy.ids]
    within, aside = ~heavy.is_aside, heavy.is_aside & ~heavy.in_brackets
    most_apart = np.zeros(pairs)
    np.maximum.at(most_apart, heavy.pair, apart)
    informative = np.flatnonzero(most_apart)
    return [
        _event(f"{side} small", left.pair[small]),
        _event(f"{side} left", heavy.pair[within]),
        _event(f"{side} rarity", heavy.pair[within], rarity[within]),
        _event(f"{side} first", heavy.pair[within & (heavy.place == 0)]),
        _event(f"{side} last", heavy.pair[within & heavy.is_last]),
        _event(f"{side} aside", np.unique(heavy.pair[aside])),
        _event(f"{side} aside rarity", heavy.pair[aside], rarity[aside]),
        _event(f"{side} in brackets", np.unique(heavy.pair[heavy.is_aside & heavy.in_brackets])),
        _event(f"{side} apart", informative, most_apart[informative]),
    ]
