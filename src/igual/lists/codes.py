"""Codes that need more than a look-up: ranges of numbers, and codes whose meaning depends on the day."""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from datetime import date
from typing import NamedTuple

import numpy as np
import numpy.typing as npt
import pyarrow as pa
import pyarrow.compute as pc

from igual.errors import ListError

_NUMBER = r"^\s*[+-]?\d+(\.\d+)?\s*$"
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
        singles.setdefault(entry.code if entry.last is None else "", []).append(entry)
    ranges = singles.pop("", [])
    for same_code in singles.values():
        _refuse_overlap(same_code)
    for position, entry in enumerate(ranges):
        for earlier in ranges[:position]:
            starts_before_end = _number(entry.code) <= _number(earlier.last or "")
            if starts_before_end and _number(earlier.code) <= _number(entry.last or ""):
                _refuse_overlap((entry, earlier))


def _refuse_overlap(entries: Sequence[CodeMeaning]) -> None:
    for one, other in itertools.combinations(entries, 2):
        if (
            one.label != other.label
            and (one.until or "9999") >= (other.since or "")
            and (other.until or "9999") >= (one.since or "")
        ):
            raise ListError(
                f"code {one.describe()} means {one.label!r} and {other.label!r} ({other.describe()})"
            )


def _number(text: str) -> float:
    try:
        return float(text)
    except ValueError:
        raise ListError(f"a range of codes takes numbers; found {text!r}") from None


def _check_day(text: str, meaning: CodeMeaning) -> None:
    try:
        date.fromisoformat(text)
    except ValueError:
        raise ListError(f"code {meaning.code}: expected a day such as 2024-05-31; found {text!r}") from None


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
    flags = pc.match_substring_regex(values, _NUMBER).fill_null(False)
    numbers = pc.if_else(flags, pc.utf8_trim_whitespace(values), None).cast(pa.float64())
    if days is not None:
        is_day = pc.match_substring_regex(days, _DAY).fill_null(False)
        days = pc.if_else(is_day, pc.utf8_slice_codeunits(days, 0, 10), None)
    in_order = sorted(range(len(entries)), key=lambda place: entries[place].last is None)
    for place in in_order:
        meaning = entries[place]
        if meaning.last is None:
            hit = pc.equal(values, meaning.code)
        else:
            hit = pc.and_(
                pc.greater_equal(numbers, float(meaning.code)), pc.less_equal(numbers, float(meaning.last))
            )
        if meaning.since or meaning.until:
            if days is None:
                continue
            hit = pc.and_(hit, days.is_valid())
            if meaning.since:
                hit = pc.and_(hit, pc.greater_equal(days, meaning.since))
            if meaning.until:
                hit = pc.and_(hit, pc.less_equal(days, meaning.until))
        places[hit.fill_null(False).to_numpy(zero_copy_only=False)] = place
    return places
