"""Distinct values and how often they occur."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any, Literal, NamedTuple, get_args

import numpy as np
import numpy.typing as npt
import pyarrow as pa
import pyarrow.compute as pc

from igual.column import TEXT, Column
from igual.conditions import Condition
from igual.display import Reported, to_figure, to_sentence
from igual.errors import RulebookError, spell_given
from igual.lists import Codebook, ReferenceList

if TYPE_CHECKING:
    import pandas as pd
    from matplotlib.figure import Figure

Sort = Literal["rows", "value", "order"]
Lists = Mapping[str, ReferenceList]
SCHEMA = pa.schema({"value": TEXT, "rows": pa.int64(), "share": pa.float64(), "running_share": pa.float64()})


@dataclass(frozen=True, eq=False, repr=False)
class Tally(Reported):
    """Distinct values and how often they occur; it prints well.

    Attributes:
        counts: Arrow table with value, rows, share and running_share (both of all rows of the column, 0 to 1).
        rows: All rows of the column, whether they meet the condition or not.
        top: How many values `table` has at most.
    """

    counts: pa.Table
    rows: int
    top: int | None = None

    @property
    def table(self) -> pd.DataFrame:
        """DataFrame with value, rows, share and running_share (both of all rows of the column, 0 to 1)."""
        return self._frame("table")

    def figure(self, beside: Tally | None = None, *, ax: Any = None) -> Figure:
        """Draw how many rows each value has, in the order of the tally.

        Args:
            ax: Matplotlib axes to draw on; None: those of a new figure.
            beside: Another tally, to be drawn beside this one value by value, such as of the clean column.

        Returns:
            The Matplotlib figure; `savefig` writes it as PNG or SVG.

        Raises:
            IgualError: Where Matplotlib isn't installed (the extra `figures`).
        """
        return to_figure(self, ax, beside=beside)

    @property
    def counted(self) -> int:
        """Rows that meet the condition."""
        return int(self.counts["rows"].to_numpy().sum())

    @property
    def rest(self) -> int:
        """Rows of the values that `top` leaves out."""
        return self.counted - int(self.counts["rows"].to_numpy()[: self.top].sum())


class Unread(NamedTuple):
    """Values that a condition with limits can't compare.

    Attributes:
        values: How many distinct values.
        rows: How many rows have them.
        example: The first of them.
    """

    values: int
    rows: int
    example: str

    def __str__(self) -> str:
        return to_sentence(self)


def tally_column(
    column: Column,
    condition: Condition,
    lists: Lists | None = None,
    sort: Sort = "rows",
    top: int | None = None,
    codebook: Codebook | None = None,
) -> Tally:
    """Count the distinct values that meet a condition.

    Args:
        column: The column.
        condition: Which values count.
        lists: Reference lists that the condition names.
        sort: By `rows` (most first, then by value), by `value` (in Unicode order), or in the `order` of the codebook or
            of the column itself; missing stands last.
        top: How many values the table has at most.
        codebook: Whose codes or labels give the order; other values come behind, by rows.
    """
    RulebookError.refuse_unknown("sort", sort, get_args(Sort))
    if top is not None and (not isinstance(top, int | np.integer) or isinstance(top, bool) or top < 1):
        raise RulebookError(f"'top' takes a whole number from 1 on; found {spell_given(top)}")
    mask = condition.mask(column.values, lists=lists)
    values, rows = column.values.filter(pa.array(mask)), column.counts[mask]
    by_value = np.asarray(pc.sort_indices(values))
    order = by_value if sort == "value" else by_value[np.argsort(-rows[by_value], kind="stable")]
    if sort == "order":
        order = order[np.argsort(_rank(values, codebook)[order], kind="stable")]
    rows = rows[order]
    total = max(int(column.counts.sum()), 1)
    share = rows / total
    running = np.cumsum(rows) / total
    return Tally(
        pa.table([values.take(pa.array(order)), rows, share, running], schema=SCHEMA),
        int(column.counts.sum()),
        top,
    )


def _rank(values: pa.Array, codebook: Codebook | None) -> npt.NDArray[np.int64]:
    """The places of values in the order of a codebook, or in their own; (values,)."""
    last = len(values) + (0 if codebook is None else len(codebook.labels))
    if codebook is None:
        return np.where(values.is_null().to_numpy(zero_copy_only=False), last, np.arange(len(values)))
    places = np.full(len(values), last, np.int64)
    # A column has codes or labels; a text that is both is a code.
    for texts in (codebook.order, tuple(codebook.labels)):
        ranks = pc.index_in(values, pa.array(texts, TEXT)).fill_null(-1).to_numpy()
        places = np.where(ranks >= 0, ranks, places)
    return places


def count_rows_meeting(column: Column, condition: Condition, lists: Lists | None = None) -> int:
    """Rows whose value meets a condition."""
    return int(column.counts[condition.mask(column.values, lists=lists)].sum())


def find_unread(column: Column, condition: Condition) -> Unread | None:
    """Find values that a condition with limits can't compare, since they are no plain numbers or dates.

    Args:
        column: The column.
        condition: The condition.

    Returns:
        How many there are; None where there are none.
    """
    mask = condition.unread(column.values)
    if not mask.any():
        return None
    first = column.values[int(np.flatnonzero(mask)[0])].as_py()
    return Unread(int(mask.sum()), int(column.counts[mask].sum()), first)
