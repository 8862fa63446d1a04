"""The Python face of what is decided once and kept: rulings, reviews of sheets, crosswalks."""

from __future__ import annotations

import os
from collections.abc import Sequence
from datetime import date
from functools import cached_property
from importlib.metadata import version
from pathlib import Path
from typing import TYPE_CHECKING, Any

import pyarrow as pa

from igual.core import crosswalk as core_crosswalk
from igual.core import reviewing
from igual.core import rulings as core
from igual.core.errors import RulingError
from igual.core.rulebook import Rulebook
from igual.engines import engine_of, text_column
from igual.files.crosswalks import crosswalk_ending, load_crosswalk, write_crosswalk
from igual.files.outputs import outputs
from igual.files.rulings import load_rulings, record_rulings, withdraw_ruling
from igual.files.sheets import read_sheet
from igual.report import records
from igual.report.review_views import effect_of, review_view
from igual.results import Shown, frame_of

if TYPE_CHECKING:
    import pandas as pd

__all__ = ["Applied", "Crosswalk", "Review", "Rulings"]


class Rulings(core.Rulings):
    """What stewards decided on single values; rulings win over every other way to match.

    A ruling is an entry of the list; `alias of …`, which also proposes the value as another spelling of an entry;
    `new entry` (or `new entry: …` and how it is spelled); `keep as it is`; or `not in the list`. Where a value has
    several, the last counts.

    Rulings that were loaded from a file are written to it at once, under a lock, so that none is lost when several
    people rule at a time or a program is stopped.

    >>> import igual
    >>> rulings = igual.Rulings().decide("species", "Oak?", "Common oak", by="Ines", on="2026-05-08")
    >>> rulings.table[["value", "ruling", "by"]].values.tolist()
    [['Oak?', 'Common oak', 'Ines']]
    """

    @classmethod
    def load(cls, path: str | os.PathLike[str]) -> Rulings:
        """Read a file of rulings; where there is none yet, the first decision makes it.

        The rulings of trees.toml are kept in trees.rulings.csv beside it, and loaded with the rulebook. Raises
        RulingError that names the row (the header is row 1) of what isn't understood.
        """
        found = load_rulings(path)
        return cls(found.rulings, found.file)

    @property
    def table(self) -> pd.DataFrame:
        """column, value, ruling, reason, by, on."""
        return frame_of(records.of_named(list(self.rulings)), core.COLUMNS)

    def decide(
        self, column: str, value: str, ruling: str, reason: str = "", *, by: str = "", on: str | None = None
    ) -> Rulings:
        """The rulings with one more. on: the day, such as '2026-05-31'; None is today.

        Raises RulingError where the column, the value or the ruling is blank, or `on` is no day.
        """
        if not (column and value and ruling.strip()):
            raise RulingError("a ruling needs a column, a value and what is ruled")
        day = on if on is not None else date.today().isoformat()
        try:
            date.fromisoformat(day)
        except ValueError:
            raise RulingError(f"'on' takes a day such as 2026-05-31; found {day!r}") from None
        return self._with([core.Ruling(column, value, ruling.strip(), reason, by, day)])

    def withdraw(self, column: str, value: str) -> Rulings:
        """The rulings without the last one on a value. Raises RulingError where there is none."""
        one = self.of_value(column, value)
        if one is None:
            raise RulingError(f"there is no ruling on {value!r} of column {column!r}")
        if self.file is not None:
            return Rulings(withdraw_ruling(self.file, one).rulings, self.file)
        return Rulings([other for other in self.rulings if other is not one])

    def review(
        self,
        sheet: str | os.PathLike[str],
        book: Rulebook,
        *,
        by: str = "",
        on: str | None = None,
        overrule: bool = False,
    ) -> Review:
        """Take the rulings of a sheet that `Outcome.save_open` wrote and a steward has filled in.

        sheet: CSV or .xlsx. book: the rulebook, whose lists say what is an entry. by, on: who rules, and when.
        overrule: take rulings on values that were ruled otherwise before.

        Good rows are taken, and written where these rulings have a file; `Review.refused` says what is wrong with
        the others. Raises RulingError where the sheet can't be read.
        """
        from dataclasses import replace

        known = replace(book, rulings=self)
        day = on if on is not None else date.today().isoformat()
        found = reviewing.judged(read_sheet(sheet), known, by, day, overrule=overrule)
        return Review(found, self._with([one.ruling for one in found.taken]) if found.taken else self)

    def _with(self, more: Sequence[core.Ruling]) -> Rulings:
        if self.file is not None:
            return Rulings(record_rulings(self.file, more).rulings, self.file)
        return Rulings(self.with_more(more))


