"""A whole column matched against a list."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import TYPE_CHECKING, Any, NamedTuple

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from igual.column import Column, Counts
from igual.display import Reported, to_figure
from igual.errors import ListError
from igual.matching.chunks import ProgressCallback
from igual.matching.index import MatchIndex
from igual.matching.matched import OPEN, STATUSES, Matched
from igual.matching.matcher import WAYS, By, match_values
from igual.matching.questions import Question, group_questions, is_rival
from igual.matching.reasons import Reasons
from igual.matching.thresholds import DEFAULTS, Thresholds
from igual.text.blanks import non_blank

if TYPE_CHECKING:
    import pandas as pd
    from matplotlib.figure import Figure


class _Waiting(NamedTuple):
    """An open value; see `WaitingValue`."""

    value: str
    rows: int
    proposal: str
    score: float
    reasons: Reasons
    rival: str
    within: str = ""


@dataclass(frozen=True, eq=False, repr=False)
class Matches(Reported):
    """How the values of a column match a reference list; it prints well.

    Attributes:
        matched: What became of each value that isn't blank, (values,).
        rows: How many rows have each, (values,).
        names: The entries of the list.
        given: An attribute of each entry, where one was asked for.
        blank_rows: Rows that are missing or blank; they are left out.
    """

    matched: Matched
    rows: Counts
    names: Sequence[str]
    given: Sequence[str | None] | None
    blank_rows: int

    @property
    def table(self) -> pd.DataFrame:
        """DataFrame of all values, most rows first.

        Columns are value, rows, status ('settled', 'open', 'unknown'), proposal, score, runner_up, runner_up_score,
        why, reasons (the same as kinds and parts), and given where an attribute was asked for. The score is the
        probability that the proposal is what was meant. A proposal is the likeliest entry, of unknown values too.
        """
        return self._frame("table")

    def figure(self, truth: Mapping[str, str] | None = None, *, ax: Any = None) -> Figure:
        """Draw the scores by status; with the truth, how many proposals are right at each score.

        Args:
            ax: Matplotlib axes to draw on; None: those of a new figure.
            truth: Value to the entry that it really means, for values of which that is known.

        Returns:
            The Matplotlib figure; `savefig` writes it as PNG or SVG.

        Raises:
            IgualError: Where Matplotlib isn't installed (the extra `figures`).
        """
        return to_figure(self, ax, truth=truth)

    @property
    def candidates(self) -> pd.DataFrame:
        """DataFrame with value, rank (1 to 5), entry, score."""
        return self._frame("candidates")

    @cached_property
    def order(self) -> list[int]:
        """Positions of the values, those with most rows first, then in the order of their characters."""
        table = pa.table({"rows": self.rows, "value": self.matched.values})
        order: list[int] = pc.sort_indices(
            table, [("rows", "descending"), ("value", "ascending")]
        ).to_pylist()
        return order

    @cached_property
    def questions(self) -> list[Question]:
        """The open values, grouped so that one answer settles many; those that settle most rows first."""
        matched, texts = self.matched, self.matched.values

        def find_rival(position: int) -> str:
            is_near = is_rival(matched.score[position], matched.runner_up_score[position])
            return self.names[matched.runner_up[position]] if is_near else ""

        waiting = [
            _Waiting(
                texts[position].as_py(),
                int(self.rows[position]),
                self.names[matched.entry[position]],
                float(matched.score[position]),
                matched.reasons_of(position),
                find_rival(position),
            )
            for position in np.flatnonzero(matched.status == OPEN).tolist()
        ]
        return group_questions(waiting, agreed=matched.count_agreed())

    def count_statuses(self) -> dict[str, tuple[int, int]]:
        """Count the values and rows of each status.

        Returns:
            Status to number of values and number of rows.
        """
        masks = {status: self.matched.status == number for number, status in enumerate(STATUSES)}
        return {status: (int(mask.sum()), int(self.rows[mask].sum())) for status, mask in masks.items()}


def match_column(
    column: Column,
    index: MatchIndex,
    by: Sequence[By] = WAYS,
    thresholds: Thresholds = DEFAULTS,
    give: str | None = None,
    on_progress: ProgressCallback | None = None,
) -> Matches:
    """Match a column to a list.

    Args:
        column: The column.
        index: The list.
        by: The ways to match.
        thresholds: When a likely match is accepted.
        give: An attribute of the list to give along with each settled entry.
        on_progress: Is called with how many of how many parts are done.

    Returns:
        What became of each value.

    Raises:
        ListError: Where the list has no such attribute.
    """
    attributes = index.reference.attributes
    if give is not None and give not in attributes:
        raise ListError.from_missing("the list", "attribute", give, attributes)
    values, rows, blank_rows = non_blank(column)
    matched = match_values(values, index, by, thresholds, on_progress)
    given = None if give is None else attributes[give]
    return Matches(matched, np.asarray(rows), index.names, given, blank_rows)
