"""How crowded a list is: how many of its entries have another near them, as a value without an entry would have."""

from __future__ import annotations

import numpy as np

from igual.matching.deletions import Deletions
from igual.matching.edits import UNIT, Edits, Prepared
from igual.matching.pairs import Ints
from igual.matching.scoring import Floats
from igual.matching.texts import Texts

# So many entries, evenly spread, are looked at; edits between two near ones cost no more nats.
_LOOKED_AT, _NEAR = 400, 7.0
# What is usual of a list of a thousand, how that grows with its size, and how many entries it is worth.
_USUAL, _USUAL_SIZE, _GROWTH, _DOUBTFUL = 0.02, 1_000, 0.75, 50


def measure_crowding(texts: Texts, letters: Prepared, near: Deletions, edits: Edits, owners: Ints) -> float:
    """Measure how crowded a list is.

    Args:
        texts: The letters of its spellings, in the order of their characters.
        letters: The same, prepared for comparing.
        near: Finds the spellings that may be within two edits of a text.
        edits: The costs of edits.
        owners: The entry of each spelling, (spellings,).

    Returns:
        The share of spellings that have one of another entry near them, drawn towards what is usual for the size.
    """
    size = len(texts.lengths)
    some = np.unique(np.linspace(0, size - 1, min(size, _LOOKED_AT)).astype(np.int64))
    asked = texts.take(some)
    value, spelling = near.pairs(asked)
    others = owners[some[value]] != owners[spelling]
    value, spelling = value[others], spelling[others]
    costs = edits.costs(edits.values(asked), letters, value, spelling) / UNIT
    met = len(np.unique(value[costs <= _NEAR]))
    return (met + _DOUBTFUL * usual_crowding(size)) / (len(some) + _DOUBTFUL)


def usual_crowding(size: int) -> float:
    """How crowded lists of so many entries usually are."""
    return float(min(_USUAL * (max(size, 1) / _USUAL_SIZE) ** _GROWTH, 1.0))


def crowding_among(crowding: float, size: int, sizes: Ints) -> Floats:
    """How crowded some of the entries of a list are.

    Args:
        crowding: How crowded the list is.
        size: How many entries it has.
        sizes: How many of them each value may mean, (values,).

    Returns:
        How crowded these are, for each value, (values,).
    """
    crowded: Floats = crowding * (np.maximum(sizes, 1) / size) ** _GROWTH
    return crowded
