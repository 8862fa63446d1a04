"""How a function runs over many texts: Arrow's kernels where they fit, Python on the few that need it."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from igual.column import TEXT, Mask, to_mask
from igual.errors import RulebookError
from igual.pieces import in_pieces
from igual.text.characters import visible
from igual.text.packed import Packed, slices, unpack

# No rule makes a value longer than this, in bytes: a value is something that people read.
LONGEST_TEXT = 1 << 20
# The distinct values that a rule makes are no more bytes together than this, or than so many times those it met.
LARGEST_COLUMN, MOST_TIMES = 1 << 25, 8
# Stands between texts that are worked on together; it is a letter of no script.
_BETWEEN = "\x1f"


def has_pattern(values: pa.Array, pattern: str) -> Mask:
    """Which values a pattern occurs in (RE2 syntax, linear time); missing never."""

    def work(start: int, size: int) -> Mask:
        return to_mask(pc.match_substring_regex(values.slice(start, size), pattern=pattern))

    has: Mask = np.concatenate(in_pieces(values, work))
    return has


def refuse_long_texts(lengths: pa.Array, values: pa.Array) -> None:
    """Raise RulebookError where a rule would make a value longer than people read, or a column far larger.

    Args:
        lengths: The lengths in bytes that the values would have, (values,).
        values: The values as they are now, (values,).
    """
    longest = pc.max(lengths).as_py() or 0
    if longest > LONGEST_TEXT and longest > (pc.max(pc.binary_length(values)).as_py() or 0):
        value = values[pc.index(lengths, longest).as_py()].as_py()
        raise RulebookError(
            f"it would make {visible(value, 40, every_space=False)!r} {longest:,} bytes long; "
            f"{LONGEST_TEXT:,} are allowed"
        )
    refuse_large_column(lengths, values)


def refuse_large_column(lengths: pa.Array, *made_of: pa.Array) -> None:
    """Raise RulebookError where rules would make far more of a column than there was.

    Args:
        lengths: The lengths in bytes that its values would have, (made,).
        *made_of: The values that they are made of, (values,) each.
    """
    whole = _add_up(lengths)
    if whole > LARGEST_COLUMN and whole > (allowed := count_allowed(*made_of)):
        raise RulebookError(f"it would make {whole:,} bytes of distinct values; {allowed:,} are allowed")


def count_allowed(*made_of: pa.Array) -> int:
    """How many bytes rules may make of distinct values, (values,) each, all of them together."""
    return max(LARGEST_COLUMN, MOST_TIMES * sum(_add_up(pc.binary_length(texts)) for texts in made_of))


def _add_up(lengths: pa.Array) -> int:
    return pc.sum(pc.cast(lengths, pa.int64())).as_py() or 0


def has_any(values: pa.Array, text: str) -> bool:
    """Whether a text occurs in any of the values."""
    return bool(pc.any(pc.match_substring(values, pattern=text)).as_py())


def changed_where(values: pa.Array, where: Mask, change: Callable[[pa.Array], pa.Array]) -> pa.Array:
    """Apply an array function to the values marked in `where`, leaving the others as they are."""
    if not where.any():
        return values
    if where.all():
        return change(values).cast(values.type)
    flags = pa.array(where)
    return pc.replace_with_mask(values, flags, change(values.filter(flags)).cast(values.type))


def as_it_is(values: pa.Array) -> pa.Array:
    """No change: the key under which only equal texts are equal."""
    return values


def each(values: pa.Array, one: Callable[[str], str]) -> pa.Array:
    """Apply a function of one text to every text. A Python loop: for the few that no kernel serves."""
    return pa.array([None if text is None else one(text) for text in values.to_pylist()], TEXT)


def together(values: pa.Array, change: Callable[[str], str]) -> pa.Array:
    """Apply a function to all texts in one call: one for which U+001F stands between texts and stays where it is.

    Changing case and Unicode's forms are such: what becomes of a character doesn't depend on any beyond that mark.
    """
    filled = values.cast(TEXT).fill_null("")
    whole = pa.LargeListArray.from_arrays(pa.array([0, len(values)], pa.int64()), filled)
    text = pc.binary_join(whole, pa.scalar(_BETWEEN, TEXT))[0].as_py()
    if not len(values) or text.count(_BETWEEN) != len(values) - 1:
        return each(values, change)
    data = np.frombuffer(change(text).encode(), np.uint8)
    edges = np.flatnonzero(data == ord(_BETWEEN))
    made = slices(Packed(data, edges), np.append(0, edges + 1), np.append(edges, len(data)))
    return pc.if_else(values.is_valid(), made, pa.scalar(None, TEXT)) if values.null_count else made


def put_where(
    base: pa.Array, where: Mask, source: pa.Array, change: Callable[[pa.Array], pa.Array]
) -> pa.Array:
    """`base`, with the texts marked in `where` made anew from `source` by a function of arrays."""
    if not where.any():
        return base
    flags = pa.array(where)
    return pc.replace_with_mask(base, flags, change(source.filter(flags)).cast(base.type))


def each_where(base: pa.Array, where: Mask, source: pa.Array, one: Callable[[str], str]) -> pa.Array:
    """`base`, with the texts marked in `where` made anew from `source` by a function of one text."""
    return put_where(base, where, source, lambda some: each(some, one))


def beyond_ascii(values: pa.Array) -> Mask:
    """Which texts have characters beyond plain ASCII; missing ones don't."""
    packed = unpack(values)
    if packed.is_ascii:
        return np.zeros(len(values), np.bool_)
    return ~to_mask(pc.string_is_ascii(values).fill_null(True))


def ascii_or(
    values: pa.Array, kernel: Callable[[pa.Array], pa.Array], change: Callable[[pa.Array], pa.Array]
) -> pa.Array:
    """Apply Arrow's `kernel` where a text is plain ASCII, and `change` to the others."""
    return put_where(kernel(values), beyond_ascii(values), values, change)


def differs(before: pa.Array, after: pa.Array) -> Mask:
    """Where two arrays of equal length hold different texts; missing equals missing."""
    if before is after or before.equals(after):
        return np.zeros(len(before), np.bool_)

    def work(start: int, size: int) -> Mask:
        one, other = before.slice(start, size), after.slice(start, size)
        unequal = pc.not_equal(one, other)
        if not unequal.null_count:
            return to_mask(unequal)
        return to_mask(pc.coalesce(unequal, pc.not_equal(one.is_null(), other.is_null())))

    differ: Mask = np.concatenate(in_pieces(before, work))
    return differ
