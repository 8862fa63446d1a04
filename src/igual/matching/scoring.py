"""Score: from the costs of a value's candidates to the probability that each is what was meant."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
import numpy.typing as npt

from igual.matching import fitted
from igual.matching.pairs import Ints

Floats = npt.NDArray[np.float64]

# Letters beyond so many say nothing more about whether any entry is meant.
MOST_LETTERS = 12


class Candidates(NamedTuple):
    """Pairs of a value and a spelling, sorted by value, (pairs,) each.

    Attributes:
        value: Positions of the values.
        spelling: Positions of the spellings.
        cost: What lies between the two, in nats.
        reading: How they were compared: by letters, words or initials.
    """

    value: Ints
    spelling: Ints
    cost: Floats
    reading: npt.NDArray[np.int8]

    def take(self, places: Ints | npt.NDArray[np.bool_]) -> Candidates:
        """Choose some of them by position."""
        return Candidates(self.value[places], self.spelling[places], self.cost[places], self.reading[places])


class ScoreParameters(NamedTuple):
    """What the score is made with; see `fitted`.

    Attributes:
        rivals: How sharply costs tell rival candidates apart.
        listed: Whether any candidate is meant, as a logit: a constant part.
        listed_per_letter: The same, for each letter of the value.
        listed_per_cost: The same, for each nat of cost.
    """

    rivals: float = fitted.RIVALS
    listed: float = fitted.LISTED
    listed_per_letter: float = fitted.LISTED_PER_LETTER
    listed_per_cost: float = fitted.LISTED_PER_COST


def chance_of_one(cost: Floats, lengths: Ints) -> Floats:
    """How likely a text of so many letters means another, were there no others, at such a cost, (pairs,)."""
    return _logistic(cost, lengths, ScoreParameters())


def _logistic(joint: Floats, lengths: Ints, by: ScoreParameters) -> Floats:
    logit = by.listed + by.listed_per_letter * np.minimum(lengths, MOST_LETTERS) - by.listed_per_cost * joint
    chance: Floats = 1 / (1 + np.exp(-logit))
    return chance


def chances(
    candidates: Candidates, lengths: Ints, parameters: ScoreParameters | None = None
) -> tuple[Floats, Floats]:
    """How likely each candidate is what its value means, (pairs,), and that it means any at all, (values,).

    Which of the candidates: a softmax over minus their costs. Whether any: a logistic function of the joint
    cost of all (minus the logarithm of the sum of exp(-cost)) and of the value's length. The score of a
    candidate is the product of the two.
    lengths: letters of the values, (values,).
    """
    parameters = parameters or ScoreParameters()
    best_cost = np.full(len(lengths), np.inf)
    np.minimum.at(best_cost, candidates.value, candidates.cost)
    weight = np.exp(-parameters.rivals * (candidates.cost - best_cost[candidates.value]))
    total = np.bincount(candidates.value, weight, len(lengths)).astype(np.float64)
    has = total > 0
    joint = np.where(has, best_cost, 0) - np.log(np.where(has, total, 1)) / parameters.rivals
    any_meant = np.where(has, _logistic(joint, lengths, parameters), 0)
    return weight / total[candidates.value] * any_meant[candidates.value], any_meant
