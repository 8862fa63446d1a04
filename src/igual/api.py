"""The Python face: tables of any kind in, results that print well and give pandas DataFrames."""

from __future__ import annotations

import warnings
from collections.abc import Mapping, Sequence
from typing import TYPE_CHECKING, Any, TypedDict, Unpack

from igual.column import Column
from igual.conditions import Condition, ConditionLike, Limit
from igual.engines import open_table, read_values
from igual.errors import IgualWarning, RulebookError, TableError, spell_given
from igual.lists import Codebook, ReferenceList, as_reference_list
from igual.looking.comparison import Measure, compare_columns, cross_tabulate, measure_lengths
from igual.looking.date_forms import find_date_forms
from igual.looking.headers import restyle_headers as restyle_names
from igual.looking.lookalikes import Lookalikes, find_lookalikes
from igual.looking.tally import Sort, Tally, count_rows_meeting, find_unread, tally_column
from igual.matching.index import MatchIndex
from igual.matching.matcher import WAYS, By
from igual.matching.matches import Matches, match_column
from igual.matching.thresholds import DEFAULTS
from igual.report import records
from igual.report.frames import to_frame
from igual.report.progress import show_progress
from igual.rules.case import Case
from igual.rules.match import Match
from igual.runs.list_versions import compare_versions
from igual.text.casing import Style

if TYPE_CHECKING:
    import pandas as pd


Cell = str | int | float


class ConditionWords(TypedDict, total=False):
    """The words of a condition; see `Condition`."""

    equals: Cell
    contains: Cell
    starts: Cell
    ends: Cell
    word: Cell
    one_of: Sequence[Cell]
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
    not_: ConditionLike
    all: Sequence[ConditionLike]
    any: Sequence[ConditionLike]


def tally(
    values: Any,
    *,
    sort: Sort = "rows",
    top: int | None = None,
    of: Measure | None = None,
    codebook: Codebook | None = None,
    **condition: Unpack[ConditionWords],
) -> Tally:
    """Count distinct values, perhaps only those that meet a condition.

    Without a condition every value counts, the missing one too. Where limits are given, a warning says how many
    values are no numbers (or dates).

    Args:
        values: One column: a Series, an Arrow array, or a sequence of texts, (rows,); None, NaN and NA are missing.
        sort: By `rows` (most first, then by value), by `value`, or in the `order` of `codebook`, without one of the
            column's own categories.
        top: Only the first so many; the rest are summed in `Tally.rest`.
        of: Tally how many `words` or `characters` the values have, instead of the values themselves.
        codebook: Whose codes or labels give the order, with `sort="order"`.
        **condition: The words of a condition (equals, contains, above, …); all that are given must hold.

    Returns:
        The tally.

    Raises:
        TableError: For values that aren't texts.
        RulebookError: For a condition or a setting that is not understood.

    Example:
        >>> import igual
        >>> igual.tally(["oak", "elm", "oak", "ash"]).table["rows"].tolist()
        [2, 1, 1]
    """
    column = read_values(values)
    column = column if of is None else measure_lengths(column, of)
    order = codebook if codebook is None or isinstance(codebook, Codebook) else Codebook(codebook)
    return tally_column(column, *_read_condition(column, condition), sort, top, order)


def count(values: Any, **condition: Unpack[ConditionWords]) -> int:
    """Count the rows that meet a condition.

    Args:
        values: One column, as for `tally`, (rows,).
        **condition: The words of a condition, as for `tally`.

    Returns:
        The number of rows.

    Raises:
        TableError: For values that aren't texts.
        RulebookError: For a condition that is not understood.

    Example:
        >>> import igual
        >>> igual.count(["Norway maple", "oak", None], contains="Maple", ignore_case=True)
        1
    """
    column = read_values(values)
    return count_rows_meeting(column, *_read_condition(column, condition))


def _read_condition(column: Column, words: Mapping[str, Any]) -> tuple[Condition, dict[str, ReferenceList]]:
    """The condition that words state, and the reference list that it was given."""
    given: dict[str, Any] = {**words}
    lists: dict[str, ReferenceList] = {}
    if isinstance(reference := given.get("in_list"), ReferenceList):
        lists, given["in_list"] = {"given": reference}, "given"
    condition = Condition(**given)
    if unread := find_unread(column, condition):
        warnings.warn(str(unread), IgualWarning, stacklevel=3)
    return condition, lists