class Review(Shown):
    """What became of the rows of a sheet; it prints well.

    rulings: all rulings by now.
    taken: DataFrame with row, column, value, ruling, rows, effect.
    refused: DataFrame with row, column, value, why.
    """

    def __init__(self, found: reviewing.Review, rulings: Rulings) -> None:
        self._found = found
        self.rulings = rulings

    @cached_property
    def taken(self) -> pd.DataFrame:
        names = ("row", "column", "value", "ruling", "rows", "effect")
        rows = [
            (one.row, one.ruling.column, one.ruling.value, one.ruling.ruling, one.rows, effect_of(one))
            for one in self._found.taken
        ]
        return frame_of([dict(zip(names, row, strict=True)) for row in rows], names)

    @cached_property
    def refused(self) -> pd.DataFrame:
        return frame_of(records.of_named(list(self._found.refused)), ("row", "column", "value", "why"))

    def _view(self) -> Any:
        return review_view(self._found)

    def _frames(self) -> dict[str, pd.DataFrame]:
        return {"Taken": self.taken, "Not taken": self.refused}


class Applied(Shown):
    """A table after a crosswalk.

    table: of the same kind as what came in. unknown: DataFrame with column, value, rows, why, of the values that
    the crosswalk doesn't know, which stay as they were.
    """

    def __init__(self, table: Any, unknown: pd.DataFrame) -> None:
        self.table = table
        self.unknown = unknown

    def _view(self) -> Any:
        from rich.text import Text

        if not len(self.unknown):
            return Text("every value was in the crosswalk")
        return Text(f"not in the crosswalk:\n{self.unknown.to_string(index=False)}")

    def _frames(self) -> dict[str, pd.DataFrame]:
        return {"Not in the crosswalk": self.unknown}


class Crosswalk(core_crosswalk.Crosswalk):
    """The raw and clean values of columns, to be used again without the rulebook.

    table: an Arrow table with column, raw, clean, and perhaps rows, how, source and given.

    Raises TableError where a needed column isn't there.

    >>> import igual
    >>> from igual.rules import Case
    >>> book = igual.Rulebook([Case(column="species", style="sentence")])
    >>> crosswalk = book.apply({"species": ["NORWAY MAPLE", "Elm"]}).crosswalks
    >>> crosswalk.apply({"species": ["NORWAY MAPLE", "Gingko"]}).table
    {'species': ['Norway maple', 'Gingko']}
    """

    @classmethod
    def load(cls, path: str | os.PathLike[str], *, column: str | None = None) -> Crosswalk:
        """Read a crosswalk: CSV, Parquet, or SSSOM (a name that ends with .sssom.tsv).

        column: the column it is for, where the file doesn't say.
        """
        return cls(load_crosswalk(path, column).table)

    def save(self, path: str | os.PathLike[str]) -> None:
        """Write the crosswalk as what its name ends with: .csv, .parquet, .sssom.tsv."""
        ending = crosswalk_ending(path)
        with outputs() as staged:
            write_crosswalk(self, Path(staged.place(path)), ending, version("igual"))

    def apply(self, table: Any) -> Applied:
        """The table with every raw value of the crosswalk's columns as it is clean: one join a column.

        table: a pandas DataFrame, an Arrow table, or a dict of columns; it stays as it is. Values that the crosswalk
        doesn't know stay and are listed, and so are those that became several things by what stood in other columns.
        Missing values stay missing. Raises TableError where a column isn't there.
        """
        engine = engine_of(table)
        trails, strange = self.run(engine.names(table), lambda name: text_column(engine, table, name))
        unknown = frame_of(records.of_named(strange), ("column", "value", "rows", "why"))
        return Applied(engine.rebuilt(table, trails), unknown)

    def as_rulings(self, *, by: str = "", on: str = "") -> Rulings:
        """The settled values as rulings, such as those that another team made."""
        return Rulings(self.rulings(by, on))

    @classmethod
    def of_core(cls, found: core_crosswalk.Crosswalk) -> Crosswalk:
        return cls(pa.table(found.table))
