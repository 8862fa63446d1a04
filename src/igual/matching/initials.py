"""Candidates that are initials of one another: `KQ` and `Kestrel Quay`, `ENT` and `Ear, nose and throat`."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from igual.column import TEXT, to_mask
from igual.matching.choosing import join_pairs
from igual.matching.pairs import Ints, expand_spans
from igual.matching.scope import Scope, keep_allowed
from igual.matching.scoring import Floats
from igual.matching.spellings import Spellings
from igual.matching.vocabulary import CONNECTING
from igual.matching.words import Words

# Initials that more entries share lead to none; where a scope restricts these, more of them are looked at.
_CROWD, _CROWD_IN_SCOPE = 60, 2000
_SHORTEST, _LONGEST = 2, 6
# Where the value is initials; and where the entry is, which a name that is written out is seldom meant to be.
_VALUE_COST, _ENTRY_COST = 6.0, 8.0


class Initials:
    """An index of entries by their initials, and of entries that may be initials.

    Args:
        entries: The words of the entries.
        spellings: The entries as they are written: one word is looked upon as initials only in capitals, (entries,).
        small_words: Words that initials may leave out, besides those that connect others.
    """

    def __init__(self, entries: Words, spellings: pa.Array, small_words: Sequence[str]) -> None:
        self._left_out = pa.array((*small_words, *CONNECTING), TEXT)
        whole, short, as_initials = self.spell(entries)
        as_initials = pc.if_else(pc.utf8_is_upper(spellings), as_initials, "")
        several = pa.array(entries.counts > 1)
        self._entries = Spelled(whole, short, as_initials)
        self._by_all = _Places(pc.if_else(several, whole, ""))
        self._by_some = _Places(pc.if_else(pc.and_(several, pc.not_equal(whole, short)), short, ""))
        self._as_initials = _Places(as_initials)

    def pairs(self, values: Words, spelled: Spelled, scope: Scope | None = None) -> tuple[Ints, Ints]:
        """Values that are initials of entries, or the other way round, or share theirs: places in both."""
        several = pa.array(values.counts > 1)
        whole, short, as_initials = spelled
        wanted = (
            (self._by_all, pc.if_else(pc.equal(as_initials, ""), whole, as_initials)),
            (self._by_some, as_initials),
            (self._as_initials, pc.if_else(several, whole, "")),
            (self._as_initials, pc.if_else(several, short, "")),
        )
        crowd = _CROWD if scope is None else _CROWD_IN_SCOPE
        found = join_pairs(*(places.find(texts, crowd) for places, texts in wanted))
        return keep_allowed(scope, *found)

    def costs(self, spelled: Spelled, value_idx: Ints, entry_idx: Ints) -> Floats:
        """What it costs that one of a value and an entry is nothing but the initials of the other, (pairs,).

        Infinite where that isn't so.
        """
        value, entry = (
            Spelled(*(texts.take(pa.array(places)) for texts in side))
            for side, places in ((spelled, value_idx), (self._entries, entry_idx))
        )
        cost = np.full(len(value_idx), np.inf)
        for one, other, of_one in ((entry, value, _ENTRY_COST), (value, entry, _VALUE_COST)):
            same = pc.or_(pc.equal(one.as_initials, other.whole), pc.equal(one.as_initials, other.short))
            same = pc.and_(same, pc.greater_equal(pc.utf8_length(one.as_initials), _SHORTEST))
            cost[to_mask(same)] = of_one
        return cost

    def spell(self, texts: Words) -> Spelled:
        """Tell what the initials of texts are."""
        words = texts.vocabulary.take(pa.array(texts.all_ids))
        first = pc.utf8_slice_codeunits(words, 0, 1)
        offsets = np.append(0, np.cumsum(texts.counts))
        whole = _join(first, offsets)
        is_small, is_letter = (to_mask(pc.is_in(words, self._left_out)), texts.is_letter[texts.all_ids])
        short = _join(pc.if_else(pa.array(is_small), "", first), offsets)
        # A word alone, or beside small ones: KW, KW Ltd.
        is_idle = is_small & ~is_letter & (texts.counts > 1)[texts.owners]
        is_alone = np.bincount(texts.owners, ~is_idle, len(texts.counts)) == 1
        others = np.bincount(texts.owners, ~is_small & ~is_letter, len(texts.counts))
        is_of_letters = (texts.counts > 1) & (others == 0)
        kept = np.where(is_of_letters[texts.owners], is_letter, ~is_idle & is_alone[texts.owners])
        # Between letters there may be small words, or what stands for one: A and E, A & E, A&E.
        as_initials = pc.replace_substring(_join(pc.if_else(pa.array(kept), words, ""), offsets), "&", "")
        return Spelled(whole, short, as_initials)


class Spelled(NamedTuple):
    """Initials of texts, (texts,) each.

    Attributes:
        whole: The first letters of all words.
        short: Those of all but small ones.
        as_initials: The text itself where it may be initials: of one word, or of single letters; else empty.
    """

    whole: pa.Array
    short: pa.Array
    as_initials: pa.Array


def _join(pieces: pa.Array, offsets: Ints) -> pa.Array:
    return pc.binary_join(pa.LargeListArray.from_arrays(pa.array(offsets), pieces), pa.scalar("", TEXT))


class _Places:
    """Where texts of some letters stand. texts: the texts, (texts,)."""

    def __init__(self, texts: pa.Array) -> None:
        places = np.flatnonzero(to_mask(pc.greater_equal(pc.utf8_length(texts), _SHORTEST)))
        encoded = texts.take(pa.array(places)).dictionary_encode()
        codes = encoded.indices.to_numpy(zero_copy_only=False)
        self._texts = Spellings(encoded.dictionary, np.arange(len(encoded.dictionary)))
        # Where the places of each begin, and which they are.
        self._begins: Ints = np.append(0, np.cumsum(np.bincount(codes, minlength=len(self._texts))))
        self._places: Ints = places[np.argsort(codes, kind="stable")]

    def find(self, wanted: pa.Array, crowd: int) -> tuple[Ints, Ints]:
        """Which of the texts, at most so long, stand where, unless it is in too many places."""
        wanted = pc.if_else(pc.less_equal(pc.utf8_length(wanted), _LONGEST), wanted, "")
        code = self._texts.look_up(wanted)
        start = self._begins[code]
        times = np.where(code < 0, 0, self._begins[code + 1] - start)
        times[times > crowd] = 0
        return np.repeat(np.arange(len(code)), times), self._places[expand_spans(start, times)]
