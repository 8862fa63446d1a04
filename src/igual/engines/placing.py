"""Clean columns on their way to rows that are read once more: which cells go in which column, and what these are."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import NamedTuple, TypeVar

import pyarrow as pa

from igual.column import Codes
from igual.engines.arrow import make_cells
from igual.engines.base import CleanColumn

# A column's name, or its position in a table.
Column = TypeVar("Column", str, int)


class PlacedCells(NamedTuple):
    """How a clean column is written.

    Attributes:
        place: Its position in the table; None for a new column.
        group: Of the columns that it was counted with.
        cells: What its distinct values are as cells, (distinct,).
        kind: The type of the column.
        codes: For each combination of the group the value that it has, (combinations,).
    """

    place: int | None
    group: int
    cells: pa.Array
    kind: pa.DataType
    codes: Codes


def find_group(groups: Sequence[Sequence[Column]], column: Column) -> int:
    """Find the group that a column is in."""
    return next(number for number, group in enumerate(groups) if column in group)


def place_cells(
    columns: Sequence[CleanColumn], schema: pa.Schema, group_of: Callable[[str], int]
) -> tuple[list[PlacedCells], pa.Schema]:
    """Find out what is to be written of clean columns, and where.

    Args:
        columns: The clean columns: those of a table, and new ones.
        schema: Of the table.
        group_of: Tells with which group of columns one of the table was counted.

    Returns:
        The columns that aren't as they were, those of the table in its order, then new ones; and the schema with them.
    """
    names = list(schema.names)
    changed = [one for one in columns if not (one.name in names and one.is_as_it_was)]
    in_place = sorted((names.index(one.name), one) for one in changed if one.name in names)
    added = [(None, one) for one in changed if one.name not in names]
    placed: list[PlacedCells] = []
    for place, one in [*in_place, *added]:
        cells, kind = make_cells(one, schema.field(place).type if place is not None else pa.string())
        placed.append(PlacedCells(place, group_of(one.source), cells, kind, one.column.codes))
        field = pa.field(one.name, kind)
        schema = schema.append(field) if place is None else schema.set(place, field)
    return placed, schema
