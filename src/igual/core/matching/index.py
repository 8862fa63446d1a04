"""A reference list made ready for matching: built once, asked often."""

from __future__ import annotations

from collections.abc import Callable, Collection, Sequence
from enum import IntEnum
from functools import cached_property
from typing import NamedTuple

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from igual.core.column import TEXT, Mask, as_mask
from igual.core.lists import ReferenceList
from igual.core.matching import fitted
from igual.core.matching.chunks import together_made
from igual.core.matching.compared import Compared
from igual.core.matching.deletions import Deletions
from igual.core.matching.edits import FAR, UNIT, Edits, Prepared
from igual.core.matching.grams import Grams
from igual.core.matching.keys import letters_key, plain, two_letter_key
from igual.core.matching.scoring import MOST_LETTERS, Candidates, Floats, chances
from igual.core.matching.sounds import consonants, unspaced
from igual.core.matching.spellings import Spellings
from igual.core.matching.texts import Ints, Texts, spans
from igual.core.matching.vocabulary import Vocabulary
from igual.core.matching.wording import Wording, Words
from igual.core.text.arrays import as_it_is
from igual.core.text.folding import folded_key

BY_LETTERS, BY_WORDS, BY_INITIALS = range(3)
# A value whose best candidate within two edits costs no more than this is asked nothing more.
_SURE, _SURE_PER_LETTER = 2.6, 0.85
# Candidates that are likelier than the best by a factor of e to this power, and so many at most, are weighed.
_WEIGHED_COST, _WEIGHED = 6.0, 16
_MOST_DRESS, _MOST_SOUNDS = 3, 5
_INITIALS_COST, _INITIALS_CROWD = 6.0, 60
# A list of so many spellings is worth building in several threads.
_LONG_LIST = 20_000


class How(IntEnum):
    """How a proposal was found."""

    NONE, EXACT, FOLDED, ALIAS, ALIAS_FOLDED, TWO_LETTERS, FUZZY, RULING = range(8)


Key = Callable[[pa.Array], pa.Array]


class LookUp(NamedTuple):
    """A way to look values up: how it finds, the key of a value, and the spellings under it."""

    how: How
    key: Key
    spellings: Spellings


def _plain_letters(values: pa.Array) -> pa.Array:
    return letters_key(plain(values))


class Sounded(NamedTuple):
    """How texts sound, and the consonants of it, made ready for comparing."""

    sounds: Prepared
    consonants: Prepared


class Asked(NamedTuple):
    """Values in every form that matching compares, made ready for comparing by letters, by sounds, by words."""

    compared: Compared
    letters: Prepared
    sounded: Sounded
    words: Words

    def take(self, places: Ints) -> Asked:
        sounds, consonants = self.sounded
        return Asked(
            self.compared.take(places),
            self.letters.take(places),
            Sounded(sounds.take(places), consonants.take(places)),
            self.words.take(places),
        )


