"""What a rulebook gives back: the clean table, with the account of every change."""

from __future__ import annotations

import os
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import TYPE_CHECKING, Any

from igual.display import Reported, to_figure
from igual.looking.headers import RestyledHeader
from igual.matching.questions import Question
from igual.runs.account import Account, Step
from igual.runs.crosswalk import Crosswalk
from igual.runs.hints import Hint, find_hints
from igual.runs.preview import Preview, make_preview

if TYPE_CHECKING:
    import pandas as pd
    from matplotlib.figure import Figure


@dataclass(frozen=True, eq=False, repr=False)
class Outcome(Reported):
    """What a rulebook made of a table, with the account of every change; it prints well.

    Attributes:
        account: The account as named tuples, for programs.
        table: The clean table, of the same kind as what came in.
        restyled: The column names before and after, where the rulebook restyles them.
        ran_inside: Columns with more distinct values than can be held in one place: the rules ran where the rows are,
            and the account is of a sample of them.
    """

    account: Account
    table: Any
    restyled: Sequence[RestyledHeader] = ()
    ran_inside: tuple[str, ...] = ()

    @cached_property
    def hints(self) -> list[Hint]:
        """Warnings worth reading, each with rule, columns, kind, values and text."""
        return find_hints(self.account)

    @property
    def headers(self) -> pd.DataFrame:
        """DataFrame of column names in the rulebook's style: raw, clean, collided (it got a number)."""
        return self._frame("headers")

    @cached_property
    def trail(self) -> pd.DataFrame:
        """DataFrame with a row for each distinct raw value of each column.

        Columns are column, raw, clean, rows, rules (numbers of those that changed it), steps (what each made of it)
        and given (what stood in other columns that rules looked at).
        """
        return self.account.trail.to_pandas()  # type: ignore[no-any-return]

    @property
    def effects(self) -> pd.DataFrame:
        """DataFrame with a row for each rule and column: values and rows changed, unknown, open, near misses."""
        return self._frame("effects")

    @property
    def unknown(self) -> pd.DataFrame:
        """DataFrame of values without a label or entry, whatever became of them: with rule, column, value, rows."""
        return self._frame("unknown")

    @property
    def open(self) -> pd.DataFrame:
        """DataFrame of values that need a decision: rule, column, value, rows, proposal, score, why, within.

        A value is open once in each context, where the rule has `within`.
        """
        return self._frame("open")

    @property
    def questions(self) -> list[Question]:
        """Open values grouped into questions, so that one answer settles many; those that settle most rows first.

        A yes to a question with a `cause` is a ruling on a kind (`Rulings.decide_kind`); a yes to any other rules on
        its values one by one.
        """
        return self.account.questions

    @property
    def unfit(self) -> pd.DataFrame:
        """DataFrame of clean values that don't meet a check of the rulebook: check, column, value, rows, note."""
        return self._frame("unfit")

    @property
    def unused(self) -> pd.DataFrame:
        """DataFrame of pairs, codes and list entries that served for no value: rule, do, of, entry."""
        return self._frame("unused")

    @property
    def near_misses(self) -> pd.DataFrame:
        """DataFrame of values that a rule nearly caught: rule, column, entry, value, rows."""
        return self._frame("near_misses")

    def figure(self, ax: Any = None) -> Figure:
        """Draw how many distinct values each rule leaves of what it met, and what is open by column.

        Args:
            ax: Matplotlib axes to draw on, or two of them; None: those of a new figure.

        Returns:
            The Matplotlib figure; `savefig` writes it as PNG or SVG.

        Raises:
            IgualError: Where Matplotlib isn't installed (the extra `figures`).
        """
        return to_figure(self, ax)

    def preview(self, most: int = 5) -> Preview:
        """Choose examples of what each rule changed; the preview prints well.

        Args:
            most: How many examples a rule and column at most; they show every kind of change.

        Returns:
            The preview.
        """
        return make_preview(self.account.stages, most)

    def crosswalk(self, column: str) -> pd.DataFrame:
        """Give the raw and clean values of one column.

        Args:
            column: The column.

        Returns:
            DataFrame with a row for each distinct raw value: raw, clean, rows, how (the rules that changed it, and the
            way it was matched: exact, folded, alias, fuzzy with the score, ruling, open, unlisted), and given (what
            stood in other columns), where rules looked at them.

        Raises:
            TableError: Where no rule works on such a column.
        """
        beside = self.account.trail_of(column).beside
        names = ["raw", "clean", "rows", "how", *(["given"] if beside else [])]
        return self.account.crosswalk.of_column(column).select(names).to_pandas()  # type: ignore[no-any-return]

    @property
    def crosswalks(self) -> Crosswalk:
        """The crosswalk of all columns that rules touched: it can be saved, and applied without the rulebook."""
        return self.account.crosswalk

    def save_open(self, path: str | os.PathLike[str]) -> None:
        """Write what waits for rulings (open matches, then values that no entry comes near) to a sheet.

        It has column, value, shown (odd spaces drawn), rows, proposal, score, why, runners-up, and an empty ruling
        and reason for a steward to fill in; `Rulings.review` takes it back. Questions on kinds of differences stand
        before the values (in a spreadsheet on a sheet of their own, `kinds`), to be answered yes or no.

        Args:
            path: The file to write: .csv, .tsv or .xlsx.

        Raises:
            OutputError: For another ending, or where the file can't be written.
        """
        from igual.files.sheets import save_sheet

        save_sheet(self.account, path)

    def follow(self, column: str, raw: str | None) -> list[Step]:
        """Follow one raw value through every rule of its column.

        Args:
            column: The column.
            raw: The raw value; None for the missing one.

        Returns:
            A step for each rule: rule, do, before, after.

        Raises:
            TableError: Where no rule works on the column, or it has no such value.
        """
        return self.account.follow(column, raw)
