"""pandas DataFrames."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
import pandas as pd
import pyarrow as pa

from igual.column import TEXT, Column
from igual.engines.arrow import ArrowEngine, to_measures, to_ordered_codes
from igual.engines.base import CleanColumn
from igual.errors import TableError


class PandasEngine:
    """Text columns keep their dtype and their kind of missing value; labels become an ordered categorical."""

    def names(self, table: pd.DataFrame) -> list[str]:
        """List the column names, in order."""
        if bad := [name for name in table.columns if not isinstance(name, str)]:
            raise TableError(f"column names must be texts; found {bad[0]!r}")
        return list(table.columns)

    def kind(self, table: pd.DataFrame, position: int) -> str:
        """Tell 'text' for a column of texts, else its type."""
        series = table.iloc[:, position]
        dtype = (
            series.dtype.categories.dtype if isinstance(series.dtype, pd.CategoricalDtype) else series.dtype
        )
        if isinstance(dtype, pd.StringDtype) or not len(series) or series.isna().all():
            return "text"
        cells = series.cat.categories if dtype is not series.dtype else series
        content = pd.api.types.infer_dtype(cells[cells.notna()], skipna=True)
        if content in ("string", "empty"):
            return "text"
        return _describe_cells(series) if series.dtype == object else str(series.dtype)

    def column(self, table: pd.DataFrame, position: int) -> Column:
        """Encode a column."""
        series = table.iloc[:, position]
        if isinstance(series.dtype, pd.CategoricalDtype):
            return _encode(series.cat.codes.to_numpy(), _print_cells(series.cat.categories))
        if isinstance(series.dtype, pd.StringDtype | pd.ArrowDtype):
            return ArrowEngine().column(pa.table({"column": pa.array(series)}), 0)
        return _encode(*_factorize(series))

    def rename(self, table: pd.DataFrame, names: Sequence[str]) -> pd.DataFrame:
        """Give the same table other column names."""
        return table.set_axis(list(names), axis="columns")

    def rebuild(self, table: pd.DataFrame, columns: Sequence[CleanColumn]) -> pd.DataFrame:
        """Put the clean columns in their places, and new ones at the end."""
        names = self.names(table)
        rebuilt = table.copy(deep=False)
        for clean in columns:
            given = table.iloc[:, names.index(clean.name if clean.name in names else clean.source)]
            decoded = _decode(clean, given, table.index)
            if clean.name in names:
                rebuilt.isetitem(names.index(clean.name), decoded)
            else:
                rebuilt[clean.name] = decoded
        return rebuilt


def _factorize(series: pd.Series) -> tuple[Any, pa.Array]:
    """A code per row (-1: missing) and the distinct cells as they would be printed."""
    try:
        # Missing is missing, whichever it is: NaT isn't told from a value where cells are objects.
        cells = series.to_numpy(dtype=object)
        codes, distinct = pd.factorize(np.where(series.isna().to_numpy(), np.array(None, object), cells))
    except TypeError:  # cells that can't be told apart as they are, such as lists
        codes, distinct = pd.factorize(series.astype(str).to_numpy(dtype=object))
    return codes, _print_cells(distinct)


def _print_cells(distinct: Any) -> pa.Array:
    return pa.array([str(cell) for cell in distinct], TEXT)


def _encode(codes: Any, values: pa.Array) -> Column:
    """A column from codes where -1 is missing."""
    codes = codes.astype(np.int32)
    if (missing := codes < 0).any():
        codes = np.where(missing, len(values), codes).astype(np.int32)
        values = pa.concat_arrays([values, pa.nulls(1, TEXT)])
    return Column.from_codes(values, codes)


def _decode(clean: CleanColumn, given: pd.Series, index: pd.Index) -> Any:
    """Write the clean column in the dtype of the raw one, unless its rule gives numbers, dates or an order."""
    dtype: Any = given.dtype
    if (measures := to_measures(clean)) is not None:
        rows = clean.column.decode(measures, measures.type)
        whole = pa.types.is_integer(measures.type) and rows.null_count
        cells = (
            pd.array(rows.to_pylist(), dtype="Int64") if whole else rows.to_pandas(date_as_object=False).array
        )
        return pd.Series(cells, index=index, name=clean.name)
    if isinstance(dtype, pd.CategoricalDtype) or clean.output.order:
        values, codes = to_ordered_codes(clean)
        labels = pd.Categorical.from_codes(codes, values.to_pylist(), ordered=bool(clean.output.order))
        return pd.Series(labels, index=index, name=clean.name)
    if isinstance(dtype, pd.StringDtype | pd.ArrowDtype):
        kind = pa.large_string() if isinstance(dtype, pd.StringDtype) else dtype.pyarrow_dtype
        restored: Any = dtype
        texts = restored.__from_arrow__(clean.column.decode(clean.values, kind))
    else:
        texts = np.array(clean.values.to_pylist(), dtype=object)[clean.column.codes]
        # A missing value stays the one it was: None, NaN or NA.
        missing = given.isna().to_numpy() & pd.isna(texts)
        texts = np.where(missing, given.to_numpy(dtype=object), texts)
    return pd.Series(texts, index=index, name=clean.name, dtype=dtype)


def _describe_cells(series: pd.Series) -> str:
    """Tell what a column of mixed cells holds, with the first row that isn't a text."""
    try:
        codes, distinct = pd.factorize(series.to_numpy(dtype=object))
    except TypeError:
        return "objects: none of them is a text"
    first, cell = next(
        (code, cell) for code, cell in enumerate(distinct) if not isinstance(cell, str) and cell is not pd.NaT
    )
    row = int(np.argmax(codes == first))
    return f"mixed: {type(cell).__name__} {cell!r} in row {row:,} (the first is 0) among texts"
