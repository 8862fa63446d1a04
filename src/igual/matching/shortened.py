"""Single words cut short: `Sept` for `September`, `Paeds` for `Paediatrics`, `Y` for `Yes`, `dept` as it is stated."""

from __future__ import annotations

import numpy as np

from igual.column import Mask
from igual.matching import fitted
from igual.matching.alignment import CONTRACTED, CUT, CUT_TO_ONE, CUT_TO_TWO, STATED
from igual.matching.choosing import join_pairs
from igual.matching.pairs import Ints, pack_pairs
from igual.matching.queries import Queries
from igual.matching.scope import keep_allowed
from igual.matching.scoring import BY_WORDS, SHORT, Candidates, Floats
from igual.matching.texts import Texts
from igual.matching.wording import Wording

# A shorter word stands for too many others, unless only one of the list begins with it.
_SHORTEST = 3
# The first letters stay; a word that lacks but one letter is misspelt.
_SAME_LETTERS, _LEAST_CUT = 2, 2
# What it costs to read a text of a single word so; and up to which cost longer words are misspelt rather than cut.
_ALONE, _MISSPELT = 5.4, 11.0
_NOWHERE = np.zeros(0, np.int64)


def find_shortened(
    wording: Wording,
    queries: Queries,
    letters: Texts,
    shared: tuple[Ints, Ints],
    by_letters: Candidates,
    evidence: Floats,
) -> Candidates:
    """Find values of one word that may be short for entries of one.

    Args:
        wording: The words of the entries.
        queries: The values.
        letters: The letters of the entries.
        shared: Positions of values and of entries that share some letters, (pairs,) each.
        by_letters: What was found by letters.
        evidence: What the letters of each value say about whether any entry is meant, as a logit, (values,).

    Returns:
        Candidates with their costs. As of words that are spelled alike, the letters say whether any entry is meant.
    """
    values = queries.forms.letters
    is_one_word = queries.words.counts == 1, wording.entries.counts == 1
    if not is_one_word[0].any():
        return by_letters.take(_NOWHERE)
    value_idx, entry_idx = shared
    size = values.lengths[value_idx]
    may_be: Mask = is_one_word[0][value_idx] & is_one_word[1][entry_idx]
    may_be &= (size >= _SHORTEST) & (size + _LEAST_CUT <= letters.lengths[entry_idx])
    misspelt = by_letters.take(by_letters.cost <= _MISSPELT)
    may_be &= (size <= SHORT) | ~np.isin(pack_pairs(*shared), pack_pairs(misspelt.value, misspelt.spelling))
    places = np.flatnonzero(may_be)
    value_idx, entry_idx = value_idx[places], entry_idx[places]
    if len(places):
        of_both = [
            side.characters[idx, :_SAME_LETTERS] for side, idx in ((values, value_idx), (letters, entry_idx))
        ]
        begins = (of_both[0] == of_both[1]).all(axis=1)
        value_idx, entry_idx = value_idx[begins], entry_idx[begins]
    first = keep_allowed(queries.scope, *_find_by_first_letters(values, letters))
    may_be = is_one_word[0][first[0]] & is_one_word[1][first[1]]
    stated = keep_allowed(queries.scope, *wording.aligner.find_stated(queries.words))
    value_idx, entry_idx = join_pairs((value_idx, entry_idx), (first[0][may_be], first[1][may_be]), stated)
    if len(value_idx):
        aligned = wording.align(queries.words, value_idx, entry_idx).aligned
        short = np.unique(
            aligned.pair[np.isin(aligned.how, (CUT, CUT_TO_TWO, CUT_TO_ONE, CONTRACTED, STATED))]
        )
        value_idx, entry_idx = value_idx[short], entry_idx[short]
    cost = wording.read(queries.words, value_idx, entry_idx)[0] + _ALONE - fitted.WORDS["read"]
    # What is read by words is weighed otherwise; see `chances`.
    evidence = evidence[value_idx] - (fitted.LISTED_PER_COST - fitted.LISTED_PER_WORD_COST) * cost
    reading = np.full(len(cost), BY_WORDS, np.int8)
    return Candidates(value_idx, entry_idx, cost, reading, evidence)


def _find_by_first_letters(values: Texts, entries: Texts) -> tuple[Ints, Ints]:
    """Find values of a letter or two with which a single entry begins: places in both, (pairs,) each."""
    found = [(_NOWHERE, _NOWHERE)]
    for size in range(1, _SHORTEST):
        places = np.flatnonzero(values.lengths == size)
        longer = np.flatnonzero(entries.lengths > size)
        if not len(places) or not len(longer):
            continue
        begins, first, times = np.unique(
            _number_letters(entries, longer, size), return_index=True, return_counts=True
        )
        alone, owners = begins[times == 1], longer[first[times == 1]]
        letters = _number_letters(values, places, size)
        at = np.searchsorted(alone, letters)
        is_there = at < len(alone)
        is_there[is_there] = alone[at[is_there]] == letters[is_there]
        found.append((places[is_there], owners[at[is_there]]))
    return join_pairs(*found)


def _number_letters(texts: Texts, places: Ints, size: int) -> Ints:
    """The first letters of some texts as one number, (places,)."""
    numbers: Ints = texts.characters[places, :size].astype(np.int64) @ (1 << 16 * np.arange(size))
    return numbers
