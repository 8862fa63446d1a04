"""Groups of values that are probably one, and what can be made of them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

from igual.column import Column
from igual.display import Reported
from igual.lists import ReferenceList
from igual.matching.chunks import ProgressCallback
from igual.matching.lookalikes import Lookalike, group_lookalikes
from igual.matching.related import Related, find_related
from igual.rules.replace import Replace
from igual.text.blanks import non_blank

if TYPE_CHECKING:
    import pandas as pd


@dataclass(frozen=True, repr=False)
class Lookalikes(Reported):
    """Groups of values that are probably one; it prints well.

    Attributes:
        members: The members of all groups; the spelling proposed comes first in each.
        related: Pairs of values that differ by words or initials and may be one, where these were asked for. They are
            in none of the groups, pairs and rules: only a person can tell.
    """

    members: Sequence[Lookalike]
    related: Sequence[Related] = ()

    @property
    def weaker(self) -> pd.DataFrame:
        """DataFrame of values that may be one, differing by words: value, rows, other, other_rows, score, why."""
        return self._frame("weaker")

    @property
    def table(self) -> pd.DataFrame:
        """DataFrame with group, value, rows, proposal, score, why, reasons; the spelling proposed comes first."""
        return self._frame("table")

    @property
    def pairs(self) -> dict[str, str]:
        """What the rule `replace` needs to make the groups equal, value to proposal."""
        return {member.value: member.proposal for member in self.members if member.value != member.proposal}

    def rule(self, column: str) -> Replace:
        """Make a rule `replace` that gives each value of a group its proposed spelling.

        Args:
            column: The column that the rule works on.

        Returns:
            The rule.

        Raises:
            RulebookError: Where nothing looks alike: a rule needs a pair.
        """
        return Replace(column=column, pairs=self.pairs, where="whole", note="lookalikes")

    def rulings(self, column: str) -> pd.DataFrame:
        """Give the groups as a sheet of rulings to read through.

        Args:
            column: The column that the rulings are for.

        Returns:
            DataFrame with column, value, ruling, reason, by, on.
        """
        return self._frame("rulings").assign(column=column)


def find_lookalikes(
    column: Column,
    min_score: float = 0.85,
    reference: ReferenceList | None = None,
    on_progress: ProgressCallback | None = None,
    *,
    weaker: bool = False,
) -> Lookalikes:
    """Find groups of values of a column that are probably one.

    Args:
        column: The column.
        min_score: How likely two values must be one, above 0 and up to 1.
        reference: A list whose entries are preferred as spellings.
        on_progress: Is called with how many of how many parts are done.
        weaker: Look also for values that differ by words or initials.

    Returns:
        The groups.
    """
    values, rows, _ = non_blank(column)
    members = group_lookalikes(values, rows, min_score, reference, on_progress=on_progress)
    return Lookalikes(members, find_related(values, rows) if weaker else ())
