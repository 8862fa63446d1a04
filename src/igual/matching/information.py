"""How much each word of a list tells: how few entries have it, and whether it tells entries apart."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
import numpy.typing as npt

from igual.matching.pairs import Ints, find_run_starts
from igual.matching.words import Words

Floats = npt.NDArray[np.float64]

# A share of few entries is drawn towards none by so many that it doesn't tell apart.
_DOUBTFUL = 2


class WordInformation(NamedTuple):
    """What the words of entries tell, (vocabulary,) each.

    Attributes:
        entries: How many spellings have each word.
        rarity: 0 for a word that all have, about 1 for one that a single one has: log(n / entries) / log(n), with one
            more than there are as n.
        apart: The share of its spellings in which it tells entries apart: without it, or with another word in its
            place, they would be spelled like another entry.
        example: A spelling in which it does, -1 for none.
        beside: The spelling that it tells this one from.
        places: Every spelling and word of it that tells it from another, in one number each, sorted, (places,).
        others: The spelling that it is told from, (places,).
    """

    entries: Ints
    rarity: Floats
    apart: Floats
    example: Ints
    beside: Ints
    places: Ints
    others: Ints

    def find_example(self, word: int, spelling: int) -> tuple[int, int]:
        """Find two spellings that a word tells apart, a given one if it is one of them.

        Args:
            word: The word's place in the vocabulary.
            spelling: The spelling that is preferred.

        Returns:
            The two spellings, -1 where there are none.
        """
        place = spelling * len(self.entries) + word
        position = int(np.searchsorted(self.places, place))
        if position < len(self.places) and self.places[position] == place:
            return spelling, int(self.others[position])
        return int(self.example[word]), int(self.beside[word])


def weigh_words(words: Words, owners: Ints, groups: Ints | None = None) -> WordInformation:
    """Find out what the words of spellings tell.

    Args:
        words: The words of the spellings.
        owners: The entry of each spelling, (spellings,); spellings of one entry aren't told apart.
        groups: A number for each entry, (entries,); nor are entries of different groups, which never compete.

    Returns:
        What each word of the vocabulary tells.
    """
    size = len(words.vocabulary)
    # Each word once a spelling.
    text, word = np.divmod(np.unique(words.owners * max(size, 1) + words.all_ids), max(size, 1))
    entries = np.bincount(word, minlength=size)
    total = len(words.counts) + 1
    rarity = np.log(total / np.maximum(entries, 1)) / np.log(max(total, 2))
    hashed = _hash(np.arange(size))
    whole = np.zeros(len(words.counts), np.uint64) if groups is None else _hash(size + groups[owners])
    np.add.at(whole, words.owners, hashed[words.all_ids])
    several = words.counts[text] > 1
    text, word = text[several], word[several]
    # Spellings as they are, and without each of their words: what is the same then is told apart by that word alone.
    keys = np.concatenate([whole[text] - hashed[word], whole])
    member = np.concatenate([text, np.arange(len(whole))])
    order = np.lexsort((member, keys))
    starts, sizes = find_run_starts(keys[order])
    first = np.repeat(order[starts], sizes)
    last = np.repeat(order[starts + sizes - 1], sizes)
    others = np.empty((2, len(keys)), np.int64)
    others[0, order], others[1, order] = member[first], member[last]
    mine = owners[text]
    is_first = owners[others[0, : len(text)]] != mine
    beside = np.where(is_first, others[0, : len(text)], others[1, : len(text)])
    tells = owners[beside] != mine
    apart = np.bincount(word[tells], minlength=size) / (entries + _DOUBTFUL)
    example, example_beside = np.full(size, -1), np.full(size, -1)
    backwards = np.flatnonzero(tells)[::-1]
    example[word[backwards]], example_beside[word[backwards]] = text[backwards], beside[backwards]
    places = text[tells] * size + word[tells]
    return WordInformation(entries, rarity, apart, example, example_beside, places, beside[tells])


def _hash(numbers: Ints) -> npt.NDArray[np.uint64]:
    """Numbers mixed well (the finaliser of SplitMix64; Steele, Lea and Flood, 2014), so that sums don't meet."""
    mixed = (numbers.astype(np.uint64) + np.uint64(1)) * np.uint64(0x9E3779B97F4A7C15)
    mixed = (mixed ^ (mixed >> np.uint64(30))) * np.uint64(0xBF58476D1CE4E5B9)
    mixed = (mixed ^ (mixed >> np.uint64(27))) * np.uint64(0x94D049BB133111EB)
    return mixed ^ (mixed >> np.uint64(31))
