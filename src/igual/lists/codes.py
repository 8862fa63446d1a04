"""Codes that need more than a look-up: ranges of numbers, and codes whose meaning depends on the day."""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from datetime import date
from typing import NamedTuple

import numpy as np
import numpy.typing as npt
import pyarrow as pa
import pyarrow.compute as pc

from igual.errors import ListError

Floats = npt.NDArray[np.float64]
# An entry's place, and the positions of the values that are its code or in its range.
Hits = tuple[int, npt.NDArray[np.int64]]

_NUMBER = r"^\s*[+-]?\d+(\.\d+)?\s*$"
_IS_NUMBER = re.compile(r"\s*[+-]?[0-9]{1,300}(\.[0-9]{1,300})?\s*")
_DAY = r"^\d{4}-\d\d-\d\d"


class CodeMeaning(NamedTuple):
    """What a code means, or a range of codes, perhaps only for some time.

    Attributes:
        code: The code, or the first of a range of numbers.
        label: What it means.
        last: The last of the range, which belongs to it; None for a single code.
        since: The first day on which it means that, such as 2024-05-31; None for no limit.
        until: The last day on which it means that; None for no limit.
    """

    code: str
    label: str
    last: str | None = None
    since: str | None = None
    until: str | None = None

    def describe(self) -> str:
        """Write the code or range with its limits, such as "10 to 19 from 2024-01-01"."""
        codes = self.code if self.last is None else f"{self.code} to {self.last}"
        times = [f"from {self.since}" if self.since else "", f"until {self.until}" if self.until else ""]
        return " ".join([codes, *filter(None, times)])


def check_codes(entries: Sequence[CodeMeaning]) -> None:
    """Check that bounds are numbers or days, and that no code means two things on one day.

    Args:
        entries: The codes and ranges of one codebook.

    Raises:
        ListError: For a bound that can't be read, an empty range or period, and for a contradiction.
    """
    for entry in entries:
        if entry.last is not None and not _number(entry.code) <= _number(entry.last):
            raise ListError(f"codes {entry.code} to {entry.last}: the last comes before the first")
        for day in (entry.since, entry.until):
            if day is not None:
                _check_day(day, entry)
        if entry.since and entry.until and entry.since > entry.until:
            raise ListError(
                f"code {entry.code}: it is valid from {entry.since} until {entry.until}, which is before"
            )
    singles: dict[str, list[CodeMeaning]] = {}
    for entry in entries:
        if entry.last is None:
            singles.setdefault(entry.code, []).append(entry)
    for same_code in singles.values():
        if len(same_code) > 1:
            _refuse_contradiction(same_code, np.zeros(len(same_code)), np.zeros(len(same_code)))
    ranges = [entry for entry in entries if entry.last is not None]
    if len(ranges) > 1:
        bounds = np.array([(_number(entry.code), _number(entry.last or "")) for entry in ranges])
        _refuse_contradiction(ranges, bounds[:, 0], bounds[:, 1])


def _refuse_contradiction(entries: Sequence[CodeMeaning], first: Floats, last: Floats) -> None:
    """Raise ListError where two entries have a number and a day in common, and differ in what they mean.

    Args:
        entries: Codes or ranges.
        first: The first number of each, (entries,).
        last: The last number of each, (entries,).
    """
    order = np.argsort(first, kind="stable")
    labels = {entry.label: number for number, entry in enumerate(entries)}
    label = np.array([labels[entries[place].label] for place in order])
    since = np.array([_ordinal(entries[place].since, date.min) for place in order])
    until = np.array([_ordinal(entries[place].until, date.max) for place in order])
    # Sorted by their first numbers, those that overlap one are the next few.
    stops = np.searchsorted(first[order], last[order], side="right")
    for at in np.flatnonzero(stops > np.arange(len(order)) + 1).tolist():
        rest = slice(at + 1, stops[at])
        clash = (label[rest] != label[at]) & (since[rest] <= until[at]) & (until[rest] >= since[at])
        if clash.any():
            one, other = sorted((order[at], order[at + 1 + int(np.argmax(clash))]))
            earlier, later = entries[one], entries[other]
            raise ListError(
                f"code {earlier.describe()} means {earlier.label!r} and {later.label!r} ({later.describe()})"
            )


