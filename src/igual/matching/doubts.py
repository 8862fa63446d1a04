"""Decision, first half: what speaks against settling a match, however alike the texts are.

A doubt is one entry of DOUBTS: which words may raise it, and the function that looks. The quick scan that tells which
of many pairs are worth a look is made from the same entries.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Collection, Iterable, Sequence
from itertools import pairwise
from typing import NamedTuple

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from igual.column import TEXT, Mask, to_mask
from igual.matching.reasons import Reason
from igual.matching.vocabulary import (
    MONTH_OF,
    NEGATIONS,
    NUMBERS,
    PREFIXES,
    PREPOSITIONS,
    ROMAN_NUMERAL,
    UNIT_OF,
    WEEKDAY_OF,
    Vocabulary,
    is_roman,
)
from igual.text.mentions import DENYING_WORDS
from igual.threads import lazy_property

_SHORT_WORD, _LONGEST_SYMBOL = 2, 3
# So few pairs are looked at one by one sooner than words are marked in them.
_FEW = 20
_DIGITS, _LETTERED = re.compile(r"\d+"), re.compile(r"0*(\d+)([^\W\d_]{1,2})")
_ENDINGS = frozenset({"st", "nd", "rd", "th", "s"})


class WordPair:
    """The words of a value and of an entry.

    Args:
        value: The words of the value.
        entry: The words of the entry.
        vocabulary: Words that are treated in a way of their own.
    """

    def __init__(self, value: Sequence[str], entry: Sequence[str], vocabulary: Vocabulary) -> None:
        self.value, self.entry, self.vocabulary = value, entry, vocabulary

    @lazy_property
    def has_numbers(self) -> bool:
        """Whether a word of either begins with a digit."""
        return any(word[0].isdecimal() for word in (*self.value, *self.entry) if word)

    @lazy_property
    def value_only(self) -> list[str]:
        """The words that the value has and the entry hasn't."""
        return [word for word in self.value if word not in self.entry]

    @lazy_property
    def entry_only(self) -> list[str]:
        """The words that the entry has and the value hasn't."""
        return [word for word in self.entry if word not in self.value]


class Doubt(NamedTuple):
    """Something that may speak against a match.

    Attributes:
        find: Looks at a pair, and gives the reasons that it finds.
        pattern: Words that may raise the doubt (RE2 syntax); '' for none.
        words: Further words that may raise it.
        in_both: Whether such words count also where both texts have them.
        one_sided: Whether the doubt may also be raised where one text has all words of the other.
        last_resort: Whether it only counts where no other doubt was found.
    """

    find: Callable[[WordPair], Iterable[Reason]]
    pattern: str = ""
    words: Callable[[Vocabulary], Collection[str]] = lambda _: ()
    in_both: bool = False
    one_sided: bool = False
    last_resort: bool = False


def find_doubts(
    value: Sequence[str], entry: Sequence[str], vocabulary: Vocabulary, *, lost_words: bool = True
) -> list[Reason]:
    """Find out why two texts may be different things.

    Args:
        value: The words of the value.
        entry: The words of the entry.
        vocabulary: Words that are treated in a way of their own.
        lost_words: Whether words that only one of them has are doubts, whatever they are.

    Returns:
        What speaks against the match; nothing where no doubt applies.

    Example:
        >>> find_doubts(["pier", "1"], ["pier", "7"], Vocabulary())
        [Reason(kind='numbers differ', parts=('1', '7'))]
    """
    pair = WordPair(value, entry, vocabulary)
    reasons: list[Reason] = []
    for doubt in DOUBTS:
        if not (doubt.last_resort and reasons) and (lost_words or not doubt.one_sided):
            reasons += doubt.find(pair)
    return reasons


