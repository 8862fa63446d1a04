"""Tables as a dict of column names and sequences, for those who use neither pandas nor Arrow."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Any

import pandas as pd

from igual.core.column import Column
from igual.core.errors import TableError
from igual.core.rules import Gives
from igual.core.trail import ColumnTrail
from igual.engines.arrow_tables import measured
from igual.engines.pandas_tables import PandasEngine

PlainTable = Mapping[str, Sequence[Any]]


class PlainEngine:
    """Clean columns come out as lists; None and NaN are missing and stay what they were."""

    def names(self, table: PlainTable) -> list[str]:
        if bad := [name for name in table if not isinstance(name, str)]:
            raise TableError(f"column names must be texts; found {bad[0]!r}")
        lengths = {name: len(column) for name, column in table.items()}
        if len(set(lengths.values())) > 1:
            said = ", ".join(f"{name!r} {length:,}" for name, length in lengths.items())
            raise TableError(f"the columns differ in length: {said}")
        return list(table)

    def kind(self, table: PlainTable, place: int) -> str:
        return PandasEngine().kind(_one_of(table, place), 0)

    def column(self, table: PlainTable, place: int) -> Column:
        return PandasEngine().column(_one_of(table, place), 0)

    def renamed(self, table: PlainTable, names: Sequence[str]) -> dict[str, Any]:
        return dict(zip(names, table.values(), strict=True))

    def rebuilt(self, table: PlainTable, trails: Mapping[str, ColumnTrail]) -> dict[str, Any]:
        # A list has no order of labels to carry; texts keep their own kind of missing value.
        texts = {name: replace(trail, gives=Gives()) for name, trail in trails.items()}
        clean = PandasEngine().rebuilt(_frame(table), texts)
        columns = {
            name: clean[name].to_list()
            if (measures := measured(trail)) is None
            else trail.column.decode(measures, measures.type).to_pylist()
            for name, trail in trails.items()
        }
        return {**table, **columns}


def _one_of(table: PlainTable, place: int) -> pd.DataFrame:
    name = list(table)[place]
    return _frame({name: table[name]})


def _frame(table: PlainTable) -> pd.DataFrame:
    return pd.DataFrame({name: pd.Series(list(column), dtype=object) for name, column in table.items()})
