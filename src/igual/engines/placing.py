"""Clean columns on their way to rows that are read once more: which cells go in which column, and what these are."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import pyarrow as pa

from igual.column import Codes
from igual.engines.arrow import CleanCells, make_cells
from igual.engines.base import CleanColumn


class PlacedCells(NamedTuple):
    """How a clean column is written.

    Attributes:
        place: Its position in the table; None for a new column.
        group: Of the columns that it was counted with.
        made: What its distinct values are as cells.
        codes: For each combination of the group the value that it has, (combinations,).
    """

    place: int | None
    group: int
    made: CleanCells
    codes: Codes


def place_cells(
    columns: Sequence[CleanColumn], schema: pa.Schema, groups: Sequence[Sequence[str]]
) -> tuple[list[PlacedCells], pa.Schema]:
    """Find out what is to be written of clean columns, and where.

    Args:
        columns: The clean columns: those of a table, and new ones.
        schema: Of the table.
        groups: The columns that were counted together.

    Returns:
        The columns that aren't as they were, those of the table in its order, then new ones; and the schema with them.
    """
    places = {name: place for place, name in reversed([*enumerate(schema.names)])}
    group_of = {name: number for number, group in enumerate(groups) for name in group}
    changed = [one for one in columns if not (one.name in places and one.is_as_it_was)]
    in_place = sorted((places[one.name], one) for one in changed if one.name in places)
    added = [(None, one) for one in changed if one.name not in places]
    fields = list(schema)
    placed: list[PlacedCells] = []
    for place, one in [*in_place, *added]:
        made = make_cells(one, fields[place].type if place is not None else pa.string())
        placed.append(PlacedCells(place, group_of[one.source], made, one.column.codes))
        field = pa.field(one.name, made.kind)
        if place is None:
            fields.append(field)
        else:
            fields[place] = field
    return placed, pa.schema(fields, schema.metadata)
