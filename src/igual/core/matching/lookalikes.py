"""Lookalikes: groups of distinct values of one column that are probably the same thing.

A group has one proposed spelling, which every other of its values is like; and every two of its values are at
least not unlike each other, so that groups don't chain.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Mapping
from itertools import combinations
from typing import NamedTuple

import numpy as np
import numpy.typing as npt
import pyarrow as pa
import pyarrow.compute as pc

from igual.core.column import Counts
from igual.core.lists import ReferenceList
from igual.core.matching.chunks import Tell, by_chunks
from igual.core.matching.doubts import SHORT, doubts, lost_words, may_be_doubted
from igual.core.matching.index import BY_LETTERS, BY_WORDS, Asked, MatchIndex, together
from igual.core.matching.reasons import reasons
from igual.core.matching.scoring import Candidates, Floats, chance_of_one
from igual.core.matching.texts import Ints
from igual.core.matching.vocabulary import Vocabulary
from igual.core.text.folding import folded_key

# Two members of a group that aren't like each other may be no further apart than this, as a probability.
_NOT_UNLIKE = 0.2
_REORDERED_COST = 1.0
_DECIMALS = 4
# Every two members of a group are compared: a larger group is left in parts.
_MOST_MEMBERS = 200
SAME_KEY_SCORE, _FOLDED_WHY = 0.999, "only case, accents, spaces or punctuation differ"


class Lookalike(NamedTuple):
    """A value of a group: the group's number from 1, what is proposed for it, how surely, and why."""

    group: int
    value: str
    rows: int
    proposal: str
    score: float
    why: str


class _Pairs(NamedTuple):
    """Spellings that look alike: the rarer and the one it may stand for, with score and reading."""

    rarer: Ints
    other: Ints
    score: Floats
    reading: npt.NDArray[np.int8]


def lookalikes(
    values: pa.Array,
    rows: Counts,
    least: float = 0.9,
    reference: ReferenceList | None = None,
    vocabulary: Vocabulary | None = None,
    tell: Tell | None = None,
) -> list[Lookalike]:
    """Groups of distinct values, (values,), that are probably one; those with most rows first.

    rows: of each value, (values,). least: the score from which a value counts as like another. reference: a list
    whose entries are preferred among equally frequent spellings.
    """
    if not len(values):
        return []
    texts, counts = values.to_pylist(), np.asarray(rows).tolist()
    accepted = set(reference.entry_of) if reference is not None else set()
    best_first = sorted(range(len(texts)), key=lambda at: _preference(texts[at], counts[at], accepted))
    # Values that are the same but for case, spaces and the like are one from the start: their best stands for them.
    folded = folded_key(values).to_pylist()
    members: dict[str, list[int]] = {}
    for place in best_first:
        members.setdefault(folded[place], []).append(place)
    kinds = list(members.values())
    rows_of = [sum(counts[place] for place in kind) for kind in kinds]
    kinds = [kinds[at] for at in sorted(range(len(kinds)), key=lambda at: (-rows_of[at], at))]
    leaders = values.take(pa.array([kind[0] for kind in kinds]))
    groups = _grouped(leaders, least, vocabulary or Vocabulary(), tell)
    found: list[list[Lookalike]] = []
    alone = set(range(len(kinds))) - set(groups) - {member for group in groups.values() for member in group}
    for centre, likes in (*groups.items(), *((at, {}) for at in sorted(alone) if len(kinds[at]) > 1)):
        proposal = texts[kinds[centre][0]]
        listed = [(kinds[centre][0], 1.0, "")]
        listed += [(place, SAME_KEY_SCORE, _FOLDED_WHY) for place in kinds[centre][1:]]
        for at, (score, why) in likes.items():
            # The reason names the best spelling of its kind; each of the kind gets its own.
            named = f": {texts[kinds[at][0]]} → "
            listed += [(place, score, why.replace(named, f": {texts[place]} → ")) for place in kinds[at]]
        found.append(
            [
                Lookalike(0, texts[at], counts[at], proposal, round(score, _DECIMALS), why)
                for at, score, why in listed
            ]
        )
    found.sort(key=lambda group: (-sum(one.rows for one in group), group[0].value))
    return [one._replace(group=number) for number, group in enumerate(found, 1) for one in group]


def _preference(text: str, rows: int, accepted: set[str]) -> tuple[int, bool, int, str]:
    """What the proposed spelling of a group is chosen by: rows, then the list, then how well formed it is."""
    flaws = (text != " ".join(text.split())) * 4 + text.isupper() * 2 + text.islower() * 1
    return -rows, text not in accepted, flaws, text


