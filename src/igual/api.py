"""The Python face: tables of any kind in, results that print well and give pandas DataFrames."""

from __future__ import annotations

import os
import warnings
from collections.abc import Mapping, Sequence
from functools import cached_property
from typing import TYPE_CHECKING, Any, TypedDict, Unpack

from igual.core import lists as core_lists
from igual.core import rulebook as core
from igual.core.column import Column
from igual.core.conditions import Condition, Limit
from igual.core.errors import IgualWarning
from igual.core.hints import Hint
from igual.core.outcome import Followed
from igual.core.outcome import Outcome as CoreOutcome
from igual.core.survey import Survey as CoreSurvey
from igual.core.survey import survey as survey_of
from igual.core.tally import Sort, said_of_unread
from igual.core.tally import Tally as CoreTally
from igual.core.tally import count as count_of
from igual.core.tally import tally as tally_of
from igual.engines import engine_of, text_column, values_column
from igual.files.lists import Codebook, PairList, ReferenceList
from igual.files.rulebooks import load_rulebook, save_rulebook
from igual.report import records, views
from igual.report.terminal import as_text
from igual.rules import KINDS

if TYPE_CHECKING:
    import pandas as pd

__all__ = [
    "Codebook", "Outcome", "PairList", "ReferenceList", "Rulebook", "Survey", "Tally", "count", "survey", "tally",
]  # fmt: skip


def survey(table: Any) -> Survey:
    """Look at a table: per column its rows and distinct values, and what is odd about them.

    table: a pandas DataFrame, an Arrow table, or a dict of column names and sequences.

    Missing values are counted apart from blank ones (an empty text, or nothing but spaces). Columns that
    hold no texts are counted, but not searched for oddities.

    >>> import igual
    >>> look = igual.survey({"species": ["oak ", "oak", "Oak", None]})
    >>> look.oddities[["oddity", "rows"]].to_dict("list")
    {'oddity': ['spaces at the ends', 'differ only in case', 'differ only in spacing'], 'rows': [1, 2, 2]}
    """
    engine = engine_of(table)
    names = engine.names(table)
    return Survey(
        survey_of(
            (name, engine.kind(table, place).partition(":")[0], engine.column(table, place))
            for place, name in enumerate(names)
        )
    )


class ConditionWords(TypedDict, total=False):
    """The words of a condition; see `Condition`."""

    equals: str
    contains: str
    starts: str
    ends: str
    word: str
    one_of: Sequence[str]
    like: str
    pattern: str
    above: Limit
    at_least: Limit
    below: Limit
    at_most: Limit
    between: Sequence[Limit]
    length: int | Sequence[int]
    in_list: ReferenceList
    blank: bool
    ignore_case: bool
    not_: Any
    all: Any
    any: Any


def tally(values: Any, *, sort: Sort = "rows", **condition: Unpack[ConditionWords]) -> Tally:
    """Distinct values and how often they occur, perhaps only those that meet a condition.

    values: one column: a Series, an Arrow array, or a sequence of texts; None, NaN and NA are missing.
    sort: by `rows` (most first, then by value) or by `value`.
    condition: the words of a condition (equals, contains, above, …); all that are given must hold.
        Without any, every value counts, the missing one too. Where limits are given, a warning says how
        many values are no numbers (or dates).

    >>> import igual
    >>> igual.tally(["oak", "elm", "oak", "ash"]).table["rows"].tolist()
    [2, 1, 1]
    """
    column = values_column(values)
    return Tally(tally_of(column, *_condition(column, condition), sort))


def count(values: Any, **condition: Unpack[ConditionWords]) -> int:
    """How many rows meet a condition; its words are those of `tally`.

    >>> import igual
    >>> igual.count(["Norway maple", "oak", None], contains="Maple", ignore_case=True)
    1
    """
    column = values_column(values)
    return count_of(column, *_condition(column, condition))


def _condition(column: Column, words: Mapping[str, Any]) -> tuple[Condition, dict[str, ReferenceList]]:
    """The condition that words state, and the reference list that it was given."""
    given = {**words}
    lists = {}
    if isinstance(reference := given.get("in_list"), core_lists.ReferenceList):
        lists, given["in_list"] = {"given": reference}, "given"
    condition = Condition(**given)
    if unread := said_of_unread(column, condition):
        warnings.warn(unread, IgualWarning, stacklevel=3)
    return condition, lists  # type: ignore[return-value]


class _Shown:
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


