"""Arrow tables."""

from __future__ import annotations

import contextlib
from collections.abc import Sequence
from dataclasses import replace
from typing import NamedTuple

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from igual.column import TEXT, Codes, Column, Mask, encode, to_mask
from igual.distinct import find_distinct
from igual.engines.base import CleanColumn
from igual.matching.spellings import Spellings
from igual.pieces import change_pieces, in_pieces
from igual.text.cells import print_cells, read_cells, write_cells
from igual.text.plain_types import decode_dictionary, join_chunks, to_plain


class ArrowEngine:
    """Columns keep their type where all clean values can be of it; labels become an ordered dictionary."""

    def names(self, table: pa.Table) -> list[str]:
        """List the column names, in order."""
        return list(table.schema.names)

    def column(self, table: pa.Table, position: int) -> Column:
        """Encode a column."""
        given = table.column(position)
        return encode_cells(given if isinstance(given, pa.ChunkedArray) else pa.chunked_array([given]))

    def rename(self, table: pa.Table, names: Sequence[str]) -> pa.Table:
        """Give the same table other column names."""
        return table.rename_columns(list(names))

    def rebuild(self, table: pa.Table, columns: Sequence[CleanColumn]) -> pa.Table:
        """Put the clean columns in their places, and new ones at the end."""
        if isinstance(table, pa.RecordBatch):
            whole = self.rebuild(pa.table(table), columns).combine_chunks()
            return pa.RecordBatch.from_arrays(
                [_first_chunk(column) for column in whole.columns], schema=whole.schema
            )
        made, fields = table.columns, list(table.schema)
        places = {name: place for place, name in reversed([*enumerate(table.schema.names)])}
        for clean in columns:
            place = places.get(clean.name, len(made))
            if place == len(made):
                made.append(decode_rows(clean, pa.string()))
                fields.append(pa.field(clean.name, made[place].type))
            elif not clean.is_as_it_was:
                made[place] = decode_rows(clean, made[place].type, made[place])
                fields[place] = pa.field(clean.name, made[place].type)
        return pa.Table.from_arrays(made, schema=pa.schema(fields, table.schema.metadata))


# A double holds every decimal number of so many significant digits (IEEE 754, DBL_DIG).
_EXACT_DIGITS = 15


def _is_text(kind: pa.DataType) -> bool:
    return bool(pa.types.is_string(kind) or pa.types.is_large_string(kind) or pa.types.is_string_view(kind))


def _first_chunk(column: pa.ChunkedArray) -> pa.Array:
    return column.chunk(0) if column.num_chunks else pa.nulls(0, column.type)


def encode_cells(cells: pa.ChunkedArray) -> Column:
    """Encode cells of any type as values.

    Args:
        cells: The cells, (rows,).

    Returns:
        The column; what rules can't read is as printed.
    """
    cells = to_plain(cells)
    kind = cells.type
    held = kind.value_type if pa.types.is_dictionary(kind) else kind
    if _is_text(held):
        return Column.from_arrow(cells)
    if pa.types.is_nested(held):
        # Arrow can't tell these apart as they are.
        column = Column.from_arrow(pa.chunked_array([print_cells(chunk) for chunk in cells.chunks], TEXT))
        return replace(column, kind=str(held))
    distinct, codes = encode(cells)
    values, read_as = read_cells(distinct)
    return Column.from_codes(values, codes, read_as)


def to_measures(clean: CleanColumn, kind: pa.DataType | None = None) -> pa.Array | None:
    """Turn clean values into numbers or dates, where a rule or the type of the raw column says so.

    Args:
        clean: The clean column.
        kind: The type of the raw column, if the clean one should be of it.

    Returns:
        One number or date for each raw value, (distinct,), missing where a value is kept (see `CleanColumn.is_kept`)
        and the type is that of the raw column; None where the values are texts.
    """
    if clean.output.kind == "date":
        return clean.values.cast(pa.string()).cast(pa.date32())
    if clean.output.kind == "number":
        return to_numbers(clean.values)
    if kind is None or clean.output.order:
        return None
    changed = pc.if_else(pa.array(clean.is_kept), pa.scalar(None, TEXT), clean.values)
    return write_cells(changed, kind)


def to_numbers(texts: pa.Array) -> pa.Array | None:
    """Turn plain decimal numbers into the narrowest type that holds each of their digits.

    Args:
        texts: Plain decimals, without zeros that say nothing, (values,).

    Returns:
        Whole numbers of 64 bits, doubles, or decimals of 38 digits; None where none of them holds all.
    """
    with contextlib.suppress(pa.ArrowInvalid):
        return texts.cast(pa.int64())
    some = texts.drop_null()
    length, point = (np.asarray(part) for part in (pc.binary_length(some), pc.find_substring(some, ".")))
    # A zero before the point is no digit that has to be held.
    aside = sum(np.asarray(pc.starts_with(some, start), np.int64) for start in ("-", "0", "-0"))
    decimals = np.where(point >= 0, length - point - 1, 0)
    whole = np.where(point >= 0, point, length) - aside
    if (whole + decimals).max(initial=0) <= _EXACT_DIGITS:
        return change_pieces(texts, lambda some: some.cast(pa.float64()))
    scale = int(decimals.max(initial=0))
    # The cast itself doesn't notice digits beyond those that a decimal has.
    return texts.cast(pa.decimal128(38, scale)) if whole.max(initial=0) + scale <= 38 else None


