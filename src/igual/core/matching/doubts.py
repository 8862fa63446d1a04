"""Decision, first half: what speaks against settling a match, however alike the texts are."""

from __future__ import annotations

import re
from collections.abc import Iterable, Sequence

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from igual.core.column import TEXT, Mask, as_mask
from igual.core.matching.vocabulary import NEGATIONS, NUMBERS, Vocabulary, is_roman

# Texts with no more letters than this are too short to be told from one another by likeness.
SHORT = 4
_SHORT_WORD = 2
_DIGITS = re.compile(r"\d+")


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
    several = len(value) > 1 or len(entry) > 1
    if several and short[0] and short[1] and not found and set(short[0]) != set(short[1]):
        found.append(f"short words differ ({_shown(short[0])}, {_shown(short[1])})")
    return found


def may_be_doubted(mine: pa.Array, theirs: pa.Array, vocabulary: Vocabulary) -> Mask:
    """Which pairs of texts `doubts` or `lost_words` may have something to say about: those worth a look one by one.

    Only words that one text has and the other hasn't raise a doubt, and only short ones, roman numerals, opposites
    and such as deny others; or numbers; or one text has all words of the other.
    mine, theirs: words keys, (pairs,).
    """
    texts = pc.split_pattern(pa.concat_arrays([mine, theirs]), " ")
    words = texts.flatten().dictionary_encode()
    kinds = words.dictionary
    numbers = pc.or_(pc.match_substring_regex(kinds, r"\d"), pc.is_in(kinds, pa.array(NUMBERS, TEXT)))
    telling = pc.or_(
        pc.match_substring_regex(kinds, f"^.?.?$|^({'|'.join(NEGATIONS)})|^x{{0,3}}(ix|iv|v?i{{0,3}})$"),
        pc.is_in(kinds, pa.array(vocabulary.groups_of, TEXT)),
    )
    ids = words.indices.to_numpy().astype(np.int64)
    counts = pc.list_value_length(texts).to_numpy().astype(np.int64)
    pair = np.repeat(np.tile(np.arange(len(mine)), 2), counts)
    ends = int(counts[: len(mine)].sum())
    word = pair * len(kinds) + ids
    alone = ~np.concatenate([np.isin(word[:ends], word[ends:]), np.isin(word[ends:], word[:ends])])
    left = [
        np.bincount(pair[side][alone[side]], minlength=len(mine)) > 0
        for side in (slice(None, ends), slice(ends, None))
    ]
    says = as_mask(telling)[ids] & alone | as_mask(numbers)[ids]
    found: Mask = (np.bincount(pair[says], minlength=len(mine)) > 0) | (left[0] != left[1])
    return found


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
