"""Table files whose distinct values are more than can be held: worked piece by piece, with the same rules."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import replace
from pathlib import Path
from typing import NamedTuple

from igual.engines.counting import Bounds, OutgrowsMemoryError
from igual.files.formats.base import OpenedTable, TablePart
from igual.files.streams import CountedTable, OnRows, count_table
from igual.runs.account import Account
from igual.runs.rulebook import Rulebook
from igual.text.cells import list_text_fields


class Piece(NamedTuple):
    """Some rows of a table, or all of them, with the account of what rules made of their values.

    Attributes:
        counted: The rows.
        account: The account.
    """

    counted: CountedTable
    account: Account


class Pieces(NamedTuple):
    """A table, worked.

    Attributes:
        first: The first piece; most tables are a single one.
        rest: The other pieces, worked as they are asked for.
        outgrown: The columns whose values are more than can be held.
    """

    first: Piece
    rest: Iterator[Piece]
    outgrown: tuple[str, ...] = ()


def work_pieces(
    book: Rulebook,
    opened: OpenedTable,
    bounds: Bounds,
    on_rows: OnRows = lambda rows: None,
    codes_in: Path | None = None,
) -> Pieces:
    """Apply a rulebook to what occurs in a table file.

    Args:
        book: The rulebook.
        opened: The file.
        bounds: How many distinct values, or combinations of values, are held at once.
        on_rows: Told how many rows were read.
        codes_in: As for `count_table`.

    Returns:
        The table as one piece, or as several where it has more values than the bounds.

    Raises:
        RulebookError: As for `Rulebook.run`.
        TableError: Where the file can't be read.
    """
    names = opened.names
    book = book.fit(names, list_text_fields(opened.schema))
    groups = [
        [names.index(name) for name in group] for group in book.group_columns(book.source_columns(names))
    ]
    try:
        counted = count_table(opened, groups, on_rows, bounds, codes_in)
    except OutgrowsMemoryError as error:
        # Each row has one combination: so many rows can't have more.
        pieces = _cut(opened, bounds.values, lambda piece: _work(book, piece, groups))
        return Pieces(next(pieces), pieces, tuple(names[place] for place in error.places))
    return Pieces(Piece(counted, book.run(counted.source)), iter(()))


def _work(book: Rulebook, piece: OpenedTable, groups: Sequence[Sequence[int]]) -> Piece:
    counted = count_table(piece, groups)
    return Piece(counted, book.run(counted.source))


def _cut(opened: OpenedTable, rows: int, work: Callable[[OpenedTable], Piece]) -> Iterator[Piece]:
    """Work so many rows at a time."""
    parts: list[TablePart] = []
    count = 0
    for part in opened.parts():
        if parts and count + part.rows > rows:
            yield work(_hold(opened, parts))
            parts, count = [], 0
        parts.append(part)
        count += part.rows
    yield work(_hold(opened, parts))


def _hold(opened: OpenedTable, parts: Sequence[TablePart]) -> OpenedTable:
    held = list(parts)
    return replace(opened, make_parts=lambda places, size: iter(held), otherwise=None)
