"""Spaces of all kinds: at the ends, in runs, odd ones, and line breaks."""

from __future__ import annotations

import re
from typing import Literal

import pyarrow as pa
import pyarrow.compute as pc

from igual.core.text.arrays import changed_where, each, found
from igual.core.text.characters import JOINERS, LINE_BREAKS, ODD_SPACES, TAB, ZERO_WIDTH

Ends = Literal["both", "left", "right", "keep"]
Inner = Literal["one", "none", "keep"]
Breaks = Literal["space", "remove", "keep"]

_ODD = "".join(ODD_SPACES) + TAB
_NO_WIDTH = "".join(ZERO_WIDTH)
# A joiner is meant only between letters of scripts that join, or in emoji: never beside ASCII or at an end.
_STRAY_JOINER = re.compile("(?:(?<![^\x00-\x7f])[\u200c\u200d])|(?:[\u200c\u200d](?![^\x00-\x7f]))")


def respaced(values: pa.Array, ends: Ends, inner: Inner, breaks: Breaks, also: str) -> pa.Array:
    """Texts with their spacing put right; see `igual.rules.Spacing` for the settings.

    Only the texts that need it are touched: most pass a single scan.
    """
    other = re.escape(also)
    dirty = found(values, f"  |^[ {other}]|[ {other}]$|[\\x00-\\x1f{other}]|[^\\x00-\\x7f]")
    if inner == "none":
        dirty |= found(values, " ")
    return changed_where(values, dirty, lambda some: _respaced(some, ends, inner, breaks, also))


def _respaced(values: pa.Array, ends: Ends, inner: Inner, breaks: Breaks, also: str) -> pa.Array:
    values = changed_where(
        values,
        found(values, f"[{''.join(JOINERS)}]"),
        lambda some: each(some, lambda text: _STRAY_JOINER.sub("", text)),
    )
    values = _swapped(values, f"[{_NO_WIDTH}]+", "")
    values = _swapped(values, f"[{_ODD}]", " ")
    if breaks != "keep":
        # A break and the spaces round it are one gap.
        gap = " " if breaks == "space" else ""
        values = _swapped(values, f" *[{LINE_BREAKS}][ {LINE_BREAKS}]*", gap)
    for spacing in [" ", *also]:
        values = _evened(values, spacing, ends, inner)
    return values


def _evened(values: pa.Array, spacing: str, ends: Ends, inner: Inner) -> pa.Array:
    """Ends and inner runs of one spacing character."""
    char = re.escape(spacing)
    if ends in ("both", "left"):
        values = pc.utf8_ltrim(values, characters=spacing)
    if ends in ("both", "right"):
        values = pc.utf8_rtrim(values, characters=spacing)
    if inner == "keep":
        return values
    if ends == "both":
        return _swapped(
            values, f"{char}{{2,}}" if inner == "one" else f"{char}+", spacing if inner == "one" else ""
        )
    # Runs at an end that is to be kept are not inner runs.
    run = f"{char}{{2,}}" if inner == "one" else f"{char}+"
    pattern = re.compile(f"(?<=[^{char}]){run}(?=[^{char}])")
    return changed_where(
        values,
        found(values, f"[^{char}]{run}[^{char}]"),
        lambda some: each(some, lambda text: pattern.sub(spacing if inner == "one" else "", text)),
    )


def _swapped(values: pa.Array, pattern: str, replacement: str) -> pa.Array:
    return changed_where(
        values,
        found(values, pattern),
        lambda some: pc.replace_substring_regex(some, pattern=pattern, replacement=replacement),
    )