def _ordinal(day: str | None, default: date) -> int:
    return (date.fromisoformat(day) if day else default).toordinal()


def _number(text: str) -> float:
    if not _IS_NUMBER.fullmatch(text):
        raise ListError(f"a range of codes takes numbers; found {text!r}")
    return float(text)


def _check_day(text: str, meaning: CodeMeaning) -> None:
    try:
        # Python knows other forms too, which don't sort as texts.
        is_day = len(text) == len("2024-05-31") and bool(date.fromisoformat(text))
    except ValueError:
        is_day = False
    if not is_day or text[4] != "-":
        raise ListError(f"code {meaning.code}: expected a day such as 2024-05-31; found {text!r}")


def find_codes(
    values: pa.Array, days: pa.Array | None, entries: Sequence[CodeMeaning]
) -> npt.NDArray[np.int64]:
    """Find the entry that each value means on its day. A single code comes before a range.

    Args:
        values: Distinct texts, (values,).
        days: Texts that start like 2024-05-31, (values,); those that don't are no day. None where no days are known,
            so that only entries without limits count.
        entries: The codes and ranges of one codebook.

    Returns:
        For each value the position of its entry, (values,); -1 for none.
    """
    places = np.full(len(values), -1, np.int64)
    if days is not None:
        is_day = pc.match_substring_regex(days, _DAY).fill_null(False)
        days = pc.if_else(is_day, pc.utf8_slice_codeunits(days, 0, 10), None)
    ranges = [place for place, meaning in enumerate(entries) if meaning.last is not None]
    singles = [place for place, meaning in enumerate(entries) if meaning.last is None]
    for place, hits in (*_find_ranges(values, entries, ranges), *_find_singles(values, entries, singles)):
        meaning = entries[place]
        if meaning.since or meaning.until:
            if days is None:
                continue
            on = days.take(pa.array(hits))
            is_valid = on.is_valid()
            if meaning.since:
                is_valid = pc.and_(is_valid, pc.greater_equal(on, meaning.since))
            if meaning.until:
                is_valid = pc.and_(is_valid, pc.less_equal(on, meaning.until))
            hits = hits[is_valid.fill_null(False).to_numpy(zero_copy_only=False)]
        places[hits] = place
    return places


def _find_ranges(values: pa.Array, entries: Sequence[CodeMeaning], ranges: Sequence[int]) -> Iterator[Hits]:
    """The values in each range, found among the sorted numbers."""
    flags = pc.match_substring_regex(values, _NUMBER).fill_null(False)
    read = pc.if_else(flags, pc.utf8_trim_whitespace(values), None).cast(pa.float64())
    numbers = read.fill_null(np.nan).to_numpy(zero_copy_only=False)
    order = np.argsort(numbers)
    numbers = numbers[order]
    starts = np.searchsorted(numbers, [_number(entries[place].code) for place in ranges])
    stops = np.searchsorted(numbers, [_number(entries[place].last or "") for place in ranges], side="right")
    for place, start, stop in zip(ranges, starts.tolist(), stops.tolist(), strict=True):
        if stop > start:
            yield place, order[start:stop]


def _find_singles(values: pa.Array, entries: Sequence[CodeMeaning], singles: Sequence[int]) -> Iterator[Hits]:
    """The values that are each code, found by one look-up of all."""
    number_of: dict[str, int] = {}
    numbers = [number_of.setdefault(entries[place].code, len(number_of)) for place in singles]
    places = pc.index_in(values, pa.array(number_of, pa.large_string())).fill_null(-1)
    codes = places.to_numpy(zero_copy_only=False)
    order = np.argsort(codes, kind="stable")
    edges = np.searchsorted(codes[order], np.arange(len(number_of) + 1))
    for place, number in zip(singles, numbers, strict=True):
        if edges[number + 1] > edges[number]:
            yield place, order[edges[number] : edges[number + 1]]
