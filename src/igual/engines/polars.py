"""polars DataFrames, and LazyFrames, whose rows stay where they are until somebody collects them."""

from __future__ import annotations

from collections.abc import Sequence
from contextlib import suppress
from functools import partial
from typing import Any

import numpy as np
import polars as pl
import pyarrow as pa
from polars.selectors import by_name

from igual.column import TEXT, TEXTS, Codes, Column
from igual.engines.arrow import encode_cells, order_values, to_measures
from igual.engines.base import CleanColumn
from igual.engines.combinations import Combinations, combine
from igual.errors import TableError

_NARROW = (pl.Int8, pl.Int16, pl.Int32, pl.Int64, pl.UInt8, pl.UInt16, pl.UInt32, pl.UInt64)
_ROWS = "rows counted by igual"


class PolarsEngine:
    """Columns keep their type where all clean values can be of it; labels become an Enum in their order."""

    def names(self, table: pl.DataFrame) -> list[str]:
        """List the column names, in order."""
        return list(table.columns)

    def column(self, table: pl.DataFrame, position: int) -> Column:
        """Encode a column."""
        return encode_cells(_to_arrow(table.to_series(position)))

    def rename(self, table: pl.DataFrame, names: Sequence[str]) -> pl.DataFrame:
        """Give the same table other column names."""
        return table.rename(dict(zip(table.columns, names, strict=True)))

    def rebuild(self, table: pl.DataFrame, columns: Sequence[CleanColumn]) -> pl.DataFrame:
        """Put the clean columns in their places, and new ones at the end."""
        schema = table.schema
        return table.with_columns(
            [
                _decode(clean, table.get_column(clean.name) if clean.name in schema else None)
                for clean in columns
                if not (clean.is_as_it_was and clean.name in schema)
            ]
        )


def _decode(clean: CleanColumn, raw: pl.Series | None) -> pl.Series:
    """Write out the rows of a clean column; where the type stays, values that no rule changed keep their cells."""
    made = _write_cells(clean, None if raw is None else raw.dtype).gather(_series(clean.column.codes))
    if raw is not None and _is_kept_type(clean, raw.dtype, made.dtype):
        made = raw.zip_with(pl.Series(clean.is_kept[clean.column.codes]), made)
    return made.alias(clean.name)


def _is_kept_type(clean: CleanColumn, raw: pl.DataType, made: pl.DataType) -> bool:
    return clean.name == clean.source and raw == made and clean.column.kind != TEXTS


class LazyEngine:
    """LazyFrames: their combinations are counted now, and each row finds its own when the frame is collected."""

    def names(self, table: pl.LazyFrame) -> list[str]:
        """List the column names, in order."""
        return list(table.collect_schema())

    def text_names(self, table: pl.LazyFrame) -> list[str]:
        """List the columns that hold texts, in order."""
        import polars as pl

        texts = (pl.String, pl.Categorical, pl.Enum)
        return [name for name, kind in table.collect_schema().items() if isinstance(kind, texts)]

    def rename(self, table: pl.LazyFrame, names: Sequence[str]) -> pl.LazyFrame:
        """Give the same table other column names."""
        return table.rename(dict(zip(self.names(table), names, strict=True)))

    def count(self, table: pl.LazyFrame, groups: Sequence[Sequence[str]]) -> list[Combinations]:
        """Count the combinations of columns that rules read together."""
        counted = []
        schema = table.collect_schema()
        if objects := [name for group in groups for name in group if schema[name] == pl.Object]:
            raise TableError(
                f"column {objects[0]!r} has objects of Python, which a LazyFrame can't count; collect it first"
            )
        kinds = {name: _without_categories(kind) for name, kind in schema.items()}
        for group in groups:
            # A column may be asked for twice.
            keys = [
                (pl.col(name).cast(kinds[name]) if kinds[name] != schema[name] else pl.col(name)).alias(
                    str(at)
                )
                for at, name in enumerate(group)
            ]
            query = table.group_by(keys, maintain_order=True).agg(pl.len().cast(pl.Int64).alias(_ROWS))
            collected = query.collect(engine="streaming")
            rows = collected.to_series(len(group)).to_numpy().astype(np.int64)
            counted.append(combine([_to_arrow(collected.to_series(at)) for at in range(len(group))], rows))
        return counted

    def join(
        self,
        table: pl.LazyFrame,
        groups: Sequence[Sequence[str]],
        counted: Sequence[Combinations],
        columns: Sequence[CleanColumn],
    ) -> pl.LazyFrame:
        """Put clean columns beside the combinations, and these to the rows that have them."""
        schema = table.collect_schema()
        names = list(schema)
        for number, (group, combinations) in enumerate(zip(groups, counted, strict=True)):
            clean = [
                one for one in columns if one.source in group and not (one.is_as_it_was and one.name in names)
            ]
            if not clean:
                continue
            if nested := [name for name in group if schema[name].is_nested()]:
                raise TableError(
                    f"column {nested[0]!r} is {schema[nested[0]]}, which has no values that rules could read; turn it "
                    "into texts first, so that you decide how its cells are written"
                )
            keys = [
                pl.Series(name, cells, schema[name])
                for name, cells in zip(group, combinations.cells, strict=True)
            ]
            cells = {f"{number} {one.name}": _write_cells(one, schema.get(one.name)) for one in clean}
            walk = pl.DataFrame(keys).with_columns(
                [
                    made.gather(_series(one.column.codes)).alias(name)
                    for one, (name, made) in zip(clean, cells.items(), strict=True)
                ]
                + [pl.Series(f"{number} kept {one.name}", one.is_kept[one.column.codes]) for one in clean]
                + [pl.lit(True).alias(f"{number} found")]
            )
            joined = table.join(
                walk.lazy(), on=list(group), how="left", nulls_equal=True, maintain_order="left"
            )
            # A row that came after the combinations were counted has no clean cell: that is told when it is met.
            table = joined.with_columns(
                pl.col(f"{number} found").map_batches(
                    partial(_refuse_new_rows, tuple(group)), return_dtype=pl.Boolean, is_elementwise=True
                )
            )
            made_columns = [
                (
                    pl.when(pl.col(f"{number} found") & pl.col(f"{number} kept {one.name}"))
                    .then(pl.col(one.name))
                    .otherwise(pl.col(name))
                    if one.name in schema and _is_kept_type(one, schema[one.name], made.dtype)
                    else pl.when(pl.col(f"{number} found")).then(pl.col(name))
                ).alias(one.name)
                for one, (name, made) in zip(clean, cells.items(), strict=True)
            ]
            table = table.with_columns(made_columns).drop(
                [*cells, f"{number} found", *(f"{number} kept {one.name}" for one in clean)]
            )
        # New columns come in the order of their rules, not in that of the groups.
        return table.select(by_name(*dict.fromkeys([*names, *(one.name for one in columns)])))