def mark_doubtful(values: pa.Array, entries: pa.Array, vocabulary: Vocabulary) -> Mask:
    """Mark the pairs of texts for which some doubt may have something to say: those worth a look one by one.

    Args:
        values: Words keys of the values, (pairs,).
        entries: Words keys of the entries, (pairs,).
        vocabulary: Words that are treated in a way of their own.

    Returns:
        A flag for each pair, (pairs,).
    """
    size = len(values)
    if size <= _FEW:
        return np.ones(size, np.bool_)
    texts = pc.split_pattern(pa.concat_arrays([values, entries]), " ")
    words = texts.flatten().dictionary_encode()
    ids = words.indices.to_numpy().astype(np.int64)
    counts = pc.list_value_length(texts).to_numpy().astype(np.int64)
    pair = np.repeat(np.tile(np.arange(size), 2), counts)
    border = int(counts[:size].sum())
    word = pair * len(words.dictionary) + ids
    alone = ~np.concatenate([np.isin(word[:border], word[border:]), np.isin(word[border:], word[:border])])
    raises = _mark_words(words.dictionary, vocabulary, in_both=True)[ids]
    raises |= _mark_words(words.dictionary, vocabulary, in_both=False)[ids] & alone
    doubtful: Mask = np.bincount(pair[raises], minlength=size) > 0
    if any(doubt.one_sided for doubt in DOUBTS):
        sides = (slice(None, border), slice(border, None))
        has_more = [np.bincount(pair[side][alone[side]], minlength=size) > 0 for side in sides]
        doubtful |= has_more[0] != has_more[1]
    return doubtful


def _mark_words(words: pa.Array, vocabulary: Vocabulary, *, in_both: bool) -> Mask:
    """Mark the words that may raise a doubt."""
    some = [doubt for doubt in DOUBTS if doubt.in_both == in_both]
    listed = {word for doubt in some for word in doubt.words(vocabulary)}
    marked = to_mask(pc.is_in(words, pa.array(sorted(listed), TEXT)))
    if patterns := [doubt.pattern for doubt in some if doubt.pattern]:
        marked = marked | to_mask(pc.match_substring_regex(words, "|".join(f"(?:{p})" for p in patterns)))
    return marked


def _compare_numbers(pair: WordPair) -> Iterable[Reason]:
    value, entry = ([*_numbers_in(words)] for words in (pair.value, pair.entry))
    if value != entry:
        kind = "numbers reordered" if sorted(value) == sorted(entry) else "numbers differ"
        yield Reason(kind, (" ".join(value), " ".join(entry)))


def _compare_letters_of_numbers(pair: WordPair) -> Iterable[Reason]:
    """Letters behind numbers that differ, be they joined to these or not (12A, 12 A), less units and endings (18s)."""
    if not pair.has_numbers:
        return
    sides = pair.value, pair.entry
    value, entry = ([*_lettered_in(words)] for words in sides)
    if set(value) != set(entry):
        said = (some or [*_numbers_in(words)] for some, words in zip((value, entry), sides, strict=True))
        yield Reason("numbers differ", tuple(" ".join(some) for some in said))


def _lettered_in(words: Sequence[str]) -> Iterable[str]:
    after = (*words[1:], "")
    for word, following in zip(words, after, strict=True):
        joined = (
            word + following if word.isdecimal() and len(following) == 1 and following.isalpha() else word
        )
        found = _LETTERED.fullmatch(joined)
        if found and found[2] not in _ENDINGS and found[2] not in UNIT_OF:
            yield found[1] + found[2]


def _numbers_in(words: Iterable[str]) -> Iterable[str]:
    for word in words:
        if word in NUMBERS:
            yield NUMBERS[word]
        else:
            yield from (number.lstrip("0") or "0" for number in _DIGITS.findall(word))


def _compare_roman_numerals(pair: WordPair) -> Iterable[Reason]:
    value, entry = (
        [word.upper() for word in words if is_roman(word)] for words in (pair.value_only, pair.entry_only)
    )
    if value != entry:
        yield Reason("roman numerals differ", (" ".join(value), " ".join(entry)))


def _compare_units(pair: WordPair) -> Iterable[Reason]:
    """Units of both that differ, be they joined to their numbers or not; one that only one of them has is no doubt."""
    if pair.has_numbers:
        value, entry = ([*_units_in(words)] for words in (pair.value, pair.entry))
    else:
        value, entry = ([*_name_units(words)] for words in (pair.value_only, pair.entry_only))
    if value and entry and {UNIT_OF[unit] for unit in value} != {UNIT_OF[unit] for unit in entry}:
        yield Reason("units differ", (" ".join(value), " ".join(entry)))


