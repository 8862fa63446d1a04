"""Decision, second half: everything that speaks against settling the likeliest entry of each value."""

from __future__ import annotations

import re
from typing import NamedTuple

import numpy as np
import numpy.typing as npt
import pyarrow as pa
import pyarrow.compute as pc

from igual.column import Mask
from igual.matching.acronyms import find_lost_acronyms, mark_acronyms
from igual.matching.distinguishing import find_distinguishing
from igual.matching.doubts import find_doubts, mark_doubtful
from igual.matching.edits import UNIT
from igual.matching.exact_parts import find_differing_parts, may_have_exact_parts
from igual.matching.index import MatchIndex
from igual.matching.pairs import Ints
from igual.matching.queries import Queries
from igual.matching.reasons import (
    AMBIGUOUS_INITIALS,
    CASE_MATTERS,
    LIKE_MISSING_VALUE,
    OWN_WORD,
    TOO_LONG,
    VERY_SHORT,
    Reason,
)
from igual.matching.scoring import BY_INITIALS, BY_LETTERS, BY_WORDS, SHORT, Floats
from igual.matching.words import MOST_WORDS
from igual.text.blanks import LIKE_MISSING
from igual.threads import lazy_property

# Doubts that say already what is to be said of numbers.
_NUMBERS_DIFFER = ("numbers differ", "numbers reordered", "units differ")
# Letters that cost so much differ by more than a slip, in nats.
_SEVERAL_SLIPS = 8.0


class Best(NamedTuple):
    """The likeliest entry of each value that has any, (ranked,), and what its match rests on.

    Attributes:
        position: Of the value.
        spelling: The likeliest spelling of the entry.
        reading: How the spelling was read.
        any_meant: How likely it is that any entry is meant.
    """

    position: Ints
    spelling: Ints
    reading: npt.NDArray[np.int8]
    any_meant: Floats


