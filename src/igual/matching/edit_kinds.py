"""The kinds of slips that people make, and which kind each edit between two texts is.

An edit's cost depends on its kind alone: a vowel for one that sounds alike is a likelier slip than one consonant
for another. The kinds are named here; what each costs stands in `fitted.py`.
"""

from __future__ import annotations

import itertools
from functools import cache
from typing import NamedTuple

import numpy as np
import numpy.typing as npt

from igual.matching.texts import Texts

Bytes = npt.NDArray[np.uint8]

# Gaps: the value has a character that the entry lacks (extra), or lacks one that it has (missing).
GAPS = ("doubled", "e after a, o, u", "last s", "vowel", "weak consonant", "consonant", "digit", "other")
SUBSTITUTIONS = (
    "vowels alike", "vowels", "sounds alike", "sounds like it", "neighbouring key", "consonants",
    "vowel and consonant", "digits", "digit like letter", "other",
)  # fmt: skip
EDIT_KINDS = (
    *(f"extra {gap}" for gap in GAPS),
    *(f"missing {gap}" for gap in GAPS),
    *(f"instead: {kind}" for kind in SUBSTITUTIONS),
    # Neighbours in each other's place; a letter beyond two others; two in each other's place around a third.
    "swapped",
    "moved",
    "exchanged",
    # What is added when the edit is at the first or the last character.
    "first",
    "last",
)
PLACE_OF = {kind: place for place, kind in enumerate(EDIT_KINDS)}

_VOWELS = "aeiouy"
# Consonants that are easily not heard.
_WEAK = "hrlntc"
_VOWELS_ALIKE = ("ae", "ei", "iy", "ao", "ou")
_SOUND_ALIKE = ("cs", "sz", "ck", "kq", "fv", "gj", "st", "dt", "iy")
_SOUND_LIKE = ("cz", "kx", "sx", "bp", "mn", "ct", "cx", "uw", "vw", "lr", "zx", "cq", "bv", "jy", "kg")
_KEY_ROWS = ("1234567890", "qwertyuiop", "asdfghjkl", "zxcvbnm")
_DIGITS_LIKE = ("0o", "1l", "1i", "5s", "8b", "2z", "6g")

# Classes of characters: 0 is none, 1 to 26 a to z, 27 to 36 the digits; what is last in its text has a class
# of its own, LAST further on.
_S, _DIGIT, _LETTER, _OTHER, LAST = 19, 27, 37, 38, 39
CLASSES = 2 * LAST


class Slips(NamedTuple):
    """The kinds as tables over classes of characters, made once.

    Attributes:
        classes: For each code point of 16 bits, (65536,).
        substitutions: The kind of putting one class for another, (CLASSES, CLASSES).
        gaps: The kind of a gap for a class, less 'extra' or 'missing', (CLASSES,).
    """

    classes: Bytes
    substitutions: Bytes
    gaps: Bytes


@cache
def slips() -> Slips:
    """Make the tables of kinds over classes of characters."""
    classes = np.full(1 << 16, _LETTER, np.uint8)
    classes[:0xC0] = _OTHER
    classes[0] = 0
    named = {1 + place: chr(ord("a") + place) for place in range(26)}
    named |= {_DIGIT + digit: str(digit) for digit in range(10)}
    for number, character in named.items():
        classes[ord(character)] = number
    gaps = np.full(LAST, GAPS.index("other"), np.uint8)
    for number, character in named.items():
        gaps[number] = GAPS.index(_gap_of(character))
    gaps[_LETTER] = GAPS.index("consonant")
    instead = np.full((LAST, LAST), PLACE_OF["instead: other"], np.uint8)
    known = _named_pairs()
    for one, a in named.items():
        for other, b in named.items():
            instead[one, other] = PLACE_OF[
                f"instead: {known.get(frozenset((a, b))) or _substitution_of(a, b)}"
            ]
    letters = [*range(1, 27), _LETTER]
    instead[_LETTER, letters] = instead[letters, _LETTER] = PLACE_OF["instead: consonants"]
    return Slips(classes, np.tile(instead, (2, 2)), np.tile(gaps, 2))


def _gap_of(character: str) -> str:
    if character.isdigit():
        return "digit"
    if character in _VOWELS:
        return "vowel"
    return "weak consonant" if character in _WEAK else "consonant"


def _substitution_of(a: str, b: str) -> str:
    if a.isdigit() or b.isdigit():
        return "digits" if a.isdigit() and b.isdigit() else "other"
    return "vowel and consonant" if a in _VOWELS or b in _VOWELS else "consonants"


def _named_pairs() -> dict[frozenset[str], str]:
    """The kind of substitution of two characters, where it is one of the likelier; the likeliest counts."""
    kinds = {
        "neighbouring key": {pair for pair in _neighbouring_keys() if not any(map(str.isdigit, pair))},
        "sounds like it": _pairs(_SOUND_LIKE),
        "vowels": _pairs([v + w for v in _VOWELS for w in _VOWELS]),
        "sounds alike": _pairs(_SOUND_ALIKE),
        "vowels alike": _pairs(_VOWELS_ALIKE),
        "digit like letter": _pairs(_DIGITS_LIKE),
    }
    return {pair: kind for kind, pairs in kinds.items() for pair in pairs}


def _pairs(twos: list[str] | tuple[str, ...]) -> set[frozenset[str]]:
    return {frozenset(two) for two in twos}


def _neighbouring_keys() -> set[frozenset[str]]:
    """Keys beside or right above each other on the most common keyboard."""
    near = set()
    for row, below in zip(_KEY_ROWS, (*_KEY_ROWS[1:], ""), strict=True):
        near |= {frozenset(two) for two in itertools.pairwise(row)}
        near |= {
            frozenset((row[x], below[y])) for x in range(len(row)) for y in (x - 1, x) if 0 <= y < len(below)
        }
    return near


def classes_and_gaps(texts: Texts, made: Slips, side: str) -> tuple[Bytes, Bytes]:
    """For each character its class and the kind of edit that its absence in the other text is, (texts, longest).

    Args:
        texts: The texts.
        made: The kinds as tables.
        side: 'extra' for values, 'missing' for entries.
    """
    characters = texts.characters
    classes = made.classes[characters]
    gaps = made.gaps[classes]
    before, after = classes[:, :-1], classes[:, 1:]
    open_vowel = np.zeros(LAST, np.bool_)
    open_vowel[[1 + ord(vowel) - ord("a") for vowel in "aou"]] = True
    vowels = open_vowel[before]
    gaps[:, 1:][vowels & (after == 5)] = GAPS.index("e after a, o, u")
    letters = ((after >= 1) & (after < _DIGIT)) | (after == _LETTER)
    gaps[:, 1:][(characters[:, 1:] == characters[:, :-1]) & letters] = GAPS.index("doubled")
    filled = np.flatnonzero(texts.lengths)
    last = filled, texts.lengths[filled] - 1
    plural = (classes[last] == _S) & (gaps[last] != GAPS.index("doubled"))
    gaps[filled[plural], last[1][plural]] = GAPS.index("last s")
    classes[last] += LAST
    return classes, gaps + np.uint8(PLACE_OF[f"{side} {GAPS[0]}"])
