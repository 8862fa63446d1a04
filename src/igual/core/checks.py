"""What must hold of clean columns, in the vocabulary of conditions."""

from __future__ import annotations

from collections.abc import Mapping
from typing import NamedTuple

import numpy as np
import pyarrow as pa
from pydantic import model_validator

from igual.core.conditions import Condition, is_blank
from igual.core.lists import ReferenceList
from igual.core.trail import ColumnTrail
from igual.core.words import Worded


class Check(Worded):
    """A condition that every value of a clean column must meet.

    column: the column. must: the condition. note: why; it appears with what doesn't meet it.

    Missing and blank values pass, unless the condition says `blank = false`.
    """

    column: str
    must: Condition
    note: str | None = None

    @model_validator(mode="after")
    def _looks_at_its_column(self) -> Check:
        if self.must.columns():
            raise ValueError("'must' looks at the column of the check; it can't name another")
        return self


class Unfit(NamedTuple):
    """A value that doesn't meet a check."""

    check: int
    column: str
    value: str | None
    rows: int
    note: str | None


def unfit_for(
    number: int, check: Check, trail: ColumnTrail, lists: Mapping[str, ReferenceList]
) -> list[Unfit]:
    """The clean values of a column that don't meet a check, most rows first."""
    trail = trail.merged()
    mask = ~check.must.mask(trail.values, lists=lists)
    if check.must.blank is None:
        mask &= ~is_blank(trail.values)
    places = np.flatnonzero(mask)
    values = trail.values.take(pa.array(places)).to_pylist()
    found = [
        Unfit(number, check.column, value, int(trail.rows[place]), check.note)
        for place, value in zip(places.tolist(), values, strict=True)
    ]
    return sorted(found, key=lambda unfit: (-unfit.rows, unfit.value or ""))
