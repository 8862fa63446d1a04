"""What every kind of table can do, and how its columns get in and out."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any, NamedTuple, Protocol

import pyarrow as pa

from igual.column import TEXTS, Column, Mask
from igual.errors import TableError
from igual.text.arrays import differs
from igual.text.cells import DATES, NUMBERS, READABLE, WHOLE
from igual.text.plain_types import join_chunks


class OutputType(NamedTuple):
    """What a clean column is to be in its table.

    Attributes:
        kind: 'text', 'number' or 'date'.
        order: For labels, all of them in their order; None where texts have no order.
    """

    kind: str = "text"
    order: tuple[str, ...] | None = None


class CleanColumn(NamedTuple):
    """A column as rules have left it: all that an engine needs to write it out.

    Attributes:
        name: Of the column that is written.
        source: The column of the table that it was made from.
        column: The raw column; in the order of its distinct values stand the clean ones.
        values: What each raw value has become, (distinct,).
        output: What the values are to be in the table.
        is_distinct: Whether it is known that no two clean values are equal.
    """

    name: str
    source: str
    column: Column
    values: pa.Array
    output: OutputType
    is_distinct: bool = False

    @property
    def is_as_it_was(self) -> bool:
        """Whether the cells can stay what they are: no value has changed, nor what it is."""
        is_same = self.output == OutputType() or self.output.kind in _SERVES.get(self.column.kind, ())
        return is_same and self.output.order is None and self.values.equals(self.column.values)

    @property
    def is_kept(self) -> Mask:
        """Which values no rule has changed, (distinct,): where the type stays, their cells stay as they were, too."""
        return ~differs(self.column.values, self.values)


# Which outputs cells of a kind are already.
_SERVES = {WHOLE: ("number",), NUMBERS: ("number",), DATES: ("date",)}


class Engine(Protocol):
    """What a kind of table must be able to do; tables and columns are never changed in place."""

    def names(self, table: Any) -> list[str]:
        """List the column names, in order; a name may stand twice."""

    def column(self, table: Any, position: int) -> Column:
        """Encode a column; cells that rules can't read are encoded as they would be printed."""

    def rename(self, table: Any, names: Sequence[str]) -> Any:
        """Give the same table other column names, one for each column."""

    def rebuild(self, table: Any, columns: Sequence[CleanColumn]) -> Any:
        """Put the clean columns in their places, and new ones at the end, of the same kind of table."""


class OutgrowsDriverError(TableError):
    """Columns have more distinct combinations than the driver takes.

    Args:
        columns: The columns.
        most: How many it takes.
    """

    def __init__(self, columns: tuple[str, ...], most: int) -> None:
        super().__init__(
            f"columns {', '.join(map(repr, columns))} have more than {most:,} distinct combinations, which "
            "the driver doesn't take"
        )
        self.columns = columns


class ElsewhereEngine(Protocol):
    """What a kind of table must be able to do whose rows are never held: they stream, or stay where they are."""

    def names(self, table: Any) -> list[str]:
        """List the column names, in order."""

    def text_names(self, table: Any) -> list[str]:
        """List the columns that hold texts, in order."""

    def rename(self, table: Any, names: Sequence[str]) -> Any:
        """Give the same table other column names, one for each column."""

    def count(self, table: Any, groups: Sequence[Sequence[str]]) -> list[Any]:
        """Count the combinations that occur in each group of columns."""

    def join(
        self,
        table: Any,
        groups: Sequence[Sequence[str]],
        counted: Sequence[Any],
        columns: Sequence[CleanColumn],
    ) -> Any:
        """Give the table with clean columns in their places, and new ones at the end."""


@dataclass(frozen=True, eq=False)
class Source:
    """A table that rules can read.

    Attributes:
        table: The table, of any kind that has an engine.
        engine: How its columns get in and out.
    """

    table: Any
    engine: Any

    @cached_property
    def names(self) -> list[str]:
        """The column names, in order; a name may stand twice."""
        names: list[str] = self.engine.names(self.table)
        return names

    def column(self, name: str) -> Column:
        """Encode a column for rules.

        Args:
            name: Of the column.

        Returns:
            The encoded column.

        Raises:
            TableError: Where its cells can't be read as values, and where there is no such column.
        """
        if name not in self.names:
            raise TableError.from_missing("the table", "column", name, self.names)
        column = self.any_column(self.names.index(name))
        if column.kind not in READABLE:
            raise TableError(
                f"column {name!r} is {column.kind}, which has no values that rules could read; turn it into texts "
                "first, so that you decide how its cells are written"
            )
        return column

    def any_column(self, position: int) -> Column:
        """Encode a column of any kind.

        Args:
            position: Of the column.

        Returns:
            The encoded column; cells that rules can't read are as they would be printed.

        Raises:
            TableError: Where a text can't be written anywhere.
        """
        try:
            column: Column = self.engine.column(self.table, position)
        except UnicodeEncodeError as error:
            raise TableError(
                f"column {self.names[position]!r} has a value with half of a character "
                f"(0x{ord(error.object[error.start]):04x}), which can't be written anywhere; mend it first"
            ) from None
        return column

    def text_names(self) -> list[str]:
        """List the columns that hold texts, in order."""
        kinds = [self.any_column(place).kind for place in range(len(self.names))]
        return [name for name, kind in zip(self.names, kinds, strict=True) if kind == TEXTS]

    def gather(self, group: Callable[[Sequence[str]], Sequence[Sequence[str]]]) -> Source:
        """Get hold of the columns that are needed; those of a table in memory are at hand.

        Args:
            group: Tells which columns are needed, given the names of all, in groups that are needed together.

        Returns:
            A source that gives these columns.
        """
        return self

    def rebuild(self, columns: Sequence[CleanColumn]) -> Any:
        """Put clean columns into the table, which stays as it is.

        Args:
            columns: The clean columns.

        Returns:
            A table of the same kind.
        """
        return self.engine.rebuild(self.table, columns)


