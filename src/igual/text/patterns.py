r"""Regular expressions that always end: RE2's, in time linear in the text, whoever wrote them.

They know neither look-around nor back-references; `\w`, `\d` and `\b` mean ASCII, `\p{L}` any letter.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from igual.column import TEXT, Mask, to_mask
from igual.text.arrays import LARGEST_COLUMN, LONGEST_TEXT, has_any, refuse_long_texts
from igual.text.packed import Offsets, Packed, cut_out, mark_character, pack, slices, unpack

_LARGEST = 10_000
# So many n-th places can be asked for.
LAST_PLACE = 500
# What a replacement may refer to: \0 is all that was found, \1 to \9 are groups.
_MOST_GROUPS = 9
# A pattern's quoted parts, escapes and classes, which may hold parentheses, and what opens a group.
_TOKEN = re.compile(
    r"\\Q.*?(?:\\E|\Z)|\\.|\[\^?\]?(?:\\.|\[:\^?\w+:\]|[^\]\\])*\]|(?P<group>\((?:\?P?<(?P<name>\w+)>|(?!\?)))",
    re.DOTALL,
)
_OPEN_QUOTE = re.compile(r"\\Q(?:(?!\\E).)*\Z", re.DOTALL)
# Letters, for a class: it takes RE2 a fiftieth of the time of \p{L}, which matters where a column has few values. Of
# scripts other than Latin it has marks, digits and signs, too.
LETTER = (
    r"A-Za-zªµº\x{c0}-\x{d6}\x{d8}-\x{f6}\x{f8}-\x{1fff}\x{2071}-\x{2073}\x{207f}\x{2090}-\x{209f}\x{2102}-\x{2188}"
    r"\x{2c00}-\x{2dff}\x{3005}-\x{3006}\x{3031}-\x{d7ff}\x{f900}-\x{ffdc}\x{10000}-\x{1efff}\x{20000}-\x{3ffff}"
)
# Characters of no script, to set marks with in texts that don't hold them.
_MARKS = "\x1c\x1d\x1e\x1f\ue000\ue001\ue002\ue003\uf8fd\uf8fe\uf8ff\U000f0000\U000f0001\U0010fffd"


def checked_sought(text: str) -> str:
    """The text, if it isn't too long to be looked for wherever it may stand; else ValueError."""
    if len(text) > _LARGEST:
        raise ValueError(
            f"a text of {len(text):,} characters is too long to look for; {_LARGEST:,} are allowed"
        )
    return text


def checked_pattern(pattern: str) -> str:
    """The pattern, if RE2 takes it; else ValueError with what is wrong."""
    if len(pattern) > _LARGEST:
        raise ValueError(f"a pattern of {len(pattern):,} characters is too long; {_LARGEST:,} are allowed")
    try:
        pc.match_substring_regex(pa.array([""], TEXT), pattern=pattern)
    except pa.ArrowInvalid as error:
        raise _refused(pattern, error) from None
    return pattern


def _refused(pattern: str, error: Exception) -> ValueError:
    why = str(error).splitlines()[0].removeprefix("Invalid regular expression: ")
    return ValueError(
        f"the pattern {pattern[:100]!r} can't be used: {why[:200]} (RE2 syntax, without look-around and "
        "back-references)"
    )


def checked_substitution(
    pattern: str, given: str, *, where: str = "anywhere", nth: int | None = None, ignore_case: bool = False
) -> None:
    """Raise ValueError where a pattern, or what is put in, can't be used as they are asked for."""
    checked_pattern(pattern)
    groups = len(find_groups(pattern))
    for reference in re.findall(r"\\(.?)", given, re.DOTALL):
        if reference != "\\" and not reference.isdecimal():
            raise ValueError(
                f"{given[:100]!r} has a backslash with no group behind it; write \\\\ for a backslash"
            )
        if reference.isdecimal() and int(reference) > groups:
            raise ValueError(f"{given[:100]!r} refers to group {reference}; the pattern has {groups}")
    try:
        substituted(pa.array(["a"], TEXT), pattern, given, where=where, nth=nth, ignore_case=ignore_case)
    except pa.ArrowInvalid as error:
        raise _refused(pattern, error) from None


