"""How tables of each kind get in and out; one file per kind, the same functions in each.

Every engine has the functions of `Engine` below.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import Any, Protocol

from igual.core.column import Column
from igual.core.errors import TableError
from igual.core.trail import ColumnTrail


class Engine(Protocol):
    """What a kind of table must be able to do; tables and columns are never changed in place."""

    def names(self, table: Any) -> list[str]:
        """The column names, in order; a name may stand twice."""

    def kind(self, table: Any, place: int) -> str:
        """'text' for a column of texts, else its type; what follows a colon says more."""

    def column(self, table: Any, place: int) -> Column:
        """The encoded column; of one that holds no texts, encoded as it would be printed."""

    def renamed(self, table: Any, names: Sequence[str]) -> Any:
        """The same table with other column names, one for each column."""

    def rebuilt(self, table: Any, trails: Mapping[str, ColumnTrail]) -> Any:
        """The same kind of table with the clean columns in their places, and new ones at the end."""


def engine_of(table: Any) -> Engine:
    """The engine for a table, told by its type without importing libraries that aren't in use."""
    module = type(table).__module__.partition(".")[0]
    if module == "pandas":
        from igual.engines.pandas_tables import PandasEngine

        return PandasEngine()
    if module == "pyarrow":
        from igual.engines.arrow_tables import ArrowEngine

        return ArrowEngine()
    if isinstance(table, Mapping):
        from igual.engines.plain_tables import PlainEngine

        return PlainEngine()
    raise TableError(
        f"can't take a table of type {type(table).__name__}; give a pandas DataFrame, an Arrow table, "
        "or a dict of column names and sequences"
    )


def text_column(engine: Engine, table: Any, name: str) -> Column:
    """The encoded column of a name, for rules: it must hold texts."""
    place = engine.names(table).index(name)
    if (kind := engine.kind(table, place)) != "text":
        raise TableError(
            f"column {name!r} is {kind}; Igual works on texts: turn the column into texts first, "
            "so that you say how its cells are written"
        )
    return engine.column(table, place)


def values_column(values: Any) -> Column:
    """Encode the texts of one column: a Series, an Arrow array, or any sequence of texts and Nones."""
    table, _ = one_column(values)
    return text_column(engine_of(table), table, "values")


def one_column(values: Any) -> tuple[Any, Callable[[Any, str], Any]]:
    """A table of one column called 'values', and how to take a column out of such a table again."""
    said = f"expected the values of one column, such as a list or a Series; found {type(values).__name__}"
    module = type(values).__module__.partition(".")[0]
    if (
        isinstance(values, str | bytes | Mapping)
        or not hasattr(values, "__len__")
        or hasattr(values, "columns")
    ):
        raise TableError(said)
    if module == "pandas":
        import pandas as pd

        series = values if isinstance(values, pd.Series) else pd.Series(values)
        frame = series.rename("values").to_frame()
        return frame, lambda table, name: table[name].rename(series.name)
    if module == "pyarrow":
        import pyarrow as pa

        whole = isinstance(values, pa.Array)
        return pa.table(
            {"values": values}
        ), lambda table, name: table[name].combine_chunks() if whole else table[name]
    return {"values": values}, lambda table, name: table[name]
