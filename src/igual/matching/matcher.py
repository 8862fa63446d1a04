"""Matching: for each value a status, a proposal, a score, a runner-up, and why."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from typing import Literal

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from igual.column import Mask, to_mask
from igual.matching.chunks import ProgressCallback, work_in_chunks
from igual.matching.doubting import Best, Doubting, cases_differ
from igual.matching.forms import Forms
from igual.matching.index import MatchIndex
from igual.matching.lookups import How, LookUp
from igual.matching.matched import OPEN, SETTLED, UNKNOWN, Matched
from igual.matching.pairs import Ints, find_run_starts, pack_pairs, unpack_pairs
from igual.matching.queries import Queries
from igual.matching.reasons import (
    CASE_MATTERS,
    NEAREST_ONLY,
    NOT_SURE,
    OF_LOOK_UP,
    RIVAL_EQUAL,
    RIVAL_NEAR,
    SAME_BEGINNING,
    SAME_WORDS,
    TOO_LONG,
    explain_pairs,
    spelled_alike,
)
from igual.matching.scope import Scope
from igual.matching.thresholds import DEFAULTS, Thresholds
from igual.text.arrays import LONGEST_TEXT

By = Literal["exact", "folded", "fuzzy"]
WAYS: tuple[By, ...] = ("exact", "folded", "fuzzy")
# A score as it is shown, and compared with the thresholds: the same on every machine.
_DECIMALS = 4
_SMALLEST_SHARE = 0.001
# Fuzzy scores stay below 1.
_LIKELIEST = 0.9999
_SCORES = {
    How.EXACT: 1.0,
    How.FOLDED: 0.999,
    How.ALIAS: 0.999,
    How.ALIAS_FOLDED: 0.998,
    How.TWO_LETTERS: 0.98,
}


def match_values(
    values: pa.Array,
    index: MatchIndex,
    by: Sequence[By] = WAYS,
    thresholds: Thresholds = DEFAULTS,
    on_progress: ProgressCallback | None = None,
    scope: Scope | None = None,
) -> Matched:
    """Match values to the entries of a list.

    Args:
        values: Values, none of them blank, each once within one scope, (values,).
        index: The list.
        by: The ways to match.
        thresholds: When a likely match is accepted.
        on_progress: Is called with how many of how many parts are done.
        scope: Which entries each may mean; None: every one.

    Returns:
        What became of each value.
    """
    matched = Matched.nothing(values)
    left = np.ones(len(values), np.bool_)
    is_short = to_mask(pc.less_equal(pc.binary_length(values), LONGEST_TEXT))
    for look_up in index.look_ups(by):
        # Nobody's entry is so long, and to bring such a text into other forms takes long.
        looked_up = left if look_up.how in (How.EXACT, How.ALIAS) else left & is_short
        if looked_up.any():
            _look_up_values(matched, index, look_up, looked_up, thresholds.case_sensitive, scope)
            left &= looked_up | ~is_short
    if "fuzzy" in by and left.any():

        def match_chunk(chunk: Ints) -> Matched:
            part = scope.take(chunk) if scope is not None else None
            return match_by_likeness(values.take(pa.array(chunk)), index, thresholds, part)

        index.search.build()
        lengths = pc.utf8_length(values).to_numpy(zero_copy_only=False).astype(np.int64)
        for chunk, part in work_in_chunks(np.flatnonzero(left), lengths[left], match_chunk, on_progress):
            matched.put_part(chunk, part)
    return matched


def _look_up_values(
    matched: Matched,
    index: MatchIndex,
    look_up: LookUp,
    left: Mask,
    case_sensitive: bool,
    scope: Scope | None,
) -> None:
    """Settle what a look-up finds, and leave open what it finds twice; both are no longer `left`."""
    positions = np.flatnonzero(left)
    keys = look_up.key(matched.values if left.all() else matched.values.take(pa.array(positions)))
    entry = look_up.spellings.look_up(keys)
    contested = _find_contested(look_up, keys)
    if scope is not None:
        contested = _keep_allowed(scope, positions, entry, contested)
    hit = entry >= 0
    settled, how = positions[hit], look_up.how
    matched.status[settled], matched.how[settled], matched.score[settled] = SETTLED, how, _SCORES[how]
    matched.entry[settled] = entry[hit]
    left[settled] = False
    if case_sensitive and how not in (How.EXACT, How.ALIAS):
        texts = matched.values.take(pa.array(settled)).to_pylist()
        for position, text in zip(settled.tolist(), texts, strict=True):
            if cases_differ(text, index.names[matched.entry[position]]):
                matched.status[position] = OPEN
                matched.explained[position] = (OF_LOOK_UP[how], CASE_MATTERS)
    for number, entries in contested.items():
        _leave_contested(matched, index, look_up.how, int(positions[number]), entries)
        left[positions[number]] = False


def _find_contested(look_up: LookUp, keys: pa.Array) -> dict[int, Collection[int]]:
    """The entries of each key that several have, by its number."""
    contested = look_up.spellings.contested
    if not contested:
        return {}
    numbers = np.flatnonzero(look_up.spellings.is_contested(keys))
    texts = keys.take(pa.array(numbers)).to_pylist()
    return {number: contested[text] for number, text in zip(numbers.tolist(), texts, strict=True)}


def _keep_allowed(
    scope: Scope, positions: Ints, entry: Ints, contested: Mapping[int, Collection[int]]
) -> dict[int, Collection[int]]:
    """Take away entries that values can't mean; of contested keys one entry may be left, and is put in."""
    entry[(entry >= 0) & ~scope.allows(positions, entry)] = -1
    left = {}
    for number, entries in contested.items():
        some = np.array(sorted(entries))
        allowed = some[scope.allows(np.full(len(some), positions[number]), some)].tolist()
        if len(allowed) == 1:
            entry[number] = allowed[0]
        elif allowed:
            left[number] = allowed
    return left


