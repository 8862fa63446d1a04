"""The first calls with a table: look at it, and have a rulebook drafted."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from igual.engines.base import open_table
from igual.lists import Codebook, ReferenceList
from igual.looking.survey import Survey, survey_columns
from igual.runs.draft import Draft, draft_rules


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
    return draft_rules(columns, lists, codebooks)
