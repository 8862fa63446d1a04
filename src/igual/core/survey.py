"""The first look at a table: its columns and what is odd about them."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from igual.core.column import Column, as_mask
from igual.core.conditions import is_blank
from igual.core.oddities import Oddity, oddities


class Surveyed(NamedTuple):
    """One column at first look.

    kind: 'text', or the type of a column that holds something else. missing: rows without a value.
    blank: rows with an empty text or nothing but spaces. shortest, longest: characters of the values that are
    neither (None: there are none).
    """

    name: str
    kind: str
    rows: int
    distinct: int
    missing: int
    blank: int
    shortest: int | None
    longest: int | None
    commonest: str | None
    oddities: tuple[Oddity, ...]


@dataclass(frozen=True)
class Survey:
    """A table at first look."""

    columns: tuple[Surveyed, ...]

    @property
    def rows(self) -> int:
        return self.columns[0].rows if self.columns else 0


def survey(columns: Iterable[tuple[str, str, Column]]) -> Survey:
    """Look at columns, given as name, kind and encoded column; only texts are searched for oddities."""
    return Survey(tuple(_surveyed(name, kind, column) for name, kind, column in columns))


def _surveyed(name: str, kind: str, column: Column) -> Surveyed:
    missing = as_mask(column.values.is_null())
    blank = is_blank(column.values) & ~missing
    telling = ~missing & ~blank
    lengths = pc.utf8_length(column.values.filter(pa.array(telling))).to_numpy(zero_copy_only=False)
    most = int(np.argmax(np.where(telling, column.counts, -1))) if telling.any() else None
    return Surveyed(
        name,
        kind,
        column.rows,
        len(column.values) - int(missing.sum()),
        int(column.counts[missing].sum()),
        int(column.counts[blank].sum()),
        int(lengths.min()) if len(lengths) else None,
        int(lengths.max()) if len(lengths) else None,
        None if most is None else column.values[most].as_py(),
        tuple(oddities(column)) if kind == "text" else (),
    )
