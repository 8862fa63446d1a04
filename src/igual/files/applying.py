"""A rulebook applied from file to file, in memory that depends on distinct values and not on rows."""

from __future__ import annotations

import itertools
import os
from collections.abc import Iterable, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, NamedTuple

import pyarrow as pa

from igual.engines import OutputType
from igual.engines.counting import Bounds
from igual.errors import OutputError, TableError
from igual.files.existing import NewFile, refuse_to_replace
from igual.files.formats.base import ReadOptions, TextStyle, Writer
from igual.files.outputs import outputs
from igual.files.pieces import Piece, work_pieces
from igual.files.several import expand_paths, open_several
from igual.files.sources import to_path
from igual.files.streams import CleanTable, CountedTable, OnRows
from igual.files.tables import checked_ending, is_text_ending, writing_table
from igual.looking.headers import RestyledHeader, restyle_headers
from igual.runs.account import Account
from igual.runs.gathering import Gatherer
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
    bounds: Bounds,
    *,
    force: bool,
) -> Outcome:
    """Apply a rulebook from file to file; see `Rulebook.apply_file`."""
    ending, path = checked_ending(target), to_path(target, OutputError)
    opened = open_several(expand_paths(_list_sources(source)), options, with_source=False)
    pieces = work_pieces(book, opened, bounds, codes_in=path.parent)
    clean, restyled = make_clean(book, *pieces.first, ending)
    gatherer = Gatherer()
    with outputs([Path(path) for path in opened.files]) as staged:
        place = staged.place(target)
        if not force:
            refuse_to_replace(path, NewFile("table", tuple(clean.names)))
        with writing_table(place, ending, clean.schema, TextStyle(opened.dialect, out_encoding)) as writer:
            for piece in itertools.chain([pieces.first], pieces.rest):
                write_piece(book, piece, ending, clean, writer)
                gatherer.add(piece.account)
    return Outcome(gatherer.gather(), None, restyled, pieces.outgrown)


def _list_sources(source: str | os.PathLike[str] | Sequence[str | os.PathLike[str]]) -> list[str]:
    listed = [source] if isinstance(source, str | bytes) or not isinstance(source, Iterable) else list(source)
    if not listed:
        raise TableError("expected the table's file, or several; found none")
    for one in listed:
        to_path(one)
    return [os.fsdecode(one) for one in listed]


def write_piece(
    book: Rulebook,
    piece: Piece,
    ending: str,
    first: CleanTable,
    writer: Writer,
    on_rows: OnRows = lambda rows: None,
    *,
    is_guarded: bool = False,
) -> None:
    """Write the clean rows of a piece.

    Args:
        book: The rulebook.
        piece: The piece.
        ending: The ending of the file.
        first: The clean table of the first piece, whose columns all have.
        writer: What writes the file.
        on_rows: Told how many rows were written.
        is_guarded: Whether cells that a spreadsheet program takes for formulas get an apostrophe.

    Raises:
        OutputError: Where a column is of another type than in the first piece.
    """
    clean = make_clean(book, *piece, ending, is_guarded=is_guarded).table
    for own, wanted in zip(clean.schema, first.schema, strict=True):
        # Labels are in order wherever there are any; texts beside them are held as the first piece has them.
        if _type_of_values(own.type) != _type_of_values(wanted.type):
            raise OutputError(
                f"column {own.name!r} is {wanted.type} in one piece of the table and {own.type} in another; write it "
                "as .csv"
            )
    clean.write(writer, on_rows)


def _type_of_values(kind: pa.DataType) -> pa.DataType:
    return kind.value_type if pa.types.is_dictionary(kind) else kind