def find_engine(table: Any) -> Engine | ElsewhereEngine:
    """Find the engine for a table by its type, without importing libraries that aren't in use.

    Args:
        table: A pandas DataFrame (or a frame derived from it), a polars DataFrame or LazyFrame, an Arrow table, record
            batch or reader, a Spark DataFrame, or a dict of sequences.

    Returns:
        Its engine.

    Raises:
        TableError: For anything else.
    """
    modules = _modules_of(table)
    if "pandas" in modules and hasattr(table, "columns"):
        from igual.engines.pandas import PandasEngine

        return PandasEngine()
    if "polars" in modules and hasattr(type(table), "columns"):
        from igual.engines import polars

        engine: ElsewhereEngine | Engine = (
            polars.LazyEngine() if hasattr(table, "collect") else polars.PolarsEngine()
        )
        return engine
    if "pyarrow" in modules and isinstance(table, pa.RecordBatchReader):
        from igual.engines.readers import ReaderEngine

        return ReaderEngine()
    if "pyarrow" in modules and hasattr(table, "column_names"):
        from igual.engines.arrow import ArrowEngine

        return ArrowEngine()
    if "pyspark" in modules and hasattr(table, "columns"):
        from igual.engines.spark import SparkEngine

        return SparkEngine()
    if isinstance(table, Mapping):
        from igual.engines.plain import PlainEngine

        return PlainEngine()
    raise TableError(
        f"can't take a table of type {type(table).__name__}; give a pandas or polars DataFrame, an Arrow table, "
        "whatever gives an Arrow C stream, a Spark DataFrame, or a dict of column names and sequences"
    )


def _modules_of(table: Any) -> set[str]:
    return {kind.__module__.partition(".")[0] for kind in type(table).__mro__}


def open_table(table: Any) -> Source:
    """Take a table of any kind.

    Args:
        table: As for `find_engine`, or whatever gives an Arrow C stream (`__arrow_c_stream__`), which is taken as an
            Arrow table.

    Returns:
        The table with its engine.

    Raises:
        TableError: For something that isn't a table.
    """
    known = {"pandas", "polars", "pyarrow", "pyspark"}
    if hasattr(table, "__arrow_c_stream__") and not known & _modules_of(table):
        table = _read_stream(table)
    engine = find_engine(table)
    if hasattr(engine, "join"):
        from igual.engines.combinations import ElsewhereSource

        return ElsewhereSource(table, engine)
    return Source(table, engine)


def _read_stream(table: Any) -> pa.Table:
    try:
        return pa.table(table)
    except (pa.ArrowInvalid, TypeError, ValueError) as error:
        raise TableError(f"can't take a table of type {type(table).__name__}: {str(error)[:200]}") from None


def read_values(values: Any) -> Column:
    """Encode the values of one column.

    Args:
        values: A Series, an Arrow array, any sequence of values and Nones, or a lazy or distributed table of one
            column.

    Returns:
        The encoded column.

    Raises:
        TableError: For anything else, and for cells that can't be read as values.
    """
    if _modules_of(values) & {"polars", "pyspark"} and hasattr(type(values), "columns"):
        source = open_table(values)
        if len(source.names) != 1:
            raise TableError(
                f"expected the values of one column; found a table with {len(source.names):,}: select one"
            )
        return source.gather(lambda names: [names]).column(source.names[0])
    table, _ = wrap_values(values)
    return open_table(table).column("values")


def wrap_values(values: Any) -> tuple[Any, Callable[[Any, str], Any]]:
    """Make a table of one column.

    Args:
        values: As for `read_values`.

    Returns:
        The table, whose column is called 'values', and a function that takes a column out of such a table again.

    Raises:
        TableError: For something that isn't the values of one column.
    """
    if (
        isinstance(values, str | bytes | Mapping)
        or not hasattr(values, "__len__")
        or hasattr(type(values), "columns")
    ):
        raise TableError(
            f"expected the values of one column, such as a list or a Series; found {type(values).__name__}"
        )
    modules = _modules_of(values)
    if "pandas" in modules:
        import pandas as pd

        if isinstance(values, pd.MultiIndex):
            raise TableError("expected the values of one column; found a MultiIndex of several")
        series = values if isinstance(values, pd.Series) else pd.Series(values)
        frame = series.rename("values").to_frame()
        return frame, lambda table, name: table[name].rename(series.name)
    if "polars" in modules:
        return values.alias("values").to_frame(), lambda table, name: table[name].alias(values.name)
    if "pyarrow" in modules:
        whole = isinstance(values, pa.Array)
        return pa.table(
            {"values": values}
        ), lambda table, name: join_chunks(table[name]) if whole else table[name]
    if hasattr(values, "__arrow_c_stream__") or hasattr(values, "__arrow_c_array__"):
        return pa.table({"values": pa.chunked_array(values)}), lambda table, name: table[name]
    return {"values": values}, lambda table, name: table[name]
