"""pandas DataFrames."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np
import pandas as pd
import pyarrow as pa

from igual.core.column import TEXT, Column
from igual.core.errors import TableError
from igual.core.trail import ColumnTrail
from igual.engines.arrow_tables import ArrowEngine, measured, ordered


class PandasEngine:
    """Text columns keep their dtype and their kind of missing value; labels become an ordered categorical."""

    def names(self, table: pd.DataFrame) -> list[str]:
        if bad := [name for name in table.columns if not isinstance(name, str)]:
            raise TableError(f"column names must be texts; found {bad[0]!r}")
        return list(table.columns)

    def kind(self, table: pd.DataFrame, place: int) -> str:
        series = table.iloc[:, place]
        dtype = (
            series.dtype.categories.dtype if isinstance(series.dtype, pd.CategoricalDtype) else series.dtype
        )
        if isinstance(dtype, pd.StringDtype) or not len(series):
            return "text"
        held = pd.api.types.infer_dtype(
            series.cat.categories if dtype is not series.dtype else series, skipna=True
        )
        if held in ("string", "empty"):
            return "text"
        return _said(series) if series.dtype == object else str(series.dtype)

    def column(self, table: pd.DataFrame, place: int) -> Column:
        series = table.iloc[:, place]
        if isinstance(series.dtype, pd.CategoricalDtype):
            return _column(series.cat.codes.to_numpy(), _texts(series.cat.categories))
        if isinstance(series.dtype, pd.StringDtype | pd.ArrowDtype):
            return ArrowEngine().column(pa.table({"column": pa.array(series)}), 0)
        return _column(*_factorized(series))

    def renamed(self, table: pd.DataFrame, names: Sequence[str]) -> pd.DataFrame:
        return table.set_axis(list(names), axis="columns")

    def rebuilt(self, table: pd.DataFrame, trails: Mapping[str, ColumnTrail]) -> pd.DataFrame:
        names = self.names(table)
        rebuilt = table.copy(deep=False)
        for name, trail in trails.items():
            given = table.iloc[:, names.index(name if name in names else trail.source)]
            clean = _decoded(trail, given, table.index, name)
            if name in names:
                rebuilt.isetitem(names.index(name), clean)
            else:
                rebuilt[name] = clean
        return rebuilt


def _factorized(series: pd.Series) -> tuple[Any, pa.Array]:
    """A code per row (-1: missing) and the distinct cells as they would be printed."""
    try:
        codes, distinct = pd.factorize(series.to_numpy(dtype=object))
    except TypeError:  # cells that can't be told apart as they are, such as lists
        codes, distinct = pd.factorize(series.astype(str).to_numpy(dtype=object))
    return codes, _texts(distinct)


def _texts(distinct: Any) -> pa.Array:
    return pa.array([str(cell) for cell in distinct], TEXT)


def _column(codes: Any, values: pa.Array) -> Column:
    """A column from codes where -1 is missing."""
    codes = codes.astype(np.int32)
    if (missing := codes < 0).any():
        codes = np.where(missing, len(values), codes).astype(np.int32)
        values = pa.concat_arrays([values, pa.nulls(1, TEXT)])
    return Column.from_codes(values, codes)


def _decoded(trail: ColumnTrail, given: pd.Series, index: pd.Index, name: str) -> Any:
    """The clean column in the dtype of the raw one, unless its rule gives numbers, dates or an order."""
    dtype: Any = given.dtype
    if (measures := measured(trail)) is not None:
        rows = trail.column.decode(measures, measures.type)
        whole = pa.types.is_integer(measures.type) and rows.null_count
        held = (
            pd.array(rows.to_pylist(), dtype="Int64") if whole else rows.to_pandas(date_as_object=False).array
        )
        return pd.Series(held, index=index, name=name)
    if isinstance(dtype, pd.CategoricalDtype) or trail.gives.order:
        values, codes = ordered(trail)
        labels = pd.Categorical.from_codes(codes, values.to_pylist(), ordered=bool(trail.gives.order))
        return pd.Series(labels, index=index, name=name)
    if isinstance(dtype, pd.StringDtype | pd.ArrowDtype):
        kind = pa.large_string() if isinstance(dtype, pd.StringDtype) else dtype.pyarrow_dtype
        restored: Any = dtype
        clean = restored.__from_arrow__(trail.column.decode(trail.clean, kind))
    else:
        clean = np.array(trail.clean.to_pylist(), dtype=object)[trail.column.codes]
        # A missing value stays the one it was: None, NaN or NA.
        missing = given.isna().to_numpy() & pd.isna(clean)
        clean = np.where(missing, given.to_numpy(dtype=object), clean)
    return pd.Series(clean, index=index, name=name, dtype=dtype)


def _said(series: pd.Series) -> str:
    """What a column of mixed cells holds, with the first row that isn't a text."""
    try:
        codes, distinct = pd.factorize(series.to_numpy(dtype=object))
    except TypeError:
        return "objects: none of them is a text"
    place, cell = next((at, cell) for at, cell in enumerate(distinct) if not isinstance(cell, str))
    row = int(np.argmax(codes == place))
    return f"mixed: {type(cell).__name__} {cell!r} in row {row:,} (the first is 0) among texts"
