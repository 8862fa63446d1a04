"""The picture of a column: how its spellings flow together, as lengths that a template draws."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import NamedTuple

from igual.report.pages.parts import Flow, Pool, Ribbon
from igual.report.wording import format_count, quote_value
from igual.text.characters import visible

# A picture has so many clean values, each with so many spellings; the others are counted.
_MOST_POOLS, _MOST_SPELLINGS = 10, 8
_PITCH, _GAP, _MARGIN = 24.0, 16.0, 14.0
# The commonest spelling is so thick, the rarest no less than that.
_THICKEST, _THINNEST = 20.0, 1.2
_LONGEST_LABEL = 34
# As the template draws it: where labels end at the left, and clean values begin; a letter is at most so wide.
_LABELS_END, _CLEAN_BEGINS, _PER_LETTER = 270.0, 472.0, 9.5


class Spelling(NamedTuple):
    """A raw value and what became of it.

    Attributes:
        raw: The raw value.
        clean: What it became.
        rows: How many rows have it.
        how: By which rules, and why, in words.
        is_due: Whether it waits for somebody.
    """

    raw: str | None
    clean: str | None
    rows: int
    how: str
    is_due: bool


def shorten(text: str | None, most: int = _LONGEST_LABEL) -> str:
    """Draw a text and cut it in its middle, so that it fits as a label.

    Args:
        text: The text.
        most: How many characters it may have.

    Returns:
        The label.

    Example:
        >>> shorten("a very long name of a harbour", 15)
        'a very …harbour'
    """
    # Enough of either end is drawn, however long the text is.
    if text is not None and len(text) > 4 * most:
        text = f"{text[:most]}…{text[-most:]}"
    drawn = visible(text, every_space=False)
    if len(drawn) <= most:
        return drawn
    half = (most - 1) // 2
    return f"{drawn[:half]}…{drawn[-half:]}"


def draw_flow(column: str, spellings: Sequence[Spelling], *, is_open: bool) -> Flow | None:
    """Lay out the picture of a column.

    Args:
        column: The column.
        spellings: Its values.
        is_open: Whether it is unfolded from the beginning.

    Returns:
        The picture; None where nothing changed and nothing is due.
    """
    by_clean: dict[str | None, list[Spelling]] = {}
    for one in spellings:
        by_clean.setdefault(one.clean, []).append(one)
    flowing = [some for some in by_clean.values() if any(one.raw != one.clean or one.is_due for one in some)]
    if not flowing:
        return None
    flowing.sort(key=lambda some: (-len(some), -sum(one.rows for one in some), some[0].clean or ""))
    drawn = [_choose(some) for some in flowing[:_MOST_POOLS]]
    thickest = max(one.rows for some in drawn for one in some)
    top = _MARGIN
    pools = []
    for some in drawn:
        pools.append(_draw_pool(some, by_clean[some[0].clean], top, thickest))
        top += _PITCH * len(some) + _GAP
    merged = sum(len(some) for some in flowing)
    changed = sum(one.raw != one.clean for one in spellings)
    summary = (
        f"{format_count(len(by_clean), 'value')} from {format_count(len(spellings), 'spelling')}; "
        f"{format_count(changed, 'spelling')} changed"
    )
    undrawn, hidden = len(flowing) - len(drawn), merged - sum(len(some) for some in drawn)
    more = ""
    if hidden > 0:
        of = f" and {format_count(undrawn, 'clean value')}" if undrawn else ""
        more = f"Not drawn: {format_count(hidden, 'spelling')}{of}; the crosswalk has them."
    longest = max(len(ribbon.raw) for pool in pools for ribbon in pool.ribbons)
    left = _LABELS_END - _PER_LETTER * longest
    right = _CLEAN_BEGINS + max(_PER_LETTER * (len(pool.clean) + len(pool.rows) + 3) for pool in pools)
    return Flow(draw_name(column), summary, tuple(pools), left, right - left, top, more, is_open)


def draw_name(column: str) -> str:
    """The name of a column, with everything invisible drawn."""
    return visible(column, 60, every_space=False)


def _choose(some: Sequence[Spelling]) -> list[Spelling]:
    """Most rows first; what is already clean stands first of all."""
    return sorted(some, key=lambda one: (one.raw != one.clean, -one.rows, one.raw or ""))[:_MOST_SPELLINGS]


def _thickness(rows: int, thickest: int) -> float:
    return max(_THINNEST, _THICKEST * rows / max(thickest, 1))


def _draw_pool(some: Sequence[Spelling], whole: Sequence[Spelling], top: float, thickest: int) -> Pool:
    sizes = [_thickness(one.rows, thickest) for one in some]
    middle = top + _PITCH * len(some) / 2
    at = middle - math.fsum(sizes) / 2
    ribbons = []
    for place, (one, size) in enumerate(zip(some, sizes, strict=True)):
        centre = top + _PITCH * (place + 0.5)
        look = "due" if one.is_due else "same" if one.raw == one.clean else "changed"
        ribbons.append(
            Ribbon(
                shorten(one.raw),
                f"{one.rows:,}",
                centre - size / 2,
                centre + size / 2,
                at,
                at + size,
                look,
                _say(one),
            )
        )
        at += size
    bottom = at
    rows = sum(one.rows for one in whole)
    return Pool(shorten(some[0].clean), f"{rows:,}", bottom - math.fsum(sizes), bottom, tuple(ribbons))


def _say(one: Spelling) -> str:
    rows = format_count(one.rows, "row")
    if one.raw == one.clean:
        return f"{quote_value(one.raw)}, {rows}: as it was{'; ' + one.how if one.how else ''}"
    return f"{quote_value(one.raw)}, {rows}, became {quote_value(one.clean)}: {one.how}"