class Survey(_Shown):
    """A table at first look; it prints well.

    columns: DataFrame with column, kind, rows, distinct, missing, blank, shortest, longest, most_frequent.
    oddities: DataFrame with column, oddity, values, rows, groups, examples (everything invisible drawn).
    """

    def __init__(self, found: CoreSurvey) -> None:
        self._found = found

    @cached_property
    def columns(self) -> pd.DataFrame:
        return _frame(records.of_columns(self._found), records.COLUMNS)

    @cached_property
    def oddities(self) -> pd.DataFrame:
        return _frame(records.of_oddities(self._found), records.ODDITIES)

    def _view(self) -> Any:
        return views.survey_view(self._found)

    def _frames(self) -> dict[str, pd.DataFrame]:
        return {"Columns": self.columns, "What is odd": self.oddities}


class Tally(_Shown):
    """Distinct values and how often they occur; it prints well.

    table: DataFrame with value, rows, share and running_share (both of all rows of the column, 0 to 1).
    """

    def __init__(self, found: CoreTally) -> None:
        self._found = found

    @cached_property
    def table(self) -> pd.DataFrame:
        return _frame(records.of_tally(self._found), records.TALLY)

    def _view(self) -> Any:
        return views.tally_view(self._found, top=40)

    def _frames(self) -> dict[str, pd.DataFrame]:
        return {"Values": self.table}


class Rulebook(core.Rulebook):
    """An ordered list of rules with the lists and codebooks they refer to by name.

    rules: applied from first to last, each to what the ones before it made.
    lists, codebooks: by the names that the rules use.

    Raises RulebookError when a rule refers to a list or codebook that isn't there.

    >>> import igual
    >>> from igual.rules import Case, Spacing
    >>> book = igual.Rulebook([Spacing(column="species"), Case(column="species", style="sentence")])
    >>> book.apply({"species": [" NORWAY  maple"]}).table
    {'species': ['Norway maple']}
    """

    @classmethod
    def load(cls, path: str | os.PathLike[str]) -> Rulebook:
        """Read a rulebook file; its lists and codebooks are looked for beside it.

        Raises RulebookError with one message that names file, rule and the nearest valid word.
        """
        return load_rulebook(path, cls, KINDS)

    def save(self, path: str | os.PathLike[str]) -> None:
        """Write a rulebook file that `load` reads as an equal rulebook.

        Lists and codebooks that were read from files are named; others are written out in the rulebook.
        """
        save_rulebook(self, path)

    def apply(self, table: Any, *, only: int | None = None) -> Outcome:
        """Apply the rules to a table, which stays as it is.

        table: a pandas DataFrame, an Arrow table, or a dict of column names and sequences.
        only: apply the first so many rules, to see how far they get.

        Missing values stay missing, and columns that no rule names come out as they came in.

        Raises RulebookError where a rule names a column the table doesn't have, TableError where such a
        column holds anything but texts.
        """
        engine = engine_of(table)
        found = self.up_to(only).run(engine.names(table), lambda name: text_column(engine, table, name))
        return Outcome(found, engine.rebuilt(table, found.trails))


class Outcome(_Shown):
    """What a rulebook made of a table, with the account of every change; it prints well.

    table: the clean table, of the same kind as what came in.
    hints: warnings worth reading, each with rule, column, kind and text.
    """

    def __init__(self, found: CoreOutcome, table: Any) -> None:
        self._found = found
        self.table = table

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
        return _frame(self._found.effects, records.EFFECTS)

    @cached_property
    def unknown(self) -> pd.DataFrame:
        """Values without a label or entry, whatever became of them: rule, column, value, rows, kind, near."""
        return _frame(records.of_named(self._found.unknown), records.UNKNOWN)

    @cached_property
    def unused(self) -> pd.DataFrame:
        """Pairs, codes and list entries that served for no value: rule, do, of, entry."""
        return _frame(self._found.unused, records.UNUSED)

    @cached_property
    def near_misses(self) -> pd.DataFrame:
        """Values an entry would have caught but for case, outer spaces, …: rule, column, entry, value, rows."""
        return _frame(records.of_named(self._found.near_misses), records.NEAR_MISSES)

    def crosswalk(self, column: str) -> pd.DataFrame:
        """raw, clean and rows of one column, a row for each distinct raw value."""
        return self._found.crosswalk(column).to_pandas()  # type: ignore[no-any-return]

    def follow(self, column: str, raw: str | None) -> list[Followed]:
        """One raw value through every rule of its column: rule, do, before, after."""
        return self._found.follow(column, raw)

    def _view(self) -> Any:
        return views.outcome_view(self._found)

    def _frames(self) -> dict[str, pd.DataFrame]:
        hints = _frame(records.of_named(self.hints), records.HINTS)
        return {"What each rule changed": self.effects, "Unknown": self.unknown, "Hints": hints}


def _frame(found: records.Records, columns: Sequence[str]) -> pd.DataFrame:
    import pandas as pd

    return pd.DataFrame(found, columns=list(columns))
