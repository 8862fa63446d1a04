"""The first look at a table: its columns and what is odd about them."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any, NamedTuple

import numpy as np
import pyarrow.compute as pc

from igual.column import MIXED, TEXTS, Column, to_mask
from igual.display import Reported, to_figure
from igual.looking.many_columns import ManyColumns
from igual.looking.oddities import Oddity, find_oddities

# Values that are probably one are looked for in tables of up to so many columns; each takes some milliseconds.
MOST_LOOKED_THROUGH = 200
_VALUES_AT_ONCE = 1 << 20

if TYPE_CHECKING:
    import pandas as pd
    from matplotlib.figure import Figure


class SurveyedColumn(NamedTuple):
    """One column at first look.

    Attributes:
        name: Of the column.
        kind: 'text', 'whole numbers', 'numbers', 'dates', 'times' or 'mixed'; otherwise the type of its cells.
        rows: All rows.
        distinct: Distinct values that aren't missing.
        missing: Rows without a value.
        blank: Rows with an empty text or nothing but spaces.
        shortest: Characters of the shortest value that is neither; None where there is none.
        longest: Characters of the longest.
        most_frequent: The value with most rows.
        oddities: What is odd about its values.
    """

    name: str
    kind: str
    rows: int
    distinct: int
    missing: int
    blank: int
    shortest: int | None
    longest: int | None
    most_frequent: str | None
    oddities: tuple[Oddity, ...]


@dataclass(frozen=True, repr=False)
class Survey(Reported):
    """A table at first look; it prints well.

    Attributes:
        surveyed: Its columns.
    """

    surveyed: tuple[SurveyedColumn, ...]

    def figure(self, ax: Any = None) -> Figure:
        """Draw how full each column is, with its distinct values and what is odd about it.

        Args:
            ax: Matplotlib axes to draw on; None: those of a new figure.

        Returns:
            The Matplotlib figure; `savefig` writes it as PNG or SVG.

        Raises:
            IgualError: Where Matplotlib isn't installed (the extra `figures`).
        """
        return to_figure(self, ax)

    @property
    def columns(self) -> pd.DataFrame:
        """DataFrame with column, kind, rows, distinct, missing, blank, shortest, longest, most_frequent."""
        return self._frame("columns")

    @property
    def oddities(self) -> pd.DataFrame:
        """DataFrame with column, oddity, values, rows, groups, examples (everything invisible drawn)."""
        return self._frame("oddities")

    @property
    def rows(self) -> int:
        """How many rows the table has."""
        return self.surveyed[0].rows if self.surveyed else 0


def survey_columns(columns: Iterable[tuple[str, Column]]) -> Survey:
    """Look at columns; only texts are searched for oddities.

    Args:
        columns: Names and encoded columns. Of more than MOST_LOOKED_THROUGH none is searched for lookalikes.

    Returns:
        The survey.
    """
    listed = list(columns)
    surveyed: list[SurveyedColumn] = []
    for batch in _batches(listed):
        surveyed += _survey_batch(batch, with_lookalikes=len(listed) <= MOST_LOOKED_THROUGH)
    return Survey(tuple(surveyed))


def _batches(columns: Sequence[tuple[str, Column]]) -> Iterator[Sequence[tuple[str, Column]]]:
    """Columns that are looked at together: few calls for many small ones, and no large ones at once."""
    batch: list[tuple[str, Column]] = []
    values = 0
    for name, column in columns:
        if batch and values + len(column.values) > _VALUES_AT_ONCE:
            yield batch
            batch, values = [], 0
        batch.append((name, column))
        values += len(column.values)
    if batch:
        yield batch


def _survey_batch(
    columns: Sequence[tuple[str, Column]], *, with_lookalikes: bool
) -> Iterator[SurveyedColumn]:
    many = ManyColumns([column for _, column in columns])
    missing = to_mask(many.values.is_null())
    blank = many.blank & ~missing
    is_text = ~many.blank
    lengths = pc.utf8_length(many.values).fill_null(0).to_numpy(zero_copy_only=False)
    searched = [place for place, (_, column) in enumerate(columns) if column.kind in (TEXTS, MIXED)]
    oddities: dict[int, list[Oddity]] = {}
    if searched:
        among = many if len(searched) == len(columns) else ManyColumns([columns[at][1] for at in searched])
        oddities = dict(zip(searched, find_oddities(among, with_lookalikes=with_lookalikes), strict=True))
    for place, (name, column) in enumerate(columns):
        own = many.slice_of(place)
        texts = np.flatnonzero(is_text[own])
        its_lengths = lengths[own][texts]
        most = int(texts[np.argmax(column.counts[texts])]) if len(texts) else None
        yield SurveyedColumn(
            name,
            column.kind,
            int(column.counts.sum()),
            len(column.values) - int(missing[own].sum()),
            int(column.counts[missing[own]].sum()),
            int(column.counts[blank[own]].sum()),
            int(its_lengths.min()) if len(texts) else None,
            int(its_lengths.max()) if len(texts) else None,
            None if most is None else column.values[most].as_py(),
            tuple(oddities.get(place, ())),
        )
