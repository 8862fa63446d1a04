"""Arrow tables."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import pyarrow as pa
import pyarrow.compute as pc

from igual.core.column import TEXT, Codes, Column
from igual.core.trail import ColumnTrail


class ArrowEngine:
    """Text columns keep their type: plain, large, or dictionary; labels become an ordered dictionary."""

    def names(self, table: pa.Table) -> list[str]:
        return list(table.column_names)

    def kind(self, table: pa.Table, place: int) -> str:
        kind = table.column(place).type
        held = kind.value_type if pa.types.is_dictionary(kind) else kind
        return "text" if _is_text(held) or pa.types.is_null(held) else str(kind)

    def column(self, table: pa.Table, place: int) -> Column:
        given = table.column(place)
        kind = given.type
        if pa.types.is_dictionary(kind) and _is_text(kind.value_type):
            return Column.from_arrow(given)
        if pa.types.is_dictionary(kind):
            given = given.cast(kind.value_type)
        if not _is_text(given.type):
            given = _printed(given)
        return Column.from_arrow(given)

    def renamed(self, table: pa.Table, names: Sequence[str]) -> pa.Table:
        return table.rename_columns(list(names))

    def rebuilt(self, table: pa.Table, trails: Mapping[str, ColumnTrail]) -> pa.Table:
        names = self.names(table)
        for name, trail in trails.items():
            if name in names:
                place = names.index(name)
                table = table.set_column(place, name, _decoded(trail, table.column(place).type))
            else:
                table = table.append_column(name, _decoded(trail, pa.string()))
        return table


def _is_text(kind: pa.DataType) -> bool:
    return bool(pa.types.is_string(kind) or pa.types.is_large_string(kind) or pa.types.is_string_view(kind))


def _printed(column: pa.ChunkedArray) -> pa.ChunkedArray:
    try:
        return column.cast(pa.string())
    except (pa.ArrowNotImplementedError, pa.ArrowInvalid):
        return pa.chunked_array([pa.array([None if x is None else str(x) for x in column.to_pylist()], TEXT)])


def measured(trail: ColumnTrail) -> pa.Array | None:
    """The clean values as numbers or dates, one for each raw value; None where they are texts."""
    if trail.gives.kind == "date":
        return trail.clean.cast(pa.string()).cast(pa.date32())
    if trail.gives.kind != "number":
        return None
    try:
        return trail.clean.cast(pa.int64())
    except pa.ArrowInvalid:
        return trail.clean.cast(pa.float64())


def ordered(trail: ColumnTrail) -> tuple[pa.Array, Codes]:
    """The clean values that occur, and a code per row (-1: missing).

    Labels come first, all of them and in their order, where the column has one.
    """
    order = pa.array(trail.gives.order or (), TEXT)
    values = pa.concat_arrays([order, trail.clean.drop_null()]).unique()
    places = pc.index_in(trail.clean, values).fill_null(-1).to_numpy(zero_copy_only=False)
    return values, places[trail.column.codes]


def _decoded(trail: ColumnTrail, kind: pa.DataType) -> pa.ChunkedArray:
    """The clean column, in the type of the raw one, unless its rule gives numbers, dates or an order."""
    if (measures := measured(trail)) is not None:
        return trail.column.decode(measures, measures.type)
    if not pa.types.is_dictionary(kind) and not trail.gives.order:
        return trail.column.decode(trail.clean, kind if _is_text(kind) else pa.string())
    values, codes = ordered(trail)
    texts = values.cast(kind.value_type if pa.types.is_dictionary(kind) else pa.string())
    indices = pa.array(codes, mask=codes < 0)
    return pa.chunked_array([pa.DictionaryArray.from_arrays(indices, texts, ordered=bool(trail.gives.order))])
