"""Two columns side by side: which values appeared, vanished, merged; and a column by others."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal, NamedTuple, get_args

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from igual.column import TEXT, Column
from igual.errors import RulebookError, TableError

Measure = Literal["words", "characters"]
# So many cells a cross table may have: more are read by nobody, and take all memory.
_MOST_CELLS = 10_000_000


class ComparedValue(NamedTuple):
    """One value before and after.

    Attributes:
        value: The value.
        rows_before: How many rows had it.
        rows_after: How many rows have it.
        status: 'appeared', 'vanished', 'same' or 'changed' (in rows); for columns whose rows stand side by side also
            'merged': several values before have become this one.
        made_of: These values.
    """

    value: str | None
    rows_before: int
    rows_after: int
    status: str
    made_of: tuple[str | None, ...]


def compare_columns(before: Column, after: Column) -> list[ComparedValue]:
    """Values of two columns with their rows; merged ones are told where the columns have the same rows."""
    old = dict(zip(before.values.to_pylist(), before.counts.tolist(), strict=True))
    new = dict(zip(after.values.to_pylist(), after.counts.tolist(), strict=True))
    made_of = _find_sources(before, after) if before.rows == after.rows else {}
    compared = []
    for value in dict.fromkeys([*new, *old]):
        was, now = old.get(value, 0), new.get(value, 0)
        sources = made_of.get(value, ())
        status = "vanished" if not now else "appeared" if not was else "same" if was == now else "changed"
        if len(sources) > 1:
            status = "merged"
        compared.append(ComparedValue(value, was, now, status, sources))
    return sorted(
        compared, key=lambda one: (-one.rows_after, -one.rows_before, one.value is None, one.value or "")
    )


def _find_sources(before: Column, after: Column) -> dict[str | None, tuple[str | None, ...]]:
    """For each value after, the values before that stood in its rows, most rows first."""
    pairs = pa.array(after.codes.astype(np.int64) * max(len(before.values), 1) + before.codes)
    counted = pairs.value_counts()
    keys = counted.field("values").to_numpy(zero_copy_only=False)
    order = np.argsort(-counted.field("counts").to_numpy(zero_copy_only=False), kind="stable")
    old, new = before.values.to_pylist(), after.values.to_pylist()
    sources: dict[str | None, list[str | None]] = {}
    for key in keys[order].tolist():
        sources.setdefault(new[key // len(old)], []).append(old[key % len(old)])
    return {value: tuple(texts) for value, texts in sources.items()}


@dataclass(frozen=True, eq=False)
class CrossTable:
    """Rows by the values of a column and of others.

    Attributes:
        values: The distinct values of the column, most rows first.
        headings: The distinct combinations of the others, likewise.
        rows: (values, headings).
    """

    values: list[str | None]
    headings: list[tuple[str | None, ...]]
    rows: np.ndarray[tuple[int, int], np.dtype[np.int64]]


def cross_tabulate(
    column: Column, by: Sequence[Column], chosen: np.ndarray[tuple[int], np.dtype[np.bool_]]
) -> CrossTable:
    """Count the rows of each value of a column by the values of others.

    Args:
        column: The column.
        by: The other columns.
        chosen: Which distinct values of the column count, (distinct,).

    Returns:
        The table.

    Raises:
        TableError: Where it would have more than 10,000,000 cells.
    """
    rows = np.flatnonzero(chosen[column.codes])
    places = np.zeros(len(rows), np.int64)
    for other in by:
        both = places * max(len(other.values), 1) + other.codes[rows]
        places = pa.array(both).dictionary_encode().indices.to_numpy(zero_copy_only=False).astype(np.int64)
    # One row of each combination, which tells what it is made of.
    examples = np.zeros(int(places.max(initial=-1)) + 1, np.int64)
    examples[places[::-1]] = rows[::-1]
    width = max(len(examples), 1)
    if len(column.values) * width > _MOST_CELLS:
        raise TableError(
            f"{len(column.values):,} values by {width:,} others are more than the {_MOST_CELLS:,} cells of a cross "
            "table; tally fewer values, or one column"
        )
    table = np.bincount(
        column.codes[rows].astype(np.int64) * width + places,
        weights=None if column.weights is None else column.weights[rows],
        minlength=len(column.values) * width,
    ).astype(np.int64)
    table = table.reshape(len(column.values), width)
    down = [at for at in np.argsort(-table.sum(axis=1), kind="stable").tolist() if chosen[at]]
    across = np.argsort(-table.sum(axis=0), kind="stable")[: len(examples)]
    texts = column.values.to_pylist()
    headings = zip(
        *(other.values.take(pa.array(other.codes[examples[across]])).to_pylist() for other in by), strict=True
    )
    return CrossTable([texts[at] for at in down], list(headings), table[down][:, across])


def measure_lengths(column: Column, measure: Measure) -> Column:
    """The column with the number of words or characters in the place of each value; missing stays missing."""
    RulebookError.refuse_unknown("of", measure, get_args(Measure))
    if measure == "characters":
        counts = pc.utf8_length(column.values)
    else:
        counts = pc.count_substring_regex(column.values, pattern=r"[^\s]+")
    return Column.from_codes(counts.cast(TEXT), column.codes, weights=column.weights)
