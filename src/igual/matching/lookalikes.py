"""Lookalikes: groups of distinct values of one column that are probably the same thing.

A group has one proposed spelling, which every other of its values is like; and every two of its values are at
least not unlike each other, so that groups don't chain.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection, Iterable, Iterator, Mapping, Sequence
from itertools import chain, combinations, pairwise
from typing import NamedTuple

import numpy as np
import numpy.typing as npt
import pyarrow as pa
import pyarrow.compute as pc

from igual.column import Counts
from igual.lists import ReferenceList
from igual.matching.candidates import CandidateSearch
from igual.matching.choosing import concatenate_candidates
from igual.matching.chunks import ProgressCallback, work_in_chunks
from igual.matching.doubts import find_doubts, mark_doubtful
from igual.matching.exact_parts import number_by_exact_parts
from igual.matching.keys import letters_key, plain
from igual.matching.lookups import How
from igual.matching.pairs import Ints, pack_pairs
from igual.matching.queries import Queries
from igual.matching.reasons import OF_LOOK_UP, Reasons, explain_pairs
from igual.matching.scoring import BY_LETTERS, BY_WORDS, SHORT, Candidates, Floats, chance_of_one
from igual.matching.slip_pairs import chance_of_slip, measure_slips
from igual.matching.vocabulary import Vocabulary
from igual.text.folding import folded_key

# Two members of a group that aren't like each other may be no further apart than this, as a probability.
_NOT_UNLIKE = 0.2
_REORDERED_COST = 1.0
_DECIMALS = 4
# Every two members of a group are compared: a larger group is left in parts.
_MOST_MEMBERS = 200
# A slip leaves at least this share of the pairs of letters; among more kinds than so many two nearly always share them.
_SHARED, _FEW = 0.35, 200
# Of many texts with the same words so many may be the centre of a group.
_MOST_CENTRES = 20
SAME_KEY_SCORE = 0.999
_NO_ENTRY = -1
_NONE = np.zeros(0, np.int64)


class Lookalike(NamedTuple):
    """A value of a group.

    Attributes:
        group: The group's number, from 1.
        value: The value.
        rows: How many rows have it.
        proposal: The spelling proposed for the group; the value itself where it is that.
        score: How likely it is that value and proposal are one, 0 to 1.
        reasons: Why.
    """

    group: int
    value: str
    rows: int
    proposal: str
    score: float
    reasons: Reasons


class _Kind(NamedTuple):
    """Values that are the same apart from case, spaces and the like; the best spelling first.

    Attributes:
        members: Positions of the values.
        entry: The entry of the reference list that they are spellings of, _NO_ENTRY for none.
    """

    members: list[int]
    entry: int


class _Pairs(NamedTuple):
    """Kinds that look alike: the rarer and the one it may stand for, (pairs,) each.

    Attributes:
        rarer: Position of the rarer kind; kinds with most rows come first.
        centre: Position of the other.
        score: How likely they are one.
        reading: How they were read.
    """

    rarer: Ints
    centre: Ints
    score: Floats
    reading: npt.NDArray[np.int8]

    def take(self, positions: Ints | npt.NDArray[np.bool_]) -> _Pairs:
        return _Pairs(
            self.rarer[positions], self.centre[positions], self.score[positions], self.reading[positions]
        )


class _Alike(NamedTuple):
    """A kind that is like the centre of its group."""

    score: float
    reasons: Reasons


def group_lookalikes(
    values: pa.Array,
    rows: Counts,
    min_score: float = 0.85,
    reference: ReferenceList | None = None,
    vocabulary: Vocabulary | None = None,
    on_progress: ProgressCallback | None = None,
) -> list[Lookalike]:
    """Group distinct values that are probably one.

    Args:
        values: Distinct values, none of them blank, (values,).
        rows: Of each value, (values,).
        min_score: From which score a value counts as like another, above 0 and up to 1.
        reference: A list whose entries are preferred among equally frequent spellings, and are never grouped with
            each other: entries of a list are different things.
        vocabulary: Words that are treated in a way of their own.
        on_progress: Is called with how many of how many parts are done.

    Returns:
        The members of all groups; groups with most rows first, the proposed spelling first in each.
    """
    if not len(values):
        return []
    texts, counts = values.to_pylist(), np.asarray(rows).tolist()
    kinds = _collect_kinds(values, texts, counts, reference)
    leaders = values.take(pa.array([kind.members[0] for kind in kinds]))
    rows_of = np.array([sum(counts[position] for position in kind.members) for kind in kinds], np.float64)
    groups = _group_kinds(
        leaders, rows_of, [kind.entry for kind in kinds], min_score, vocabulary or Vocabulary(), on_progress
    )
    folded = (OF_LOOK_UP[How.FOLDED],)
    taken = set(groups) | {member for group in groups.values() for member in group}
    alone = [
        position for position, kind in enumerate(kinds) if position not in taken and len(kind.members) > 1
    ]
    made: list[list[Lookalike]] = []
    for centre, members in (*groups.items(), *((position, {}) for position in alone)):
        proposed, *others = kinds[centre].members
        listed: list[tuple[int, float, Reasons]] = [(proposed, 1.0, ())]
        listed += [(position, SAME_KEY_SCORE, folded) for position in others]
        for kind, alike in members.items():
            listed += [(position, alike.score, alike.reasons) for position in kinds[kind].members]
        made.append(
            [
                Lookalike(0, texts[at], counts[at], texts[proposed], round(score, _DECIMALS), reasons)
                for at, score, reasons in listed
            ]
        )
    made.sort(key=lambda group: (-sum(member.rows for member in group), group[0].value))
    return [member._replace(group=number) for number, group in enumerate(made, 1) for member in group]


def _collect_kinds(
    values: pa.Array, texts: Sequence[str], counts: Sequence[int], reference: ReferenceList | None
) -> list[_Kind]:
    """Values that are the same apart from case, spaces, & or `and` and the like are one kind; most rows come first.

    Entries of the reference list stay apart, however alike they are.
    """
    entry_of = reference.entry_of if reference is not None else {}
    numbers = {entry: number for number, entry in enumerate(reference.values)} if reference else {}
    best_first = sorted(
        range(len(texts)), key=lambda position: _preference(texts[position], counts[position], entry_of)
    )
    keys = folded_key(pc.replace_substring_regex(values, r"\s*&\s*", " and ")).to_pylist()
    by_key: dict[str, list[_Kind]] = {}
    for position in best_first:
        entry = numbers.get(entry_of.get(texts[position], ""), _NO_ENTRY)
        same_key = by_key.setdefault(keys[position], [])
        fitting = (number for number, kind in enumerate(same_key) if _may_join(kind.entry, entry))
        number = next(fitting, None)
        if number is None:
            same_key.append(_Kind([position], entry))
        else:
            kind = same_key[number]
            same_key[number] = _Kind([*kind.members, position], max(kind.entry, entry))
    kinds = [kind for same_key in by_key.values() for kind in same_key]
    rows_of = [sum(counts[position] for position in kind.members) for kind in kinds]
    return [kinds[at] for at in sorted(range(len(kinds)), key=lambda at: (-rows_of[at], at))]


def _may_join(entry: int, other: int) -> bool:
    return entry == other or _NO_ENTRY in (entry, other)


def _preference(text: str, rows: int, accepted: Collection[str]) -> tuple[bool, int, int, str]:
    """What the proposed spelling of a kind is chosen by: the list, then how well formed it is, then rows."""
    flaws = (text != " ".join(text.split())) * 2 + (text.isupper() or text.islower())
    return text not in accepted, flaws, -rows, text


def _share_letters(texts: Sequence[str]) -> bool:
    """Whether any two texts share so many pairs of letters that one may be the other, misspelt."""
    pairs = [{*pairwise(f" {text} ")} for text in texts]
    having: dict[tuple[str, str], list[int]] = {}
    for number, some in enumerate(pairs):
        shared = Counter(chain.from_iterable(having.get(pair, ()) for pair in some))
        if any(count >= _SHARED * min(len(some), len(pairs[other])) for other, count in shared.items()):
            return True
        for pair in some:
            having.setdefault(pair, []).append(number)
    return False


def _group_kinds(
    leaders: pa.Array,
    rows: Floats,
    entries: Sequence[int],
    min_score: float,
    vocabulary: Vocabulary,
    on_progress: ProgressCallback | None,
) -> dict[int, dict[int, _Alike]]:
    """For each centre the others of its group.

    Args:
        leaders: The best spelling of each kind, most rows first, (kinds,).
        rows: Of each kind, (kinds,).
        entries: The entry of the reference list that each is a spelling of.
        min_score: From which score a kind counts as like another.
        vocabulary: Words that are treated in a way of their own.
        on_progress: Is called with how many of how many parts are done.
    """
    if len(leaders) <= _FEW and not _share_letters(letters_key(plain(leaders)).to_pylist()):
        # Nothing is near anything, which is known before a search is built: a table may have thousands of columns.
        return {}
    order = pc.sort_indices(leaders)
    # The search has its spellings in the order of their characters; kinds are numbered by their rows.
    kind_of = order.to_numpy(zero_copy_only=False).astype(np.int64)
    search = CandidateSearch(leaders.take(order), vocabulary)
    queries = search.prepare(search.forms)
    near = find_near(search, queries, kind_of, on_progress)
    pairs = _find_pairs(search, near, rows[kind_of], kind_of, min_score)
    owner = np.array(entries, np.int64)
    owners = owner[pairs.rarer], owner[pairs.centre]
    pairs = pairs.take((owners[0] == owners[1]) | (np.minimum(*owners) == _NO_ENTRY))
    spelling_of = np.empty_like(kind_of)
    spelling_of[kind_of] = np.arange(len(kind_of))
    is_left = np.ones(len(leaders), np.bool_)
    groups: dict[int, dict[int, _Alike]] = {}
    while len(pairs.rarer):
        stars = _choose_stars(pairs, entries)
        unlike = _measure_members(search, queries, pairs, stars.values(), spelling_of)
        chosen = [number for star in stars.values() for number in _keep_alike(pairs, star, unlike)]
        members = pairs.take(np.array(chosen, np.int64))
        reasons = explain_pairs(
            search, queries, spelling_of[members.rarer], spelling_of[members.centre], members.reading
        )
        for rarer, centre, score, why in zip(
            members.rarer.tolist(), members.centre.tolist(), members.score.tolist(), reasons, strict=True
        ):
            groups.setdefault(centre, {})[rarer] = _Alike(score, why)
        is_left[members.rarer] = is_left[list(stars)] = False
        pairs = pairs.take(is_left[pairs.rarer] & is_left[pairs.centre])
    return groups


def _choose_stars(pairs: _Pairs, entries: Sequence[int]) -> dict[int, list[int]]:
    """The most frequent kinds that are left become centres, each with those most like it.

    Returns:
        For each centre the numbers of its pairs.
    """
    is_member: set[int] = set()
    is_centre: set[int] = set()
    entry_of: dict[int, int] = {}
    sizes: Counter[int] = Counter()
    stars: dict[int, list[int]] = {}
    for number in np.lexsort((-pairs.score, pairs.centre)).tolist():
        rarer, centre = int(pairs.rarer[number]), int(pairs.centre[number])
        entry = entry_of.get(centre, entries[centre])
        is_free = rarer not in is_centre and centre not in is_member and rarer not in is_member
        if is_free and sizes[centre] < _MOST_MEMBERS and _may_join(entry, entries[rarer]):
            entry_of[centre] = max(entry, entries[rarer])
            sizes[centre] += 1
            is_member.add(rarer)
            is_centre.add(centre)
            stars.setdefault(centre, []).append(number)
    return stars


def _keep_alike(pairs: _Pairs, star: Sequence[int], alike: Mapping[frozenset[int], float]) -> Iterator[int]:
    """The pairs of a star whose members aren't unlike one another, the most alike first."""
    kept: list[int] = []
    # The same words in another order are no less alike for being written differently.
    reordered: list[int] = []
    for number in sorted(star, key=lambda number: (-pairs.score[number], pairs.rarer[number])):
        rarer = int(pairs.rarer[number])
        if pairs.reading[number] == BY_WORDS:
            reordered.append(number)
        elif all(alike[frozenset((rarer, int(pairs.rarer[other])))] >= _NOT_UNLIKE for other in kept):
            kept.append(number)
    yield from (*kept, *reordered)


