"""What stands in other columns of the first rows that have some values."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from igual.column import TEXT, to_mask
from igual.errors import TableError
from igual.files.formats.base import OpenedTable
from igual.text.cells import print_cells
from igual.text.plain_types import join_chunks

# Rows that are shown for a value.
MOST_ROWS = 3
_PART_BYTES = 1 << 24


def sample_rows(
    opened: OpenedTable, column: str, values: Sequence[str], shown: Sequence[str]
) -> Mapping[str, list[tuple[str, ...]]]:
    """Find the first rows that have each of some values.

    Args:
        opened: A table file.
        column: The column of the values.
        values: The values, as the file has them.
        shown: The columns that are wanted.

    Returns:
        Value to what stands in these columns, of up to MOST_ROWS rows.

    Raises:
        TableError: Where the table has no such column.
    """
    places = []
    for name in (column, *shown):
        if name not in opened.names:
            raise TableError.from_missing(opened.path.name, "column", name, opened.names)
        places.append(opened.names.index(name))
    samples: dict[str, list[tuple[str, ...]]] = {}
    wanted = pa.array(values, TEXT)
    for part in opened.parts(sorted(set(places)), _PART_BYTES):
        cells = [print_cells(join_chunks(part.cells(place))) for place in places]
        rows = np.flatnonzero(to_mask(pc.is_in(cells[0], wanted)))
        first = _first_of_each(cells[0].take(pa.array(rows)))
        columns = [texts.take(pa.array(rows[first])).to_pylist() for texts in cells]
        for value, *others in zip(*columns, strict=True):
            some = samples.setdefault(value, [])
            if len(some) < MOST_ROWS:
                some.append(tuple(text or "" for text in others))
    return samples


def _first_of_each(values: pa.Array) -> np.ndarray[tuple[int], np.dtype[np.int64]]:
    """The positions of the first few of each value."""
    codes = values.dictionary_encode().indices.to_numpy(zero_copy_only=False)
    order = np.argsort(codes, kind="stable")
    starts = np.searchsorted(codes[order], np.arange(codes.max(initial=-1) + 1))
    number = np.arange(len(order)) - np.repeat(starts, np.bincount(codes))
    return np.sort(order[number < MOST_ROWS])
