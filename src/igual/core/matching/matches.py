"""A whole column matched against a list."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from igual.core.column import Column, Counts
from igual.core.conditions import is_blank
from igual.core.errors import ListError, did_you_mean
from igual.core.matching.chunks import Tell
from igual.core.matching.index import MatchIndex
from igual.core.matching.matcher import STATUSES, WAYS, By, Matched, matched
from igual.core.matching.thresholds import Thresholds


@dataclass(frozen=True, eq=False)
class Matches:
    """The values of a column that aren't blank, and what became of them.

    found: what became of each, (values,). rows: of each. names: the entries. given: an attribute of each entry.
    blank_rows: rows that are missing or blank.
    """

    found: Matched
    rows: Counts
    names: Sequence[str]
    given: Sequence[str | None] | None
    blank_rows: int

    @cached_property
    def order(self) -> list[int]:
        """Values with most rows first, then in the order of their characters."""
        table = pa.table({"rows": self.rows, "value": self.found.values})
        order: list[int] = pc.sort_indices(
            table, [("rows", "descending"), ("value", "ascending")]
        ).to_pylist()
        return order

    def counts(self) -> dict[str, tuple[int, int]]:
        """How many values and rows have each status."""
        masks = {status: self.found.status == number for number, status in enumerate(STATUSES)}
        return {status: (int(mask.sum()), int(self.rows[mask].sum())) for status, mask in masks.items()}


def match(
    column: Column,
    index: MatchIndex,
    by: Sequence[By] = WAYS,
    thresholds: Thresholds | None = None,
    give: str | None = None,
    tell: Tell | None = None,
) -> Matches:
    """Match a column; `give` names an attribute of the list to give along with each settled entry."""
    attributes = index.reference.attributes
    if give is not None and give not in attributes:
        raise ListError(f"the list has no attribute {give!r}{did_you_mean(give, attributes)}")
    telling = ~is_blank(column.values)
    values = column.values.filter(pa.array(telling))
    found = matched(values, index, by, thresholds, tell)
    blank = int(column.counts[~telling].sum()) if len(telling) else 0
    given = None if give is None else attributes[give]
    return Matches(found, np.asarray(column.counts)[telling], index.names, given, blank)
