"""The Python face: tables of any kind in, results that print well and give pandas DataFrames."""

from __future__ import annotations

import os
import warnings
from collections.abc import Mapping, Sequence
from typing import TYPE_CHECKING, Any, TypedDict, Unpack

import numpy as np
import pyarrow as pa

from igual.core import lists as core_lists
from igual.core import rulebook as core
from igual.core.column import Column
from igual.core.comparing import Measure, cross, measured
from igual.core.comparing import compare as compare_columns
from igual.core.conditions import Condition, Limit, is_blank
from igual.core.errors import IgualWarning, RulebookError, TableError
from igual.core.headers import clean_headers
from igual.core.list_versions import compare_lists as compare_versions
from igual.core.matching import index as core_index
from igual.core.matching.lookalikes import lookalikes as lookalikes_of
from igual.core.matching.matcher import WAYS, By
from igual.core.matching.matches import match as match_column
from igual.core.matching.thresholds import USUAL
from igual.core.matching.vocabulary import Vocabulary
from igual.core.survey import survey as survey_of
from igual.core.tally import Sort, said_of_unread
from igual.core.tally import count as count_of
from igual.core.tally import tally as tally_of
from igual.core.text.casing import Style
from igual.core.text.dates import forms_of
from igual.engines import engine_of, text_column, values_column
from igual.files.lists import Codebook, PairList, ReferenceList
from igual.files.rulebooks import load_rulebook, save_rulebook
from igual.outcomes import Outcome
from igual.report import records
from igual.report.progress import waiting
from igual.results import Lookalikes, Matches, Survey, Tally, frame_of
from igual.rules import KINDS, Match

if TYPE_CHECKING:
    import pandas as pd