class MatchIndex:
    """A reference list made ready for matching.

    reference: the list. vocabulary: words that are treated in a way of their own.

    What only some values need is built when the first of them comes.
    """

    def __init__(self, reference: ReferenceList, vocabulary: Vocabulary | None = None) -> None:
        self.reference = reference
        self.vocabulary = vocabulary or Vocabulary()
        self.entries = pa.array(reference.values, TEXT)
        # Spellings in the order of their characters, so that nothing depends on the order of the list.
        spellings, owners = (
            pa.array(side, TEXT) for side in (list(reference.entry_of), reference.entry_of.values())
        )
        order = pc.sort_indices(spellings)
        self.spellings = spellings.take(order)
        places = pc.index_in(owners.take(order), self.entries)
        self.owners: Ints = places.to_numpy(zero_copy_only=False).astype(np.int64)
        self.names = tuple(reference.values)
        self._is_ready = False

    def spelled(self, place: int) -> str:
        found: str = self.spellings[place].as_py()
        return found

    @cached_property
    def ranks(self) -> Ints:
        """The place of each entry in the order of their characters, by which ties are broken."""
        found = np.empty(len(self.names), np.int64)
        found[self.owners[self._is_entry]] = np.arange(len(self.names))
        return found

    @cached_property
    def _is_entry(self) -> Mask:
        """Which spellings are entries, the others being aliases."""
        if len(self.spellings) == len(self.names):
            return np.ones(len(self.spellings), np.bool_)
        return as_mask(pc.is_in(self.spellings, self.entries))

    def look_ups(self, by: Collection[str]) -> list[LookUp]:
        """The ways to look a value up, surest first; aliases come after entries."""
        exact = self._exact if "exact" in by else ()
        folded = self._folded if "folded" in by else ()
        fuzzy = self._written_as_two if "fuzzy" in by else ()
        return [*exact[:1], *folded[:1], *exact[1:], *folded[1:], *fuzzy]

    @cached_property
    def _exact(self) -> tuple[LookUp, LookUp]:
        return self._entries_and_aliases((How.EXACT, How.ALIAS), as_it_is, self.spellings)

    @cached_property
    def _folded(self) -> tuple[LookUp, LookUp]:
        return self._entries_and_aliases(
            (How.FOLDED, How.ALIAS_FOLDED), folded_key, folded_key(self.spellings)
        )

    def _entries_and_aliases(self, how: tuple[How, How], key: Key, keys: pa.Array) -> tuple[LookUp, LookUp]:
        entries, aliases = (
            Spellings(keys.filter(pa.array(which)), self.owners[which])
            for which in (self._is_entry, ~self._is_entry)
        )
        return LookUp(how[0], key, entries), LookUp(how[1], key, aliases)

    @cached_property
    def _written_as_two(self) -> tuple[LookUp, ...]:
        """Accented letters written as two, in the list or in the value."""
        whole = pa.array(self.compared.begun)
        letters = pc.if_else(whole, pa.scalar(None, TEXT), self.compared.spelled)
        in_value = LookUp(How.TWO_LETTERS, two_letter_key, Spellings(letters, self.owners))
        written = Spellings(two_letter_key(self.spellings), self.owners)
        return (LookUp(How.TWO_LETTERS, _plain_letters, written), in_value) if written else (in_value,)

    @cached_property
    def compared(self) -> Compared:
        return Compared.of(self.spellings)

    @cached_property
    def edits(self) -> Edits:
        return Edits(fitted.EDITS)

    @cached_property
    def _sound_edits(self) -> Edits:
        return Edits()

    @cached_property
    def prepared(self) -> Prepared:
        """The letters of the spellings, ready for comparing."""
        return self.edits.entries(self.compared.letters)

    @cached_property
    def _deletions(self) -> Deletions:
        return Deletions(self.compared.letters)

    @cached_property
    def _sounded(self) -> Sounded:
        return _sounded(self.compared, self._sound_edits.entries)

    @cached_property
    def _alike(self) -> Deletions:
        return Deletions(self._sounded.consonants.texts, most=0)

    @cached_property
    def _grams(self) -> Grams:
        return Grams(self.compared.spaced, self.compared.sounded)

    @cached_property
    def wording(self) -> Wording:
        return Wording(Words.of(self.compared.worded), self.edits, self.vocabulary)

    @cached_property
    def _initials(self) -> tuple[pa.Array, Ints, Ints]:
        """The initials of spellings of two words or more, and of each where its spellings begin and which they are."""
        some = np.flatnonzero(self.wording.entries.counts > 1)
        initials = _initials_of(self.wording.entries).take(pa.array(some)).dictionary_encode()
        which = initials.indices.to_numpy(zero_copy_only=False)
        begins = np.cumsum(np.bincount(which, minlength=len(initials.dictionary)))
        return initials.dictionary, np.append(0, begins), some[np.argsort(which, kind="stable")]

    def make_ready(self) -> None:
        """Build what likening a long list needs, several parts at a time."""
        if len(self.spellings) < _LONG_LIST or self._is_ready:
            return
        self._is_ready = True
        _ = self.compared
        parts = (
            self.edits.make_ready,
            self._sound_edits.make_ready,
            lambda: self._deletions,
            lambda: self._grams,
            lambda: self._alike,
            lambda: (self.prepared, self._initials),
        )
        together_made(parts)

    def asked(self, values: Compared) -> Asked:
        """Values made ready for this list."""
        letters, sounded = self.edits.values(values.letters), _sounded(values, self._sound_edits.values)
        return Asked(values, letters, sounded, self.wording.words(values.worded))

    def candidates(self, values: Asked) -> tuple[Candidates, Floats, Floats]:
        """The spellings that each value may mean, sorted by value, and how likely each is; and that any is meant."""
        texts, lengths = values.compared, values.compared.letters.lengths
        near = self._by_letters(values, *self._deletions.pairs(texts.letters))
        least = np.full(len(lengths), np.inf)
        np.minimum.at(least, near.value, near.cost)
        enough = _SURE + _SURE_PER_LETTER * np.minimum(lengths, MOST_LETTERS)
        # Words that entries have may stand for more than the entry that is spelled most alike.
        understood = self.wording.understands(values.words)
        doubtful = np.flatnonzero(((least > enough) | understood) & (lengths > 0))
        if len(doubtful):
            wider = self._wider(values.take(doubtful))
            wider = wider._replace(value=doubtful[wider.value])
            near = _cheapest(together([near, wider]))
        near = near._replace(cost=near.cost + fitted.DRESS * self._dressed_apart(values, near))
        return near, *chances(near, lengths)

    def near_by_letters(self, values: Asked) -> Candidates:
        """The spellings within two edits of each value, with their costs, sorted by value."""
        return self._by_letters(values, *self._deletions.pairs(values.compared.letters), dressed=False)

    def all_by_letters(self, values: Asked, most: int) -> Candidates:
        """The spellings nearest to each value by their edits alone, so many at most: what the fit chooses from."""
        texts = values.compared
        found = (
            self._deletions.pairs(texts.letters),
            self._alike.pairs(values.sounded.consonants.texts),
            self._grams.pairs(texts.spaced, texts.sounded),
        )
        one, other = _joined(*found)
        cost = self.edited(values, one, other)
        near = _worth_weighing(one, cost, np.inf, most)
        return Candidates(one[near], other[near], cost[near], np.full(near.sum(), BY_LETTERS, np.int8))

    def edited(self, values: Asked, one: Ints, other: Ints) -> Floats:
        """What the edits between values and spellings cost, (pairs,); infinite where they are too far apart."""
        cost = self.edits.costs(values.letters, self.prepared, one, other) / UNIT
        cost[values.compared.cut[one] | self.compared.cut[other] | (cost >= FAR / UNIT)] = np.inf
        return cost

    def _by_letters(self, values: Asked, one: Ints, other: Ints, *, dressed: bool = True) -> Candidates:
        """What pairs cost by their letters and sounds; only those that are worth weighing.

        dressed: let those that are dressed unlike the value fall behind.
        """
        cost = self.edited(values, one, other)
        edited = Candidates(one, other, cost, np.full(len(one), BY_LETTERS, np.int8))
        behind = fitted.DRESS * self._dressed_apart(values, edited) if dressed else 0
        kept = _worth_weighing(one, cost + behind, _WEIGHED_COST, _WEIGHED)
        one, other, cost = one[kept], other[kept], cost[kept]
        apart = self._sounds_apart(values, one, other)
        cost += apart @ np.array([fitted.SOUNDS, fitted.CONSONANTS])
        return Candidates(one, other, cost, np.full(len(one), BY_LETTERS, np.int8))

    def _sounds_apart(self, values: Asked, one: Ints, other: Ints) -> Floats:
        """How many edits lie between the sounds of pairs, and between their consonants, (pairs, 2)."""
        both = zip(values.sounded, self._sounded, strict=True)
        apart = [self._sound_edits.costs(mine, theirs, one, other) / UNIT for mine, theirs in both]
        found: Floats = np.minimum(np.stack(apart, axis=1), _MOST_SOUNDS)
        return found

    def beside_edits(self, values: Asked, near: Candidates) -> Floats:
        """What counts beside the edits: sounds, consonants and dress of each pair, (pairs, 3)."""
        found: Floats = np.c_[
            self._sounds_apart(values, near.value, near.spelling), self._dressed_apart(values, near)
        ]
        return found

    def _dressed_apart(self, values: Asked, near: Candidates) -> Floats:
        """Differences in case, accents, spaces and marks, beyond those of the value's best dressed candidate.

        What all candidates lack says nothing about them: a text all in capitals is as near to each.
        """
        apart = np.abs(values.compared.dress[near.value] - self.compared.dress[near.spelling]).sum(axis=1)
        by_letters = near.reading == BY_LETTERS
        apart = np.where(by_letters, np.minimum(apart, _MOST_DRESS), _MOST_DRESS)
        least = np.full(len(values.compared.cut), _MOST_DRESS)
        np.minimum.at(least, near.value, apart)
        found: Floats = np.where(by_letters, apart - least[near.value], 0).astype(np.float64)
        return found

    def _wider(self, values: Asked) -> Candidates:
        """Candidates that sound alike, share rare bits of text or words, or are initials of one another."""
        texts = values.compared
        shared = self._grams.pairs(texts.spaced, texts.sounded)
        alike = self._alike.pairs(values.sounded.consonants.texts)
        found = [self._by_letters(values, *_joined(alike, shared))]
        for reading, (one, other) in ((BY_WORDS, shared), (BY_INITIALS, self._by_initials(values.words))):
            several = (values.words.counts[one] > 1) | (self.wording.entries.counts[other] > 1)
            one, other = one[several], other[several]
            cost = self.wording.costs(values.words, one, other)
            if reading == BY_INITIALS:
                cost = np.where(values.words.counts[one] == 1, _INITIALS_COST, cost)
            kept = np.isfinite(cost)
            found.append(
                Candidates(one[kept], other[kept], cost[kept], np.full(kept.sum(), reading, np.int8))
            )
        return together(found)

    def _by_initials(self, words: Words) -> tuple[Ints, Ints]:
        """Values of one short word, or of several, and the entries with such initials."""
        known, begins, places = self._initials
        initials = _initials_of(words)
        single = pa.array(words.counts == 1)
        letters = words.vocabulary.take(pa.array(words.ids[np.minimum(words.starts, len(words.ids) - 1)]))
        wanted = pc.if_else(single, letters, initials)
        wanted = pc.if_else(pc.less_equal(pc.utf8_length(wanted), 6), wanted, "")
        at = pc.index_in(wanted, known).fill_null(len(known)).to_numpy(zero_copy_only=False)
        start = begins[at]
        times = begins[np.minimum(at + 1, len(known))] - start
        times[times > _INITIALS_CROWD] = 0
        return np.repeat(np.arange(len(at)), times), places[spans(start, times)]