def _refuse_new_rows(group: Sequence[str], found: pl.Series) -> pl.Series:
    if found.null_count():
        rows, columns = found.null_count(), " and ".join(map(repr, group))
        have = "1 row has a value" if rows == 1 else f"{rows:,} rows have values"
        were = "was" if rows == 1 else "were"
        raise TableError(
            f"{have} in {columns} that {were} not there when the rulebook was applied: the table has changed since; "
            "apply the rulebook to it again"
        )
    return found


def _without_categories(kind: pl.DataType, *, is_inside: bool = False) -> pl.DataType:
    """The type with texts for categories in lists and structs: polars panics where it groups a single row of them."""
    if isinstance(kind, pl.List):
        return pl.List(_without_categories(_as_type(kind.inner), is_inside=True))
    if isinstance(kind, pl.Array):
        return pl.Array(_without_categories(_as_type(kind.inner), is_inside=True), kind.size)
    if isinstance(kind, pl.Struct):
        fields = {
            field.name: _without_categories(_as_type(field.dtype), is_inside=True) for field in kind.fields
        }
        return pl.Struct(fields)
    return pl.String() if is_inside and isinstance(kind, pl.Categorical) else kind


def _as_type(kind: Any) -> pl.DataType:
    return kind() if isinstance(kind, type) else kind


def _to_arrow(series: pl.Series) -> pa.ChunkedArray:
    if series.dtype.is_integer() and series.dtype not in _NARROW:
        series = _narrow(series)
    cells = pa.chunked_array(series)
    held = cells.type.value_type if pa.types.is_dictionary(cells.type) else cells.type
    if pa.types.is_string_view(held) and pa.types.is_dictionary(cells.type):
        return cells.cast(pa.dictionary(pa.int32(), TEXT))
    return cells


def _narrow(series: pl.Series) -> pl.Series:
    """Whole numbers of 128 bits, which Arrow doesn't know, as decimals; as texts where one has 39 digits."""
    try:
        return series.cast(pl.Decimal(38, 0))
    except pl.exceptions.InvalidOperationError:
        return series.cast(pl.String)


def _series(codes: Codes) -> pl.Series:
    return pl.Series(codes.astype(np.uint32))


def _write_cells(clean: CleanColumn, dtype: Any) -> pl.Series:
    """What clean values are as cells, (distinct,); in the type of the raw column where they can be."""
    kind = None if dtype is None or clean.column.kind == TEXTS else _to_arrow(pl.Series([], dtype=dtype)).type
    if (measures := to_measures(clean, kind)) is not None:
        cells = pl.Series(measures)
        if kind is None or clean.output.kind != "text":
            return cells
        # Whole numbers of 128 bits without a sign hold less than decimals do.
        with suppress(pl.exceptions.InvalidOperationError):
            return cells.cast(dtype)
    if clean.output.order:
        values, _ = order_values(clean)
        return pl.Series(clean.values.cast(TEXT), dtype=pl.String).cast(pl.Enum(values.to_pylist()))
    texts = pl.Series(clean.values.cast(TEXT), dtype=pl.String)
    return texts.cast(pl.Categorical) if isinstance(dtype, pl.Categorical) else texts
