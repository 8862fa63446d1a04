"""Score: from the costs of a value's candidates to the probability that each is what was meant."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
import numpy.typing as npt

from igual.core.matching import fitted
from igual.core.matching.texts import Ints

Floats = npt.NDArray[np.float64]

# Letters beyond so many say nothing more about whether an entry is meant.
NONE_LETTERS = 12


class Candidates(NamedTuple):
    """Pairs of a value and a spelling, sorted by value: places in both, cost in nats, and which reading it is."""

    value: Ints
    spelling: Ints
    cost: Floats
    reading: npt.NDArray[np.int8]

    def take(self, places: Ints | npt.NDArray[np.bool_]) -> Candidates:
        return Candidates(*(column[places] for column in self))


def cost_of_none(lengths: Ints) -> Floats:
    """The cost of no entry being meant, for values of so many letters."""
    return fitted.NONE + fitted.NONE_PER_LETTER * np.minimum(lengths, NONE_LETTERS)


def probabilities(candidates: Candidates, lengths: Ints) -> Floats:
    """How likely each candidate is what its value means, (pairs,).

    A softmax over the candidates of a value and the case that it means none of them: exp(-cost), divided by the
    sum over all. lengths: letters of the values, (values,).
    """
    if not len(candidates.value):
        return np.zeros(0)
    start = np.flatnonzero(np.concatenate([[True], candidates.value[1:] != candidates.value[:-1]]))
    sizes = np.diff(np.concatenate([start, [len(candidates.value)]]))
    none = cost_of_none(lengths[candidates.value[start]])
    least = np.minimum(np.minimum.reduceat(candidates.cost, start), none)
    weight = np.exp(fitted.SHARPNESS * (np.repeat(least, sizes) - candidates.cost))
    total = np.add.reduceat(weight, start) + np.exp(fitted.SHARPNESS * (least - none))
    found: Floats = weight / np.repeat(total, sizes)
    return found
