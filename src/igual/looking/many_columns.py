"""The distinct values of several columns together, with what is asked of them again and again."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from functools import cached_property
from typing import Any

import numpy as np
import numpy.typing as npt
import pyarrow as pa
import pyarrow.compute as pc

from igual.column import TEXT, Codes, Column, Counts, Mask, to_mask
from igual.pieces import in_pieces
from igual.text.arrays import has_pattern
from igual.text.blanks import LIKE_MISSING, is_blank
from igual.text.folding import casefold, trimmed
from igual.text.packed import Bytes, Packed, count_marked, find_bytes, is_between, unpack
from igual.threads import Made, lazy_property

_NUMBER = r"^[+\-−]?(\d{1,3}([.,' ]\d{3})+|\d+)([.,]\d+)?\s?%?$"
_LONGEST_LIKE_MISSING = max(map(len, LIKE_MISSING)) * 4


def _mark_bytes(some: Iterable[int]) -> Mask:
    """Some of all bytes, (256,)."""
    return np.isin(np.arange(256), list(some))


# The bytes of ASCII characters that can be seen.
_IS_SHOWN = _mark_bytes(range(ord("!"), ord("~") + 1))
_IS_DIGIT = _mark_bytes(b"0123456789")
# Letters beyond ASCII may be folded to ASCII ones.
_IS_BEYOND = _mark_bytes(range(ord("~") + 1, 256))
_MAY_BEGIN_NUMBER = _mark_bytes(b"+-0123456789") | _IS_BEYOND
_BEGINS_LIKE_MISSING, _ENDS_LIKE_MISSING = (
    _mark_bytes("".join(text[at] + text[at].upper() for text in LIKE_MISSING).encode()) | _IS_BEYOND
    for at in (0, -1)
)


class ValuePiece:
    """Some of the values, with what is asked of each again and again.

    Args:
        values: The values, (values,).
        where: Where they stand among all.
    """

    def __init__(self, values: pa.Array, where: slice) -> None:
        self.values, self.where = values, where

    @lazy_property
    def packed(self) -> Packed:
        """The bytes of the values."""
        return unpack(self.values)

    @lazy_property
    def signs(self) -> Mask:
        """Which bytes occur in them, (256,)."""
        return find_bytes(self.packed.data)

    @lazy_property
    def blank(self) -> Mask:
        """Which values are missing or blank."""
        return is_blank(self.values)

    @lazy_property
    def trimmed(self) -> pa.Array:
        """The values without spaces at their ends."""
        return trimmed(self.values) if (self.signs & ~_IS_SHOWN).any() else self.values

    @lazy_property
    def first_bytes(self) -> Bytes:
        """The first byte of each value, of an empty one any."""
        return _bytes_at(self.packed, last=False)

    @lazy_property
    def last_bytes(self) -> Bytes:
        """The last byte of each value, of an empty one any."""
        return _bytes_at(self.packed, last=True)

    @lazy_property
    def first_trimmed(self) -> Bytes:
        """The first byte of each value, spaces aside."""
        return (
            self.first_bytes if self.trimmed is self.values else _bytes_at(unpack(self.trimmed), last=False)
        )

    @lazy_property
    def last_trimmed(self) -> Bytes:
        """The last byte of each value, spaces aside, of an empty one any."""
        return self.last_bytes if self.trimmed is self.values else _bytes_at(unpack(self.trimmed), last=True)

    @lazy_property
    def begins_like_number(self) -> Mask:
        """Which values begin with a digit or a sign, spaces aside, and perhaps some more."""
        return _MAY_BEGIN_NUMBER[self.first_trimmed]

    @lazy_property
    def ends_in_digit(self) -> Mask:
        """Which values end in a digit, spaces aside."""
        return is_between(self.last_trimmed, "0", "9")

    @lazy_property
    def is_digits(self) -> Mask:
        """Which values are nothing but digits."""
        lengths = np.diff(self.packed.offsets)
        if not (self.signs & ~_IS_DIGIT).any():
            return lengths > 0
        digits = count_marked(is_between(self.packed.data, "0", "9"), self.packed)
        is_digits: Mask = (digits == lengths) & (lengths > 0)
        return is_digits

    @lazy_property
    def has_zero_in_front(self) -> Mask:
        """Which values are digits with a zero in front."""
        is_longer = np.diff(self.packed.offsets) > 1
        has_zero: Mask = self.is_digits & (self.first_bytes == ord("0")) & is_longer
        return has_zero

    @lazy_property
    def is_number(self) -> Mask:
        """Which values are numbers."""
        maybe = self.begins_like_number & ~self.is_digits
        return self.is_digits | self.has_where(maybe, _NUMBER)

    @lazy_property
    def is_other_text(self) -> Mask:
        """Which values are other texts: neither numbers nor blank, nor written for a missing value."""
        return ~self.is_number & ~self.blank & ~self.is_like_missing

    @lazy_property
    def is_like_missing(self) -> Mask:
        """Which values are what people write for a missing one."""
        mask = _BEGINS_LIKE_MISSING[self.first_trimmed] & _ENDS_LIKE_MISSING[self.last_trimmed]
        if mask.any():
            some = self.trimmed.filter(pa.array(mask))
            is_short = pc.less_equal(pc.binary_length(some), _LONGEST_LIKE_MISSING)
            mask[mask] = to_mask(is_short)
            some = casefold(some.filter(is_short))
            mask[mask] = to_mask(pc.is_in(some, pa.array(LIKE_MISSING, TEXT)))
        return mask

    def has_where(self, maybe: Mask, pattern: str) -> Mask:
        """Which values a pattern occurs in, spaces at their ends aside, if they may have it."""
        mask = maybe.copy()
        if maybe.any():
            some = self.trimmed if maybe.all() else self.trimmed.filter(pa.array(maybe))
            mask[maybe] = has_pattern(some, pattern)
        return mask


def _join(name: str) -> cached_property[Any]:
    """What the pieces have under a name, of all values."""
    return cached_property(lambda many: np.concatenate(many.ask(lambda piece: getattr(piece, name))))


class ManyColumns:
    """The distinct values of several columns one behind another, so that each is looked at by the same few calls.

    Args:
        columns: The columns.
    """

    # Of all values, (values,) each; see `ValuePiece`.
    blank: cached_property[Mask] = _join("blank")
    first_bytes: cached_property[Bytes] = _join("first_bytes")
    last_bytes: cached_property[Bytes] = _join("last_bytes")
    first_trimmed: cached_property[Bytes] = _join("first_trimmed")
    begins_like_number: cached_property[Mask] = _join("begins_like_number")
    ends_in_digit: cached_property[Mask] = _join("ends_in_digit")
    is_digits: cached_property[Mask] = _join("is_digits")
    has_zero_in_front: cached_property[Mask] = _join("has_zero_in_front")
    is_number: cached_property[Mask] = _join("is_number")
    is_other_text: cached_property[Mask] = _join("is_other_text")
    is_like_missing: cached_property[Mask] = _join("is_like_missing")

    def __init__(self, columns: Sequence[Column]) -> None:
        self.columns = columns
        self.values = pa.concat_arrays([column.values for column in columns])
        self.counts = np.concatenate([column.counts for column in columns])
        self._sizes = np.array([len(column.values) for column in columns], np.int64)
        self._edges = np.concatenate([[0], np.cumsum(self._sizes)])
        self._pieces: dict[int, ValuePiece] = {}

    def ask(self, question: Callable[[ValuePiece], Made]) -> list[Made]:
        """Ask the same of all values, a piece at a time.

        Args:
            question: Is asked of each piece.

        Returns:
            The answers, in order.
        """

        def work(start: int, size: int) -> Made:
            if start not in self._pieces:
                self._pieces[start] = ValuePiece(self.values.slice(start, size), slice(start, start + size))
            return question(self._pieces[start])

        return in_pieces(self.values, work)

    @cached_property
    def owners(self) -> Codes:
        """The column of each value, (values,)."""
        return np.repeat(np.arange(len(self.columns), dtype=np.int32), self._sizes)

    @cached_property
    def signs(self) -> frozenset[int]:
        """The bytes that occur in the values: most oddities need some that most columns don't have."""
        seen = np.logical_or.reduce(self.ask(lambda piece: piece.signs))
        return frozenset(np.flatnonzero(seen).tolist())

    def has_where(self, maybe: Mask, pattern: str) -> Mask:
        """Find values that a pattern occurs in, spaces at their ends aside.

        Args:
            maybe: Which ones may have it, (values,).
            pattern: The pattern.

        Returns:
            Which ones have it, (values,).
        """
        mask: Mask = np.concatenate(self.ask(lambda piece: piece.has_where(maybe[piece.where], pattern)))
        return mask

    def sum_rows(self, mask: Mask) -> Counts:
        """How many rows of each column have the marked values, (columns,)."""
        return self._reduce(np.add, self.counts * mask)

    def list_owners(self, mask: Mask) -> list[int]:
        """The columns that have a marked value."""
        return np.flatnonzero(self._reduce(np.logical_or, mask)).tolist()

    def _reduce(self, reduce: np.ufunc, values: npt.NDArray[Any]) -> npt.NDArray[Any]:
        reduced = np.zeros(len(self.columns), values.dtype)
        has_values = np.flatnonzero(self._sizes)
        if len(has_values):
            reduced[has_values] = reduce.reduceat(values, self._edges[has_values])
        return reduced

    def spread(self, of_columns: npt.NDArray[Any]) -> npt.NDArray[Any]:
        """Give each value what belongs to its column.

        Args:
            of_columns: What belongs to each column, (columns,).

        Returns:
            The same for each value, (values,).
        """
        return np.repeat(of_columns, self._sizes)

    def slice_of(self, owner: int) -> slice:
        """Where the values of a column stand."""
        return slice(int(self._edges[owner]), int(self._edges[owner + 1]))


def _bytes_at(packed: Packed, *, last: bool) -> Bytes:
    places = packed.offsets[1:] - 1 if last else packed.offsets[:-1]
    if not len(packed.data):
        return np.zeros(len(places), np.uint8)
    return packed.data.take(places, mode="clip")