def cross_table(values: Any, by: Any, **condition: Unpack[ConditionWords]) -> pd.DataFrame:
    """Count the rows of each distinct value by the values of one other column, or of several.

    Args:
        values: One column, as for `tally`, (rows,).
        by: One column of the same length, or a table of several (a DataFrame, a dict).
        **condition: Which values count, as for `tally`.

    Returns:
        DataFrame with the values as its index and the others' values as its columns, most rows first.

    Raises:
        TableError: For columns that differ in length, and for values that aren't texts.
        RulebookError: For a condition that is not understood.

    Example:
        >>> import igual
        >>> igual.cross_table(["oak", "elm", "oak"], by=["a", "b", "b"]).loc["oak"].tolist()
        [1, 1]
    """
    import pandas as pd

    column = read_values(values)
    source = open_table(by) if hasattr(type(by), "columns") or isinstance(by, Mapping) else None
    names = source.names if source is not None else ["by"]
    others = [source.column(name) for name in names] if source is not None else [read_values(by)]
    if not others:
        raise TableError("'by' has no column")
    if any(other.rows != column.rows for other in others):
        raise TableError(
            f"the columns differ in length: {', '.join(f'{c.rows:,}' for c in [column, *others])}"
        )
    wanted, lists = _read_condition(column, condition)
    table = cross_tabulate(column, others, wanted.mask(column.values, lists=lists))
    headings = (
        pd.MultiIndex.from_tuples(table.headings, names=names)
        if len(names) > 1
        else [heading[0] for heading in table.headings]
    )
    return pd.DataFrame(table.rows, index=pd.Index(table.values, name="value"), columns=headings)


def compare(before: Any, after: Any) -> pd.DataFrame:
    """Compare two columns: which values appeared, vanished, or came together.

    Where both have as many rows, these are taken to stand side by side, and values that several have become are
    'merged'.

    Args:
        before: One column, as for `tally`, (rows,).
        after: The other, (rows,).

    Returns:
        DataFrame with value, rows_before, rows_after, status ('appeared', 'vanished', 'same', 'changed', 'merged')
        and made_of.

    Raises:
        TableError: For values that aren't texts.

    Example:
        >>> import igual
        >>> igual.compare(["Oak", "oak", "elm"], ["oak", "oak", "elm"])["status"].tolist()
        ['merged', 'same', 'vanished']
    """
    compared = compare_columns(read_values(before), read_values(after))
    return to_frame(records.to_records(compared), records.COMPARED)


def compare_lists(old: ReferenceList | Sequence[str], new: ReferenceList | Sequence[str]) -> pd.DataFrame:
    """Compare two versions of a reference list.

    An entry is renamed where its old name is an alias now, an attribute that tells entries apart (a code) is the same,
    or only case and the like differ. `igual lists` also says which rules and rulings that touches.

    Args:
        old: The version before.
        new: The version now.

    Returns:
        DataFrame with what ('added', 'removed', 'renamed'), entry, before, why.

    Example:
        >>> import igual
        >>> new = igual.ReferenceList(["Wild cherry"], {"Wild cherry": ["Gean"]})
        >>> igual.compare_lists(igual.ReferenceList(["Gean", "Elm"]), new)["what"].tolist()
        ['removed', 'renamed']
    """
    changes = compare_versions(as_reference_list(old), as_reference_list(new))
    return to_frame(records.list_list_changes(changes), records.LIST_CHANGES)


def match(
    values: Any,
    reference: ReferenceList | MatchIndex | Sequence[str],
    *,
    by: Sequence[By] | By = WAYS,
    settle: float = DEFAULTS.settle,
    ask: float = DEFAULTS.ask,
    margin: float = DEFAULTS.margin,
    give: str | None = None,
    case_sensitive: bool = False,
) -> Matches:
    """Match each distinct value to an entry of a reference list: exactly, folded, by alias, by likeness.

    A score is the probability that the entry is what was meant, fitted to real slips (see docs/matching.md). Numbers,
    roman numerals and opposites that differ, very short texts and words that may matter keep a match open, whatever
    its score. Missing and blank values are left out. What becomes of a value never depends on the
    other values.

    Args:
        values: One column, as for `tally`, (rows,).
        reference: The list, its entries, or a `MatchIndex` to use again.
        by: The ways to match, of `exact`, `folded` (case, spacing, accents and punctuation set aside) and `fuzzy`.
        settle: Minimum score to accept a match without review, 0 to 1.
        ask: Minimum probability that any entry is meant, 0 to 1, for the value to be open rather than unknown.
        margin: How clear the best entry must be: its lead over the second best, as a share of the scores of all
            entries that come into question, 0 to 1.
        give: An attribute of the list to give along with each settled entry.
        case_sensitive: Nothing that differs in case is settled.

    Returns:
        How each value matches.

    Raises:
        RulebookError: For settings out of range.
        ListError: For a list that can't be used.
        TableError: For values that aren't texts.

    Example:
        >>> import igual
        >>> igual.match(["Norway mapel", "Pier 2"], ["Norway maple", "Pier 7"]).table["status"].tolist()
        ['settled', 'open']
    """
    rule = Match(
        list="given", by=by, settle=settle, ask=ask, margin=margin, give=give, case_sensitive=case_sensitive
    )
    index = reference if isinstance(reference, MatchIndex) else MatchIndex(reference)
    with show_progress("matching") as on_progress:
        return match_column(read_values(values), index, rule.ways, rule.thresholds, give, on_progress)


