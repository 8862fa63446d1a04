"""The small letter of a capital sigma, which depends on where in its word it stands."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from igual.column import Mask
from igual.text.beyond import CAPITAL_SIGMA, CharacterPlaces
from igual.text.packed import Bytes, is_letter

_INNER, _FINAL = (np.frombuffer(small.encode(), np.uint8) for small in "σς")


def _is_cased(character: str) -> bool:
    """Whether a sigma behind it is a final one: it has a case."""
    return (character + CAPITAL_SIGMA).lower().endswith("ς")


def _is_passed_over(character: str) -> bool:
    """Whether what stands before it decides on a sigma behind it: it is a mark or an apostrophe."""
    return not _is_cased(character) and ("a" + character + CAPITAL_SIGMA).lower().endswith("ς")


class WordPlaces(NamedTuple):
    """Where the words of texts stand.

    Attributes:
        begins: Which bytes a word begins with, (bytes,).
        ends: Which bytes are the last of a word, (bytes,).
    """

    begins: Mask
    ends: Mask


def write_sigmas(written: Bytes, characters: CharacterPlaces, begins: Mask, ends: Mask) -> Mask:
    """Write capital sigmas small, as `str.lower` does it for each word (The Unicode Standard, 3.13, Final_Sigma).

    Args:
        written: The bytes of the texts, which are changed in place; sigmas are capitals yet.
        characters: The characters beyond ASCII.
        begins: Which bytes a word begins with, (bytes,).
        ends: Which bytes are the last of a word, (bytes,).

    Returns:
        Which characters are sigmas beside a mark or an apostrophe, and stay as they are, (characters,).
    """
    is_left = characters.are(lambda character: character == CAPITAL_SIGMA)
    numbers = np.flatnonzero(is_left)
    if not len(numbers):
        return is_left
    starts = characters.starts.take(numbers)
    cased = characters.mark(is_letter(written), _is_cased)
    passed = characters.mark(written == ord("'"), _is_passed_over)
    first, last = begins[starts], ends[starts + 1]
    before, behind = starts - 1, np.minimum(starts + 2, len(written) - 1)
    is_clear = (first | ~passed[before]) & (last | ~passed[behind])
    is_final = ~first & cased[before] & (last | ~cased[behind])
    for place in range(len(_FINAL)):
        small = np.where(is_final, _FINAL[place], _INNER[place])
        written[starts[is_clear] + place] = small[is_clear]
    is_left[numbers[is_clear]] = False
    return is_left
