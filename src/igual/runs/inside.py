"""Rules applied inside a cluster, to some rows at a time."""

from __future__ import annotations

from typing import TYPE_CHECKING, NamedTuple

import pyarrow as pa

from igual.engines.arrow import encode_cells
from igual.text.cells import write_cells

if TYPE_CHECKING:
    from igual.runs.rulebook import Rulebook


class Inside(NamedTuple):
    """A rulebook on its way to where the rows are.

    Attributes:
        book: The rulebook.
        like: The columns that it is to give.
    """

    book: Rulebook
    like: pa.Schema

    def __call__(self, table: pa.Table) -> pa.Table:
        """Apply the rulebook to some rows."""
        made = self.book.apply(table).table
        columns = [
            column if column.type == field.type else _as_type(column, field.type)
            for column, field in zip(made.columns, self.like, strict=True)
        ]
        return pa.Table.from_arrays(columns, schema=self.like)


def _as_type(cells: pa.ChunkedArray, kind: pa.DataType) -> pa.ChunkedArray:
    column = encode_cells(cells)
    written = write_cells(column.values, kind)
    return column.decode(column.values if written is None else written, kind)


def plain_field(field: pa.Field) -> pa.Field:
    """Give the field that a column gets where labels have no order, and no number's type depends on its values."""
    if pa.types.is_dictionary(field.type):
        return field.with_type(pa.string())
    return field.with_type(pa.float64()) if pa.types.is_decimal(field.type) else field
