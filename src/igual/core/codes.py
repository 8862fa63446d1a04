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

from igual.core.errors import ListError

_NUMBER = r"^\s*[+-]?\d+(\.\d+)?\s*$"
_DAY = r"^\d{4}-\d\d-\d\d"


class Coded(NamedTuple):
    """What a code means, or a range of codes, perhaps only for some time.

    code: the code, or the first of a range of numbers. last: the last of the range, itself in it; None: one code.
    since, until: the first and the last day on which it means that, such as 2024-05-31; None: no limit.
    """

    code: str
    label: str
    last: str | None = None
    since: str | None = None
    until: str | None = None

    def said(self) -> str:
        codes = self.code if self.last is None else f"{self.code} to {self.last}"
        times = [f"from {self.since}" if self.since else "", f"until {self.until}" if self.until else ""]
        return " ".join([codes, *filter(None, times)])


def checked(entries: Sequence[Coded]) -> None:
    """Raise ListError for bounds that aren't numbers or days, and for codes that mean two things on one day."""
    for one in entries:
        if one.last is not None and not _number(one.code) <= _number(one.last):
            raise ListError(f"codes {one.code} to {one.last}: the last comes before the first")
        for day in (one.since, one.until):
            if day is not None:
                _day(day, one)
        if one.since and one.until and one.since > one.until:
            raise ListError(
                f"code {one.code}: it is valid from {one.since} until {one.until}, which is before"
            )
    singles: dict[str, list[Coded]] = {}
    for one in entries:
        singles.setdefault(one.code if one.last is None else "", []).append(one)
    ranges = singles.pop("", [])
    for same in singles.values():
        _refuse_overlap(same)
    for place, one in enumerate(ranges):
        for other in ranges[:place]:
            if _number(one.code) <= _number(other.last or "") and _number(other.code) <= _number(
                one.last or ""
            ):
                _refuse_overlap((one, other))


def _refuse_overlap(entries: Sequence[Coded]) -> None:
    for one, other in itertools.combinations(entries, 2):
        if (
            one.label != other.label
            and (one.until or "9999") >= (other.since or "")
            and (other.until or "9999") >= (one.since or "")
        ):
            raise ListError(f"code {one.said()} means {one.label!r} and {other.label!r} ({other.said()})")


def _number(text: str) -> float:
    try:
        return float(text)
    except ValueError:
        raise ListError(f"a range of codes takes numbers; found {text!r}") from None


def _day(text: str, one: Coded) -> None:
    try:
        date.fromisoformat(text)
    except ValueError:
        raise ListError(f"code {one.code}: a day such as 2024-05-31 is wanted; found {text!r}") from None


def meant(values: pa.Array, days: pa.Array | None, entries: Sequence[Coded]) -> npt.NDArray[np.int64]:
    """The place of the entry that each value means on its day, (values,); -1 for none.

    days: texts that start like 2024-05-31, (values,); those that don't are no day. None: no days are known, and only
    entries without limits count. One code comes before a range.
    """
    found = np.full(len(values), -1, np.int64)
    flags = pc.match_substring_regex(values, _NUMBER).fill_null(False)
    numbers = pc.if_else(flags, pc.utf8_trim_whitespace(values), None).cast(pa.float64())
    if days is not None:
        is_day = pc.match_substring_regex(days, _DAY).fill_null(False)
        days = pc.if_else(is_day, pc.utf8_slice_codeunits(days, 0, 10), None)
    in_order = sorted(range(len(entries)), key=lambda place: entries[place].last is None)
    for place in in_order:
        one = entries[place]
        if one.last is None:
            hit = pc.equal(values, one.code)
        else:
            hit = pc.and_(pc.greater_equal(numbers, float(one.code)), pc.less_equal(numbers, float(one.last)))
        if one.since or one.until:
            if days is None:
                continue
            hit = pc.and_(hit, days.is_valid())
            if one.since:
                hit = pc.and_(hit, pc.greater_equal(days, one.since))
            if one.until:
                hit = pc.and_(hit, pc.less_equal(days, one.until))
        found[hit.fill_null(False).to_numpy(zero_copy_only=False)] = place
    return found
