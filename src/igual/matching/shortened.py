"""Single words cut short: `Sept` for `September`, `Paeds` for `Paediatrics`."""

from __future__ import annotations

import numpy as np

from igual.column import Mask
from igual.matching import fitted
from igual.matching.alignment import CONTRACTED, CUT
from igual.matching.pairs import Ints, pack_pairs
from igual.matching.queries import Queries
from igual.matching.scoring import BY_WORDS, SHORT, Candidates
from igual.matching.texts import Texts
from igual.matching.wording import Wording

# A shorter word stands for too many others.
_SHORTEST = 3
# The first letters stay; a word that lacks but one letter is misspelt.
_SAME_LETTERS, _LEAST_CUT = 2, 2
# What it costs that no other word speaks for the entry; and up to which cost longer words are misspelt rather than cut.
_ALONE, _MISSPELT = 2.0, 11.0


def find_shortened(
    wording: Wording, queries: Queries, letters: Texts, shared: tuple[Ints, Ints], by_letters: Candidates
) -> Candidates:
    """Find values of one word that may be short for entries of one.

    Args:
        wording: The words of the entries.
        queries: The values.
        letters: The letters of the entries.
        shared: Positions of values and of entries that share some letters, (pairs,) each.
        by_letters: What was found by letters.

    Returns:
        Candidates with their costs. As of words that are spelled alike, the letters say whether any entry is meant.
    """
    values = queries.forms.letters
    value_idx, entry_idx = shared
    size = values.lengths[value_idx]
    may_be: Mask = (queries.words.counts[value_idx] == 1) & (wording.entries.counts[entry_idx] == 1)
    may_be &= (size >= _SHORTEST) & (size + _LEAST_CUT <= letters.lengths[entry_idx])
    misspelt = by_letters.take(by_letters.cost <= _MISSPELT)
    may_be &= (size <= SHORT) | ~np.isin(pack_pairs(*shared), pack_pairs(misspelt.value, misspelt.spelling))
    places = np.flatnonzero(may_be)
    value_idx, entry_idx = value_idx[places], entry_idx[places]
    if len(places):
        first, second = (
            side.characters[idx, :_SAME_LETTERS] for side, idx in ((values, value_idx), (letters, entry_idx))
        )
        begins = (first == second).all(axis=1)
        value_idx, entry_idx = value_idx[begins], entry_idx[begins]
    aligned = wording.align(queries.words, value_idx, entry_idx).aligned
    short = np.unique(aligned.pair[(aligned.how == CUT) | (aligned.how == CONTRACTED)])
    value_idx, entry_idx = value_idx[short], entry_idx[short]
    cost = wording.read(queries.words, value_idx, entry_idx)[0] + _ALONE
    # What is read by words is weighed otherwise; see `chances`.
    evidence = queries.evidence[value_idx] - (fitted.LISTED_PER_COST - fitted.LISTED_PER_WORD_COST) * cost
    reading = np.full(len(cost), BY_WORDS, np.int8)
    return Candidates(value_idx, entry_idx, cost, reading, evidence)
