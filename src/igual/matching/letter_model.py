"""How entries of a list are spelled, as probabilities of letters: which values look like entries of their own.

A misspelling has runs of letters that the list seldom has; a word of its own hasn't. Trigrams with the two letters
before each, interpolated with shorter runs (as Jelinek and Mercer, 1980, with fixed pseudo-counts).
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import NamedTuple

import numpy as np
import numpy.typing as npt

from igual.matching.pairs import Ints
from igual.matching.texts import Texts

Floats = npt.NDArray[np.float64]

# Letters a to z, digits, and classes in which all other characters fall; two more for beginnings and ends.
_BITS = 6
_CLASSES = 1 << _BITS
_BEFORE, _BEHIND, _OTHERS = 62, 63, 26
_PSEUDO = 5.0
_LEAST_SPREAD, _MOST = 0.2, 4.0
# The letters of few entries say little: what they say is drawn towards nothing by so many.
_DOUBTFUL = 300
# So many texts are read at a time.
_TEXTS = 1 << 14


class _Runs(NamedTuple):
    """All runs of three letters, (letters and ends,) each: its text, the run, its last two letters, its last."""

    text: Ints
    three: Ints
    two: Ints
    one: Ints


class LetterModel:
    """The letters of entries, counted.

    Args:
        entries: Their letters.
    """

    def __init__(self, entries: Texts) -> None:
        self._three, self._two, self._one = (np.zeros(_CLASSES**length, np.int64) for length in (3, 2, 1))
        # What stands before a letter, by all that follows.
        self._before_three, self._before_two = np.zeros_like(self._two), np.zeros_like(self._one)
        for _, runs in _find_runs(entries):
            # Of a short list few runs occur: to count all that there may be would take longer.
            np.add.at(self._three, runs.three, 1)
            np.add.at(self._before_three, runs.three >> _BITS, 1)
            np.add.at(self._two, runs.two, 1)
            np.add.at(self._before_two, runs.two >> _BITS, 1)
            np.add.at(self._one, runs.one, 1)
        # An entry is judged by the others: its own runs are taken away.
        usual = self._average_chances(entries, own=1)
        self._middle = float(usual.mean()) if len(usual) else 0.0
        self._trust = len(entries) / (len(entries) + _DOUBTFUL)
        self._spread = max(float(usual.std()) if len(usual) else 0.0, _LEAST_SPREAD)

    def oddness(self, values: Texts, *, own: bool = False) -> Floats:
        """Measure how oddly texts are spelled beside the entries.

        Args:
            values: Their letters, (values,).
            own: They are the entries themselves, and each is judged by the others.

        Returns:
            By how many standard deviations of the entries each lies below their mean, -4 to 4, (values,); less for
            short lists.
        """
        mean = self._average_chances(values, own=int(own))
        odd: Floats = np.clip((self._middle - mean) / self._spread, -_MOST, _MOST)
        return self._trust * odd

    def _average_chances(self, texts: Texts, own: int) -> Floats:
        """The logarithm of the chance of a letter, in the mean of each text, (texts,)."""
        means = np.zeros(len(texts))
        for places, runs in _find_runs(texts):
            count = np.bincount(runs.text, minlength=len(places))
            total = np.bincount(runs.text, self._log_chances(runs, own), len(places))
            means[places] = total / np.maximum(count, 1)
        return means

    def _log_chances(self, runs: _Runs, own: int) -> Floats:
        total = max(int(self._one.sum()) - own, 0)
        one = (np.maximum(self._one[runs.one] - own, 0) + 0.5) / (total + 0.5 * _CLASSES)
        two = _interpolate(self._two[runs.two], self._before_two[runs.two >> _BITS], one, own)
        three = _interpolate(self._three[runs.three], self._before_three[runs.three >> _BITS], two, own)
        chances: Floats = np.log(three)
        return chances


def _interpolate(run: Ints, before: Ints, shorter: Floats, own: int) -> Floats:
    chance: Floats = (np.maximum(run - own, 0) + _PSEUDO * shorter) / (np.maximum(before - own, 0) + _PSEUDO)
    return chance


def _find_runs(texts: Texts) -> Iterator[tuple[Ints, _Runs]]:
    """The runs of some texts at a time, which are numbered among these; and the places of these texts."""
    for all_places, all_texts in texts.by_width:
        for start in range(0, len(all_places), _TEXTS):
            places, some = all_places[start : start + _TEXTS], slice(start, start + _TEXTS)
            characters, lengths = all_texts.characters[some], all_texts.lengths[some]
            size, width = characters.shape
            classes = np.full((size, width + 3), _BEHIND, np.int64)
            classes[:, :2] = _BEFORE
            classes[:, 2:-1] = _CLASS_OF[characters]
            row, column = np.nonzero(np.arange(width + 1) <= lengths[:, None])
            at, flat = row * (width + 3) + column, classes.ravel()
            first, middle, last = (flat[at + shift] for shift in range(3))
            two = middle << _BITS | last
            yield places, _Runs(row, first << 2 * _BITS | two, two, last)


def _classify(characters: Ints) -> Ints:
    """The class of each character; behind the end of a text there are none."""
    is_letter = (characters >= ord("a")) & (characters <= ord("z"))
    is_digit = (characters >= ord("0")) & (characters <= ord("9"))
    others = np.where(
        is_digit, _OTHERS + characters - ord("0"), _OTHERS + 10 + characters % (_BEFORE - _OTHERS - 10)
    )
    return np.where(characters == 0, _BEHIND, np.where(is_letter, characters - ord("a"), others))


_CLASS_OF = _classify(np.arange(1 << 16))
