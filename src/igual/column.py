"""A categorical column as its distinct values, a code per row, and a row count per value."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from functools import cached_property

import numpy as np
import numpy.typing as npt
import pyarrow as pa

Codes = npt.NDArray[np.int32]
Counts = npt.NDArray[np.int64]
Mask = npt.NDArray[np.bool_]

TEXT = pa.large_string()
# Rows are written out in slices, so that no slice's bytes outgrow the 32-bit offsets of Arrow's `string`.
SLICE_ROWS = 1 << 22


@dataclass(frozen=True, eq=False)
class Column:
    """The distinct values of a column in order of first appearance, and where they stand.

    Attributes:
        values: Distinct texts, (distinct,), at most one of them null: the missing value.
        codes: For each row the position of its value in `values`, (rows,).
        weights: How many rows of a table each row stands for, (rows,), where these were counted elsewhere.
    """

    values: pa.Array
    codes: Codes
    weights: Counts | None = None

    @classmethod
    def from_arrow(cls, texts: pa.Array | pa.ChunkedArray) -> Column:
        """Encode Arrow texts; a dictionary-encoded array is used as it is.

        Example:
            >>> Column.from_arrow(pa.array(["oak", None, "oak"])).counts.tolist()
            [2, 1]
        """
        if isinstance(texts, pa.Array):
            texts = pa.chunked_array([texts])
        if pa.types.is_string_view(texts.type):
            # Arrow's kernels don't take it.
            texts = texts.cast(TEXT)
        if fresh := not pa.types.is_dictionary(texts.type):
            texts = texts.dictionary_encode(null_encoding="encode")
        elif texts.num_chunks > 1:
            texts = texts.unify_dictionaries()
        if texts.num_chunks == 0:
            return cls(pa.array([], TEXT), np.zeros(0, np.int32))
        values = texts.chunk(0).dictionary
        indices = [chunk.indices for chunk in texts.chunks]
        if any(part.null_count for part in indices):
            # A dictionary array may mark missing rows by a null index: give them a value of their own.
            missing = len(values)
            values = pa.concat_arrays([values, pa.nulls(1, values.type)])
            indices = [part.fill_null(missing) for part in indices]
        codes = np.concatenate([part.to_numpy(zero_copy_only=False) for part in indices])
        column = cls(values.cast(TEXT), codes.astype(np.int32, copy=False))
        # A dictionary made elsewhere may hold a text twice, or one that no row has.
        return column if fresh else cls.from_codes(column.values, column.codes)

    @classmethod
    def from_codes(cls, values: pa.Array, codes: Codes) -> Column:
        """Build a column from values that may repeat, or that no row has; both are put right."""
        encoded = values.dictionary_encode(null_encoding="encode")
        if len(encoded.dictionary) < len(values):
            codes = encoded.indices.to_numpy(zero_copy_only=False)[codes]
            values = encoded.dictionary
        column = cls(values, codes)
        if (unused := column.counts == 0).any():
            place = (np.cumsum(~unused) - 1).astype(np.int32)
            column = cls(values.filter(pa.array(~unused)), place[codes])
        return column

    @property
    def rows(self) -> int:
        """How many rows it has."""
        return len(self.codes)

    @cached_property
    def counts(self) -> Counts:
        """Rows per distinct value, (distinct,)."""
        if self.weights is not None:
            return count_rows(self.codes, self.weights, len(self.values))
        return np.bincount(self.codes, minlength=len(self.values)).astype(np.int64, copy=False)

    def decode(self, values: pa.Array, kind: pa.DataType = TEXT) -> pa.ChunkedArray:
        """Write out a value per row, for `values` that stand in the places of the distinct values.

        Args:
            values: New texts, (distinct,).
            kind: The Arrow type of the result, (rows,).
        """
        is_view = pa.types.is_string_view(kind)
        widest = values.cast(TEXT if is_view else kind)
        codes = pa.array(self.codes)
        slices = [widest.take(codes.slice(at, SLICE_ROWS)) for at in range(0, max(self.rows, 1), SLICE_ROWS)]
        decoded = pa.chunked_array(slices, widest.type)
        return decoded.cast(kind) if is_view else decoded


def find_lone_surrogate(texts: Iterable[str]) -> str | None:
    """Find a text with half of a character, which no encoding can write.

    Args:
        texts: The texts.

    Returns:
        The first such text, or None.

    Example:
        >>> find_lone_surrogate(["oak", "elm"]) is None
        True
    """
    known = list(texts)
    try:
        "".join(known).encode()
    except UnicodeEncodeError:
        return next((text for text in known if any("\ud800" <= sign <= "\udfff" for sign in text)), None)
    return None


def merge_equal(values: pa.Array) -> tuple[pa.Array, Codes | None]:
    """The distinct ones of `values`, and for each the place it now has (None: all were distinct)."""
    encoded = values.dictionary_encode(null_encoding="encode")
    if len(encoded.dictionary) == len(values):
        return values, None
    return encoded.dictionary, encoded.indices.to_numpy(zero_copy_only=False)


def count_rows(places: Codes, rows: Counts, length: int) -> Counts:
    """Add up `rows` by place, (length,). Exact up to 2**53 rows."""
    return np.bincount(places, weights=rows, minlength=length).astype(np.int64)


def to_mask(flags: pa.Array) -> Mask:
    """Arrow flags as NumPy's; null counts as no."""
    if flags.null_count:
        flags = flags.fill_null(False)
    mask: Mask = flags.to_numpy(zero_copy_only=False)
    return mask
