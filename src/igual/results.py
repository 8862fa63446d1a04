"""What calls give back: results that print well and give pandas DataFrames."""

from __future__ import annotations

import os
from collections.abc import Sequence
from functools import cached_property
from typing import TYPE_CHECKING, Any

from igual.core.headers import Renamed
from igual.core.hints import Hint
from igual.core.matching.lookalikes import Lookalike
from igual.core.matching.matches import Matches as CoreMatches
from igual.core.outcome import Followed
from igual.core.outcome import Outcome as CoreOutcome
from igual.core.preview import Previewed
from igual.core.preview import preview as preview_of
from igual.core.reviewing import waiting_for_rulings
from igual.core.survey import Survey as CoreSurvey
from igual.core.tally import Tally as CoreTally
from igual.files.outputs import outputs
from igual.files.sheets import sheet_ending, write_sheet
from igual.report import html, matching_views, records, views
from igual.report.terminal import as_text
from igual.rules import Replace

if TYPE_CHECKING:
    import pandas as pd

    from igual.decisions import Crosswalk


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
        columns = records.MATCHES if self._found.given is None else (*records.MATCHES, "given")
        return frame_of(records.of_matches(self._found), columns)

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


class Preview(Shown):
    """What rules change, before and after, with what differs marked.

    table: DataFrame with rule, do, column, before, after, rows.
    """

    def __init__(self, found: list[Previewed]) -> None:
        self._found = found

    @cached_property
    def table(self) -> pd.DataFrame:
        changes = [change for previewed in self._found for change in previewed.changes]
        return frame_of(records.of_named(changes), records.CHANGES)

    def _view(self) -> Any:
        return views.preview_view(self._found, plain=True)

    def _repr_html_(self) -> str:
        return html.of_preview(self._found)


class Outcome(Shown):
    """What a rulebook made of a table, with the account of every change; it prints well.

    table: the clean table, of the same kind as what came in.
    hints: warnings worth reading, each with rule, column, kind and text.
    """

    def __init__(self, found: CoreOutcome, table: Any, renamed: Sequence[Renamed] = ()) -> None:
        self._found = found
        self._renamed = renamed
        self.table = table

    @cached_property
    def headers(self) -> pd.DataFrame:
        """Column names in the rulebook's style: raw, clean, collided (it got a number)."""
        return frame_of(records.of_named(list(self._renamed)), records.RENAMED)

    @property
    def hints(self) -> list[Hint]:
        return self._found.hints

    @cached_property
    def trail(self) -> pd.DataFrame:
        """column, raw, clean, rows, rules (numbers of those that changed it), steps (what each made of it)."""
        return self._found.trail.to_pandas()  # type: ignore[no-any-return]

    @cached_property
    def effects(self) -> pd.DataFrame:
        """Per rule and column: values and rows changed, unknown values and rows, near misses, note."""
        return frame_of(self._found.effects, records.EFFECTS)

    @cached_property
    def unknown(self) -> pd.DataFrame:
        """Values without a label or entry, whatever became of them: rule, column, value, rows, kind, near."""
        return frame_of(records.of_named(self._found.unknown), records.UNKNOWN)

    @cached_property
    def open(self) -> pd.DataFrame:
        """Values that wait for a person: rule, column, value, rows, proposal, score, why, runners_up."""
        return frame_of(records.of_named(self._found.open), records.OPEN)

    @cached_property
    def unfit(self) -> pd.DataFrame:
        """Clean values that don't meet a check of the rulebook: check, column, value, rows, note."""
        return frame_of(records.of_named(list(self._found.unfit)), records.UNFIT)

    @cached_property
    def unused(self) -> pd.DataFrame:
        """Pairs, codes and list entries that served for no value: rule, do, of, entry."""
        return frame_of(self._found.unused, records.UNUSED)

    @cached_property
    def near_misses(self) -> pd.DataFrame:
        """Values an entry would have caught but for case, outer spaces, …: rule, column, entry, value, rows."""
        return frame_of(records.of_named(self._found.near_misses), records.NEAR_MISSES)

    def preview(self, most: int = 5) -> Preview:
        """What each rule changed, in up to `most` examples that show every kind of change; it prints well."""
        return Preview(preview_of(self._found.stages, most))

    def crosswalk(self, column: str) -> pd.DataFrame:
        """raw, clean, rows and how of one column, a row for each distinct raw value.

        how: the rules that changed it, and the way it was matched: exact, folded, alias, fuzzy with the score,
        ruling, open, unlisted. given: what stood in other columns, where rules looked at them.
        """
        return self._found.crosswalk(column).to_pandas()  # type: ignore[no-any-return]

    @cached_property
    def crosswalks(self) -> Crosswalk:
        """The crosswalk of all columns that rules touched: it can be saved, and applied without the rulebook."""
        from igual.decisions import Crosswalk

        return Crosswalk.of_core(self._found.crosswalks)

    def save_open(self, path: str | os.PathLike[str]) -> None:
        """Write what waits for rulings (open matches, then values no entry comes near) to a sheet, .csv or .xlsx.

        It has column, value, shown (odd spaces drawn), rows, proposal, score, why, runners-up, and an empty ruling
        and reason for a steward to fill in; `Rulings.review` takes it back.
        """
        ending = sheet_ending(path)
        with outputs() as staged:
            write_sheet(waiting_for_rulings(self._found), staged.place(path), ending)

    def follow(self, column: str, raw: str | None) -> list[Followed]:
        """One raw value through every rule of its column: rule, do, before, after."""
        return self._found.follow(column, raw)

    def _view(self) -> Any:
        return views.outcome_view(self._found)

    def _frames(self) -> dict[str, pd.DataFrame]:
        hints = frame_of(records.of_named(self.hints), records.HINTS)
        return {
            "What each rule changed": self.effects,
            "Unknown": self.unknown,
            "Open": self.open,
            "Hints": hints,
        }