def find_near(
    search: CandidateSearch, queries: Queries, ranks: Ints, on_progress: ProgressCallback | None
) -> Candidates:
    """Find spellings that lie near each other, with the same numbers in them.

    Args:
        search: The spellings.
        queries: The same, as values.
        ranks: Of each, no two alike, (spellings,).
        on_progress: Is called with how many of how many parts are done.

    Returns:
        Pairs, each from the higher rank to the lower.
    """
    parts = []
    groups = number_by_exact_parts(search.spellings)
    for chunk, near in work_in_chunks(
        np.arange(len(search.spellings)),
        search.forms.letters.lengths,
        lambda some: search.find_neighbours(queries.take(some), some, ranks, groups),
        on_progress,
    ):
        parts.append(near._replace(value=chunk[near.value]))
    near = concatenate_candidates(parts)
    return near.take(near.value != near.spelling)


def _find_pairs(
    search: CandidateSearch, near: Candidates, rows: Floats, kind_of: Ints, min_score: float
) -> _Pairs:
    """Pairs that look alike and about which there is no doubt, each from the rarer kind to the other."""
    forms = search.forms
    first, second = _pair_same_words(forms.word_keys, kind_of)
    value = np.concatenate([near.value, first])
    spelling = np.concatenate([near.spelling, second])
    reading = np.concatenate([near.reading, np.full(len(first), BY_WORDS, np.int8)])
    score = np.concatenate(
        [
            chance_of_slip(measure_slips(search, near, rows), len(rows)),
            chance_of_one(np.full(len(first), _REORDERED_COST), forms.letters.lengths[first]),
        ]
    )
    everything = _Pairs(kind_of[value], kind_of[spelling], score, reading)
    kept = np.flatnonzero(score >= min_score)
    value, spelling, score, reading = value[kept], spelling[kept], score[kept], reading[kept]
    is_short = np.minimum(forms.letters.lengths[value], forms.letters.lengths[spelling]) <= SHORT
    exact = number_by_exact_parts(search.spellings)
    is_sure = ~(is_short & (reading == BY_LETTERS)) & (exact[value] == exact[spelling])
    words = forms.word_keys.take(pa.array(value)), forms.word_keys.take(pa.array(spelling))
    doubtful = np.flatnonzero(is_sure & mark_doubtful(*words, search.vocabulary))
    texts = [keys.take(pa.array(doubtful)).to_pylist() for keys in words]
    for number, text, other in zip(doubtful.tolist(), *texts, strict=True):
        is_sure[number] = not find_doubts(text.split(), other.split(), search.vocabulary)
    pairs = everything.take(kept).take(is_sure)
    return pairs.take(_mark_nearest(pairs, everything))


