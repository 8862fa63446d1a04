"""How far a text is from what is wanted."""

from __future__ import annotations

import unicodedata
from collections import Counter
from functools import lru_cache
from typing import NamedTuple

# Longer texts are compared by their beginnings.
_LONGEST = 400


@lru_cache(maxsize=50_000)
def bare(text: str) -> str:
    """The letters and digits of a text, without accents and case."""
    if text.isascii():
        return "".join(filter(str.isalnum, text.lower()))
    plain = unicodedata.normalize("NFKD", text).casefold()
    return "".join(filter(str.isalnum, plain))


@lru_cache(maxsize=50_000)
def common_length(first: str, second: str) -> int:
    """The length of the longest common subsequence, with a bit for each character of the second.

    Crochemore, Iliopoulos, Pinzon and Reid, *A fast and practical bit-vector algorithm for the longest common
    subsequence problem*, Information Processing Letters 80 (2001).
    """
    first, second = first[:_LONGEST], second[:_LONGEST]
    places: dict[str, int] = {}
    for place, character in enumerate(second):
        places[character] = places.get(character, 0) | 1 << place
    everything = (1 << len(second)) - 1
    row = everything
    for character in first:
        met = row & places.get(character, 0)
        row = ((row + met) | (row - met)) & everything
    return len(second) - row.bit_count()


class Distance(NamedTuple):
    """How far a text is from what is wanted.

    Attributes:
        missing: Letters and digits of what is wanted that the text doesn't have in that order.
        extra: Letters and digits of the text that aren't wanted.
        steps: How many steps are needed at least, judged by what differs.
    """

    missing: int
    extra: int
    steps: float


@lru_cache(maxsize=50_000)
def measure_distance(text: str, wanted: str) -> Distance:
    """Measure how far a text is from what is wanted."""
    if text == wanted:
        return Distance(0, 0, 0.0)
    have, want = bare(text), bare(wanted)
    common = common_length(have, want)
    missing, extra = len(want) - common, len(have) - common
    steps = float(extra > 0) + (missing > 0)
    if not missing and not extra:
        letters, wanted_letters = ("".join(filter(str.isalnum, one)) for one in (text, wanted))
        steps += letters != wanted_letters
        steps += len(text) - len(letters) != len(wanted) - len(wanted_letters) or not steps
    return Distance(missing, extra, max(steps, 0.9))


@lru_cache(maxsize=50_000)
def count_lacking(text: str, wanted: str) -> int:
    """How many letters and digits of what is wanted a text doesn't have, in whatever order."""
    return (Counter(bare(wanted)) - Counter(bare(text))).total()
