"""What calls give back: results that print well and give pandas DataFrames."""

from __future__ import annotations

from collections.abc import Sequence
from functools import cached_property
from typing import TYPE_CHECKING, Any

from igual.core.matching.lookalikes import Lookalike
from igual.core.matching.matches import Matches as CoreMatches
from igual.core.survey import Survey as CoreSurvey
from igual.core.tally import Tally as CoreTally
from igual.report import matching_views, records, views
from igual.report.terminal import as_text
from igual.rules import Replace

if TYPE_CHECKING:
    import pandas as pd


def frame_of(found: records.Records, columns: Sequence[str]) -> pd.DataFrame:
    """Records as a DataFrame, with its columns even where there are none."""
    import pandas as pd

    return pd.DataFrame(found, columns=list(columns))


class Shown:
    """Results that print as a terminal shows them, and as tables in a notebook."""

    def _view(self) -> Any:
        raise NotImplementedError

    def _frames(self) -> dict[str, pd.DataFrame]:
        raise NotImplementedError

    def __repr__(self) -> str:
        return as_text(self._view())

    def _repr_html_(self) -> str:
        return "".join(
            f"<h4>{title}</h4>{frame.to_html(index=False, na_rep='')}"
            for title, frame in self._frames().items()
        )


class Survey(Shown):
    """A table at first look; it prints well.

    columns: DataFrame with column, kind, rows, distinct, missing, blank, shortest, longest, most_frequent.
    oddities: DataFrame with column, oddity, values, rows, groups, examples (everything invisible drawn).
    """

    def __init__(self, found: CoreSurvey) -> None:
        self._found = found

    @cached_property
    def columns(self) -> pd.DataFrame:
        return frame_of(records.of_columns(self._found), records.COLUMNS)

    @cached_property
    def oddities(self) -> pd.DataFrame:
        return frame_of(records.of_oddities(self._found), records.ODDITIES)

    def _view(self) -> Any:
        return views.survey_view(self._found)

    def _frames(self) -> dict[str, pd.DataFrame]:
        return {"Columns": self.columns, "What is odd": self.oddities}


class Tally(Shown):
    """Distinct values and how often they occur; it prints well.

    table: DataFrame with value, rows, share and running_share (both of all rows of the column, 0 to 1).
    rest: the rows of values that `top` left out.
    """

    def __init__(self, found: CoreTally, top: int | None = None) -> None:
        self._found = found
        self._top = top

    @cached_property
    def table(self) -> pd.DataFrame:
        return frame_of(records.of_tally(self._found)[: self._top], records.TALLY)

    @property
    def rest(self) -> int:
        return self._found.counted - int(self.table["rows"].sum())

    def _view(self) -> Any:
        return views.tally_view(self._found, top=self._top or 40)

    def _frames(self) -> dict[str, pd.DataFrame]:
        return {"Values": self.table}


class Matches(Shown):
    """How values match a reference list; it prints well.

    table: DataFrame with value, rows, status ('settled', 'open', 'unknown'), proposal, score, runner_up,
    runner_up_score, why, and given where an attribute was asked for; most rows first. The score is the probability
    that the proposal is what was meant. A proposal is the likeliest entry, of unknown values too.
    candidates: DataFrame with value, rank (1 to 5), entry, score.
    blank_rows: rows that are missing or blank; they are left out.
    """

    def __init__(self, found: CoreMatches) -> None:
        self._found = found
        self.blank_rows = found.blank_rows

    @cached_property
    def table(self) -> pd.DataFrame:
        import pandas as pd

        return pd.DataFrame(records.match_columns(self._found))

    @cached_property
    def candidates(self) -> pd.DataFrame:
        return frame_of(records.of_candidates(self._found), records.CANDIDATES)

    def _view(self) -> Any:
        return matching_views.matches_view(self._found)

    def _frames(self) -> dict[str, pd.DataFrame]:
        return {"Matches": self.table}


class Lookalikes(Shown):
    """Groups of values that are probably one; it prints well.

    table: DataFrame with group, value, rows, proposal, score, why; the spelling proposed comes first.
    pairs: what the rule `replace` needs to make the groups equal, value to proposal.
    """

    def __init__(self, found: Sequence[Lookalike]) -> None:
        self._found = found

    @cached_property
    def table(self) -> pd.DataFrame:
        return frame_of(records.of_named(list(self._found)), records.LOOKALIKES)

    @cached_property
    def pairs(self) -> dict[str, str]:
        return {one.value: one.proposal for one in self._found if one.value != one.proposal}

    def rule(self, column: str) -> Replace:
        """A rule `replace` that gives each value of a group its proposed spelling.

        Raises RulebookError where nothing looks alike: a rule needs a pair.
        """
        return Replace(column=column, pairs=self.pairs, where="whole", note="lookalikes")

    def rulings(self, column: str) -> pd.DataFrame:
        """The groups as a sheet of rulings to read through: column, value, ruling, reason, by, on."""
        return frame_of(records.of_rulings(self._found, column), records.RULINGS)

    def _view(self) -> Any:
        return matching_views.lookalikes_view(self._found)

    def _frames(self) -> dict[str, pd.DataFrame]:
        return {"Lookalikes": self.table}