def _leave_contested(
    matched: Matched, index: MatchIndex, how: How, position: int, claimed: Collection[int]
) -> None:
    """Leave a value open whose key several entries have."""
    entries = sorted(claimed, key=index.names.__getitem__)
    score = round(1 / len(entries), _DECIMALS)
    sizes = len(entries)
    matched.rankings.append((np.full(sizes, position), np.array(entries), np.full(sizes, score)))
    matched.entry[position], matched.runner_up[position] = entries[:2]
    matched.score[position] = matched.runner_up_score[position] = score
    matched.how[position], matched.status[position] = how, OPEN
    matched.explained[position] = (spelled_alike([index.names[entry] for entry in entries]),)


def match_by_likeness(
    values: pa.Array, index: MatchIndex, thresholds: Thresholds, scope: Scope | None = None
) -> Matched:
    """Match values by likeness alone.

    Args:
        values: Values, none of them blank, each once within one scope, (values,).
        index: The list.
        thresholds: When a likely match is accepted.
        scope: Which entries each may mean; None: every one.

    Returns:
        What became of each value.
    """
    matched = Matched.nothing(values)
    queries = index.search.prepare(Forms.of(values), scope)
    best = _rank(matched, index, queries)
    positions = best.position
    matched.how[positions] = How.FUZZY
    is_near = best.any_meant >= thresholds.ask
    score, runner_up = matched.score[positions], matched.runner_up_score[positions]
    lead = ((score - runner_up) / best.any_meant).round(_DECIMALS)
    is_ahead = lead >= thresholds.margin
    is_sure = (score >= thresholds.settle) & is_ahead
    doubting = Doubting(index, queries, values, best, is_near, thresholds.case_sensitive)
    doubts = doubting.find()
    rivals = matched.runner_up[positions]
    rivalled = is_near & ~is_ahead & (rivals >= 0)
    if rivalled.any():
        rivalled &= doubting.mark_initials(index.own_spellings[rivals])
    for number in np.flatnonzero(rivalled).tolist():
        doubts.setdefault(number, []).append(RIVAL_EQUAL)
    doubtful = np.zeros(len(positions), np.bool_)
    doubtful[list(doubts)] = True
    matched.status[positions] = np.where(is_near, np.where(is_sure & ~doubtful, SETTLED, OPEN), UNKNOWN)
    reasons = explain_pairs(index.search, queries, positions, best.spelling, best.reading)
    unsure = np.where(is_ahead, 0, np.where(2 * runner_up >= score, 1, 2))
    for number in np.flatnonzero(~is_sure | ~is_near).tolist():
        if not is_near[number]:
            reasons[number] = (NEAREST_ONLY, *reasons[number])
        elif number not in doubts:
            reasons[number] = (*reasons[number], (NOT_SURE, RIVAL_EQUAL, RIVAL_NEAR)[unsure[number]])
    for number, more in doubts.items():
        mains = reasons[number]
        if TOO_LONG in more:
            mains = tuple(SAME_BEGINNING if one == SAME_WORDS else one for one in mains)
        reasons[number] = (*mains, *more)
    matched.explained = dict(zip(positions.tolist(), reasons, strict=True))
    return matched


def _rank(matched: Matched, index: MatchIndex, queries: Queries) -> Best:
    """Put entries, scores and rankings into `matched`. An entry is as likely as its spellings together."""
    near, likely, any_meant = index.search.find(queries)
    # The likeliest spelling of an entry explains the match.
    order = np.lexsort((near.spelling, -likely, near.value))
    value, spelling, chance = near.value[order], near.spelling[order], likely[order]
    pair, first, back = np.unique(
        pack_pairs(value, index.owners[spelling]), return_index=True, return_inverse=True
    )
    summed = np.bincount(back, chance, len(pair))
    owner, entry = unpack_pairs(pair)
    # Candidates are ranked by their share in whatever is meant, and so are those of values that mean nothing.
    share = (summed / any_meant[owner]).round(_DECIMALS)
    joint = np.minimum(summed.round(_DECIMALS), _LIKELIEST)
    ranking = np.lexsort((index.ranks[entry], -share, owner))
    ranking = ranking[share[ranking] >= _SMALLEST_SHARE]
    ranked = owner[ranking]
    starts, sizes = find_run_starts(ranked)
    positions, best = ranked[starts], ranking[starts]
    matched.entry[positions], matched.score[positions] = entry[best], joint[best]
    seconds = starts[sizes > 1] + 1
    matched.runner_up[ranked[seconds]] = entry[ranking[seconds]]
    matched.runner_up_score[ranked[seconds]] = joint[ranking[seconds]]
    matched.rankings.append((ranked, entry[ranking], joint[ranking]))
    reading = near.reading[order][first[best]]
    return Best(positions, spelling[first[best]], reading, any_meant[positions])