def order_values(clean: CleanColumn, kind: pa.DataType = TEXT) -> tuple[pa.Array, Codes]:
    """Give the values that a clean column has. Labels come first, all of them and in their order, where it has one.

    Args:
        clean: The clean column.
        kind: Of which type of text the values are to be.

    Returns:
        The clean values that occur, and for each raw value the place of its clean one, (distinct,); -1 is missing.
    """
    order = pa.array(clean.output.order or (), TEXT).unique()
    known = Spellings(order, np.arange(len(order)))
    places = np.empty(len(clean.values), np.int32)

    def look_up(start: int, size: int) -> None:
        places[start : start + size] = known.look_up(clean.values.slice(start, size))

    in_pieces(clean.values, look_up)
    is_other = (places < 0) & to_mask(clean.values.is_valid())
    others = clean.values if is_other.all() else clean.values.filter(pa.array(is_other))
    others, moved = (others, None) if clean.is_distinct else find_distinct(others)
    first = np.int32(len(order))
    moved = np.arange(first, first + len(others), dtype=np.int32) if moved is None else moved + first
    places[is_other] = moved
    return _put_before(order, others.cast(TEXT)).cast(kind), places


def _put_before(order: pa.Array, others: pa.Array) -> pa.Array:
    """Texts with an order before them; where they stand so in memory nothing is copied."""
    if len(order) and others.offset >= len(order):
        size, begin = len(order) + len(others), others.offset - len(order)
        whole = pa.Array.from_buffers(others.type, size, others.buffers(), offset=begin)
        if whole.slice(0, len(order)).equals(order):
            return whole
    return pa.concat_arrays([order, others]) if len(order) else others


class CleanCells(NamedTuple):
    """What clean values are as cells.

    Attributes:
        cells: A cell for each raw value, (distinct,).
        kind: The type of the column that is written.
        is_kept: Values whose rows keep their raw cells, (distinct,); None where no cell is kept.
    """

    cells: pa.Array
    kind: pa.DataType
    is_kept: Mask | None = None


def make_cells(clean: CleanColumn, kind: pa.DataType) -> CleanCells:
    """Write clean values as cells of the raw column's type, unless its rule gives numbers, dates or an order.

    Args:
        clean: The clean column.
        kind: The type of the raw column.

    Returns:
        The cells.
    """
    is_dictionary = pa.types.is_dictionary(kind)
    held = kind.value_type if is_dictionary else kind
    if (measures := to_measures(clean, None if _is_text(held) else held)) is not None:
        is_same = measures.type == held and clean.name == clean.source
        if is_same and is_dictionary:
            # New values may be more than the raw codes can count.
            kind = pa.dictionary(pa.int32(), held, kind.ordered)
        return CleanCells(measures, kind if is_same else measures.type, clean.is_kept if is_same else None)
    if not pa.types.is_dictionary(kind) and not clean.output.order:
        return CleanCells(clean.values, kind if _is_text(kind) else pa.string())
    texts, places = order_values(clean, held if _is_text(held) else pa.string())
    is_missing = places < 0
    indices = pa.array(places, pa.int32(), mask=is_missing if is_missing.any() else None)
    cells = pa.DictionaryArray.from_arrays(indices, texts, ordered=bool(clean.output.order))
    return CleanCells(cells, cells.type)


def put_in_rows(made: CleanCells, codes: Codes, raw: pa.Array | None) -> pa.Array:
    """Write out the cells of rows, each the clean one, or its raw one where that is kept.

    Args:
        made: The clean cells.
        codes: For each row the place of its cell, (rows,).
        raw: The raw cells of the rows, (rows,); None for a new column.

    Returns:
        The cells, (rows,).
    """
    places = pa.array(codes)
    if made.is_kept is None or raw is None:
        return made.cells.take(places).cast(made.kind)
    # Extension types are worked on as what they store.
    is_extension = isinstance(made.kind, pa.BaseExtensionType)
    held = made.kind.value_type if pa.types.is_dictionary(made.kind) else made.kind
    raw = decode_dictionary(raw) if pa.types.is_dictionary(raw.type) else raw
    cells = made.cells
    if is_extension:
        held, raw, cells = held.storage_type, raw.storage, cells.storage
    is_kept = made.is_kept[codes]
    rows = np.arange(len(codes))
    both = pa.concat_arrays([raw.cast(held), cells.cast(held)])
    joined = both.take(pa.array(np.where(is_kept, rows, len(rows) + codes)))
    if is_extension:
        return pa.ExtensionArray.from_storage(made.kind, joined)
    return joined.dictionary_encode().cast(made.kind) if held != made.kind else joined


def decode_rows(clean: CleanColumn, kind: pa.DataType, raw: pa.ChunkedArray | None = None) -> pa.ChunkedArray:
    """Write out the rows of a clean column, in the type of the raw one where that can be.

    Args:
        clean: The clean column.
        kind: The type of the raw one.
        raw: Its cells, (rows,), which stay where no rule changed the value; None for a new column.

    Returns:
        The cells, (rows,).
    """
    made = make_cells(clean, kind)
    if made.is_kept is None or raw is None:
        return clean.column.decode(made.cells, made.kind)
    return pa.chunked_array([put_in_rows(made, clean.column.codes, join_chunks(raw))], made.kind)