def _grouped(
    leaders: pa.Array, least: float, vocabulary: Vocabulary, tell: Tell | None
) -> dict[int, dict[int, tuple[float, str]]]:
    """For each centre the others of its group, with score and reason. leaders: most rows first, (leaders,)."""
    index = MatchIndex(ReferenceList(leaders.to_pylist()), vocabulary)
    # Spellings of the index stand in the order of their characters.
    place_of = pc.index_in(index.spellings, leaders).to_numpy(zero_copy_only=False)
    asked = index.asked(index.compared)
    pairs = _alike(index, _near(index, asked, tell), place_of, least)
    left = np.ones(len(leaders), np.bool_)
    groups: dict[int, dict[int, tuple[float, str]]] = {}
    while len(pairs.rarer):
        # The most frequent spelling that is left becomes a centre, with those most like it.
        centre_of: dict[int, tuple[int, int]] = {}
        taken: set[int] = set()
        members: Counter[int] = Counter()
        order = np.lexsort((-pairs.score, place_of[pairs.other]))
        for at in order.tolist():
            rarer, other = int(pairs.rarer[at]), int(pairs.other[at])
            full = members[other] >= _MOST_MEMBERS
            if not full and rarer not in taken and other not in centre_of and rarer not in centre_of:
                members[other] += 1
                centre_of[rarer] = other, at
                taken.add(other)
        stars: dict[int, list[int]] = {}
        for other, at in centre_of.values():
            stars.setdefault(other, []).append(at)
        apart = _apart(index, asked, [[int(pairs.rarer[at]) for at in star] for star in stars.values()])
        chosen: list[int] = []
        for other, star in stars.items():
            kept: list[int] = []
            # The same words in another order are no less alike for being written differently.
            words: list[int] = []
            for at in sorted(star, key=lambda at: (-pairs.score[at], place_of[pairs.rarer[at]])):
                rarer = int(pairs.rarer[at])
                reordered = pairs.reading[at] == BY_WORDS
                if reordered or all(
                    apart[frozenset((rarer, int(pairs.rarer[one])))] >= _NOT_UNLIKE for one in kept
                ):
                    (words if reordered else kept).append(at)
            kept += words
            chosen += kept
            left[[other, *(int(pairs.rarer[at]) for at in kept)]] = False
        why = _why(index, asked, pairs, chosen)
        for at in chosen:
            group = groups.setdefault(int(place_of[pairs.other[at]]), {})
            group[int(place_of[pairs.rarer[at]])] = float(pairs.score[at]), why[at]
        again = left[pairs.rarer] & left[pairs.other]
        pairs = _Pairs(pairs.rarer[again], pairs.other[again], pairs.score[again], pairs.reading[again])
    return groups


def _near(index: MatchIndex, asked: Asked, tell: Tell | None) -> Candidates:
    """Spellings of the index that lie near each other."""
    everywhere = np.arange(len(index.spellings))
    parts = []
    for chunk, near in by_chunks(
        everywhere,
        index.compared.letters.lengths,
        lambda some: index.near_by_letters(asked.take(some)),
        tell,
    ):
        parts.append(near._replace(value=chunk[near.value]))
    return together(parts)


def _alike(index: MatchIndex, found: Candidates, place_of: Ints, least: float) -> _Pairs:
    """Pairs that look alike and about which there is no doubt, each from the rarer spelling to the other."""
    compared = index.compared
    one, other = _same_words(compared.worded)
    value = np.concatenate([found.value, one])
    spelling = np.concatenate([found.spelling, other])
    cost = np.concatenate([found.cost, np.full(len(one), _REORDERED_COST)])
    reading = np.concatenate([found.reading, np.full(len(one), BY_WORDS, np.int8)])
    score = chance_of_one(cost, compared.letters.lengths[value])
    rarer = place_of[value] > place_of[spelling]
    keep = np.flatnonzero(rarer & (score >= least))
    value, spelling, score, reading = value[keep], spelling[keep], score[keep], reading[keep]
    short = np.minimum(compared.letters.lengths[value], compared.letters.lengths[spelling]) <= SHORT
    fine = ~(short & (reading == BY_LETTERS))
    mine, theirs = (compared.worded.take(pa.array(places)) for places in (value, spelling))
    doubted = np.flatnonzero(fine & may_be_doubted(mine, theirs, index.vocabulary))
    texts = [words.take(pa.array(doubted)).to_pylist() for words in (mine, theirs)]
    for at, *two in zip(doubted.tolist(), *texts, strict=True):
        one, other = (text.split() for text in two)
        fine[at] = not (doubts(one, other, index.vocabulary) or lost_words(one, other, index.vocabulary))
    return _Pairs(value[fine], spelling[fine], score[fine], reading[fine])


def _same_words(worded: pa.Array) -> tuple[Ints, Ints]:
    """Pairs of texts with the same words in another order, both ways."""
    several = np.flatnonzero(pc.match_substring(worded, " ").to_numpy(zero_copy_only=False))
    owners: dict[tuple[str, ...], list[int]] = {}
    for place, text in zip(several.tolist(), worded.take(pa.array(several)).to_pylist(), strict=True):
        owners.setdefault(tuple(sorted(text.split())), []).append(place)
    words = worded.to_pylist()
    twos = [two for places in owners.values() if len(places) > 1 for two in combinations(places, 2)]
    pairs = [(one, other) for one, other in twos if words[one] != words[other]]
    both = np.array([*pairs, *((b, a) for a, b in pairs)], np.int64).reshape(-1, 2)
    return both[:, 0], both[:, 1]


def _apart(index: MatchIndex, asked: Asked, stars: Iterable[list[int]]) -> Mapping[frozenset[int], float]:
    """How likely the members of each star are one another, for every two of them."""
    twos = [two for star in stars for two in combinations(star, 2)]
    if not twos:
        return {}
    one, other = np.array(twos, np.int64).T
    letters = index.compared.letters
    cost = index.edited(asked, one, other)
    score = chance_of_one(cost, np.minimum(letters.lengths[one], letters.lengths[other]))
    return {frozenset(two): float(chance) for two, chance in zip(twos, score, strict=True)}


def _why(index: MatchIndex, asked: Asked, pairs: _Pairs, chosen: list[int]) -> dict[int, str]:
    places = np.array(chosen, np.int64)
    said = index.spellings.to_pylist()
    found = reasons(index, asked, said, pairs.rarer[places], pairs.other[places], pairs.reading[places])
    return dict(zip(chosen, found, strict=True))
