"""How commands read rulebooks and apply them to tables."""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from pathlib import Path

from igual.cli._loading import open_table
from igual.cli._options import TableSource
from igual.engines.counting import Bounds
from igual.errors import RulebookError, error_context
from igual.files.pieces import Pieces, work_pieces
from igual.files.rulebooks import load_rulebook
from igual.report.progress import show_progress
from igual.report.terminal import log_note
from igual.report.wording import quote_value
from igual.runs.account import Account
from igual.runs.gathering import Gatherer
from igual.runs.rulebook import Rulebook, find_shelf_files
from igual.text.cells import list_text_fields


def apply_files(
    rulebook: str,
    table: TableSource,
    allowed: Sequence[str],
    bounds: Bounds,
    only: int | None = None,
    codes_in: Path | None = None,
) -> tuple[Rulebook, Pieces]:
    """Apply a rulebook file to what occurs in a table; `codes_in` is where to keep what the writing of it needs."""
    whole = load_rulebook(rulebook, allowed)
    for one, other in whole.rulings.list_contested():
        log_note(
            f"{quote_value(one.column)}: {quote_value(one.value)} was ruled {quote_value(one.ruling)} by {one.by} and "
            f"{quote_value(other.ruling)} by {other.by} on {one.on}; the latter counts: see {whole.rulings.file}"
        )
    opened = open_table(table)
    with error_context(Path(rulebook).name, RulebookError):
        whole = whole.fit(opened.names, list_text_fields(opened.schema))
    with (
        show_progress(f"reading {opened.name}, applying the rules") as on_progress,
        error_context(Path(rulebook).name, RulebookError),
    ):
        pieces = work_pieces(
            whole.with_first_rules(only), opened, bounds, lambda rows: on_progress(rows, None), codes_in
        )
    if pieces.outgrown:
        names = ", ".join(map(quote_value, pieces.outgrown))
        log_note(
            f"{names}: more distinct values than are held at once ({bounds.values:,}, or {bounds.size >> 20:,} MiB); "
            "the table is worked piece by piece, and a value counts once for each piece that it stands in"
        )
    return whole, pieces


def run_on_table(book: Rulebook, table: TableSource) -> Account:
    """Apply a rulebook to what occurs in a table, and give the account alone."""
    opened = open_table(table)
    fitted = book.fit(opened.names, list_text_fields(opened.schema))
    return gather_pieces(work_pieces(fitted, opened, Bounds()))[1]


def gather_pieces(pieces: Pieces) -> tuple[int, Account]:
    """Work all pieces of a table: how many rows they have, and the account of all."""
    gatherer, rows = Gatherer(), 0
    for piece in itertools.chain([pieces.first], pieces.rest):
        gatherer.add(piece.account)
        rows += piece.counted.rows
    return rows, gatherer.gather()


def today() -> str:
    """The day, as rulings are dated."""
    from datetime import date

    return date.today().isoformat()


def user() -> str:
    """Who works here, as far as the computer knows."""
    import getpass

    try:
        return getpass.getuser()
    except (OSError, KeyError):
        return ""


def book_files(rulebook: str, book: Rulebook) -> list[Path]:
    """The files that make up a rulebook: itself, its lists, codebooks, pair lists and rulings."""
    rulings = [book.rulings.file] if book.rulings.rulings and book.rulings.file else []
    return [Path(path) for path in (rulebook, *find_shelf_files(book), *rulings)]