def lookalikes(
    values: Any,
    *,
    reference: ReferenceList | Sequence[str] | None = None,
    min_score: float = 0.85,
    weaker: bool = False,
) -> Lookalikes:
    """Find groups of distinct values that are probably one, each with a proposed spelling and the reasons.

    Proposed is the spelling with most rows; then one that the list has; then the best formed. Every value of a
    group is like the proposed one, and no two are unlike each other. Missing and blank values are left out. How many
    rows each has counts: a value that is nearly as frequent as the one it resembles may well be one of its own.

    Args:
        values: One column, as for `tally`, (rows,).
        reference: A list, or its entries, which are preferred as spellings, and never grouped with one another.
        min_score: How likely two values must be one, above 0 and up to 1.
        weaker: Look also for values that differ by words or initials, such as `mercedes` and `mercedes-benz`; see
            `Lookalikes.weaker`. Nothing is made of them unasked.

    Returns:
        The groups.

    Raises:
        RulebookError: For a minimum score out of range.
        TableError: For values that aren't texts.

    Example:
        >>> import igual
        >>> igual.lookalikes(["Norway maple", "Norway maple", "Norway mapel", "Elm"]).pairs
        {'Norway mapel': 'Norway maple'}
    """
    RulebookError.refuse_other(bool, "True or False", weaker=weaker)
    if not isinstance(min_score, int | float) or not 0 < min_score <= 1:
        raise RulebookError(
            f"'min_score' is a probability above 0 and up to 1; found {spell_given(min_score)}"
        )
    with show_progress("looking for lookalikes") as on_progress:
        entries = None if reference is None else as_reference_list(reference)
        return find_lookalikes(read_values(values), min_score, entries, on_progress, weaker=weaker)


def date_forms(values: Any) -> pd.DataFrame:
    """Find which of the common forms of dates a column has.

    A text such as 03/04/2024 fits two forms; `only` counts the rows that fit just the one. Nothing is guessed:
    state the form that is right in the rule `date`.

    Args:
        values: One column, as for `tally`, (rows,).

    Returns:
        DataFrame with form, values, rows, and only.

    Raises:
        TableError: For values that aren't texts.

    Example:
        >>> import igual
        >>> igual.date_forms(["31/05/2024", "03/04/2024"])[["form", "rows", "only"]].to_dict("list")
        {'form': ['DD/MM/YYYY', 'MM/DD/YYYY'], 'rows': [2, 1], 'only': [1, 0]}
    """
    return to_frame(records.to_records(find_date_forms(read_values(values))), records.DATE_FORMS)


def restyle_headers(
    table: Any, style: Style = "snake", *, keep: Sequence[str] = ()
) -> tuple[Any, pd.DataFrame]:
    """Write the column names of a table in one style. Names that would be the same get a number.

    Args:
        table: A pandas DataFrame, an Arrow table, or a dict of columns; it stays as it is.
        style: Any that the rule `case` has.
        keep: Words left as they are.

    Returns:
        The table with its new names, and a DataFrame with raw, clean, collided (it got a number).

    Raises:
        TableError: For something that isn't a table.
        RulebookError: For a style that there isn't, and for words to keep that are no texts.

    Example:
        >>> import igual
        >>> table, names = igual.restyle_headers({"Tree ID": ["1"], "tree-id": ["2"]})
        >>> list(table), names["collided"].tolist()
        (['tree_id', 'tree_id_2'], [False, True])
    """
    source = open_table(table)
    words = Case(style=style, keep=keep)
    restyled = restyle_names(source.names, words.style, words.keep)
    renamed = source.engine.rename(table, [header.clean for header in restyled])
    return renamed, to_frame(records.to_records(restyled), records.RESTYLED)
