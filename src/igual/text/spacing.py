"""Spaces of all kinds: at the ends, in runs, odd ones, and line breaks."""

from __future__ import annotations

import re
from dataclasses import dataclass
from typing import Literal

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from igual.column import Mask
from igual.text.arrays import changed_where, each, has_pattern
from igual.text.characters import JOINERS, LINE_BREAKS, ODD_SPACES, TAB, ZERO_WIDTH
from igual.text.packed import (
    Offsets,
    Packed,
    Runs,
    before,
    cut_out,
    find_runs,
    keep_bytes,
    mark,
    mark_character,
    pack,
    unpack,
)

Ends = Literal["both", "left", "right", "keep"]
Inner = Literal["one", "none", "keep"]
Become = Literal["space", "remove", "keep"]

_ODD = "".join(ODD_SPACES)
_NO_WIDTH = "".join(ZERO_WIDTH)
# A joiner is meant only between letters of scripts that join, or in emoji: never beside ASCII or at an end.
_STRAY_JOINER = re.compile("(?:(?<![^\x00-\x7f])[\u200c\u200d])|(?:[\u200c\u200d](?![^\x00-\x7f]))")
# Scripts that are written without spaces between words, with their punctuation.
_UNSPACED = (
    r"\p{Han}\p{Hiragana}\p{Katakana}\p{Thai}\p{Lao}\p{Khmer}\p{Myanmar}\x{3000}-\x{303f}\x{ff00}-\x{ffef}ー"
)

_TRIMS = {"both": pc.utf8_trim, "left": pc.utf8_ltrim, "right": pc.utf8_rtrim}
# Bytes that are neither control characters nor parts of characters beyond ASCII.
_PRINTABLE = (0x20, 0x7E)


@dataclass(frozen=True)
class SpacingSettings:
    """What is to become of which spaces; see `igual.rules.Spacing`."""

    ends: Ends = "both"
    inner: Inner = "one"
    breaks: Become = "space"
    tabs: Become = "space"
    odd: Become = "space"
    zero_width: Literal["remove", "keep"] = "remove"
    between_unspaced: Literal["keep", "remove"] = "keep"
    also: str = ""
    nth: int | None = None
    gaps: Literal["all", "double"] = "all"


def respaced(values: pa.Array, words: SpacingSettings) -> pa.Array:
    """Texts with their spacing put right."""
    data = unpack(values).data
    if len(data) and (data.min() < _PRINTABLE[0] or data.max() > _PRINTABLE[1]):
        odd = has_pattern(values, f"[\\x00-\\x1f{_ODD}{_NO_WIDTH}{''.join(JOINERS)}{LINE_BREAKS}]")
        values = changed_where(values, odd, lambda some: _without_odd(some, words))
    if words.between_unspaced == "remove" and not unpack(values).is_ascii:
        # Twice, since a character between two spaces belongs to both places.
        for _ in range(2):
            values = _swapped(values, f"([{_UNSPACED}]) +([{_UNSPACED}])", r"\1\2")
    # All that acts as spacing goes from the ends at once: behind the last separator there may be a space.
    if words.ends != "keep":
        values = _TRIMS[words.ends](values, characters=" " + words.also)
    if words.inner == "keep":
        return values
    packed = unpack(values)
    for character in " " + words.also:
        packed = _evened(packed, character, words)
    return pack(packed, values)


def _without_odd(values: pa.Array, words: SpacingSettings) -> pa.Array:
    """Texts whose tabs, breaks, odd spaces and characters without width have become what they are to be."""
    if words.zero_width == "remove":
        values = changed_where(
            values,
            has_pattern(values, f"[{''.join(JOINERS)}]"),
            lambda some: each(some, lambda text: _STRAY_JOINER.sub("", text)),
        )
        values = _swapped(values, f"[{_NO_WIDTH}]+", "")
    for characters, become in ((TAB, words.tabs), (_ODD, words.odd)):
        if become != "keep":
            values = _swapped(values, f"[{characters}]", " " if become == "space" else "")
    if words.breaks != "keep":
        # A break and the spaces round it are one gap.
        gap = " " if words.breaks == "space" else ""
        values = _swapped(values, f" *[{LINE_BREAKS}][ {LINE_BREAKS}]*", gap)
    return values


def _evened(packed: Packed, character: str, words: SpacingSettings) -> Packed:
    """Texts whose inner runs of a spacing character have become one, or none."""
    marks = mark_character(packed.data, character)
    width = len(character.encode())
    if words.ends == "both" and words.nth is None and width == 1:
        # No run is left at an end: all but the first of each goes, or all of it.
        return keep_bytes(packed, ~(marks & before(marks, packed) if words.inner == "one" else marks))
    runs = find_runs(marks, packed)
    size = len(packed.data)
    at_start = mark(size + 1, packed.offsets[:-1])[runs.starts]
    at_end = mark(size + 1, packed.offsets[1:])[runs.stops]
    # Runs at an end that is to be kept are not inner runs.
    is_cut = ~at_start & ~at_end
    if words.nth is not None:
        is_cut = _is_nth(runs, is_cut, packed, words, width)
    kept = width if words.inner == "one" else 0
    is_cut &= runs.stops - runs.starts > kept
    return cut_out(packed, (runs.starts + kept)[is_cut], runs.stops[is_cut])


def _is_nth(runs: Runs, inside: Mask, packed: Packed, words: SpacingSettings, width: int) -> Mask:
    """Which runs are the n-th gap between words, or between groups of words that single spaces hold together."""
    is_gap = inside & (runs.stops - runs.starts >= width * (2 if words.gaps == "double" else 1))
    earlier: Offsets = np.cumsum(is_gap) - is_gap
    first = np.searchsorted(runs.starts, packed.offsets)
    # How many gaps stand before each text, and before each run of the same text.
    elsewhere = np.repeat(np.append(earlier, is_gap.sum())[first[:-1]], np.diff(first))
    is_nth: Mask = is_gap & (earlier - elsewhere == (words.nth or 1) - 1)
    return is_nth


def _swapped(values: pa.Array, pattern: str, replacement: str) -> pa.Array:
    return changed_where(
        values,
        has_pattern(values, pattern),
        lambda some: pc.replace_substring_regex(some, pattern=pattern, replacement=replacement),
    )
