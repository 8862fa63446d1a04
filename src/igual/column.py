"""A categorical column as its distinct values, a code per row, and a row count per value."""

from __future__ import annotations

import itertools
from collections.abc import Iterable
from dataclasses import dataclass
from functools import cached_property

import numpy as np
import numpy.typing as npt
import pyarrow as pa
import pyarrow.compute as pc

from igual.distinct import encode_views, find_distinct, seem_repeated

Codes = npt.NDArray[np.int32]
Counts = npt.NDArray[np.int64]
Mask = npt.NDArray[np.bool_]

TEXT = pa.large_string()
# What the cells of a column were: texts, or cells of several kinds; `text/cells.py` has the others.
TEXTS, MIXED = "text", "mixed"
# Rows are written out in slices, so that no slice's bytes outgrow the 32-bit offsets of Arrow's `string`.
SLICE_ROWS = 1 << 22
_MOST_BYTES = 1 << 30
_PIECE = 1 << 16


@dataclass(frozen=True, eq=False)
class Column:
    """The distinct values of a column in order of first appearance, and where they stand.

    Attributes:
        values: Distinct texts, (distinct,), at most one of them null: the missing value.
        codes: For each row the position of its value in `values`, (rows,).
        weights: How many rows of a table each row stands for, (rows,), where these were counted elsewhere.
        kind: What its cells were before they were read as texts.
    """

    values: pa.Array
    codes: Codes
    weights: Counts | None = None
    kind: str = TEXTS

    @classmethod
    def from_arrow(cls, texts: pa.Array | pa.ChunkedArray) -> Column:
        """Encode Arrow texts; a dictionary-encoded array is used as it is.

        Example:
            >>> Column.from_arrow(pa.array(["oak", None, "oak"])).counts.tolist()
            [2, 1]
        """
        if isinstance(texts, pa.Array):
            texts = pa.chunked_array([texts])
        # One array of `string` holds no more than 2 GiB. Distinct texts would be cast later, twice.
        if pa.types.is_string(texts.type) and (texts.nbytes > _MOST_BYTES or not seem_repeated(texts)):
            texts = texts.cast(TEXT)
        is_fresh = not pa.types.is_dictionary(texts.type)
        cells, codes = encode(texts)
        column = cls(cells.cast(TEXT), codes)
        # A dictionary made elsewhere may hold a text twice, or one that no row has.
        return column if is_fresh else cls.from_codes(column.values, column.codes)

    @classmethod
    def from_codes(
        cls, values: pa.Array, codes: Codes, kind: str = TEXTS, weights: Counts | None = None
    ) -> Column:
        """Build a column from values that may repeat, or that no row has; both are put right."""
        values, moved = find_distinct(values)
        if moved is not None:
            codes = moved[codes]
        column = cls(values, codes, weights, kind)
        if (unused := column.counts == 0).any():
            place = (np.cumsum(~unused) - 1).astype(np.int32)
            column = cls(values.filter(pa.array(~unused)), place[codes], weights, kind)
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
        if is_in_place(self.codes, len(self.values)):
            return np.broadcast_to(np.int64(1), len(self.values))  # takes no memory
        return np.bincount(self.codes, minlength=len(self.values)).astype(np.int64, copy=False)

    def decode(self, values: pa.Array, kind: pa.DataType = TEXT) -> pa.ChunkedArray:
        """Write out a value per row, for `values` that stand in the places of the distinct values.

        Args:
            values: New texts, (distinct,).
            kind: The Arrow type of the result, (rows,).
        """
        is_wide = pa.types.is_string_view(kind) or (pa.types.is_string(kind) and values.nbytes > _MOST_BYTES)
        texts = values.cast(TEXT if is_wide else kind)
        edges = itertools.pairwise(self._edges(texts))
        if is_in_place(self.codes, len(texts)):
            slices = [texts.slice(start, stop - start) for start, stop in edges]
        else:
            codes = pa.array(self.codes)
            slices = [texts.take(codes.slice(start, stop - start)) for start, stop in edges]
        return pa.chunked_array([part.cast(kind) for part in slices] if is_wide else slices, kind)

    def _edges(self, texts: pa.Array) -> list[int]:
        """Where to cut the rows, so that no slice has too many, nor too many bytes."""
        rows = self.rows
        is_text = pa.types.is_large_string(texts.type) or pa.types.is_string(texts.type)
        lengths = pc.binary_length(texts).fill_null(0) if is_text and len(texts) else None
        if lengths is None or pc.max(lengths).as_py() * min(rows, SLICE_ROWS) <= _MOST_BYTES:
            return [*range(0, rows, SLICE_ROWS), rows] if rows else [0, 0]
        ends = np.cumsum(lengths.to_numpy(zero_copy_only=False).astype(np.int64)[self.codes])
        edges = [0]
        while edges[-1] < rows:
            done = int(ends[edges[-1] - 1]) if edges[-1] else 0
            reach = int(np.searchsorted(ends, done + _MOST_BYTES, side="right"))
            edges.append(min(max(reach, edges[-1] + 1), edges[-1] + SLICE_ROWS))
        return edges


def is_in_place(codes: Codes, size: int) -> bool:
    """Whether each of so many values is its own place."""
    # In pieces: mostly the first one tells.
    return len(codes) == size and all(
        np.array_equal(codes[start : start + _PIECE], np.arange(start, min(start + _PIECE, size)))
        for start in range(0, size, _PIECE)
    )


def encode(cells: pa.ChunkedArray) -> tuple[pa.Array, Codes]:
    """Encode cells of any type that can be told apart.

    Args:
        cells: The cells, dictionary-encoded or not, (rows,).

    Returns:
        The cells that there are, as they are; of a dictionary made elsewhere all that it has. And a code for each row,
        (rows,).
    """
    if pa.types.is_string_view(cells.type):
        if seem_repeated(cells):
            return encode_views(cells)
        cells = cells.cast(TEXT)  # few of Arrow's kernels take views
    if pa.types.is_string(cells.type) or pa.types.is_large_string(cells.type):
        texts = cells.chunk(0) if cells.num_chunks == 1 else cells.combine_chunks()
        distinct = find_distinct(texts)
        codes = distinct.codes if distinct.codes is not None else np.arange(len(texts), dtype=np.int32)
        return distinct.values, codes.astype(np.int32, copy=False)
    if not pa.types.is_dictionary(cells.type):
        cells = cells.dictionary_encode(null_encoding="encode")
    elif cells.num_chunks > 1:
        cells = cells.unify_dictionaries()
    if cells.num_chunks == 0:
        return pa.nulls(0, cells.type.value_type), np.zeros(0, np.int32)
    values = cells.chunk(0).dictionary
    indices = [chunk.indices for chunk in cells.chunks]
    if any(part.null_count for part in indices):
        # A dictionary array may mark missing rows by a null index: give them a value of their own.
        missing = len(values)
        values = pa.concat_arrays([values, pa.nulls(1, values.type)])
        indices = [part.cast(pa.int32()).fill_null(missing) for part in indices]
    codes = np.concatenate([part.to_numpy(zero_copy_only=False) for part in indices])
    return values, codes.astype(np.int32, copy=False)


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


def count_rows(places: Codes, rows: Counts, length: int) -> Counts:
    """Add up `rows` by place, (length,). Exact up to 2**53 rows."""
    return np.bincount(places, weights=rows, minlength=length).astype(np.int64)


def to_mask(flags: pa.Array) -> Mask:
    """Arrow flags as NumPy's; null counts as no."""
    if flags.null_count:
        flags = flags.fill_null(False)
    mask: Mask = flags.to_numpy(zero_copy_only=False)
    return mask