def _sounded(texts: Compared, prepared: Callable[[Texts], Prepared]) -> Sounded:
    spoken = unspaced(texts.sounded)
    return Sounded(prepared(spoken), prepared(consonants(spoken)))


def _initials_of(words: Words) -> pa.Array:
    """The first letters of each text's words."""
    first = pc.utf8_slice_codeunits(words.vocabulary, 0, 1)
    letters = first.take(pa.array(words.ids[spans(words.starts, words.counts)]))
    offsets = np.concatenate([[0], np.cumsum(words.counts)])
    return pc.binary_join(pa.LargeListArray.from_arrays(pa.array(offsets), letters), pa.scalar("", TEXT))


def _joined(*found: tuple[Ints, Ints]) -> tuple[Ints, Ints]:
    """Pairs of several kinds, sorted, no pair twice."""
    one, other = (np.concatenate(parts) for parts in zip(*found, strict=True))
    both = one << 32 | other
    both.sort()
    both = both[np.concatenate([[True], both[1:] != both[:-1]])] if len(both) else both
    return both >> 32, both & 0xFFFFFFFF


def together(found: Sequence[Candidates]) -> Candidates:
    return Candidates(
        np.concatenate([part.value for part in found]),
        np.concatenate([part.spelling for part in found]),
        np.concatenate([part.cost for part in found]),
        np.concatenate([part.reading for part in found]),
    )


def _worth_weighing(value: Ints, cost: Floats, behind: float, most: int) -> Mask:
    """Which candidates of each value aren't far behind its best, and among the first so many."""
    kept = np.zeros(len(value), np.bool_)
    if not len(value):
        return kept
    start = np.flatnonzero(np.concatenate([[True], value[1:] != value[:-1]]))
    sizes = np.diff(np.concatenate([start, [len(value)]]))
    least = np.repeat(np.minimum.reduceat(cost, start), sizes)
    near = np.flatnonzero((cost <= least + behind) & np.isfinite(cost))
    order = near[np.lexsort((cost[near], value[near]))]
    counts = np.unique(value[order], return_counts=True)[1]
    kept[order[spans(np.zeros(len(counts), np.int64), counts) < most]] = True
    return kept


def _cheapest(candidates: Candidates) -> Candidates:
    """Each pair once, by its cheapest reading, sorted by value."""
    order = np.lexsort((candidates.reading, candidates.cost, candidates.spelling, candidates.value))
    ordered = candidates.take(order)
    if not len(order):
        return ordered
    again = (ordered.value[1:] == ordered.value[:-1]) & (ordered.spelling[1:] == ordered.spelling[:-1])
    return ordered.take(np.concatenate([[True], ~again]))
