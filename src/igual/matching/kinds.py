"""Rulings on kinds of differences at work: which open matches they settle."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence

import numpy as np
import pyarrow as pa

from igual.column import TEXT
from igual.decisions import YES, Cause, Ruling, check_kind
from igual.matching.causes import find_causes, find_covering, join_causes
from igual.matching.forms import Forms
from igual.matching.index import MatchIndex
from igual.matching.lookups import How
from igual.matching.matched import OPEN, SETTLED, Matched
from igual.matching.questions import GUESS, is_rival
from igual.matching.reasons import RIVAL_EQUAL, Reason, Reasons, Role, explain_pairs
from igual.matching.scoring import BY_INITIALS, BY_WORDS


def settle_kinds(matched: Matched, index: MatchIndex, ruled: Mapping[Cause, Reason]) -> None:
    """Settle open matches all of whose causes were ruled not to matter; no guesses, nor where a rival is near.

    Args:
        matched: What became of values; it is changed.
        index: The list.
        ruled: The causes on which there is a yes, and the ruling on each as a reason.
    """
    covered = {
        position: by
        for position in np.flatnonzero((matched.status == OPEN) & (matched.how == How.FUZZY)).tolist()
        if matched.score[position] >= GUESS
        and not is_rival(matched.score[position], matched.runner_up_score[position])
        and (by := find_covering(matched.reasons_of(position), ruled))
    }
    rivals = [(position, entry) for position in covered for entry, _ in matched.rank_candidates(position)[1:]]
    values = matched.values.take(pa.array([position for position, _ in rivals], pa.int64()))
    explained = explain_entries(index, values, [entry for _, entry in rivals])
    as_good = {
        position
        for (position, _), reasons in zip(rivals, explained, strict=True)
        if not find_causes(reasons) or find_covering(reasons, ruled)
    }
    for position, by in covered.items():
        reasons = matched.reasons_of(position)
        if position in as_good:
            matched.explained[position] = (*reasons, RIVAL_EQUAL)
            continue
        matched.status[position], matched.how[position] = SETTLED, How.RULED_KIND
        mains = (reason for reason in reasons if reason.role == Role.LIKENESS)
        matched.explained[position] = (*mains, *(ruled[cause] for cause in by))


def explain_kinds(rulings: Mapping[tuple[str, str], Ruling]) -> dict[Cause, Reason]:
    """Give a reason for each kind of difference that was ruled not to matter.

    Args:
        rulings: Kind and words to ruling, as `Rulings.of_kinds` gives them.

    Returns:
        Cause to reason; kinds that were ruled to matter are left out.
    """
    return {
        check_kind(*about): Reason("ruling on kind", (*about, ruling.author, ruling.reason))
        for about, ruling in rulings.items()
        if ruling.ruling == YES
    }


def explain_entries(index: MatchIndex, values: pa.Array, entries: Sequence[int]) -> list[Reasons]:
    """Explain by their words, or as initials, how values are like entries.

    Args:
        index: The list.
        values: The values, (pairs,).
        entries: The position of an entry for each, (pairs,).

    Returns:
        The reasons of each pair.
    """
    if not len(values):
        return []
    queries = index.search.prepare(Forms.of(values))
    spellings = index.own_spellings[np.array(entries, np.int64)]
    places = np.arange(len(values))
    initials = index.search.initials
    costs = initials.costs(initials.spell(queries.words), places, spellings)
    reading = np.where(np.isfinite(costs), BY_INITIALS, BY_WORDS).astype(np.int8)
    return explain_pairs(index.search, queries, places, spellings, reading)


def count_agreed(index: MatchIndex, ruled: Mapping[str, str]) -> Counter[Cause]:
    """Count how many single rulings there are for each kind of difference.

    Args:
        index: The list.
        ruled: Value to the entry that it was ruled to mean.

    Returns:
        Each cause that was all that was between some value and its entry, with the number of such values.
    """
    position_of = {name: position for position, name in enumerate(index.names)}
    known = {value: position_of[entry] for value, entry in ruled.items() if entry in position_of}
    explained = explain_entries(index, pa.array(list(known), TEXT), list(known.values()))
    causes = (join_causes(find_causes(reasons)) for reasons in explained)
    return Counter(cause for cause in causes if cause is not None)
