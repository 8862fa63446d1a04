"""The first calls with a table: look at it, and have a rulebook drafted, or rules learned from examples."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Any

import pyarrow as pa

from igual.column import Column
from igual.engines.base import CleanColumn, OutputType, open_table, read_values, wrap_values
from igual.errors import RulebookError, TableError
from igual.learning.examples import Combined, find_examples
from igual.learning.learned import Learned, learn_rules
from igual.lists import Codebook, ReferenceList
from igual.looking.survey import Survey, survey_columns
from igual.report.evidence import format_evidence
from igual.runs.draft import Draft, draft_rules
from igual.runs.outcome import Outcome
from igual.runs.review_page import ReviewPage

_MOST_COLUMNS = 6


def survey(table: Any) -> Survey:
    """Look at a table: per column its rows and distinct values, and what is odd about them.

    Missing values are counted apart from blank ones (an empty text, or nothing but spaces). Columns that
    hold no texts are counted, but not searched for oddities.

    Args:
        table: A table of any kind that `Rulebook.apply` takes.

    Returns:
        The survey.

    Raises:
        TableError: For something that isn't a table.

    Example:
        >>> import igual
        >>> look = igual.survey({"species": ["oak ", "oak", "Oak", None]})
        >>> look.oddities[["oddity", "rows"]].to_dict("list")
        {'oddity': ['spaces at the ends', 'differ only in case', 'differ only in spacing'], 'rows': [1, 2, 2]}
    """
    source = open_table(table).gather(lambda names: [[name] for name in names])
    return survey_columns((name, source.any_column(place)) for place, name in enumerate(source.names))


def draft(
    table: Any,
    *,
    lists: Mapping[str, ReferenceList] | None = None,
    codebooks: Mapping[str, Codebook] | None = None,
) -> Draft:
    """Draft a first rulebook from what a table shows, to be read through and carried on by hand.

    Rules come in the order in which people work: spaces, repair, what means nothing, one case, numbers and dates, then
    lists and codebooks. Each has a note that says why. What is uncertain is apart: `Draft.uncertain`.

    Args:
        table: A table of any kind that `Rulebook.apply` takes.
        lists: Reference lists to try on every column, by the names that the rules are to use.
        codebooks: Codebooks to try on every column.

    Returns:
        The draft: its `rulebook` can be run at once, `save` writes it.

    Raises:
        TableError: For something that isn't a table.

    Example:
        >>> import igual
        >>> table = {"planted": ["31/05/2024 ", "1/6/2024", "n/a"]}
        >>> draft = igual.draft(table)
        >>> [rule.do for rule in draft.rules]
        ['spacing', 'blanks', 'date']
        >>> draft.rulebook.apply(table).table["planted"]
        [datetime.date(2024, 5, 31), datetime.date(2024, 6, 1), None]
    """
    source = open_table(table).gather(lambda names: [[name] for name in names])
    columns = ((name, source.any_column(place)) for place, name in enumerate(source.names))
    return draft_rules(columns, format_evidence, lists, codebooks)


def learn(
    values_or_table: Any,
    wanted: Any,
    *,
    columns: str | Sequence[str] | None = None,
    into: str | None = None,
) -> Learned:
    r"""Learn rules from examples of what values are to become.

    Candidates are chains of up to four rules, ranked by how simple they are, how many of the column's values they take,
    and how like the examples their results look. What is in doubt is said: `Learned.ask` is the row to answer next.

    Args:
        values_or_table: The values of one column, as for `tally`, (rows,); or a table of any kind in memory, of which
            `columns` are read.
        wanted: What is wanted of some rows, (rows,), missing where nothing is said: a column filled in by hand so far.
            Or a mapping from raw values (of several columns tuples) to wanted ones. Or the name of the table's column
            that has it. An empty text: there is to be no value.
        columns: The column to work on, or several from which a new one is made; all others by default, if they are few.
        into: The new column that the rules write; by default they work in place, and for several columns it is
            `learned`.

    Returns:
        The rules, what they make of every row, and what to ask next.

    Raises:
        TableError: Where examples contradict each other, or name values that aren't there.
        RulebookError: Where the columns aren't clear.

    Example:
        >>> import igual
        >>> trees = ["Maple, Norway", "Lime, small-leaved", "Oak, red"]
        >>> learned = igual.learn(trees, ["Norway Maple", None, None])
        >>> learned.values
        ['Norway Maple', 'small-leaved Lime', 'red Oak']
        >>> learned.rules[0].rules[0].dump_words()["pairs"]
        {'([^,]+),\\s+(.+)': '\\2 \\1'}
    """
    RulebookError.refuse_other((str, type(None)), "the name of a new column", into=into)
    if not _is_table(values_or_table):
        table, unwrap = wrap_values(values_or_table)
        alone = open_table(table)
        column = alone.column("values")
        combined = Combined.from_columns((_name_of(values_or_table),), [column])

        def give_back(texts: pa.Array) -> Any:
            clean = CleanColumn("values", "values", column, combined.reorder(texts, column), OutputType())
            return unwrap(alone.rebuild([clean]), "values")

        learned = learn_rules(combined, find_examples(combined, _read_wanted(wanted)), into)
        return replace(learned, give_back=give_back)
    source = open_table(values_or_table)
    names = _choose_columns(source.names, columns, wanted if isinstance(wanted, str) else None)
    source = source.gather(lambda _: [[*names, *([wanted] if isinstance(wanted, str) else [])]])
    if into is not None and into in source.names:
        raise RulebookError(f"'into' would write over the column {into!r}; take a new name")
    read = source.column(wanted) if isinstance(wanted, str) else _read_wanted(wanted)
    combined = Combined.from_columns(names, [source.column(name) for name in names])
    return learn_rules(combined, find_examples(combined, read), into)


def _is_table(given: Any) -> bool:
    return (
        isinstance(given, Mapping) or hasattr(type(given), "columns") or hasattr(type(given), "column_names")
    )


def _name_of(values: Any) -> str:
    name = getattr(values, "name", None)
    return name if isinstance(name, str) and name else "values"


def _read_wanted(wanted: Any) -> Column | Mapping[Any, Any]:
    return wanted if isinstance(wanted, Mapping) else read_values(wanted)


def _choose_columns(
    names: Sequence[str], columns: str | Sequence[str] | None, wanted: str | None
) -> tuple[str, ...]:
    TableError.refuse_other(
        (str, Sequence), "one column, or several", columns=() if columns is None else columns
    )
    chosen = (columns,) if isinstance(columns, str) else tuple(() if columns is None else columns)
    for name in chosen:
        TableError.refuse_other(str, "names of columns", columns=name)
    for name in (*chosen, *([] if wanted is None else [wanted])):
        if name not in names:
            raise TableError.from_missing("the table", "column", name, names)
    if not chosen:
        chosen = tuple(name for name in names if name != wanted)
        if len(chosen) > _MOST_COLUMNS:
            raise RulebookError(f"the table has {len(chosen):,} columns: say by 'columns' which are meant")
    if not chosen or len(set(chosen)) < len(chosen):
        raise RulebookError("'columns' takes one column, or several that differ")
    return chosen


def review(outcome: Outcome, name: str = "open values") -> ReviewPage:
    """Make a page to decide on of what is open after a run.

    Args:
        outcome: What a rulebook made of a table.
        name: What the page is about; the sheet that it saves is called after it.

    Returns:
        The page: shown as it is in a notebook; `save` writes it, and `take` takes the sheet that it saves.

    Example:
        >>> import igual
        >>> trees = igual.ReferenceList(["Norway maple", "Field maple"])
        >>> rule = igual.rules.Match(column="species", list="trees")
        >>> outcome = igual.Rulebook([rule], lists={"trees": trees}).apply({"species": ["Maple"]})
        >>> igual.review(outcome)
        page to decide on: 1 value open; save(path) writes it, take(sheet) takes what comes back
    """
    TableError.refuse_other(Outcome, "what a rulebook made of a table", outcome=outcome)
    return ReviewPage(outcome.account, name)
