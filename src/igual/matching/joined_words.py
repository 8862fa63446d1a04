"""Words that one writes as two, or two as one: `Green way` for Greenway, `Sunriver` for Sun River, `5km` for 5 km."""

from __future__ import annotations

from functools import cached_property

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from igual.column import TEXT, Mask, to_mask
from igual.matching.forms import Forms
from igual.matching.pairs import Ints
from igual.matching.spellings import Spellings
from igual.matching.words import PARTS, Words
from igual.text.packed import mark

_DIGIT_LAST, _DIGIT_FIRST = r"[0-9]$", r"^[0-9]"
# A number with its unit; an ordinal number has none.
_WITH_UNIT, _ORDINAL = r"^(?P<number>[0-9]+)(?P<unit>[^0-9]{2,})$", r"^[0-9]+(st|nd|rd|th)$"


class JoinedWords:
    """Tells by the words of a list where values have them joined or apart.

    Args:
        entries: The words of the entries.
        known: Each of them once.
    """

    def __init__(self, entries: Words, known: Spellings) -> None:
        self._entries, self._known = entries, known

    @cached_property
    def _two(self) -> tuple[pa.Array, Spellings]:
        """Two words that follow each other in an entry, with a space between; and the same without it."""
        owners, ids = self._entries.owners, self._entries.all_ids
        after = np.flatnonzero(owners[1:] == owners[:-1])
        size = max(len(self._entries.vocabulary), 1)
        both = np.unique(ids[after] * size + ids[after + 1])
        first, second = (self._entries.vocabulary.take(pa.array(some)) for some in np.divmod(both, size))
        kept = pa.array(~_meet_in_digits(first, second))
        first, second = first.filter(kept), second.filter(kept)
        joined = _join(first, second, "")
        return _join(first, second, " "), Spellings(joined, np.arange(len(joined)))

    def rejoin(self, values: Forms) -> Forms:
        """Write the words of values as the entries have them, joined or apart.

        Args:
            values: The values in all forms, (values,).

        Returns:
            The same; where words were changed, they stand in no parts.
        """
        lists = pc.split_pattern(values.word_keys, " ")
        words, owners = lists.flatten(), pc.list_parent_indices(lists).to_numpy()
        strange = self._known.look_up(words) < 0
        if not strange.any():
            return values
        apart = np.full(len(words), -1)
        apart[strange] = self._two[1].look_up(words.filter(pa.array(strange)))
        united = np.flatnonzero(strange & (apart < 0))
        united = united[self._have_known_numbers(words.take(pa.array(united)))]
        is_united = mark(len(words), united)
        together = self._find_together(words, owners, strange, (apart < 0) & ~is_united)
        changed = np.unique(owners[(apart >= 0) | is_united | together])
        if not len(changed):
            return values
        is_apart = apart >= 0
        words = pc.replace_with_mask(words, pa.array(is_apart), self._two[0].take(pa.array(apart[is_apart])))
        if len(united):
            spaced = pc.replace_substring_regex(words, pattern=_WITH_UNIT, replacement=r"\1 \2")
            words = pc.if_else(pa.array(is_united), spaced, words)
        # Behind a word stands a space, but for the first of two that are one.
        spaced = _join(words, pa.array(np.where(together, "", " "), TEXT), "")
        whole = pc.binary_join(pa.LargeListArray.from_arrays(lists.offsets, spaced), pa.scalar("", TEXT))
        is_changed = pa.array(mark(len(values.word_keys), changed))
        keys = pc.if_else(is_changed, pc.utf8_trim(whole, " "), values.word_keys)
        parts = pc.if_else(is_changed, pa.scalar([], PARTS), values.parts)
        return values._replace(word_keys=keys, parts=parts)

    def _have_known_numbers(self, words: pa.Array) -> Mask:
        """Which words are a number of the list with a unit behind it: 100mcg."""
        parts = pc.extract_regex(words, pattern=_WITH_UNIT)
        is_such = to_mask(parts.is_valid()) & ~to_mask(pc.match_substring_regex(words, _ORDINAL))
        if is_such.any():
            is_such[is_such] = (
                self._known.look_up(pc.struct_field(parts.filter(pa.array(is_such)), "number")) >= 0
            )
        return is_such

    def _find_together(self, words: pa.Array, owners: Ints, strange: Mask, whole: Mask) -> Mask:
        """Which words are one with the next, where one of the two is strange and both are whole."""
        together = np.zeros(len(words), np.bool_)
        may_be = (owners[1:] == owners[:-1]) & (strange[1:] | strange[:-1]) & whole[1:] & whole[:-1]
        places = np.flatnonzero(may_be)
        first, second = words.take(pa.array(places)), words.take(pa.array(places + 1))
        joined = self._known.look_up(_join(first, second, ""))
        together[places] = joined >= 0
        if together.any():
            together[places] &= ~_meet_in_digits(first, second)
        # Of three that may be joined, the first two are.
        together[1:] &= ~together[:-1]
        return together


def _join(first: pa.Array, second: pa.Array, between: str) -> pa.Array:
    return pc.binary_join_element_wise(first, second, pa.scalar(between, TEXT))


def _meet_in_digits(first: pa.Array, second: pa.Array) -> Mask:
    """Where words would become one number."""
    ends = to_mask(pc.match_substring_regex(first, _DIGIT_LAST))
    begins = to_mask(pc.match_substring_regex(second, _DIGIT_FIRST))
    return ends & begins
