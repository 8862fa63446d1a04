"""Spaces of all kinds: at the ends, in runs, odd ones, and line breaks."""

from __future__ import annotations

import re
from dataclasses import dataclass
from typing import Literal

import pyarrow as pa
import pyarrow.compute as pc

from igual.text.arrays import changed_where, each, has_pattern
from igual.text.characters import JOINERS, LINE_BREAKS, ODD_SPACES, TAB, ZERO_WIDTH

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
    """Texts with their spacing put right. Only those that need it are touched: most pass a single scan."""
    other = re.escape(words.also)
    dirty = has_pattern(values, f"  |^[ {other}]|[ {other}]$|[\\x00-\\x1f{other}]|[^\\x00-\\x7f]")
    if words.inner == "none":
        dirty |= has_pattern(values, " ")
    return changed_where(values, dirty, lambda some: _respaced(some, words))


def _respaced(values: pa.Array, words: SpacingSettings) -> pa.Array:
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
    if words.between_unspaced == "remove":
        # Twice, since a character between two spaces belongs to both places.
        for _ in range(2):
            values = _swapped(values, f"([{_UNSPACED}]) +([{_UNSPACED}])", r"\1\2")
    # All that acts as spacing goes from the ends at once: behind the last separator there may be a space.
    if words.ends in ("both", "left"):
        values = pc.utf8_ltrim(values, characters=" " + words.also)
    if words.ends in ("both", "right"):
        values = pc.utf8_rtrim(values, characters=" " + words.also)
    if words.inner != "keep":
        for spacing in [" ", *words.also]:
            values = _evened(values, spacing, words)
    return values


def _evened(values: pa.Array, spacing: str, words: SpacingSettings) -> pa.Array:
    """Inner runs of one spacing character."""
    char = re.escape(spacing)
    given = spacing if words.inner == "one" else ""
    if words.nth is not None:
        return _nth_gap(values, char, given, words)
    run = f"{char}{{2,}}" if words.inner == "one" else f"{char}+"
    if words.ends == "both":
        return _swapped(values, run, given)
    # Runs at an end that is to be kept are not inner runs.
    pattern = re.compile(f"(?<=[^{char}]){run}(?=[^{char}])")
    return changed_where(
        values,
        has_pattern(values, f"[^{char}]{run}[^{char}]"),
        lambda some: each(some, lambda text: pattern.sub(given, text)),
    )


def _nth_gap(values: pa.Array, char: str, given: str, words: SpacingSettings) -> pa.Array:
    """Only the n-th gap between words, or between groups of words that single spaces hold together."""
    word = f"[^{char}]+"
    group, gap = (
        (f"(?:{word}{char})*{word}", f"{char}{{2,}}") if words.gaps == "double" else (word, f"{char}+")
    )
    before = f"^({char}*(?:{group}{gap}){{{(words.nth or 1) - 1}}}{group})"
    return _swapped(values, f"{before}{gap}([^{char}])", rf"\1{given}\2")


def _swapped(values: pa.Array, pattern: str, replacement: str) -> pa.Array:
    return changed_where(
        values,
        has_pattern(values, pattern),
        lambda some: pc.replace_substring_regex(some, pattern=pattern, replacement=replacement),
    )
