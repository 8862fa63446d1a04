"""The first look at a table: its columns and what is odd about them."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from typing import TYPE_CHECKING, NamedTuple

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from igual.column import MIXED, TEXTS, Column, to_mask
from igual.conditions import is_blank
from igual.display import Displayed
from igual.looking.oddities import Oddity, find_oddities

if TYPE_CHECKING:
    import pandas as pd


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
class Survey(Displayed):
    """A table at first look; it prints well.

    Attributes:
        surveyed: Its columns.
    """

    surveyed: tuple[SurveyedColumn, ...]

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
    """Look at columns, given as name and encoded column; only texts are searched for oddities."""
    return Survey(tuple(_survey_column(name, column) for name, column in columns))


def _survey_column(name: str, column: Column) -> SurveyedColumn:
    missing = to_mask(column.values.is_null())
    blank = is_blank(column.values) & ~missing
    is_text = ~missing & ~blank
    lengths = pc.utf8_length(column.values.filter(pa.array(is_text))).to_numpy(zero_copy_only=False)
    most = int(np.argmax(np.where(is_text, column.counts, -1))) if is_text.any() else None
    return SurveyedColumn(
        name,
        column.kind,
        int(column.counts.sum()),
        len(column.values) - int(missing.sum()),
        int(column.counts[missing].sum()),
        int(column.counts[blank].sum()),
        int(lengths.min()) if len(lengths) else None,
        int(lengths.max()) if len(lengths) else None,
        None if most is None else column.values[most].as_py(),
        tuple(find_oddities(column)) if column.kind in (TEXTS, MIXED) else (),
    )
