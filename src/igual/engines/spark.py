"""Spark DataFrames: combinations are counted on the cluster, rules run over them once, and rows join what came out."""

from __future__ import annotations

import contextlib
from collections.abc import Callable, Iterator, Sequence
from typing import Any

import numpy as np
import pyarrow as pa

from igual.column import TEXT
from igual.engines.arrow import make_cells
from igual.engines.base import CleanColumn, OutgrowsDriverError
from igual.engines.combinations import Combinations, combine
from igual.errors import TableError

# What comes to the driver: more combinations of the columns that one rule reads together are refused.
MOST_COMBINATIONS = 20_000_000
# A crosswalk of up to so many combinations is sent to every executor; a larger one is joined by a shuffle.
MOST_BROADCAST = 1_000_000
_ROWS = "rows_counted_by_igual"
_NEW_ROWS = (
    "a row has values in {} that were not there when the rulebook was applied: the table has changed since; apply the "
    "rulebook to it again"
)
_NESTED = ("array", "map", "struct", "binary", "variant", "void", "interval")


class SparkEngine:
    """The rows stay on the cluster. Columns keep their type where all clean values can be of it.

    Labels are texts; since Spark has no ordered type, a column `NAME_order` beside them tells the place of each in its
    codebook, from 0.
    """

    def names(self, table: Any) -> list[str]:
        """List the column names, in order."""
        return list(table.columns)

    def text_names(self, table: Any) -> list[str]:
        """List the columns that hold texts, in order."""
        return [name for name, kind in table.dtypes if kind == "string"]

    def rename(self, table: Any, names: Sequence[str]) -> Any:
        """Give the same table other column names."""
        return table.toDF(*names)

    def count(self, table: Any, groups: Sequence[Sequence[str]]) -> list[Combinations]:
        """Count the combinations of columns that rules read together."""
        kinds = dict(table.dtypes)
        for name in (name for group in groups for name in group):
            if kinds[name].startswith(_NESTED):
                raise TableError(
                    f"column {name!r} is {kinds[name]}, which has no values that rules could read; turn it into texts "
                    "first, so that you decide how its cells are written"
                )
        return [self._count_group(table, group) for group in groups]

    def _count_group(self, table: Any, group: Sequence[str]) -> Combinations:
        from pyspark.sql import functions

        columns = [functions.col(_quote(name)).alias(f"c{place}") for place, name in enumerate(group)]
        with _reporting("counting"):
            places = [f"c{place}" for place in range(len(group))]
            grouped = (
                table.select(*columns).groupBy(*places).agg(functions.count(functions.lit(1)).alias(_ROWS))
            )
            collected = grouped.limit(MOST_COMBINATIONS + 1).toArrow()
        if collected.num_rows > MOST_COMBINATIONS:
            raise OutgrowsDriverError(tuple(group), MOST_COMBINATIONS)
        # The cluster gives them in any order.
        ordered = collected.sort_by([(name, "ascending") for name in collected.column_names[:-1]])
        cells = [ordered.column(place) for place in range(len(group))]
        return combine(cells, ordered.column(len(group)).to_numpy().astype(np.int64))

    def sample(self, table: Any, rows: int) -> pa.Table:
        """Give some rows, for an account of a table whose values outgrow the driver."""
        with _reporting("taking a sample"):
            return table.limit(rows).toArrow()

    def map_batches(self, table: Any, work: Callable[[pa.Table], pa.Table], like: pa.Schema) -> Any:
        """Do work on batches of rows inside the executors.

        Args:
            table: The table.
            work: Gives as many rows with other columns; it is sent to the executors.
            like: The columns that it gives.

        Returns:
            The table that comes out.
        """
        from pyspark.sql.pandas.types import from_arrow_schema

        names = list(table.columns)

        def on_batches(batches: Iterator[pa.RecordBatch]) -> Iterator[pa.RecordBatch]:
            for batch in batches:
                yield from work(pa.Table.from_batches([batch]).rename_columns(names)).cast(like).to_batches()

        # Spark itself doesn't find columns there whose names have a point.
        plain = table.toDF(*(f"c{place}" for place in range(len(names))))
        return plain.mapInArrow(on_batches, from_arrow_schema(like))

    def join(
        self,
        table: Any,
        groups: Sequence[Sequence[str]],
        counted: Sequence[Combinations],
        columns: Sequence[CleanColumn],
    ) -> Any:
        """Put clean columns beside the combinations, and these to the rows that have them."""
        from pyspark.sql import functions

        names = list(table.columns)
        made: dict[str, Any] = {name: functions.col(_quote(name)) for name in names}
        joined = table
        for number, (group, combinations) in enumerate(zip(groups, counted, strict=True)):
            clean = [
                one for one in columns if one.source in group and not (one.is_as_it_was and one.name in names)
            ]
            if not clean:
                continue
            walk, written = _make_walk(table.sparkSession, number, group, combinations, clean, names)
            keys = [
                joined[_quote(name)].eqNullSafe(walk[f"igual_{number}_key_{place}"])
                for place, name in enumerate(group)
            ]
            is_small = len(combinations.rows) <= MOST_BROADCAST
            with _reporting("joining"):
                joined = joined.join(functions.broadcast(walk) if is_small else walk, _all_of(keys), "left")
            kinds = dict(joined.dtypes)
            unseen = functions.col(f"igual_{number}_found").isNull()
            for name, column in written.items():
                is_same = kinds.get(name) == kinds[column] and f"igual_{number}_kept {name}" in kinds
                clean_cells = functions.col(column)
                if is_same:
                    is_kept = functions.col(_quote(f"igual_{number}_kept {name}"))
                    clean_cells = functions.when(is_kept, functions.col(_quote(name))).otherwise(clean_cells)
                # A row that came after the combinations were counted has no clean cell.
                told = functions.raise_error(functions.lit(_NEW_ROWS.format(" and ".join(map(repr, group)))))
                made[name] = functions.when(unseen, told.cast(kinds[column])).otherwise(clean_cells)
        with _reporting("joining"):
            # New columns come in the order of their rules, not in that of the groups.
            order = dict.fromkeys([*names, *(one.name for one in columns), *made])
            return joined.select(*(made[name].alias(name) for name in order))


