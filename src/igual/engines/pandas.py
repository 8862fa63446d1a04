"""pandas DataFrames."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
import pandas as pd
import pyarrow as pa

from igual.column import MIXED, TEXT, TEXTS, Column
from igual.engines.arrow import decode_rows, encode_cells, order_values, to_measures
from igual.engines.base import CleanColumn, OutputType
from igual.text.cells import NUMBERS, WHOLE, ReadCells, read_cells, read_objects


class PandasEngine:
    """Columns keep their dtype where it can hold all clean values, and their kind of missing value.

    Labels become an ordered categorical.
    """

    def names(self, table: pd.DataFrame) -> list[str]:
        """List the column names, in order."""
        # Names that are numbers, as of tables without a header, are known by how they are written.
        return list(map(str, table.columns))

    def column(self, table: pd.DataFrame, position: int) -> Column:
        """Encode a column."""
        series = table.iloc[:, position]
        if isinstance(series.dtype, pd.CategoricalDtype):
            return _encode(series.cat.codes.to_numpy(), _read_categories(series))
        return encode_cells(_to_arrow(series)) if _has_arrow_cells(series.dtype) else _encode_objects(series)

    def rename(self, table: pd.DataFrame, names: Sequence[str]) -> pd.DataFrame:
        """Give the same table other column names."""
        return table.set_axis(list(names), axis="columns")

    def rebuild(self, table: pd.DataFrame, columns: Sequence[CleanColumn]) -> pd.DataFrame:
        """Put the clean columns in their places, and new ones at the end."""
        names = self.names(table)
        rebuilt = table.copy(deep=False)
        for clean in columns:
            if clean.is_as_it_was and clean.name in names:
                continue
            given = table.iloc[:, names.index(clean.name if clean.name in names else clean.source)]
            decoded: Any = decode_column(clean, given)
            if clean.name in names:
                rebuilt.isetitem(names.index(clean.name), decoded)
            else:
                rebuilt[clean.name] = decoded
        return rebuilt


def _has_arrow_cells(dtype: Any) -> bool:
    """Whether Arrow has cells like those of a dtype; others are taken as Python's objects."""
    types = pd.api.types
    return (
        isinstance(dtype, pd.StringDtype | pd.ArrowDtype)
        or types.is_datetime64_any_dtype(dtype)
        or (types.is_numeric_dtype(dtype) and not types.is_complex_dtype(dtype))
    )


def _is_text(kind: pa.DataType) -> bool:
    held = kind.value_type if pa.types.is_dictionary(kind) else kind
    return bool(pa.types.is_string(held) or pa.types.is_large_string(held) or pa.types.is_string_view(held))


def _holds_objects(dtype: Any) -> bool:
    return bool(dtype == np.dtype(object))


def _to_arrow(series: pd.Series) -> pa.ChunkedArray:
    if isinstance(series.dtype, pd.SparseDtype):
        series = series.astype(series.dtype.subtype)
    cells: Any = pa.array(series, from_pandas=True)
    return cells if isinstance(cells, pa.ChunkedArray) else pa.chunked_array([cells])


def _read_categories(series: pd.Series) -> ReadCells:
    categories = pd.Series(series.cat.categories)
    if _has_arrow_cells(categories.dtype):
        return read_cells(_to_arrow(categories).combine_chunks())
    return read_objects(categories.to_list())


def _encode_objects(series: pd.Series) -> Column:
    """Encode a column of Python's objects; missing is missing, whichever it is (None, NaN, NaT)."""
    cells = np.where(series.isna().to_numpy(), np.array(None, object), series.to_numpy(dtype=object))
    kind = pd.api.types.infer_dtype(cells, skipna=True)
    if kind == "string":
        # Some versions of pandas take a NUL for the end of a text, and so two texts for one.
        return Column.from_arrow(pa.array(cells, TEXT))
    if kind in ("mixed", "mixed-integer"):
        # Python takes True for 1.
        is_truth = pd.Series(cells).map(lambda cell: isinstance(cell, bool | np.bool_)).to_numpy()
        cells[is_truth] = np.where(cells[is_truth].astype(bool), "true", "false")
    try:
        codes, distinct = pd.factorize(cells)
    except TypeError:  # cells that can't be told apart as they are, such as lists
        codes, distinct = pd.factorize(series.astype(str).to_numpy(dtype=object))
        first = next(cell for cell in cells if cell is not None)
        return _encode(codes, ReadCells(pa.array(distinct.tolist(), TEXT), type(first).__name__))
    return _encode(codes, read_objects(distinct.tolist()))


def _encode(codes: Any, read: ReadCells) -> Column:
    """A column from codes where -1 is missing."""
    values, codes = read.values, codes.astype(np.int32)
    if (missing := codes < 0).any():
        codes = np.where(missing, len(values), codes).astype(np.int32)
        values = pa.concat_arrays([values, pa.nulls(1, TEXT)])
    return Column.from_codes(values, codes, read.kind)


