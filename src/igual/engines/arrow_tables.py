"""Arrow tables."""

from __future__ import annotations

from collections.abc import Mapping

import pyarrow as pa

from igual.core.column import TEXT, Column, merged
from igual.core.trail import ColumnTrail


class ArrowEngine:
    """Text columns keep their type: plain, large, or dictionary-encoded."""

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


def _decoded(trail: ColumnTrail, kind: pa.DataType) -> pa.ChunkedArray:
    """The clean column, a text per row, in the type of the raw one."""
    if not pa.types.is_dictionary(kind):
        return trail.column.decode(trail.clean, kind if _is_text(kind) else pa.string())
    values, places = merged(trail.clean)
    codes = trail.column.codes if places is None else places[trail.column.codes]
    indices = pa.array(
        codes, mask=values.is_null().to_numpy(zero_copy_only=False)[codes] if values.null_count else None
    )
    return pa.chunked_array([pa.DictionaryArray.from_arrays(indices, values.cast(kind.value_type))])
