"""How often any method at all could be right about texts that `any_slip` made, were it told how they were made.

What is likeliest to have been meant is then known exactly (Bayes' theorem, all names being equally likely): how often
that is right is a ceiling for every method.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import numpy as np
import numpy.typing as npt

from benchmarks.slips import LETTERS
from igual.matching.measures import damerau_levenshtein

_FOUR_KINDS = 4


def ceiling(values: Sequence[str], names: Sequence[str]) -> float:
    """The expected share of values, each a name with one slip or two, whose likeliest name is the one meant."""
    letters = np.stack([_counted(name) for name in names])
    shares = []
    for value in values:
        surplus = letters - _counted(value)
        # Two slips change two letters at most.
        near = (np.maximum(surplus, 0).sum(axis=1) <= 2) & (np.maximum(-surplus, 0).sum(axis=1) <= 2)
        some = [names[place] for place in np.flatnonzero(near).tolist()]
        edits = damerau_levenshtein([value] * len(some), some)
        # Two slips at the same letters can take one edit more, where no letter is edited twice.
        chances = [_chance(name, value) for name, many in zip(some, edits.tolist(), strict=True) if many <= 3]
        shares.append(max(chances) / sum(chances))
    return float(np.mean(shares))


def _counted(text: str) -> npt.NDArray[np.int16]:
    """How often a text has each letter, and anything else."""
    places = [LETTERS.find(letter) for letter in text]
    return np.bincount(np.array(places) % (len(LETTERS) + 1), minlength=len(LETTERS) + 1).astype(np.int16)


def _chance(name: str, value: str) -> float:
    """How likely one slip or two, which are equally likely, make a value of a name."""
    two = sum(chance * chance_of_one_slip(text, value) for text, chance in slipped(name))
    return (chance_of_one_slip(name, value) + two) / 2


def slipped(text: str) -> Iterator[tuple[str, float]]:
    """All that one slip makes of a text, some of it several times, and how likely each is."""
    each = 1 / _FOUR_KINDS / len(text)
    for at in range(len(text)):
        for letter in LETTERS:
            yield text[:at] + letter + text[at + 1 :], each / len(LETTERS)
            yield text[:at] + letter + text[at:], each / len(LETTERS)
        swap = min(at, max(len(text) - 2, 0))
        swapped = text[:swap] + text[swap + 1 : swap + 2] + text[swap : swap + 1] + text[swap + 2 :]
        yield swapped, each
        yield text[:at] + text[at + 1 :] if len(text) > 1 else swapped, each


def _begun_alike(one: str, other: str) -> int:
    for at, (a, b) in enumerate(zip(one, other, strict=False)):
        if a != b:
            return at
    return min(len(one), len(other))


def chance_of_one_slip(text: str, value: str) -> float:
    """How likely one slip makes a value of a text: what `slipped` says of it, without making all the others."""
    if not text or abs(len(text) - len(value)) > 1:
        return 0.0
    if _begun_alike(text, value) + _begun_alike(text[::-1], value[::-1]) < min(len(text), len(value)) - 2:
        return 0.0
    each = 1 / _FOUR_KINDS / len(text)
    places = range(len(text))
    by_letter = sum(
        (value == text[:at] + value[at : at + 1] + text[at + longer :])
        for longer in (0, 1)
        for at in places
        if value[at : at + 1] in LETTERS and value[at : at + 1]
    )
    swaps = (min(at, max(len(text) - 2, 0)) for at in places)
    swapped = sum(value == text[:s] + text[s + 1 : s + 2] + text[s : s + 1] + text[s + 2 :] for s in swaps)
    left_out = sum(value == text[:at] + text[at + 1 :] for at in places) if len(text) > 1 else swapped
    return each * (by_letter / len(LETTERS) + swapped + left_out)
