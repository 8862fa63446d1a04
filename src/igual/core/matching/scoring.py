"""Score: from the costs of a value's candidates to the probability that each is what was meant."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
import numpy.typing as npt

from igual.core.matching import fitted
from igual.core.matching.texts import Ints

Floats = npt.NDArray[np.float64]

# Letters beyond so many say nothing more about whether any entry is meant.
MOST_LETTERS = 12


class Candidates(NamedTuple):
    """Pairs of a value and a spelling, sorted by value: places in both, cost in nats, and which reading it is."""

    value: Ints
    spelling: Ints
    cost: Floats
    reading: npt.NDArray[np.int8]

    def take(self, places: Ints | npt.NDArray[np.bool_]) -> Candidates:
        return Candidates(self.value[places], self.spelling[places], self.cost[places], self.reading[places])


class Numbers(NamedTuple):
    """What the score is made with; see `fitted`."""

    rivals: float = fitted.RIVALS
    listed: float = fitted.LISTED
    listed_per_letter: float = fitted.LISTED_PER_LETTER
    listed_per_cost: float = fitted.LISTED_PER_COST


def chance_of_one(cost: Floats, lengths: Ints) -> Floats:
    """How likely a text of so many letters means another, were there no others, at such a cost, (pairs,)."""
    return _logistic(cost, lengths, Numbers())


def _logistic(joint: Floats, lengths: Ints, by: Numbers) -> Floats:
    logit = by.listed + by.listed_per_letter * np.minimum(lengths, MOST_LETTERS) - by.listed_per_cost * joint
    found: Floats = 1 / (1 + np.exp(-logit))
    return found


def chances(found: Candidates, lengths: Ints, numbers: Numbers | None = None) -> tuple[Floats, Floats]:
    """How likely each candidate is what its value means, (pairs,), and that it means any at all, (values,).

    Which of the candidates: a softmax over minus their costs. Whether any: a logistic function of the joint
    cost of all (minus the logarithm of the sum of exp(-cost)) and of the value's length. The score of a
    candidate is the product of the two.
    lengths: letters of the values, (values,).
    """
    by = numbers or Numbers()
    least = np.full(len(lengths), np.inf)
    np.minimum.at(least, found.value, found.cost)
    weight = np.exp(-by.rivals * (found.cost - least[found.value]))
    total = np.bincount(found.value, weight, len(lengths)).astype(np.float64)
    has = total > 0
    joint = np.where(has, least, 0) - np.log(np.where(has, total, 1)) / by.rivals
    any_meant = np.where(has, _logistic(joint, lengths, by), 0)
    return weight / total[found.value] * any_meant[found.value], any_meant
