"""Which forms of dates a column has."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from igual.column import Column
from igual.text.dates import forms_of


class DateForm(NamedTuple):
    """A form in which some values of a column are dates.

    Attributes:
        form: The form, such as DD/MM/YYYY.
        values: How many distinct values fit it.
        rows: How many rows.
        only: How many rows fit no other form.
    """

    form: str
    values: int
    rows: int
    only: int


def find_date_forms(column: Column) -> list[DateForm]:
    """Find the common forms in which values of a column are dates.

    Args:
        column: The column.

    Returns:
        The forms, most rows first.
    """
    forms = forms_of(column.values)
    times = sum((mask.astype(int) for _, mask in forms), np.zeros(len(column.values), int))
    counts = column.counts
    listed = [
        DateForm(form, int(mask.sum()), int(counts[mask].sum()), int(counts[mask & (times == 1)].sum()))
        for form, mask in forms
    ]
    return sorted(listed, key=lambda form: -form.rows)