def decode_column(clean: CleanColumn, given: pd.Series) -> pd.Series:
    """Write a clean column in the dtype of the raw one, unless its rule gives numbers, dates or an order.

    Args:
        clean: The clean column.
        given: The raw one, (rows,).

    Returns:
        The clean cells with the index of the raw ones, (rows,).
    """
    dtype, index = given.dtype, given.index  # type: Any, pd.Index
    if (
        isinstance(dtype, pd.ArrowDtype)
        and clean.output == OutputType()
        and not _is_text(dtype.pyarrow_dtype)
    ):
        cells = decode_rows(clean, dtype.pyarrow_dtype, _to_arrow(given))
        kept_type: Any = pd.ArrowDtype(cells.type)
        return pd.Series(kept_type.__from_arrow__(cells), index=index, name=clean.name)
    if (measures := to_measures(clean, _arrow_type(given, clean))) is not None:
        return _decode_measures(clean, measures, given)
    if isinstance(dtype, pd.CategoricalDtype) or clean.output.order:
        values, places = order_values(clean)
        codes = places[clean.column.codes]
        labels = pd.Categorical.from_codes(codes, values.to_pylist(), ordered=bool(clean.output.order))
        return pd.Series(labels, index=index, name=clean.name)
    if isinstance(dtype, pd.StringDtype) or (isinstance(dtype, pd.ArrowDtype) and clean.column.kind == TEXTS):
        kind = pa.large_string() if isinstance(dtype, pd.StringDtype) else dtype.pyarrow_dtype
        if pa.types.is_null(kind) or isinstance(kind, pa.BaseExtensionType):
            # What a rule makes of nothing, or of a UUID, needn't be one.
            kind = pa.string()
        restored: Any = dtype if isinstance(dtype, pd.StringDtype) else pd.ArrowDtype(kind)
        texts = restored.__from_arrow__(clean.column.decode(clean.values, kind))
        made: pd.Series = pd.Series(texts, index=index, name=clean.name, dtype=restored)
        return made
    if not _holds_objects(dtype):
        return pd.Series(
            clean.column.decode(clean.values).to_pandas().array, index=index, name=clean.name, dtype="str"
        )
    texts = np.array(clean.values.to_pylist(), dtype=object)[clean.column.codes]
    # A missing value stays the one it was: None, NaN or NA.
    is_kept = given.isna().to_numpy() & pd.isna(texts)
    texts = np.where(is_kept, given.to_numpy(dtype=object), texts)
    return pd.Series(texts, index=index, name=clean.name, dtype=object)


def _arrow_type(given: pd.Series, clean: CleanColumn) -> pa.DataType | None:
    """Arrow's type for cells like the raw ones; None where these are texts, or of several kinds."""
    if clean.column.kind in (TEXTS, MIXED) or isinstance(given.dtype, pd.CategoricalDtype):
        return None
    if _holds_objects(given.dtype):
        return {WHOLE: pa.int64(), NUMBERS: pa.float64()}.get(clean.column.kind)
    return _to_arrow(given.iloc[:0]).type


def _decode_measures(clean: CleanColumn, measures: pa.Array, given: pd.Series) -> pd.Series:
    """Numbers, dates or times, in the dtype of the raw column where it holds these; kept cells as they were."""
    dtype: Any = given.dtype
    is_own_kind = clean.output.kind == "text"
    is_kept = clean.is_kept[clean.column.codes] & (clean.name == clean.source)
    if not is_own_kind:
        made = _to_series(measures.take(pa.array(clean.column.codes)), dtype, is_own_kind=False)
        made = made.where(~is_kept, given.array) if made.dtype == dtype else made
        return made.set_axis(given.index).rename(clean.name)
    made = _to_series(measures.take(pa.array(clean.column.codes[~is_kept])), dtype, is_own_kind=True)
    held = given if made.dtype == dtype or _holds_objects(dtype) else given.astype(made.dtype)
    # Raw and new cells one after another, and each row takes its own.
    places = np.arange(len(given))
    places[~is_kept] = len(given) + np.arange(len(made))
    both = pd.concat([held, made.astype(held.dtype)], ignore_index=True) if len(made) else held
    return both.take(places).set_axis(given.index).rename(clean.name)


def _to_series(rows: pa.Array, dtype: Any, *, is_own_kind: bool) -> pd.Series:
    """Cells in a dtype like the raw one, as far as it holds them."""
    if isinstance(dtype, pd.ArrowDtype):
        held: Any = pd.ArrowDtype(rows.type)
    elif is_own_kind and hasattr(dtype, "__from_arrow__"):
        held = dtype
    else:
        held = _nullable_dtype(rows.type) if rows.null_count else None
    if held is not None:
        return pd.Series(held.__from_arrow__(rows))
    cells = pd.Series(pa.chunked_array([rows]).to_pandas(date_as_object=False).array)
    return cells.astype(dtype) if is_own_kind and not _holds_objects(dtype) else cells


def _nullable_dtype(kind: pa.DataType) -> Any:
    """The dtype of cells some of which are missing, where NumPy has none for these."""
    if pa.types.is_boolean(kind):
        return pd.BooleanDtype()
    if pa.types.is_integer(kind):
        return pd.UInt64Dtype() if pa.types.is_uint64(kind) else pd.Int64Dtype()
    return None
