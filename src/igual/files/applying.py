"""A rulebook applied from file to file, in memory that depends on distinct values and not on rows."""

from __future__ import annotations

import os
from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING, NamedTuple

from igual.engines import OutputType
from igual.files.existing import NewFile, refuse_to_replace
from igual.files.formats.base import ReadOptions, TextStyle
from igual.files.outputs import outputs
from igual.files.several import expand_paths, open_several
from igual.files.streams import CleanTable, CountedTable, count_table
from igual.files.tables import checked_ending, is_text_ending, writing_table
from igual.looking.headers import RestyledHeader, restyle_headers
from igual.runs.account import Account
from igual.runs.outcome import Outcome

if TYPE_CHECKING:
    from igual.runs.rulebook import Rulebook


class CleanFile(NamedTuple):
    """A clean table that is ready to be written.

    Attributes:
        table: The table.
        restyled: The column names before and after, where the rulebook restyles them.
    """

    table: CleanTable
    restyled: list[RestyledHeader]


def make_clean(
    book: Rulebook, counted: CountedTable, account: Account, ending: str | None, *, is_guarded: bool = False
) -> CleanFile:
    """Give the clean table of a file that was counted.

    Args:
        book: The rulebook that was applied.
        counted: The file.
        account: The account of the run.
        ending: The ending of the file to write, if there is to be one.
        is_guarded: Whether cells that a spreadsheet program takes for formulas get an apostrophe.

    Returns:
        The table, ready to be written.
    """
    columns = [trail.clean_column for trail in account.trails.values()]
    if ending is not None and is_text_ending(ending):
        # A text table has the numbers as the trail shows them, digit for digit.
        columns = [one if one.output.order else one._replace(output=OutputType()) for one in columns]
    clean = CleanTable(counted, columns, is_guarded=is_guarded)
    restyled = restyle_headers(clean.names, book.headers) if book.headers else []
    return CleanFile(clean.rename([header.clean for header in restyled]) if restyled else clean, restyled)


def apply_file(
    book: Rulebook,
    source: str | os.PathLike[str] | Sequence[str | os.PathLike[str]],
    target: str | os.PathLike[str],
    options: ReadOptions,
    out_encoding: str | None,
    *,
    force: bool,
) -> Outcome:
    """Apply a rulebook from file to file; see `Rulebook.apply_file`."""
    paths = [source] if isinstance(source, str | os.PathLike) else list(source)
    ending = checked_ending(target)
    opened = open_several(expand_paths([os.fspath(path) for path in paths]), options, with_source=False)
    names = opened.names
    groups = book.group_columns(book.source_columns(names))
    counted = count_table(opened, [[names.index(name) for name in group] for group in groups])
    account = book.run(counted.source)
    clean, restyled = make_clean(book, counted, account, ending)
    with outputs([Path(path) for path in opened.files]) as staged:
        place = staged.place(target)
        if not force:
            refuse_to_replace(os.fspath(target), NewFile("table", tuple(clean.names)))
        with writing_table(place, ending, clean.schema, TextStyle(opened.dialect, out_encoding)) as writer:
            clean.write(writer)
    return Outcome(account, None, restyled)