def _make_walk(
    session: Any,
    number: int,
    group: Sequence[str],
    combinations: Combinations,
    clean: Sequence[CleanColumn],
    names: Sequence[str],
) -> tuple[Any, dict[str, str]]:
    """The combinations of a group with their clean cells, and which of its columns each column is made of."""
    arrays = {f"igual_{number}_key_{place}": cells for place, cells in enumerate(combinations.cells)}
    written: dict[str, str] = {}
    for place, one in enumerate(clean):
        raw = combinations.cells[group.index(one.source)].type if one.name in names else pa.string()
        cells, kind, _ = make_cells(one, raw)
        codes = pa.array(one.column.codes)
        texts = cells.take(codes)
        column = f"igual_{number}_clean_{place}"
        if pa.types.is_dictionary(kind):
            order = f"{one.name}_order"
            while order in names or order in written:
                order += "_"
            arrays[f"{column}_order"] = texts.indices.cast(pa.int32())
            texts = texts.dictionary_decode().cast(TEXT)
            written |= {one.name: column, order: f"{column}_order"}
        written[one.name] = column
        arrays[column] = texts
    for one in clean:
        if one.name == one.source:
            arrays[f"igual_{number}_kept {one.name}"] = pa.array(one.is_kept[one.column.codes])
    arrays[f"igual_{number}_found"] = pa.array(np.ones(len(combinations.rows), np.bool_))
    with _reporting("sending the crosswalk"):
        return session.createDataFrame(pa.table(arrays)), written


def _all_of(conditions: Sequence[Any]) -> Any:
    whole = conditions[0]
    for condition in conditions[1:]:
        whole = whole & condition
    return whole


def _quote(name: str) -> str:
    escaped = name.replace("`", "``")
    return f"`{escaped}`"


@contextlib.contextmanager
def _reporting(doing: str) -> Iterator[None]:
    """Turn what Spark says of a job that fails into one line."""
    from py4j.protocol import Py4JError
    from pyspark.errors import PySparkException

    try:
        yield
    except (PySparkException, Py4JError) as error:
        lines = [line.strip() for line in str(error).splitlines() if line.strip()]
        raise TableError(
            f"the Spark job failed ({doing}): {(lines or [type(error).__name__])[0][:300]}"
        ) from error