class Doubting:
    """Finds what speaks against the likeliest entries.

    Args:
        index: The list.
        queries: The values.
        written: The values as they are written, (values,).
        best: The likeliest entries.
        is_near: Which of them are worth asking about, (ranked,).
        case_sensitive: Whether the list tells cases apart.
    """

    def __init__(
        self,
        index: MatchIndex,
        queries: Queries,
        written: pa.Array,
        best: Best,
        is_near: Mask,
        case_sensitive: bool,
    ) -> None:
        self._index, self._queries, self._best, self._is_near = index, queries, best, is_near
        self._case_sensitive = case_sensitive
        self._written = written.take(pa.array(best.position))
        self._spelled = index.spellings.take(pa.array(best.spelling))
        values, entries = queries.forms, index.search.forms
        sides = (values, best.position), (entries, best.spelling)
        self._letters = [side.letter_keys.take(pa.array(places)) for side, places in sides]
        self._words = [side.word_keys.take(pa.array(places)) for side, places in sides]
        lengths = [side.letters.lengths[places] for side, places in sides]
        self._by_letters = best.reading == BY_LETTERS
        self._is_same = pc.equal(*self._letters).to_numpy(zero_copy_only=False)
        self._is_short = self._by_letters & (np.minimum(*lengths) <= SHORT)
        self._most_spaces = np.maximum(
            *(pc.count_substring(keys, " ").to_numpy(zero_copy_only=False) for keys in self._words)
        )
        self._is_long = self._most_spaces >= MOST_WORDS
        self._is_long |= values.is_truncated[best.position] | entries.is_truncated[best.spelling]
        self._is_shortened = (best.reading == BY_WORDS) & (self._most_spaces == 0)

    @lazy_property
    def initials_alone(self) -> Mask:
        """Which values that were read by initials are nothing but those of a spelling, or the other way round."""
        return self.mark_initials(self._best.spelling)

    def mark_initials(self, spelling: Ints) -> Mask:
        """Mark the values that were read by initials and are nothing but those of other spellings, or these of them.

        Args:
            spelling: A spelling for each, (ranked,).

        Returns:
            A flag for each, (ranked,).
        """
        marks: Mask = self._best.reading == BY_INITIALS
        if marks.any():
            pairs, initials = (self._best.position[marks], spelling[marks]), self._index.search.initials
            marks[marks] = np.isfinite(initials.costs(initials.spell(self._queries.words), *pairs))
        return marks

    def find(self) -> dict[int, list[Reason]]:
        """Find what speaks against settling matches, by their number in `best`."""
        is_doubtful = (
            mark_doubtful(self._words[0], self._words[1], self._index.vocabulary) & ~self.initials_alone
        )
        distinguishing = self._find_distinguishing_words()
        may_lose = self._by_letters & ~self._is_same
        may_lose &= mark_acronyms(self._written) | mark_acronyms(self._spelled)
        differ = self._mark_several_slips()
        looked_at = is_doubtful | self._is_short | self._is_long | self._is_shortened | may_lose | differ
        has_exact = may_have_exact_parts(self._written) | may_have_exact_parts(self._spelled)
        looked_at |= has_exact | self._case_sensitive | (self._best.reading == BY_INITIALS)
        looked_at[list(distinguishing)] = True
        numbers = np.flatnonzero(self._is_near & looked_at)
        texts = [keys.take(pa.array(numbers)).to_pylist() for keys in self._words]
        doubts_of: dict[int, list[Reason]] = {}
        for number, value, entry in zip(numbers.tolist(), *texts, strict=True):
            if self._is_long[number]:
                doubts_of[number] = [TOO_LONG]
                continue
            if self._is_same[number] and not self._case_sensitive:
                continue
            doubts = []
            if is_doubtful[number]:
                doubts = find_doubts(value.split(), entry.split(), self._index.vocabulary, lost_words=False)
            doubts = doubts or distinguishing.get(number, [])
            if may_lose[number] and not doubts:
                doubts = find_lost_acronyms(self._written[number].as_py(), self._spelled[number].as_py())
            if has_exact[number] and not any(one.kind in _NUMBERS_DIFFER for one in doubts):
                doubts = [*self._find_differing_parts(number), *doubts]
            if differ[number] and not doubts:
                doubts = self._find_common_part(number)
            doubts = [*doubts, *self._find_others(number, bool(doubts))]
            if doubts:
                doubts_of[number] = doubts
        return doubts_of

    def _find_others(self, number: int, has_doubts: bool) -> list[Reason]:
        """Doubts that follow from how a match was found, whatever the words are."""
        doubts = []
        written = self._written[number].as_py()
        if self._is_short[number] and not self._is_same[number] and not has_doubts:
            doubts.append(VERY_SHORT)
        if self._best.reading[number] == BY_INITIALS:
            is_like_missing = written.strip().lower() in LIKE_MISSING
            doubts.append(LIKE_MISSING_VALUE if is_like_missing else AMBIGUOUS_INITIALS)
        if self._is_shortened[number]:
            doubts.append(OWN_WORD)
        if self._case_sensitive and cases_differ(written, self._spelled[number].as_py()):
            doubts.append(CASE_MATTERS)
        return doubts

    def _find_differing_parts(self, number: int) -> list[Reason]:
        return find_differing_parts(self._written[number].as_py(), self._spelled[number].as_py())

    def _mark_several_slips(self) -> Mask:
        """Which differ by more letters than a slip would, in a list that has common beginnings or endings."""
        differ: Mask = self._by_letters & self._is_near & ~self._is_long & ~self._is_same & ~self._is_short
        # To look for such parts takes a while, which is spared where nothing needs them.
        differ &= differ.any() and self._index.common_parts.are_any
        places, search = (self._best.position[differ], self._best.spelling[differ]), self._index.search
        cost = search.edits.costs(self._queries.letters, search.letters, *places) / UNIT
        differ[differ] = cost >= _SEVERAL_SLIPS
        return differ

    def _find_common_part(self, number: int) -> list[Reason]:
        part = self._index.common_parts.find(*(keys[number].as_py() for keys in self._letters))
        return [Reason("common part", (part,))] if part else []

    def _find_distinguishing_words(self) -> dict[int, list[Reason]]:
        """Words that only one of a pair has, and that may make them different things, by their number in `best`."""
        numbers = np.flatnonzero(self._is_near & (self._most_spaces > 0) & ~self.initials_alone)
        wording, spellings = self._index.search.wording, self._index.spellings
        pairs = self._best.position[numbers], self._best.spelling[numbers]
        words = find_distinguishing(wording, self._queries.words, *pairs, self._by_letters[numbers])
        reasons: dict[int, list[Reason]] = {}
        plain: dict[int, list[str]] = {}
        for pair, word, place in words:
            number = int(numbers[pair])
            if len(word) == 1 and _is_elided(word, self._written[number].as_py()):
                continue
            spelling = int(self._best.spelling[number])
            example = wording.information.find_example(place, spelling) if place >= 0 else (-1, -1)
            if example[0] >= 0:
                examples = [spellings[spelling].as_py() for spelling in example]
                reasons.setdefault(number, []).append(Reason("word tells apart", (word, *examples)))
            elif word in self._index.vocabulary.groups_of:
                reasons.setdefault(number, []).append(Reason("opposite may matter", (word,)))
            else:
                plain.setdefault(number, []).append(word)
        for number, some in plain.items():
            reasons.setdefault(number, []).append(Reason("words may matter", tuple(some)))
        return reasons


def _is_elided(letter: str, text: str) -> bool:
    """Whether a letter is joined to a word of a text by an apostrophe."""
    found = re.search(rf"\w['’]{re.escape(letter)}\b|\b{re.escape(letter)}['’]\w", text, re.IGNORECASE)
    return found is not None


def _letters_of(text: str) -> str:
    return "".join(character for character in text if character.isalpha())


def cases_differ(value: str, entry: str) -> bool:
    """Tell whether two texts are spelled in different cases, as far as their letters tell.

    Args:
        value: A value.
        entry: An entry.

    Returns:
        Whether their letters are the same but for case, or only one is all in capitals.
    """
    letters = _letters_of(value), _letters_of(entry)
    if letters[0] == letters[1]:
        return False
    return letters[0].casefold() == letters[1].casefold() or letters[0].isupper() != letters[1].isupper()