__all__ = [
    "Codebook", "Lookalikes", "MatchIndex", "Matches", "Outcome", "PairList", "ReferenceList", "Rulebook",
    "Survey", "Tally", "clean_names", "compare", "compare_lists", "count", "cross_table", "date_forms",
    "lookalikes", "match", "survey", "tally",
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


def tally(
    values: Any,
    *,
    sort: Sort = "rows",
    top: int | None = None,
    of: Measure | None = None,
    **condition: Unpack[ConditionWords],
) -> Tally:
    """Distinct values and how often they occur, perhaps only those that meet a condition.

    values: one column: a Series, an Arrow array, or a sequence of texts; None, NaN and NA are missing.
    sort: by `rows` (most first, then by value) or by `value`.
    top: only the first so many; the rest are summed in `Tally.rest`.
    of: tally how many `words` or `characters` the values have, instead of the values themselves.
    condition: the words of a condition (equals, contains, above, …); all that are given must hold.
        Without any, every value counts, the missing one too. Where limits are given, a warning says how
        many values are no numbers (or dates).

    >>> import igual
    >>> igual.tally(["oak", "elm", "oak", "ash"]).table["rows"].tolist()
    [2, 1, 1]
    """
    column = values_column(values)
    column = column if of is None else measured(column, of)
    return Tally(tally_of(column, *_condition(column, condition), sort), top)


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
    given, lists = {**words}, {}
    if isinstance(reference := given.get("in_list"), core_lists.ReferenceList):
        lists, given["in_list"] = {"given": reference}, "given"
    condition = Condition(**given)
    if unread := said_of_unread(column, condition):
        warnings.warn(unread, IgualWarning, stacklevel=3)
    return condition, lists  # type: ignore[return-value]


def cross_table(values: Any, by: Any, **condition: Unpack[ConditionWords]) -> pd.DataFrame:
    """Rows of each distinct value by the values of one other column, or of several.

    values: one column. by: one column of the same length, or a table of several (a DataFrame, a dict).
    condition: which values count, as for `tally`.

    Gives a DataFrame with the values as its index and the others' values as its columns, most rows first.

    >>> import igual
    >>> igual.cross_table(["oak", "elm", "oak"], by=["a", "b", "b"]).loc["oak"].tolist()
    [1, 1]
    """
    import pandas as pd

    column = values_column(values)
    engine = engine_of(by) if hasattr(by, "columns") or isinstance(by, Mapping) else None
    names = engine.names(by) if engine is not None else ["by"]
    others = [text_column(engine, by, name) for name in names] if engine is not None else [values_column(by)]
    if any(other.rows != column.rows for other in others):
        raise TableError(
            f"the columns differ in length: {', '.join(f'{c.rows:,}' for c in [column, *others])}"
        )
    wanted, lists = _condition(column, condition)
    found = cross(column, others, wanted.mask(column.values, lists=lists))
    headings = (
        pd.MultiIndex.from_tuples(found.headings, names=names)
        if len(names) > 1
        else [h[0] for h in found.headings]
    )
    return pd.DataFrame(found.rows, index=pd.Index(found.values, name="value"), columns=headings)


def compare(before: Any, after: Any) -> pd.DataFrame:
    """Two columns side by side: which values appeared, vanished, or came together.

    before, after: one column each. Where both have as many rows, these are taken to stand side by side, and
    values that several have become are 'merged'.

    Gives a DataFrame with value, rows_before, rows_after, status ('appeared', 'vanished', 'same', 'changed',
    'merged') and made_of.

    >>> import igual
    >>> igual.compare(["Oak", "oak", "elm"], ["oak", "oak", "elm"])["status"].tolist()
    ['merged', 'same', 'vanished']
    """
    return frame_of(
        records.of_named(compare_columns(values_column(before), values_column(after))), records.COMPARED
    )


def compare_lists(old: core_lists.ReferenceList, new: core_lists.ReferenceList) -> pd.DataFrame:
    """Two versions of a reference list: what ('added', 'removed', 'renamed'), entry, before, why.

    An entry is renamed where its old name is an alias now, an attribute that tells entries apart (a code) is the same,
    or only case and the like differ. `igual lists` also says which rules and rulings that touches.

    >>> import igual
    >>> new = igual.ReferenceList(["Wild cherry"], {"Wild cherry": ["Gean"]})
    >>> igual.compare_lists(igual.ReferenceList(["Gean", "Elm"]), new)["what"].tolist()
    ['removed', 'renamed']
    """
    return frame_of(records.of_list_changes(compare_versions(old, new)), ("what", "entry", "before", "why"))


class MatchIndex(core_index.MatchIndex):
    """A reference list made ready for matching: build it once, and match many columns or single values with it.

    reference: a `ReferenceList`, or the entries themselves.
    abbreviations: short forms and what each stands for, such as {"Qy": "Quay"}, or several in a list.
    opposites: groups of words that exclude each other, such as [["tidal", "dry"]]; texts that differ in them are
        never settled. small_words: words that may be missing or extra.

    These come on top of those that Igual knows. Raises ListError for a list that is empty or has an entry twice,
    RulebookError for what isn't one word.

    >>> import igual
    >>> index = igual.MatchIndex(["Kestrel Quay", "Old Town"], abbreviations={"Qy": "Quay"})
    >>> igual.match(["kestrel qy"], index).table["proposal"].tolist()
    ['Kestrel Quay']
    """

    def __init__(
        self,
        reference: core_lists.ReferenceList | Sequence[str],
        *,
        abbreviations: Mapping[str, str | Sequence[str]] | None = None,
        opposites: Sequence[Sequence[str]] = (),
        small_words: Sequence[str] = (),
    ) -> None:
        if not isinstance(reference, core_lists.ReferenceList):
            reference = ReferenceList(list(reference))
        super().__init__(reference, Vocabulary.extended(opposites, abbreviations, small_words))


def match(
    values: Any,
    reference: core_lists.ReferenceList | core_index.MatchIndex | Sequence[str],
    *,
    by: Sequence[By] | By = WAYS,
    settle: float = USUAL.settle,
    ask: float = USUAL.ask,
    margin: float = USUAL.margin,
    give: str | None = None,
    case_sensitive: bool = False,
) -> Matches:
    """Match each distinct value to an entry of a reference list: exactly, folded, by alias, by likeness.

    values: one column, as for `tally`. reference: the list, its entries, or a `MatchIndex` to use again.
    by: the ways to match, of `exact`, `folded` (case, spacing, accents and punctuation set aside) and `fuzzy`.
    settle: the least score of a match by likeness that needs nobody. margin: how far it must be ahead of the
        runner-up, where all candidates make 1. ask: the least probability that some entry is meant, to be open.
    give: an attribute of the list to give along with each settled entry.
    case_sensitive: nothing that differs in case is settled.

    A score is the probability that the entry is what was meant, fitted to real slips (see docs/matching.md). Numbers,
    roman numerals and opposites that differ, very short texts and words that may matter keep a match open, whatever
    its score. Missing and blank values are left out. Nothing depends on the order of values or entries.

    Raises RulebookError for settings out of range, ListError for a list that can't be used.

    >>> import igual
    >>> igual.match(["Norway mapel", "Pier 2"], ["Norway maple", "Pier 7"]).table["status"].tolist()
    ['settled', 'open']
    """
    ways = (by,) if isinstance(by, str) else tuple(by)
    rule = Match(list="given", by=ways, settle=settle, ask=ask, margin=margin, case_sensitive=case_sensitive)
    index = reference if isinstance(reference, core_index.MatchIndex) else MatchIndex(reference)
    with waiting("matching") as tell:
        return Matches(match_column(values_column(values), index, rule.by, rule.thresholds, give, tell))


def lookalikes(
    values: Any, *, reference: core_lists.ReferenceList | None = None, least: float = 0.9
) -> Lookalikes:
    """Groups of distinct values that are probably one, each with a proposed spelling and the reasons.

    values: one column, as for `tally`. reference: a list whose entries are preferred as spellings.
    least: how likely two values must be one, 0 to 1.

    Proposed is the spelling with most rows; then one that the list has; then the best formed. Every value of a
    group is like the proposed one, and no two are unlike each other. Missing and blank values are left out.

    >>> import igual
    >>> igual.lookalikes(["Norway maple", "Norway maple", "Norway mapel", "Elm"]).pairs
    {'Norway mapel': 'Norway maple'}
    """
    if not 0 < least <= 1:
        raise RulebookError(f"'least' is a probability above 0 and up to 1; found {least!r}")
    column = values_column(values)
    telling = ~is_blank(column.values)
    some = column.values.filter(pa.array(telling))
    with waiting("looking for lookalikes") as tell:
        return Lookalikes(lookalikes_of(some, column.counts[telling], least, reference, tell=tell))


def date_forms(values: Any) -> pd.DataFrame:
    """Which of the common forms of dates a column has: form, values, rows, and those that fit no other form.

    A text such as 03/04/2024 fits two forms; `only` counts the rows that fit just the one. Nothing is guessed:
    state the form that is right in the rule `date`.

    >>> import igual
    >>> igual.date_forms(["31/05/2024", "03/04/2024"])[["form", "rows", "only"]].to_dict("list")
    {'form': ['DD/MM/YYYY', 'MM/DD/YYYY'], 'rows': [2, 1], 'only': [1, 0]}
    """
    column = values_column(values)
    found = forms_of(column.values)
    times = sum((mask.astype(int) for _, mask in found), np.zeros(len(column.values), int))
    rows = [
        {
            "form": form,
            "values": int(mask.sum()),
            "rows": int(column.counts[mask].sum()),
            "only": int(column.counts[mask & (times == 1)].sum()),
        }
        for form, mask in found
    ]
    return frame_of(sorted(rows, key=lambda row: -row["rows"]), ("form", "values", "rows", "only"))


def clean_names(
    table: pd.DataFrame, style: Style = "snake", *, keep: Sequence[str] = ()
) -> tuple[Any, pd.DataFrame]:
    """The table with its column names in one style, and what they were: raw, clean, collided.

    table: a pandas DataFrame, an Arrow table, or a dict of columns; it stays as it is.
    style: any that the rule `case` has. keep: words left as they are.

    Names that would be the same get a number, and are marked as collided.

    >>> import igual
    >>> table, names = igual.clean_names({"Tree ID": ["1"], "tree-id": ["2"]})
    >>> list(table), names["collided"].tolist()
    (['tree_id', 'tree_id_2'], [False, True])
    """
    engine = engine_of(table)
    renamed = clean_headers(engine.names(table), style, keep)
    return engine.renamed(table, [one.clean for one in renamed]), frame_of(
        records.of_named(renamed), records.RENAMED
    )


class Rulebook(core.Rulebook):
    """An ordered list of rules with the lists and codebooks they refer to by name.

    rules: applied from first to last, each to what the ones before it made.
    lists, codebooks, pairs: by the names that the rules use.
    headers: a style of the rule `case` for the names of the columns, once the rules are done.

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
        rebuilt = engine.rebuilt(table, found.trails)
        if self.headers is None:
            return Outcome(found, rebuilt)
        renamed = clean_headers(engine.names(rebuilt), self.headers)
        return Outcome(found, engine.renamed(rebuilt, [one.clean for one in renamed]), renamed)
