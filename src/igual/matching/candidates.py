"""Candidates: the spellings that a value may mean, found in several ways and weighed by what their edits cost."""

from __future__ import annotations

from functools import cached_property

import numpy as np
import pyarrow as pa

from igual.matching import fitted
from igual.matching.choosing import concatenate_candidates, join_pairs, keep_cheapest, mark_worth_weighing
from igual.matching.chunks import run_in_threads
from igual.matching.crowding import crowding_among, measure_crowding, usual_crowding
from igual.matching.deletions import Deletions
from igual.matching.edits import FAR, UNIT, Edits, Prepared
from igual.matching.endings import Endings
from igual.matching.forms import Forms
from igual.matching.grams import Grams
from igual.matching.initials import Initials
from igual.matching.joined_words import JoinedWords
from igual.matching.letter_model import LetterModel
from igual.matching.pairs import Ints, pack_pairs, split_runs
from igual.matching.queries import PreparedSounds, Queries
from igual.matching.scope import Scope, keep_allowed
from igual.matching.scoring import (
    BY_INITIALS,
    BY_LETTERS,
    BY_WORDS,
    MOST_LETTERS,
    Candidates,
    Floats,
    chances,
    weigh_letters,
)
from igual.matching.shortened import find_shortened
from igual.matching.surfaces import surface_distances
from igual.matching.vocabulary import Vocabulary
from igual.matching.wording import Wording
from igual.matching.words import Words

# A value whose best candidate within two edits costs no more than this is not searched for more widely.
_SURE, _SURE_PER_LETTER = 2.6, 0.85
# Candidates that are less likely than the best by a factor of e to this power aren't weighed, nor more than so many.
# Among spellings of one list, each of which is the best of its own, the second is what lies between two at most.
_WEIGHED_COST, _NEIGHBOURS_COST, _WEIGHED = 6.0, 8.4, 16
# Many pairs are weighed in parts, so that they need little room.
_PAIRS_AT_A_TIME = 1 << 20
_MOST_SOUNDS = 5
# A list of so many spellings is worth building in several threads.
_LONG_LIST = 20_000


