"""What a rulebook gives back: the clean table, with the account of every change."""

from __future__ import annotations

import os
from collections.abc import Sequence
from functools import cached_property
from typing import TYPE_CHECKING, Any

from igual.core.headers import Renamed
from igual.core.hints import Hint
from igual.core.outcome import Followed
from igual.core.outcome import Outcome as CoreOutcome
from igual.core.preview import Previewed
from igual.core.preview import preview as preview_of
from igual.core.reviewing import waiting_for_rulings
from igual.decisions import Crosswalk
from igual.files.outputs import outputs
from igual.files.sheets import sheet_ending, write_sheet
from igual.report import html, records, views
from igual.results import Shown, frame_of

if TYPE_CHECKING:
    import pandas as pd


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
