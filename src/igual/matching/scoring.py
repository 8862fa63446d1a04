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
# Texts with no more letters than this are too short to be told from one another by likeness.
SHORT = 4
# How a pair was read.
BY_LETTERS, BY_WORDS, BY_INITIALS = range(3)


class Candidates(NamedTuple):
    """Pairs of a value and a spelling, sorted by value, (pairs,) each.

    Attributes:
        value: Positions of the values.
        spelling: Positions of the spellings.
        cost: What lies between the two, in nats.
        reading: How they were compared: by letters, words or initials.
        evidence: What speaks for any entry being meant, beside the cost, as a logit.
    """

    value: Ints
    spelling: Ints
    cost: Floats
    reading: npt.NDArray[np.int8]
    evidence: Floats

    def take(self, places: Ints | npt.NDArray[np.bool_]) -> Candidates:
        """Choose some of them by position."""
        return Candidates(
            self.value[places],
            self.spelling[places],
            self.cost[places],
            self.reading[places],
            self.evidence[places],
        )


class ScoreParameters(NamedTuple):
    """What the score is made with; see `fitted`.

    Attributes:
        rivals: How sharply costs tell rival candidates apart.
        listed: Whether any candidate is meant, as a logit: a constant part.
        listed_per_letter: The same, for each letter of the value that tells one entry from others.
        listed_per_oddness: The same, for each standard deviation by which the value is spelled more oddly than entries.
        listed_per_crowding: The same, taken away for each power of e by which the list is more crowded.
        listed_per_ending: The same, for endings by which entries differ, too.
        listed_per_cost: The same, for each nat of cost.
        listed_per_word_cost: The same, where the best candidate was read by its words.
    """

    rivals: float = fitted.RIVALS
    listed: float = fitted.LISTED
    listed_per_letter: float = fitted.LISTED_PER_LETTER
    listed_per_oddness: float = fitted.LISTED_PER_ODDNESS
    listed_per_crowding: float = fitted.LISTED_PER_CROWDING
    listed_per_ending: float = fitted.LISTED_PER_ENDING
    listed_per_cost: float = fitted.LISTED_PER_COST
    listed_per_word_cost: float = fitted.LISTED_PER_WORD_COST


def chance_of_one(cost: Floats, lengths: Ints) -> Floats:
    """How likely a text of so many letters means another, were there no others, at such a cost, (pairs,)."""
    return logistic(
        fitted.ALONE
        + fitted.ALONE_PER_LETTER * np.minimum(lengths, MOST_LETTERS)
        - fitted.ALONE_PER_COST * cost
    )


def weigh_letters(
    letters: Floats, oddness: Floats, crowding: Floats, by: ScoreParameters | None = None
) -> Floats:
    """Say what the letters of values tell about whether any entry is meant.

    Args:
        letters: How many letters of each value tell one entry from others, (values,).
        oddness: How oddly each is spelled, (values,).
        crowding: How crowded the entries are that each may mean, (values,): the more so, the likelier some lie near
            by chance.
        by: What the score is made with; None is what the fit found.

    Returns:
        A logit for each, (values,).
    """
    by = by or ScoreParameters()
    evidence: Floats = (
        by.listed_per_letter * np.minimum(letters, MOST_LETTERS) + by.listed_per_oddness * oddness
    )
    evidence += by.listed - by.listed_per_crowding * np.log(crowding)
    return evidence


def logistic(logit: Floats) -> Floats:
    """The probability that a logit stands for."""
    chance: Floats = 1 / (1 + np.exp(-logit))
    return chance


def chances(
    candidates: Candidates, values: int, parameters: ScoreParameters | None = None
) -> tuple[Floats, Floats]:
    """How likely each candidate is what its value means, (pairs,), and that it means any at all, (values,).

    Which of the candidates: a softmax over minus their costs. Whether any: a logistic function of the joint
    cost of all (minus the logarithm of the sum of exp(-cost)) and of the evidence of the best. The score of a
    candidate is the product of the two.

    Args:
        candidates: The candidates of so many values.
        values: How many values there are.
        parameters: What the score is made with; None is what the fit found.

    Returns:
        The chance of each candidate, (pairs,), and of any, (values,).
    """
    parameters = parameters or ScoreParameters()
    best_cost = np.full(values, np.inf)
    np.minimum.at(best_cost, candidates.value, candidates.cost)
    weight = np.exp(-parameters.rivals * (candidates.cost - best_cost[candidates.value]))
    total = np.bincount(candidates.value, weight, values).astype(np.float64)
    has = total > 0
    joint = np.where(has, best_cost, 0) - np.log(np.where(has, total, 1)) / parameters.rivals
    # The last one that is written stands: the best, and of several the first.
    best = np.lexsort((-candidates.spelling, -candidates.cost))
    evidence, per_cost = np.full(values, -np.inf), np.zeros(values)
    evidence[candidates.value[best]] = candidates.evidence[best]
    by_words = candidates.reading[best] == BY_WORDS
    per_cost[candidates.value[best]] = np.where(
        by_words, parameters.listed_per_word_cost, parameters.listed_per_cost
    )
    any_meant = np.where(has, logistic(evidence - per_cost * joint), 0)
    return weight / total[candidates.value] * any_meant[candidates.value], any_meant
