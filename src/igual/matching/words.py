"""Texts as words, and the parts that they stand in."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from igual.column import TEXT, Mask, to_mask
from igual.matching.keys import plain, words_key
from igual.matching.pairs import Ints, expand_spans, number_within_runs
from igual.matching.spellings import Spellings
from igual.text.arrays import has_pattern

# Words of a text that are looked at.
MOST_WORDS = 12
# What sets parts of a name apart: brackets, commas, slashes, dashes between spaces.
_OPENING, _DIVIDERS = r"[(\[]", r"[)\],/;:|]| [-–—] "
_MARK, _BRACKET = "\x01", "\x02"
PARTS = pa.large_list(pa.int64())


class Words(NamedTuple):
    """Texts as words.

    Attributes:
        starts: (texts,).
        counts: How many words each text has, (texts,).
        ids: Places in the vocabulary, (words,).
        parts: The part of its text that each word stands in, (words,): 0, 1, 2, …
        in_brackets: Which words stand in brackets, (words,).
        vocabulary: The words, all distinct.
        known: Where each stands in the vocabulary of the entries, -1 for nowhere, (vocabulary,).
    """

    starts: Ints
    counts: Ints
    ids: Ints
    parts: Ints
    in_brackets: Mask
    vocabulary: pa.Array
    known: Ints

    @property
    def is_letter(self) -> Mask:
        """Which words are a single character, (vocabulary,)."""
        return to_mask(pc.equal(pc.utf8_length(self.vocabulary), 1))

    @classmethod
    def of(cls, keys: pa.Array, parts: pa.Array, known: Spellings | None = None) -> Words:
        """Cut texts into words.

        Args:
            keys: Words keys, with one space between words; those of nothing but spaces have no words.
            parts: The parts of their words; see `divide`.
            known: The vocabulary of the entries; none for the entries themselves.

        Returns:
            Their words.
        """
        lists = pc.split_pattern(keys, " ")
        flat = lists.flatten().dictionary_encode()
        bounds = lists.offsets.to_numpy(zero_copy_only=False).astype(np.int64)
        bounds -= bounds[0]
        counts = np.minimum(np.diff(bounds), MOST_WORDS)
        counts[pc.equal(keys, "").to_numpy(zero_copy_only=False)] = 0
        ids = flat.indices.to_numpy(zero_copy_only=False).astype(np.int64)
        words = flat.dictionary.cast(TEXT)
        places = np.arange(len(words)) if known is None else known.look_up(words)
        part, in_brackets = np.zeros(len(ids), np.int64), np.zeros(len(ids), np.bool_)
        sizes = pc.list_value_length(parts).to_numpy(zero_copy_only=False).astype(np.int64)
        if sizes.any():
            some = np.flatnonzero(sizes == np.diff(bounds))
            numbers = parts.take(pa.array(some)).flatten().to_numpy(zero_copy_only=False)
            part[expand_spans(bounds[:-1][some], sizes[some])] = numbers >> 1
            in_brackets[expand_spans(bounds[:-1][some], sizes[some])] = (numbers & 1) == 1
        return cls(bounds[:-1], counts, ids, part, in_brackets, words, places)

    def take(self, places: Ints) -> Words:
        """Choose some of them by position."""
        return self._replace(starts=self.starts[places], counts=self.counts[places])

    def texts_of(self, place: int) -> list[str]:
        """List the words of one text."""
        ids = self.ids[self.starts[place] : self.starts[place] + self.counts[place]]
        texts: list[str] = self.vocabulary.take(pa.array(ids)).to_pylist()
        return texts

    @property
    def owners(self) -> Ints:
        """The text of each of `all_ids`, (words of all texts,)."""
        return np.repeat(np.arange(len(self.counts)), self.counts)

    @property
    def all_ids(self) -> Ints:
        """The words of all texts, one after another, (words of all texts,)."""
        ids: Ints = self.ids[expand_spans(self.starts, self.counts)]
        return ids


def divide(texts: pa.Array) -> pa.Array:
    """Find the parts of texts that brackets, commas, slashes and dashes set apart.

    Args:
        texts: Texts as they are written, (texts,).

    Returns:
        For each word of a text twice the number of its part, and one more within brackets; nothing for texts of one
        part, (texts,).

    Example:
        >>> divide(pa.array(["Old Town", "Greek, Ancient (to 1453)"], TEXT)).to_pylist()
        [[], [0, 2, 5, 5]]
    """
    divided = has_pattern(texts, f"{_OPENING}|{_DIVIDERS}")
    offsets = np.zeros(len(texts) + 1, np.int64)
    numbers = np.zeros(0, np.int64)
    if divided.any():
        some = texts.filter(pa.array(divided))
        marked = pc.replace_substring_regex(some, _OPENING, _MARK + _BRACKET)
        pieces = pc.split_pattern(pc.replace_substring_regex(marked, _DIVIDERS, _MARK), _MARK)
        owner = pc.list_parent_indices(pieces).to_numpy(zero_copy_only=False).astype(np.int64)
        flat = pieces.flatten()
        in_brackets = pc.starts_with(flat, _BRACKET).to_numpy(zero_copy_only=False)
        keys = words_key(plain(flat))
        words = pc.count_substring(keys, " ").to_numpy(zero_copy_only=False).astype(np.int64) + 1
        words[pc.equal(keys, "").to_numpy(zero_copy_only=False)] = 0
        filled = words > 0
        owner, words, in_brackets = owner[filled], words[filled], in_brackets[filled]
        piece = number_within_runs(np.bincount(owner, minlength=len(some)))
        numbers = np.repeat(2 * piece + in_brackets, words)
        sizes = np.zeros(len(texts), np.int64)
        sizes[divided] = np.bincount(owner, words, len(some)).astype(np.int64)
        offsets[1:] = np.cumsum(sizes)
    return pa.LargeListArray.from_arrays(pa.array(offsets), pa.array(numbers))
