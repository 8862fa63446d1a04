"""How differently texts are dressed: case, accents, spaces and marks."""

from __future__ import annotations

import numpy as np

from igual.matching.forms import Forms
from igual.matching.scoring import BY_LETTERS, Candidates, Floats

_MOST = 3


def surface_distances(values: Forms, entries: Forms, near: Candidates) -> Floats:
    """Count differences in case, accents, spaces and marks, beyond those of the value's nearest candidate.

    What all candidates lack says nothing about them: a text all in capitals is as near to each.

    Args:
        values: The values in all forms, (values,).
        entries: The spellings in all forms, (spellings,).
        near: Candidates, (pairs,).

    Returns:
        The differences of each pair, (pairs,); 0 for those that weren't read by letters.
    """
    distance = np.abs(values.surface[near.value] - entries.surface[near.spelling]).sum(axis=1)
    by_letters = near.reading == BY_LETTERS
    distance = np.where(by_letters, np.minimum(distance, _MOST), _MOST)
    nearest = np.full(len(values.is_cut), _MOST)
    np.minimum.at(nearest, near.value, distance)
    distances: Floats = np.where(by_letters, distance - nearest[near.value], 0).astype(np.float64)
    return distances
