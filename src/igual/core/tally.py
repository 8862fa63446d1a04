"""Distinct values and how often they occur."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Literal

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from igual.core.column import TEXT, Column
from igual.core.conditions import Condition
from igual.core.lists import ReferenceList
from igual.core.text.saying import counted, quoted

Sort = Literal["rows", "value"]
Lists = Mapping[str, ReferenceList]
SCHEMA = pa.schema({"value": TEXT, "rows": pa.int64(), "share": pa.float64(), "running_share": pa.float64()})


@dataclass(frozen=True, eq=False)
class Tally:
    """The tally of one column.

    table: value, rows, share and running_share (both of all rows of the column, 0 to 1).
    rows: all rows of the column, whether they meet the condition or not.
    """

    table: pa.Table
    rows: int

    @property
    def counted(self) -> int:
        """Rows that meet the condition."""
        return int(self.table["rows"].to_numpy().sum())


def tally(column: Column, condition: Condition, lists: Lists | None = None, sort: Sort = "rows") -> Tally:
    """Count the distinct values that meet a condition.

    lists: reference lists that the condition names.
    sort: by `rows` (most first, then by value) or by `value` (in Unicode order); missing stands last.
    """
    mask = condition.mask(column.values, lists=lists)
    values, rows = column.values.filter(pa.array(mask)), column.counts[mask]
    by_value = np.asarray(pc.sort_indices(values))
    order = by_value if sort == "value" else by_value[np.argsort(-rows[by_value], kind="stable")]
    rows = rows[order]
    share = rows / max(column.rows, 1)
    running = np.cumsum(rows) / max(column.rows, 1)
    return Tally(pa.table([values.take(pa.array(order)), rows, share, running], schema=SCHEMA), column.rows)


def count(column: Column, condition: Condition, lists: Lists | None = None) -> int:
    """Rows whose value meets a condition."""
    return int(column.counts[condition.mask(column.values, lists=lists)].sum())


def said_of_unread(column: Column, condition: Condition) -> str | None:
    """What to say of values that a condition with limits can't compare, if there are any."""
    mask = condition.unread(column.values)
    if not mask.any():
        return None
    first = column.values[int(np.flatnonzero(mask)[0])].as_py()
    values = counted(int(mask.sum()), "value")
    rows = counted(int(column.counts[mask].sum()), "row")
    return f"not compared: {values} ({rows}) can't be read as plain numbers or dates, such as {quoted(first)}"
