"""Spaces of all kinds: at the ends, in runs, odd ones, and line breaks."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from igual.column import Mask
from igual.text.arrays import changed_where, has_pattern
from igual.text.characters import JOINERS, LINE_BREAKS, ODD_SPACES, TAB, ZERO_WIDTH
from igual.text.packed import (
    ByteKinds,
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
# Scripts that are written without spaces between words, with their punctuation.
_UNSPACED = (
    r"\p{Han}\p{Hiragana}\p{Katakana}\p{Thai}\p{Lao}\p{Khmer}\p{Myanmar}\x{3000}-\x{303f}\x{ff00}-\x{ffef}ー"
)

_TRIMS = {"both": pc.utf8_trim, "left": pc.utf8_ltrim, "right": pc.utf8_rtrim}
_FIRST_SHOWN = 0x20
_JOINER_BYTES = 3
_BREAKS_BEYOND = "".join(sign for sign in LINE_BREAKS if not sign.isascii())
_IS_BREAK = ByteKinds(np.array([byte < 0x80 and chr(byte) in LINE_BREAKS for byte in range(256)]))


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

    @property
    def evens_all(self) -> bool:
        """Whether no two spaces are left beside each other, nor one at an end."""
        return self.ends == "both" and self.inner == "one" and self.nth is None


def respaced(values: pa.Array, words: SpacingSettings) -> pa.Array:
    """Texts with their spacing put right."""
    packed = unpack(values)
    if not packed.is_ascii:
        odd = has_pattern(values, f"[{_ODD}{_NO_WIDTH}{''.join(JOINERS)}{_BREAKS_BEYOND}]")
        values = changed_where(values, odd, lambda some: _without_odd(some, words))
        packed = unpack(values)
    if len(packed.data) and packed.data.min() < _FIRST_SHOWN:
        values = pack(_without_controls(packed, words), values)
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
            _without_stray_joiners,
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


def _without_stray_joiners(values: pa.Array) -> pa.Array:
    """Texts with joiners only where they are meant: between letters of scripts that join, or in emoji.

    They never are beside ASCII, nor at an end.
    """
    packed = unpack(values)
    found = [np.flatnonzero(mark_character(packed.data, joiner))[::_JOINER_BYTES] for joiner in JOINERS]
    starts = np.sort(np.concatenate(found))
    stops = starts + _JOINER_BYTES
    owners = packed.texts_at(starts)
    is_end = (starts == packed.offsets[owners]) | (stops == packed.offsets[owners + 1])
    beside = packed.data.take(starts - 1, mode="clip"), packed.data.take(stops, mode="clip")
    is_stray = is_end | (np.minimum(*beside) < 0x80)
    return pack(cut_out(packed, starts[is_stray], stops[is_stray]), values)


def _without_controls(packed: Packed, words: SpacingSettings) -> Packed:
    """Texts whose tabs and breaks, as far as they are ASCII, have become what they are to be."""
    data = packed.data
    tabs = data == ord(TAB)
    if words.tabs != "keep" and tabs.any():
        if words.tabs == "space":
            packed = packed._replace(data=np.where(tabs, np.uint8(ord(" ")), data))
        else:
            packed = keep_bytes(packed, ~tabs)
        data = packed.data
    is_break = _IS_BREAK.mark(data)
    if words.breaks == "space" and words.evens_all:
        return packed._replace(data=np.where(is_break, np.uint8(ord(" ")), data))
    breaks = np.flatnonzero(is_break)
    if words.breaks == "keep" or not len(breaks):
        return packed
    # A break and the spaces round it are one gap.
    is_gap = data == ord(" ")
    is_gap[breaks] = True
    runs = find_runs(is_gap, packed)
    broken = np.unique(np.searchsorted(runs.starts, breaks, "right") - 1)
    starts, stops = runs.starts[broken], runs.stops[broken]
    if words.breaks == "space":
        data = data.copy()
        data[starts] = ord(" ")
        starts = starts + 1
    return cut_out(packed._replace(data=data), starts, stops)


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