def _mark_nearest(pairs: _Pairs, everything: _Pairs) -> npt.NDArray[np.bool_]:
    """Mark the pairs of kinds with the one that they are most like, or with one that this is like itself.

    Args:
        pairs: The pairs.
        everything: The same and all others, also those that may not be grouped.
    """
    order = np.lexsort((everything.centre, -everything.score, everything.rarer))
    rarer, first = np.unique(everything.rarer[order], return_index=True)
    nearest = everything.centre[order[first]][np.searchsorted(rarer, pairs.rarer)]
    is_chained = np.isin(pack_pairs(nearest, pairs.centre), pack_pairs(pairs.rarer, pairs.centre))
    is_meant: npt.NDArray[np.bool_] = (nearest == pairs.centre) | is_chained
    return is_meant


def _pair_same_words(word_keys: pa.Array, kind_of: Ints) -> tuple[Ints, Ints]:
    """Pairs of texts with the same words in another order: the rarer and the other, (pairs,) each.

    Of very many such texts those stand together that may be in a group, each with the first of them.
    """
    several = np.flatnonzero(pc.match_substring(word_keys, " ").to_numpy(zero_copy_only=False))
    several = several[np.argsort(kind_of[several])]
    owners: dict[tuple[str, ...], list[int]] = {}
    for position, text in zip(several.tolist(), word_keys.take(pa.array(several)).to_pylist(), strict=True):
        owners.setdefault(tuple(sorted(text.split())), []).append(position)
    firsts, seconds = [_NONE], [_NONE]
    for positions in owners.values():
        for start in range(0, len(positions) if len(positions) > 1 else 0, _MOST_MEMBERS + 1):
            some = np.array(positions[start : start + _MOST_MEMBERS + 1], np.int64)
            other, rarer = np.nonzero(np.tri(min(len(some), _MOST_CENTRES), len(some), 0) == 0)
            firsts.append(some[rarer])
            seconds.append(some[other])
    first, second = np.concatenate(firsts), np.concatenate(seconds)
    codes = word_keys.dictionary_encode().indices.to_numpy(zero_copy_only=False)
    is_other = codes[first] != codes[second]
    return first[is_other], second[is_other]


def _measure_members(
    search: CandidateSearch,
    queries: Queries,
    pairs: _Pairs,
    stars: Iterable[Sequence[int]],
    spelling_of: Ints,
) -> Mapping[frozenset[int], float]:
    """How likely the members of each star are one another, for every two of them that aren't only reordered."""
    spelled = [np.array(star)[pairs.reading[star] != BY_WORDS] for star in stars]
    twos = [two for star in spelled for two in combinations(pairs.rarer[star].tolist(), 2)]
    if not twos:
        return {}
    first, second = spelling_of[np.array(twos, np.int64).T]
    lengths = search.forms.letters.lengths
    cost = search.edit_costs(queries, first, second)
    score = chance_of_one(cost, np.minimum(lengths[first], lengths[second]))
    return {frozenset(two): float(chance) for two, chance in zip(twos, score, strict=True)}
