"""The distinct values of several columns together, with what is asked of them again and again."""

from __future__ import annotations

from collections.abc import Sequence
from functools import cached_property

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from igual.column import TEXT, Column, Counts, Mask, to_mask
from igual.pieces import in_pieces
from igual.text.arrays import has_pattern
from igual.text.blanks import LIKE_MISSING, is_blank
from igual.text.folding import casefold, trimmed
from igual.text.packed import Bytes, Packed, count_marked, is_between, unpack

_NUMBER = r"^[+\-−]?(\d{1,3}([.,' ]\d{3})+|\d+)([.,]\d+)?\s?%?$"
_LONGEST_LIKE_MISSING = max(map(len, LIKE_MISSING)) * 4
# The bytes of ASCII characters that can be seen.
_SHOWN = frozenset(range(ord("!"), ord("~") + 1))
_SIGNS_OF_NUMBERS = np.frombuffer(b"+-0123456789", np.uint8)


class ManyColumns:
    """The distinct values of several columns one behind another, so that each is looked at by the same few calls.

    Args:
        columns: The columns.
    """

    def __init__(self, columns: Sequence[Column]) -> None:
        self.columns = columns
        self.values = pa.concat_arrays([column.values for column in columns])
        self.counts = np.concatenate([column.counts for column in columns])
        sizes = [len(column.values) for column in columns]
        self.edges = np.concatenate([[0], np.cumsum(sizes)])
        self.owners = np.repeat(np.arange(len(columns)), sizes)

    @cached_property
    def blank(self) -> Mask:
        """Which values are missing or blank, (values,)."""
        return is_blank(self.values)

    @cached_property
    def packed(self) -> Packed:
        """The bytes of the values."""
        return unpack(self.values)

    @cached_property
    def trimmed(self) -> pa.Array:
        """The values without spaces at their ends, (values,)."""
        return self.values if self.signs <= _SHOWN else trimmed(self.values)

    @cached_property
    def first_bytes(self) -> Bytes:
        """The first byte of each value, of an empty one any, (values,)."""
        return _bytes_at(self.packed, last=False)

    @cached_property
    def last_bytes(self) -> Bytes:
        """The last byte of each value, of an empty one any, (values,)."""
        return _bytes_at(self.packed, last=True)

    @cached_property
    def first_trimmed(self) -> Bytes:
        """The first byte of each value, spaces aside, (values,)."""
        return _bytes_at(unpack(self.trimmed), last=False)

    @cached_property
    def begins_like_number(self) -> Mask:
        """Which values begin with a digit or a sign, spaces aside, and perhaps some more, (values,)."""
        first = self.first_trimmed
        begins: Mask = np.isin(first, _SIGNS_OF_NUMBERS) | (first > ord("~"))
        return begins

    @cached_property
    def ends_in_digit(self) -> Mask:
        """Which values end in a digit, spaces aside, (values,)."""
        return is_between(_bytes_at(unpack(self.trimmed), last=True), "0", "9")

    @cached_property
    def is_digits(self) -> Mask:
        """Which values are nothing but digits, (values,)."""
        lengths = np.diff(self.packed.offsets)
        digits = count_marked(is_between(self.packed.data, "0", "9"), self.packed)
        is_digits: Mask = (digits == lengths) & (lengths > 0)
        return is_digits

    @cached_property
    def is_number(self) -> Mask:
        """Which values are numbers, (values,)."""
        maybe = self.begins_like_number & ~self.is_digits
        return self.is_digits | self.has_where(maybe, self.trimmed, _NUMBER)

    @cached_property
    def is_other_text(self) -> Mask:
        """Which values are other texts: neither numbers nor blank, nor written for a missing value, (values,)."""
        return ~self.is_number & ~self.blank & ~self.is_like_missing

    @cached_property
    def is_like_missing(self) -> Mask:
        """Which values are what people write for a missing one, (values,)."""
        mask = np.zeros(len(self.values), np.bool_)
        short = (
            to_mask(pc.less_equal(pc.binary_length(self.trimmed), _LONGEST_LIKE_MISSING)) & ~self.is_digits
        )
        some = casefold(self.trimmed.filter(pa.array(short)))
        mask[short] = to_mask(pc.is_in(some, pa.array(LIKE_MISSING, TEXT)))
        return mask

    @cached_property
    def signs(self) -> frozenset[int]:
        """The bytes that occur in the values: most oddities need some that most columns don't have."""

        def see(start: int, size: int) -> Mask:
            seen = np.zeros(256, np.bool_)
            seen[unpack(self.values.slice(start, size)).data] = True
            return seen

        return frozenset(np.flatnonzero(np.logical_or.reduce(in_pieces(self.values, see))).tolist())

    def has_where(self, maybe: Mask, values: pa.Array, pattern: str) -> Mask:
        """Find values that a pattern occurs in.

        Args:
            maybe: Which ones may have it, (values,).
            values: The values, or what was made of them, (values,).
            pattern: The pattern.

        Returns:
            Which ones have it, (values,).
        """
        mask = maybe.copy()
        mask[maybe] = has_pattern(values if maybe.all() else values.filter(pa.array(maybe)), pattern)
        return mask

    def sum_rows(self, mask: Mask) -> Counts:
        """How many rows of each column have the marked values, (columns,)."""
        some = np.flatnonzero(mask)
        return np.bincount(self.owners[some], self.counts[some], len(self.columns)).astype(np.int64)

    def list_owners(self, mask: Mask) -> list[int]:
        """The columns that have a marked value."""
        return np.flatnonzero(np.bincount(self.owners[mask], minlength=len(self.columns))).tolist()

    def slice_of(self, owner: int) -> slice:
        """Where the values of a column stand."""
        return slice(int(self.edges[owner]), int(self.edges[owner + 1]))


def _bytes_at(packed: Packed, *, last: bool) -> Bytes:
    places = packed.offsets[1:] - 1 if last else packed.offsets[:-1]
    if not len(packed.data):
        return np.zeros(len(places), np.uint8)
    return packed.data.take(places, mode="clip")
