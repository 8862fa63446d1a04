"""Parts of texts: by position, between separators, by pattern, by what a piece is like."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, NamedTuple

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from igual.column import TEXT, Mask, to_mask
from igual.text.packed import Offsets, Packed, find_runs, mark, slices, unpack


class Cut(NamedTuple):
    """Parts, and which texts didn't have them."""

    values: pa.Array
    without: Mask


def overlaid(values: pa.Array, start: int, length: int, text: str, *, same_length: bool = False) -> Cut:
    """Write `text` over `length` characters from `start` (from 1; from the end when negative).

    Texts that end before `start` are left as they are.

    Args:
        values: Texts, (values,).
        start: The first character to write over.
        length: How many characters to write over.
        text: What is written there.
        same_length: Cut what is written where a text has fewer characters to write over.
    """
    reach = start if start > 0 else -start
    lengths = pc.utf8_length(values).fill_null(reach)
    short = to_mask(pc.less(lengths, reach))
    first = start - 1 if start > 0 else start
    last = first + length
    stop = 1 << 30 if start < 0 and last >= 0 else last
    if not same_length or start < 0:
        given = text[:reach] if same_length else text
        new = pc.utf8_replace_slice(values, start=first, stop=stop, replacement=given)
    else:
        room = pc.max_element_wise(pc.min_element_wise(pc.subtract(lengths, first), len(text)), 0)
        rooms = room.dictionary_encode()
        fitting = pa.array([text[:size] for size in rooms.dictionary.to_pylist()], values.type)
        head, tail = (pc.utf8_slice_codeunits(values, *ends) for ends in ((0, first), (stop, None)))
        between = pa.scalar("", values.type)
        new = pc.binary_join_element_wise(head, fitting.take(rooms.indices), tail, between)
    return Cut(pc.if_else(pa.array(short), values, new), short)


def nth_part(values: pa.Array, separator: str, nth: int) -> Cut:
    """The n-th part between separators, from 1, or from the end when negative; '' where there is none."""
    parts = pc.split_pattern(values, pattern=separator)
    return _take_part(values, parts, nth - 1 if nth > 0 else nth)


def _take_part(values: pa.Array, parts: pa.Array, place: int) -> Cut:
    """From lists of texts the one at a place; '' where a list is too short, missing where it is missing."""
    sizes = pc.list_value_length(parts).fill_null(0).to_numpy(zero_copy_only=False)
    starts = np.cumsum(sizes) - sizes
    has = (sizes > place) if place >= 0 else (sizes >= -place)
    chosen = np.where(has, starts + (place if place >= 0 else sizes + place), 0)
    taken = parts.flatten().take(pa.array(chosen, mask=~has)).fill_null("")
    present = to_mask(values.is_valid())
    return Cut(pc.if_else(pa.array(present), taken, pa.scalar(None, TEXT)), ~has & present)


def all_parts(values: pa.Array, separator: str, count: int) -> tuple[list[pa.Array], Mask]:
    """The first parts, as many as `count`; and which texts have more.

    What texts of fewer lack is ''; what others have too much stays together in the last part, so that nothing is lost.
    """
    parts = pc.split_pattern(values, pattern=separator, max_splits=count - 1)
    everything = pc.list_value_length(pc.split_pattern(values, pattern=separator)).fill_null(count)
    has_more = to_mask(pc.greater(everything, count))
    return [_take_part(values, parts, place).values for place in range(count)], has_more


def nth_piece(values: pa.Array, between: bytes, is_meant: Callable[[pa.Array], Mask], nth: int) -> Cut:
    """The n-th of the pieces that pass a test, from 1, or from the end when negative; missing where none does.

    Args:
        values: Texts, (values,).
        between: Characters of ASCII; one or more of them part two pieces.
        is_meant: Which of some distinct pieces pass.
        nth: Which place is meant, from 1, or from the end when negative.
    """
    pieces, sizes = _cut_between(unpack(values), between)
    encoded = pieces.dictionary_encode()
    passing = is_meant(encoded.dictionary.cast(TEXT))
    codes = encoded.indices.to_numpy(zero_copy_only=False)
    hits = np.flatnonzero(passing[codes]) if len(codes) else np.zeros(0, np.int64)
    owner = np.repeat(np.arange(len(values)), sizes)[hits]
    counts: np.ndarray[Any, np.dtype[np.int64]] = np.bincount(owner, minlength=len(values))
    present = to_mask(values.is_valid())
    has = (counts >= abs(nth)) & present
    starts = np.cumsum(counts) - counts
    place = starts + (nth - 1 if nth > 0 else counts + nth)
    chosen = hits[np.where(has, place, 0)] if len(hits) else np.zeros(len(values), np.int64)
    taken = pieces.take(pa.array(chosen, mask=~has))
    return Cut(taken, ~has & present)


def _cut_between(packed: Packed, between: bytes) -> tuple[pa.Array, Offsets]:
    """The pieces of all texts, also empty ones at their ends, and how many pieces each text has, (texts,)."""
    parts = np.zeros(256, np.bool_)
    parts[list(between)] = True
    runs = find_runs(parts.take(packed.data), packed)
    count = len(packed.offsets) - 1
    # Each text has a piece more than places where it is parted.
    first = np.searchsorted(runs.starts, packed.offsets) + np.arange(count + 1)
    is_first, is_last = mark(first[-1], first[:-1]), mark(first[-1], first[1:] - 1)
    starts, stops = np.empty((2, first[-1]), np.int64)
    starts[is_first], starts[~is_first] = packed.offsets[:-1], runs.stops
    stops[is_last], stops[~is_last] = packed.offsets[1:], runs.starts
    return slices(packed, starts, stops), np.diff(first)


def padded(values: pa.Array, width: int, fill: str, at_start: bool) -> pa.Array:
    """Texts filled up to a width with a character; empty ones stay empty."""
    pad = pc.utf8_lpad if at_start else pc.utf8_rpad
    return pc.if_else(pc.equal(values, ""), values, pad(values, width, padding=fill))