class CandidateSearch:
    """Spellings of a list, indexed in each way by which a value may find them, when one comes that needs it.

    Args:
        spellings: Entries and aliases, in the order of their characters, (spellings,).
        vocabulary: Words that are treated in a way of their own.
        owners: The entry of each spelling, (spellings,); None where each is its own.
        groups: A number for each entry, where words tell entries apart within a group alone, (entries,).
    """

    def __init__(
        self,
        spellings: pa.Array,
        vocabulary: Vocabulary,
        owners: Ints | None = None,
        groups: Ints | None = None,
    ) -> None:
        self.spellings, self.vocabulary = spellings, vocabulary
        self._owners, self._groups = owners, groups
        self._is_ready = False

    @cached_property
    def forms(self) -> Forms:
        """The spellings in every form."""
        return Forms.of(self.spellings)

    @cached_property
    def edits(self) -> Edits:
        """The fitted costs of edits between letters."""
        return Edits(fitted.EDITS)

    @cached_property
    def _sound_edits(self) -> Edits:
        return Edits()

    @cached_property
    def letters(self) -> Prepared:
        """The letters of the spellings, prepared for comparing."""
        return self.edits.entries(self.forms.letters)

    @cached_property
    def _deletions(self) -> Deletions:
        return Deletions(self.forms.letters)

    @cached_property
    def crowding(self) -> float:
        """How crowded the list is."""
        owners = np.arange(len(self.spellings)) if self._owners is None else self._owners
        return measure_crowding(self.forms.letters, self.letters, self._deletions, self.edits, owners)

    @cached_property
    def _deletions_among_themselves(self) -> Deletions:
        return Deletions(self.forms.letters, among_themselves=True)

    @cached_property
    def _sounded(self) -> PreparedSounds:
        return PreparedSounds.of(self.forms, self._sound_edits.entries)

    @cached_property
    def _same_consonants(self) -> Deletions:
        return Deletions(self._sounded.consonants.texts, most=0)

    @cached_property
    def _grams(self) -> Grams:
        return Grams(self.forms.words, self.forms.sounds)

    @cached_property
    def letter_model(self) -> LetterModel:
        """How the spellings are spelled."""
        return LetterModel(self.forms.letters)

    @cached_property
    def endings(self) -> Endings:
        """The endings by which the spellings differ."""
        return Endings(self.forms.letters)

    @cached_property
    def wording(self) -> Wording:
        """The words of the spellings, prepared for comparing."""
        words = Words.of(self.forms.word_keys, self.forms.parts)
        return Wording(words, self.edits, self.vocabulary, self._owners, self._groups)

    @cached_property
    def _joined_words(self) -> JoinedWords:
        return JoinedWords(self.wording.entries, self.wording.known_words)

    @cached_property
    def initials(self) -> Initials:
        """The initials of the spellings."""
        return Initials(self.wording.entries, self.spellings, self.vocabulary.small_words)

    def build(self) -> None:
        """Build what likeness needs for a long list, several parts at a time."""
        if len(self.spellings) < _LONG_LIST or self._is_ready:
            return
        self._is_ready = True
        _ = self.forms
        parts = (
            self.edits.load_compiled,
            self._sound_edits.load_compiled,
            lambda: self._deletions,
            lambda: self._grams,
            lambda: (self._same_consonants, self.letter_model, self.endings),
            lambda: (self.letters, self.initials),
        )
        run_in_threads(parts)

    def prepare(self, values: Forms, scope: Scope | None = None) -> Queries:
        """Prepare values for a search in this list.

        Args:
            values: The values in all forms.
            scope: Which entries each may mean; None: every one.

        Returns:
            The values, ready to be searched for.
        """
        values = self._joined_words.rejoin(values)
        sounded = PreparedSounds.of(values, self._sound_edits.values)
        words = self.wording.words(values.word_keys, values.parts)
        counted = self.wording.count_distinguishing_letters(words, values.letters.lengths)
        sizes = scope.sizes if scope is not None else np.full(len(counted), len(self.spellings))
        crowding = crowding_among(self.crowding, len(self.spellings), sizes)
        evidence = weigh_letters(counted, self.letter_model.oddness(values.letters), crowding)
        return Queries(
            values,
            self.edits.values(values.letters),
            sounded,
            words,
            evidence,
            scope and scope.for_spellings(self._owners),
        )

    def find(self, queries: Queries) -> tuple[Candidates, Floats, Floats]:
        """Find the spellings that each value may mean.

        Args:
            queries: The values, (values,).

        Returns:
            Candidates sorted by value, (pairs,); how likely each is, (pairs,); and how likely it is that each value
            means any of its candidates, (values,).
        """
        forms, lengths = queries.forms, queries.forms.letters.lengths
        near = self._weigh_by_letters(queries, *self._deletions.pairs(forms.letters, queries.scope))
        best_cost = np.full(len(lengths), np.inf)
        np.minimum.at(best_cost, near.value, near.cost)
        enough = _SURE + _SURE_PER_LETTER * np.minimum(lengths, MOST_LETTERS)
        # Words that entries have may stand for more than the entry that is spelled most alike.
        understood = self.wording.knows_all_words(queries.words)
        unsure = np.flatnonzero(((best_cost > enough) | understood) & (lengths > 0))
        if len(unsure):
            wider = self._search_widely(queries.take(unsure))
            wider = wider._replace(value=unsure[wider.value])
            near = keep_cheapest(concatenate_candidates([near, wider]))
        near = near._replace(
            cost=near.cost + fitted.SURFACE * surface_distances(queries.forms, self.forms, near),
            evidence=near.evidence + fitted.LISTED_PER_ENDING * self.count_endings(queries, near),
        )
        return near, *chances(near, len(lengths))

    def find_neighbours(self, queries: Queries, places: Ints, ranks: Ints, groups: Ints) -> Candidates:
        """Find the spellings of its group within two edits of each of some spellings of the list.

        Args:
            queries: The spellings, as values, (values,).
            places: Which of the spellings they are, (values,).
            ranks: Of all spellings, (spellings,): those of a higher rank than a value's aren't weighed.
            groups: The group of each spelling, (spellings,).

        Returns:
            Candidates with their costs, sorted by value; each value is one of its own.
        """
        value_idx, entry_idx = self._deletions_among_themselves.pairs(queries.forms.letters)
        own = places[value_idx]
        wanted = (ranks[entry_idx] <= ranks[own]) & (groups[entry_idx] == groups[own])
        return self._weigh_by_letters(queries, value_idx[wanted], entry_idx[wanted], mutual=True)

    def find_all_by_letters(self, queries: Queries, most: int) -> Candidates:
        """Find the spellings nearest to each value by their edits alone: what the fit chooses from.

        Args:
            queries: The values, (values,).
            most: How many spellings a value at most.

        Returns:
            Candidates with their costs, sorted by value.
        """
        forms = queries.forms
        value_idx, entry_idx = join_pairs(
            self._deletions.pairs(forms.letters),
            self._same_consonants.pairs(queries.sounded.consonants.texts),
            self._grams.pairs(forms.words, forms.sounds),
        )
        cost = self.edit_costs(queries, value_idx, entry_idx)
        near = mark_worth_weighing(value_idx, cost, np.inf, most)
        return self._by_letters(queries, value_idx[near], entry_idx[near], cost[near])

    def find_all_by_words(self, queries: Queries) -> tuple[Ints, Ints, Floats]:
        """Find the spellings that may be read by words: what the fit of names chooses from.

        Args:
            queries: The values, (values,).

        Returns:
            Positions of values and of spellings, sorted, and what each pair costs by its letters, infinite where that
            is too far, (pairs,) each.
        """
        forms = queries.forms
        joined = join_pairs(
            self._grams.pairs(forms.words, forms.sounds),
            self._deletions.pairs(forms.letters),
            self.initials.pairs(queries.words, self.initials.spell(queries.words)),
            self.wording.find_sharing(queries.words),
        )
        by_letters = self._weigh_by_letters(queries, *joined)
        pairs, near = pack_pairs(*joined), pack_pairs(by_letters.value, by_letters.spelling)
        cost = np.full(len(pairs), np.inf)
        cost[np.searchsorted(pairs, near)] = by_letters.cost
        return *joined, cost

    def edit_costs(self, queries: Queries, value_idx: Ints, entry_idx: Ints) -> Floats:
        """Add up what the edits between values and spellings cost.

        Args:
            queries: The values, (values,).
            value_idx: Positions of values, (pairs,).
            entry_idx: Positions of spellings, (pairs,).

        Returns:
            The cost of each pair in nats, (pairs,); infinite where they are too far apart.
        """
        cost = self.edits.costs(queries.letters, self.letters, value_idx, entry_idx) / UNIT
        cost[queries.forms.is_cut[value_idx] | self.forms.is_cut[entry_idx] | (cost >= FAR / UNIT)] = np.inf
        return cost

    def count_endings(self, queries: Queries, near: Candidates) -> Floats:
        """Tell how usual the endings are by which values differ from their candidates, if by nothing else.

        Args:
            queries: The values, (values,).
            near: Their candidates, (pairs,).

        Returns:
            The share of spellings that have a sibling with such an ending, (pairs,); 0 for pairs read by words.
        """
        letters = self.forms.letters
        share = self.endings.share(queries.forms.letters, letters, near.value, near.spelling)
        return np.where(near.reading == BY_LETTERS, share, 0)

    def distances_beside_edits(self, queries: Queries, near: Candidates) -> Floats:
        """Measure what counts beside the edits.

        Args:
            queries: The values, (values,).
            near: Their candidates, (pairs,).

        Returns:
            Distances between sounds, consonants and surfaces of each pair, (pairs, 3).
        """
        sounds = self._sound_distances(queries, near.value, near.spelling)
        distances: Floats = np.c_[sounds, surface_distances(queries.forms, self.forms, near)]
        return distances

    def _weigh_by_letters(
        self, queries: Queries, value_idx: Ints, entry_idx: Ints, *, mutual: bool = False
    ) -> Candidates:
        """Weigh pairs by their letters and sounds; keep those that are worth it.

        Args:
            queries: The values.
            value_idx: Positions of values, (pairs,).
            entry_idx: Positions of entries, (pairs,).
            mutual: The values are the spellings; otherwise those with other case, accents and marks fall behind.
        """
        some_at_a_time = split_runs(value_idx, np.ones(len(value_idx), np.int64), _PAIRS_AT_A_TIME)
        return concatenate_candidates(
            [self._weigh_some(queries, value_idx[at], entry_idx[at], mutual) for at in some_at_a_time]
        )

    def _weigh_some(self, queries: Queries, value_idx: Ints, entry_idx: Ints, mutual: bool) -> Candidates:
        cost = self.edit_costs(queries, value_idx, entry_idx)
        edited = self._by_letters(queries, value_idx, entry_idx, cost)
        surface = 0 if mutual else fitted.SURFACE * surface_distances(queries.forms, self.forms, edited)
        behind = _NEIGHBOURS_COST if mutual else _WEIGHED_COST
        kept = mark_worth_weighing(value_idx, cost + surface, behind, _WEIGHED)
        value_idx, entry_idx, cost = value_idx[kept], entry_idx[kept], cost[kept]
        cost += self._sound_distances(queries, value_idx, entry_idx) @ [fitted.SOUNDS, fitted.CONSONANTS]
        return self._by_letters(queries, value_idx, entry_idx, cost)

    def _by_letters(self, queries: Queries, value_idx: Ints, entry_idx: Ints, cost: Floats) -> Candidates:
        reading = np.full(len(cost), BY_LETTERS, np.int8)
        return Candidates(value_idx, entry_idx, cost, reading, queries.evidence[value_idx])

    def _by_words(self, queries: Queries, value_idx: Ints, entry_idx: Ints, reading: int) -> Candidates:
        cost, evidence = self.wording.read(queries.words, value_idx, entry_idx)
        return Candidates(value_idx, entry_idx, cost, np.full(len(cost), reading, np.int8), evidence)

    def _sound_distances(self, queries: Queries, value_idx: Ints, entry_idx: Ints) -> Floats:
        """Count the edits between the sounds of pairs, and between their consonants, (pairs, 2)."""
        both = zip(queries.sounded, self._sounded, strict=True)
        counts = [self._sound_edits.costs(value, entry, value_idx, entry_idx) / UNIT for value, entry in both]
        distances: Floats = np.minimum(np.stack(counts, axis=1), _MOST_SOUNDS)
        return distances

    def _search_widely(self, queries: Queries) -> Candidates:
        """Find candidates that sound alike, share rare bits of text or words, or are initials of one another."""
        shared = self._grams.pairs(queries.forms.words, queries.forms.sounds, queries.scope)
        alike = self._same_consonants.pairs(queries.sounded.consonants.texts, queries.scope)
        spelled = self._weigh_by_letters(queries, *join_pairs(alike, shared))
        evidence = self._spare_crowding(queries.evidence)
        cut = find_shortened(self.wording, queries, self.forms.letters, shared, spelled, evidence)
        # A word that tells much may be little of its text, and have no rare letters.
        sharing = join_pairs(shared, keep_allowed(queries.scope, *self.wording.find_sharing(queries.words)))
        return concatenate_candidates([spelled, self._read_by_words(queries, sharing), cut])

    def find_by_words(self, queries: Queries) -> Candidates:
        """Find the spellings that values may mean by their words or initials alone.

        Args:
            queries: The values, (values,).

        Returns:
            Candidates with their costs.
        """
        return self._read_by_words(queries, self._grams.pairs(queries.forms.words, queries.forms.sounds))

    def _spare_crowding(self, evidence: Floats) -> Floats:
        """What letters say of values that are short for an entry, to which it is nothing what lies within a slip."""
        beyond_usual = self.crowding / usual_crowding(len(self.spellings))
        return evidence + fitted.LISTED_PER_CROWDING * float(np.log(beyond_usual))

    def _read_by_words(self, queries: Queries, shared: tuple[Ints, Ints]) -> Candidates:
        parts = []
        spelled = self.initials.spell(queries.words)
        by_initials = self.initials.pairs(queries.words, spelled, queries.scope)
        for reading, (value_idx, entry_idx) in ((BY_WORDS, shared), (BY_INITIALS, by_initials)):
            counts = queries.words.counts[value_idx], self.wording.entries.counts[entry_idx]
            several = (counts[0] > 1) | (counts[1] > 1)
            value_idx, entry_idx = value_idx[several], entry_idx[several]
            read = self._by_words(queries, value_idx, entry_idx, reading)
            if reading == BY_INITIALS and len(value_idx):
                cost = self.initials.costs(spelled, value_idx, entry_idx)
                found, evidence = np.isfinite(cost), self._spare_crowding(queries.evidence)[value_idx]
                costs, speaks = np.where(found, cost, read.cost), np.where(found, evidence, read.evidence)
                read = read._replace(cost=costs, evidence=speaks)
            parts.append(read.take(np.isfinite(read.cost)))
        return concatenate_candidates(parts)
