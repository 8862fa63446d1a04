"""Decision, first half: what speaks against settling a match, however alike the texts are."""

from __future__ import annotations

import re
from collections.abc import Iterable, Sequence

import pyarrow as pa
import pyarrow.compute as pc

from igual.core.column import TEXT, Mask
from igual.core.matching.vocabulary import NEGATIONS, NUMBERS, Vocabulary, is_roman

# Texts with no more letters than this are too short to be told from one another by likeness.
SHORT = 4
_SHORT_WORD = 2
_DIGITS = re.compile(r"\d+")


def suspects(words: pa.Array, vocabulary: Vocabulary) -> Mask:
    """Which texts hold a number, several words, or a word that excludes others: those worth a look.

    words: words keys, (texts,).
    """
    alone = pa.array([*vocabulary.groups_of, *NUMBERS], TEXT)
    flagged = pc.or_(pc.match_substring_regex(words, r"\d| |^[ivx]+$"), pc.is_in(words, alone))
    found: Mask = flagged.to_numpy(zero_copy_only=False)
    return found


def doubts(value: Sequence[str], entry: Sequence[str], vocabulary: Vocabulary) -> list[str]:
    """Why two texts, given as words, may be different things; nothing where none of it applies.

    >>> doubts(["pier", "1"], ["pier", "7"], Vocabulary())
    ['the numbers differ (1, 7)']
    """
    mine, theirs = _without_common(value, entry)
    found: list[str] = []
    numbers = [[*_numbers(words)] for words in (value, entry)]
    if sorted(numbers[0]) == sorted(numbers[1]) and numbers[0] != numbers[1]:
        found.append(f"the numbers stand in another order ({_shown(numbers[0])}, {_shown(numbers[1])})")
    elif numbers[0] != numbers[1]:
        found.append(f"the numbers differ ({_shown(numbers[0])}, {_shown(numbers[1])})")
    romans = [[word.upper() for word in words if is_roman(word)] for words in (mine, theirs)]
    if romans[0] != romans[1]:
        found.append(f"the roman numerals differ ({_shown(romans[0])}, {_shown(romans[1])})")
    for word, other in ((word, other) for word in mine for other in theirs):
        if vocabulary.groups_of.get(word, frozenset()) & vocabulary.groups_of.get(other, frozenset()):
            found.append(f"‘{word}’ and ‘{other}’ exclude each other")
        elif any(word == prefix + other or other == prefix + word for prefix in NEGATIONS):
            found.append(f"one of ‘{word}’ and ‘{other}’ denies the other")
    short = [
        [word for word in words if len(word) <= _SHORT_WORD and word.isalpha()] for words in (mine, theirs)
    ]
    if short[0] and short[1] and not found and set(short[0]) != set(short[1]):
        found.append(f"short words differ ({_shown(short[0])}, {_shown(short[1])})")
    return found


def telling_words(words: Iterable[str], vocabulary: Vocabulary) -> set[str]:
    """The words without which no doubt arises: those with a number, roman numerals, short ones, opposites."""
    return {
        word
        for word in words
        if len(word) <= _SHORT_WORD
        or word in NUMBERS
        or word in vocabulary.groups_of
        or word.startswith(tuple(NEGATIONS))
        or is_roman(word)
        or _DIGITS.search(word)
    }


def lost_words(value: Sequence[str], entry: Sequence[str], vocabulary: Vocabulary) -> list[str]:
    """Words that only one of two texts has, where that is all that sets them apart, less the small ones."""
    mine, theirs = _without_common(value, entry)
    if mine and theirs:
        return []
    if "".join(value) == "".join(entry):
        return []
    return [word for word in (*mine, *theirs) if word not in vocabulary.small_words]


def _numbers(words: Iterable[str]) -> Iterable[str]:
    for word in words:
        if word in NUMBERS:
            yield NUMBERS[word]
        else:
            yield from (number.lstrip("0") or "0" for number in _DIGITS.findall(word))


def _without_common(value: Sequence[str], entry: Sequence[str]) -> tuple[list[str], list[str]]:
    """The words that each of two texts has and the other hasn't."""
    return [word for word in value if word not in entry], [word for word in entry if word not in value]


def _shown(words: Sequence[str]) -> str:
    return " ".join(words) or "none"