def _units_in(words: Sequence[str]) -> Iterable[str]:
    """The units behind numbers, and those behind such a unit (mg/ml)."""
    is_behind = False
    for word in words:
        unit = word.lstrip("0123456789")
        is_unit = unit in UNIT_OF and (unit != word or is_behind)
        if is_unit:
            yield unit
        is_behind = is_unit or word.isdecimal()


def _name_units(words: Sequence[str]) -> Iterable[str]:
    """The units that are spelled out; symbols without a number may mean much else."""
    return (word for word in words if word in UNIT_OF and len(word) > _LONGEST_SYMBOL)


def _compare_days(pair: WordPair) -> Iterable[Reason]:
    """Months of both that differ, and days of the week."""
    for kind, names in (("months differ", MONTH_OF), ("days differ", WEEKDAY_OF)):
        value, entry = ([word for word in words if word in names] for words in (pair.value, pair.entry))
        if value and entry and {names[word] for word in value} != {names[word] for word in entry}:
            yield Reason(kind, (" ".join(value), " ".join(entry)))


def _find_opposites(pair: WordPair) -> Iterable[Reason]:
    groups = pair.vocabulary.groups_of
    for word in pair.value_only:
        for other in pair.entry_only:
            if groups.get(word, frozenset()) & groups.get(other, frozenset()):
                yield Reason("opposites", (word, other))
                continue
            long, short = (word, other) if len(word) > len(other) else (other, word)
            prefix = long.removesuffix(short) if long.endswith(short) else ""
            if prefix in NEGATIONS:
                yield Reason("negation", (word, other))
            elif prefix in PREFIXES:
                yield Reason("prefix", (prefix, long))


def _find_denied(pair: WordPair) -> Iterable[Reason]:
    """Words of one of both that deny what follows; before a number, `no` says that it is one."""
    for words, only in ((pair.value, pair.value_only), (pair.entry, pair.entry_only)):
        numbered = {word for word, after in pairwise(words) if word == "no" and after.isdecimal()}
        for word in only:
            if word in DENYING_WORDS and word not in numbered:
                yield Reason("opposite may matter", (word,))


def _compare_short_words(pair: WordPair) -> Iterable[Reason]:
    value, entry = (
        [word for word in words if (len(word) <= _SHORT_WORD and word.isalpha()) or word in PREPOSITIONS]
        for words in (pair.value_only, pair.entry_only)
    )
    several = len(pair.value) > 1 or len(pair.entry) > 1
    if several and value and entry and set(value) != set(entry):
        yield Reason("short words differ", (" ".join(value), " ".join(entry)))


def _find_lost_words(pair: WordPair) -> Iterable[Reason]:
    """Words that only one of two texts has, where that is all that sets them apart, less the small ones."""
    if (pair.value_only and pair.entry_only) or "".join(pair.value) == "".join(pair.entry):
        return
    words = (*pair.value_only, *pair.entry_only)
    if lost := tuple(word for word in words if word not in pair.vocabulary.small_words):
        yield Reason("words may matter", lost)


# In the order in which they are reported.
DOUBTS = (
    Doubt(_compare_numbers, pattern=r"\d", words=lambda _: NUMBERS, in_both=True),
    Doubt(_compare_letters_of_numbers, pattern=r"^\d+\D{1,2}$|^\D$", in_both=True, last_resort=True),
    Doubt(_compare_units, pattern=r"^\d+\D+$", words=lambda _: UNIT_OF),
    Doubt(_compare_days, words=lambda _: (*MONTH_OF, *WEEKDAY_OF)),
    Doubt(_compare_roman_numerals, pattern=f"^{ROMAN_NUMERAL}$"),
    Doubt(
        _find_opposites,
        pattern=f"^(?:{'|'.join((*NEGATIONS, *PREFIXES))})",
        words=lambda vocabulary: vocabulary.groups_of,
    ),
    Doubt(_find_denied, words=lambda _: DENYING_WORDS, last_resort=True),
    Doubt(
        _compare_short_words,
        pattern=f"^.{{0,{_SHORT_WORD}}}$",
        words=lambda _: PREPOSITIONS,
        last_resort=True,
    ),
    Doubt(_find_lost_words, one_sided=True, last_resort=True),
)
