"""Values of one column of which the rarer may be a slip of the other: what tells, and how likely it is."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from igual.matching import fitted
from igual.matching.candidates import CandidateSearch
from igual.matching.pairs import Ints
from igual.matching.scoring import MOST_LETTERS, Candidates, Floats, logistic

# Beyond so many powers of e, more rows say nothing more.
_MOST_RATIO = 4.0
# Fuzzy scores stay below 1.
_LIKELIEST = 0.9999


class SlipPairs(NamedTuple):
    """Pairs of values of one column of which the rarer may be a slip, (pairs,) each.

    Attributes:
        cost: What lies between the two, in nats.
        letters: The letters of the shorter one.
        rows: How many times the rows of the rarer the other has.
        own_rows: The rows of the rarer.
        oddness: How oddly the rarer is spelled.
        endings: How usual such endings are, where they differ by nothing else.
        others: How many values come near the one of the two that has fewer near it.
    """

    cost: Floats
    letters: Ints
    rows: Floats
    own_rows: Floats
    oddness: Floats
    endings: Floats
    others: Ints

    def features(self, values: int) -> dict[str, Floats]:
        """What the parts of `fitted.SLIP` are multiplied with.

        Args:
            values: How many values the column has.

        Returns:
            Name to numbers, (pairs,) each.
        """
        return {
            "always": np.ones(len(self.cost)),
            "cost": self.cost,
            "letters": np.minimum(self.letters, MOST_LETTERS).astype(np.float64),
            "rows": np.minimum(np.log(self.rows), _MOST_RATIO),
            "own rows": np.minimum(np.log(self.own_rows), _MOST_RATIO),
            "oddness": self.oddness,
            "endings": self.endings,
            "size": np.full(len(self.cost), float(np.log10(max(values, 1)))),
            "others near": np.log1p(self.others),
        }


def chance_of_slip(slips: SlipPairs, values: int) -> Floats:
    """How likely the rarer of two values is a slip of the other.

    Args:
        slips: The pairs, (pairs,).
        values: How many values the column has.

    Returns:
        A probability for each, (pairs,).
    """
    features = slips.features(values)
    logit = np.sum([weight * features[name] for name, weight in fitted.SLIP.items()], axis=0)
    return np.minimum(logistic(np.asarray(logit, np.float64)), _LIKELIEST)


def measure_slips(search: CandidateSearch, near: Candidates, rows: Floats) -> SlipPairs:
    """Measure what tells whether spellings are slips of one another.

    Args:
        search: The spellings.
        near: Pairs of spellings that come near each other: the rarer as value, the other as spelling.
        rows: How many rows have each spelling, (spellings,).

    Returns:
        The pairs, (pairs,).
    """
    letters = search.forms.letters
    endings = [
        search.endings.share(letters, letters, *pair)
        for pair in ((near.value, near.spelling), (near.spelling, near.value))
    ]
    others = np.bincount(np.concatenate([near.value, near.spelling]), minlength=len(letters))
    return SlipPairs(
        near.cost,
        np.minimum(letters.lengths[near.value], letters.lengths[near.spelling]),
        rows[near.spelling] / rows[near.value],
        rows[near.value],
        search.letter_model.oddness(letters, own=True)[near.value],
        np.maximum(*endings),
        np.minimum(others[near.value], others[near.spelling]),
    )