def find_groups(pattern: str) -> list[str | None]:
    r"""The groups that a pattern captures, in order: their names, None for those without.

    Example:
        >>> find_groups(r"(a)[(](?P<year>\d+)\Q(b)\E(?:c)")
        [None, 'year']
    """
    return [token["name"] for token in _TOKEN.finditer(pattern) if token["group"]]


def group_names(pattern: str) -> list[str]:
    """The named groups of a pattern, in order."""
    return [name for name in find_groups(pattern) if name]


def _closed(pattern: str) -> str:
    r"""The pattern with a quotation that runs to its end (\Q without \E) closed, so that more can follow it."""
    last = None
    for token in _TOKEN.finditer(pattern):
        last = token
    is_open = last is not None and last.end() == len(pattern) and _OPEN_QUOTE.fullmatch(last[0])
    return rf"{pattern}\E" if is_open else pattern


def substituted(
    values: pa.Array,
    pattern: str,
    given: str,
    *,
    where: str = "anywhere",
    nth: int | None = None,
    ignore_case: bool = False,
) -> pa.Array:
    r"""Replace what a pattern finds; `given` may refer to its groups by \1, \2, … and to all of it by \0.

    Args:
        values: Texts, (values,).
        pattern: A regular expression (RE2 syntax).
        given: What is put in.
        where: Anywhere, or only the whole text, its start or its end.
        nth: Only the n-th place, from 1.
        ignore_case: Find texts in any case.
    """
    whole = _place(pattern, where, ignore_case)
    _refuse_growth(values, whole, given)
    if nth is None:
        return pc.replace_substring_regex(values, pattern=whole, replacement=given)
    matches = _mark_matches(values, whole, [r"\0", given])
    # Of each match one part stays: what is put in for the n-th, what stood there for all others.
    is_meant = matches.number == nth
    before, between, behind = matches.marks.T
    starts = np.column_stack([before, np.where(is_meant, behind, between)])
    stops = np.column_stack([np.where(is_meant, between, before), behind]) + matches.width
    return pack(cut_out(matches.texts, starts.ravel(), stops.ravel()), values).cast(values.type)


def _place(pattern: str, where: str, ignore_case: bool) -> str:
    """A pattern that is only found in some places of a text."""
    flags = "(?i)" if ignore_case else ""
    first, last = {"whole": ("^", "$"), "start": ("^", ""), "end": ("", "$")}.get(where, ("", ""))
    return f"{flags}{first}(?:{_closed(pattern)}){last}"


def find_any_pattern(values: pa.Array, patterns: Sequence[str], where: str, ignore_case: bool) -> Mask:
    """Tell in which texts one of some patterns is found.

    Args:
        values: Texts, (values,).
        patterns: Regular expressions (RE2 syntax).
        where: As for `substituted`.
        ignore_case: As for `substituted`.

    Returns:
        A flag for each text, (values,); all are set where the patterns can't be looked for together.
    """
    joined = "|".join(f"(?:{_place(pattern, where, ignore_case)})" for pattern in patterns)
    try:
        return to_mask(pc.match_substring_regex(values, joined))
    except pa.ArrowInvalid:  # two groups of one name, or too much for one expression
        return np.ones(len(values), np.bool_)


def _refuse_growth(values: pa.Array, pattern: str, given: str) -> None:
    """Raise RulebookError, before it is made, where a replacement would make a value far too long."""
    lengths = pc.binary_length(values)
    size, references = len(given.encode()), given.count("\\")
    times = max(size, references + 1)
    whole = (pc.sum(lengths).as_py() or 0) * times
    if (pc.max(lengths).as_py() or 0) * times <= LONGEST_TEXT and whole <= LARGEST_COLUMN:
        return
    # All that is found in a value is no longer than the value, so each reference puts in that much at most.
    counts = pc.count_substring_regex(values, pattern=pattern)
    refuse_long_texts(
        pc.add(
            pc.multiply(counts.cast(pa.int64()), size), pc.multiply(lengths.cast(pa.int64()), references + 1)
        ),
        values,
    )


