"""Which candidates of several searches are kept."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from igual.column import Mask
from igual.matching.pairs import (
    Ints,
    find_run_starts,
    mark_run_starts,
    number_within_runs,
    pack_pairs,
    sort_distinct_pairs,
)
from igual.matching.scoring import Candidates, Floats


def join_pairs(*pairs: tuple[Ints, Ints]) -> tuple[Ints, Ints]:
    """Join pairs of several kinds.

    Args:
        pairs: Positions of values and of spellings, of each kind.

    Returns:
        All of them, sorted, no pair twice.
    """
    value_idx, entry_idx = (np.concatenate(parts) for parts in zip(*pairs, strict=True))
    return sort_distinct_pairs(value_idx, entry_idx)


def concatenate_candidates(parts: Sequence[Candidates]) -> Candidates:
    """Put candidates of several searches one after another.

    Args:
        parts: The candidates of each search.

    Returns:
        All of them.
    """
    return Candidates(*(np.concatenate(columns) for columns in zip(*parts, strict=True)))


def mark_worth_weighing(value_idx: Ints, cost: Floats, behind: float, most: int) -> Mask:
    """Mark candidates that aren't far behind the best of their value, and among its first so many.

    Args:
        value_idx: Positions of values, sorted, (pairs,).
        cost: What each candidate costs, in nats, (pairs,).
        behind: How far behind the best one may be.
        most: How many a value at most.

    Returns:
        Which ones are worth weighing, (pairs,).
    """
    kept = np.zeros(len(value_idx), np.bool_)
    if not len(value_idx):
        return kept
    starts, sizes = find_run_starts(value_idx)
    best_cost = np.repeat(np.minimum.reduceat(cost, starts), sizes)
    near = np.flatnonzero((cost <= best_cost + behind) & np.isfinite(cost))
    order = near[np.lexsort((cost[near], value_idx[near]))]
    _, counts = find_run_starts(value_idx[order])
    kept[order[number_within_runs(counts) < most]] = True
    return kept


def keep_cheapest(candidates: Candidates) -> Candidates:
    """Keep each pair once, by its cheapest reading.

    Args:
        candidates: Candidates of several readings.

    Returns:
        Those that are kept, sorted by value.
    """
    order = np.lexsort((candidates.reading, candidates.cost, candidates.spelling, candidates.value))
    ordered = candidates.take(order)
    return ordered.take(mark_run_starts(pack_pairs(ordered.value, ordered.spelling)))
