"""Arrow tables."""

from __future__ import annotations

import contextlib
from collections.abc import Sequence

import pyarrow as pa
import pyarrow.compute as pc

from igual.column import TEXT, Codes, Column
from igual.engines.base import CleanColumn


class ArrowEngine:
    """Text columns keep their type: plain, large, or dictionary; labels become an ordered dictionary."""

    def names(self, table: pa.Table) -> list[str]:
        """List the column names, in order."""
        return list(table.column_names)

    def kind(self, table: pa.Table, position: int) -> str:
        """Tell 'text' for a column of texts, else its type."""
        kind = table.column(position).type
        held = kind.value_type if pa.types.is_dictionary(kind) else kind
        return "text" if _is_text(held) or pa.types.is_null(held) else str(kind)

    def column(self, table: pa.Table, position: int) -> Column:
        """Encode a column."""
        given = table.column(position)
        kind = given.type
        if pa.types.is_dictionary(kind) and _is_text(kind.value_type):
            return Column.from_arrow(given)
        if pa.types.is_dictionary(kind):
            given = given.cast(kind.value_type)
        if not _is_text(given.type):
            given = _print_cells(given)
        return Column.from_arrow(given)

    def rename(self, table: pa.Table, names: Sequence[str]) -> pa.Table:
        """Give the same table other column names."""
        return table.rename_columns(list(names))

    def rebuild(self, table: pa.Table, columns: Sequence[CleanColumn]) -> pa.Table:
        """Put the clean columns in their places, and new ones at the end."""
        names = self.names(table)
        for clean in columns:
            if clean.name in names:
                position = names.index(clean.name)
                table = table.set_column(position, clean.name, _decode(clean, table.column(position).type))
            else:
                table = table.append_column(clean.name, _decode(clean, pa.string()))
        return table


# A double holds every decimal number of so many significant digits (IEEE 754, DBL_DIG).
_EXACT_DIGITS = 15


def _is_text(kind: pa.DataType) -> bool:
    return bool(pa.types.is_string(kind) or pa.types.is_large_string(kind) or pa.types.is_string_view(kind))


def _print_cells(column: pa.ChunkedArray) -> pa.ChunkedArray:
    try:
        return column.cast(pa.string())
    except (pa.ArrowNotImplementedError, pa.ArrowInvalid):
        return pa.chunked_array([pa.array([None if x is None else str(x) for x in column.to_pylist()], TEXT)])


def to_measures(clean: CleanColumn) -> pa.Array | None:
    """Turn clean values into numbers or dates.

    Args:
        clean: The clean column.

    Returns:
        One number or date for each raw value, (distinct,); None where the values are texts.
    """
    if clean.output.kind == "date":
        return clean.values.cast(pa.string()).cast(pa.date32())
    if clean.output.kind != "number":
        return None
    return to_numbers(clean.values)


def to_numbers(texts: pa.Array) -> pa.Array | None:
    """Turn plain decimal numbers into the narrowest type that holds each of their digits.

    Args:
        texts: Plain decimals, without zeros that say nothing, (values,).

    Returns:
        Whole numbers of 64 bits, doubles, or decimals of 38 digits; None where none of them holds all.
    """
    with contextlib.suppress(pa.ArrowInvalid):
        return texts.cast(pa.int64())
    parts = pc.extract_regex(texts, pattern=r"^-?0?(?P<whole>\d*)\.?(?P<decimals>\d*)$")
    whole, decimals = (pc.utf8_length(pc.struct_field(parts, name)) for name in ("whole", "decimals"))
    if (pc.max(pc.add(whole, decimals)).as_py() or 0) <= _EXACT_DIGITS:
        return texts.cast(pa.float64())
    scale = pc.max(decimals).as_py()
    # The cast itself doesn't notice digits beyond those that a decimal has.
    return texts.cast(pa.decimal128(38, scale)) if pc.max(whole).as_py() + scale <= 38 else None


def to_ordered_codes(clean: CleanColumn) -> tuple[pa.Array, Codes]:
    """Encode clean values. Labels come first, all of them and in their order, where the column has one.

    Args:
        clean: The clean column.

    Returns:
        The clean values that occur, and a code per row, (rows,); -1 is missing.
    """
    order = pa.array(clean.output.order or (), TEXT)
    values = pa.concat_arrays([order, clean.values.drop_null()]).unique()
    places = pc.index_in(clean.values, values).fill_null(-1).to_numpy(zero_copy_only=False)
    return values, places[clean.column.codes]


def _decode(clean: CleanColumn, kind: pa.DataType) -> pa.ChunkedArray:
    """Write the clean column in the type of the raw one, unless its rule gives numbers, dates or an order."""
    if (measures := to_measures(clean)) is not None:
        return clean.column.decode(measures, measures.type)
    if not pa.types.is_dictionary(kind) and not clean.output.order:
        return clean.column.decode(clean.values, kind if _is_text(kind) else pa.string())
    values, codes = to_ordered_codes(clean)
    held = kind.value_type if pa.types.is_dictionary(kind) else kind
    texts = values.cast(held if _is_text(held) else pa.string())
    indices = pa.array(codes, mask=codes < 0)
    return pa.chunked_array(
        [pa.DictionaryArray.from_arrays(indices, texts, ordered=bool(clean.output.order))]
    )