class _Matches(NamedTuple):
    """Texts with marks where a pattern was found: before its first part, between its parts, behind the last.

    Attributes:
        texts: The texts, in which the parts of each match stand in its place.
        marks: Where the marks of each match are, (matches, parts + 1).
        width: How many bytes a mark has.
        first: For each text the first of its matches, and the end of all, (texts + 1,).
    """

    texts: Packed
    marks: Offsets
    width: int
    first: Offsets

    @property
    def number(self) -> Offsets:
        """The number of each match in its text, from 1, (matches,)."""
        return np.arange(1, len(self.marks) + 1) - np.repeat(self.first[:-1], np.diff(self.first))


def _mark_matches(values: pa.Array, pattern: str, parts: Sequence[str]) -> _Matches:
    r"""Put parts in the places of all matches, such as \1 for the first group, and marks around them."""
    mark = _find_free_mark(values, parts)
    # All matches are replaced: with a limit Arrow would search what is left as if a text began there.
    texts = unpack(
        pc.replace_substring_regex(values, pattern=pattern, replacement=f"{mark}{mark.join(parts)}{mark}")
    )
    width = len(mark.encode())
    places = np.flatnonzero(mark_character(texts.data, mark))[::width]
    marks = places.reshape(-1, len(parts) + 1)
    return _Matches(texts, marks, width, np.searchsorted(marks[:, 0], texts.offsets))


def _find_free_mark(values: pa.Array, parts: Sequence[str]) -> str:
    """A character that no text holds."""
    given = "".join(parts)
    unused = (mark for mark in _MARKS if mark not in given and not has_any(values, mark))
    if (free := next(unused, None)) is not None:
        return free
    held = {*given}.union(*values.drop_null().to_pylist())
    # There are more than a million characters; those of no script come last.
    return next(mark for mark in map(chr, range(0x10FFFF, 0, -1)) if mark not in held)


def captured(values: pa.Array, pattern: str, names: Sequence[str], nth: int) -> tuple[list[pa.Array], Mask]:
    """What the groups of a pattern hold at its n-th place; missing where it isn't found.

    Args:
        values: Texts, (values,).
        pattern: A regular expression (RE2 syntax).
        names: Its named groups; none: all that it finds is meant.
        nth: Which place, from 1.

    Returns:
        A column for each name (one without names), and which texts don't have the place.
    """
    known = find_groups(pattern)
    if nth == 1 and None not in known:
        # Arrow takes first places apart at once, where all groups have names.
        whole = max((name or "" for name in known), key=len, default="") + "_"
        groups = pc.extract_regex(values, pattern=f"(?P<{whole}>{_closed(pattern)})")
        columns = [pc.struct_field(groups, name).cast(TEXT) for name in names or [whole]]
        return columns, to_mask(groups.is_null()) & to_mask(values.is_valid())
    numbers = [known.index(name) + 1 for name in names] or [0]
    matches = _mark_matches(values, _closed(pattern), [f"\\{number}" for number in numbers])
    has = np.diff(matches.first) >= nth
    nth_match = matches.marks[matches.first[:-1][has] + nth - 1]
    columns = [
        _spread(slices(matches.texts, nth_match[:, part] + matches.width, nth_match[:, part + 1]), has)
        for part in range(len(numbers))
    ]
    return columns, ~has & to_mask(values.is_valid())


def _spread(texts: pa.Array, has: Mask) -> pa.Array:
    """Texts, each for a value that has one; missing for the others, (values,)."""
    return texts.take(pa.array(np.cumsum(has) - 1, mask=~has))


def checked_groups(pattern: str) -> None:
    """Raise ValueError where a pattern has more groups than can be referred to."""
    if len(find_groups(pattern)) > _MOST_GROUPS:
        raise ValueError(f"a pattern may have up to {_MOST_GROUPS} groups; (?:…) groups without capturing")
