"""`igual review`."""

from __future__ import annotations

import sys
from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING

import click

from igual.cli._options import (
    TableSource,
    allow_outside_option,
    encoding_option,
    force_option,
    json_option,
    print_json,
    rulebook_argument,
)

if TYPE_CHECKING:
    from igual.files.list_changes import ListAdditions
    from igual.rulings import Rulings
    from igual.runs.review import Answer, Review
    from igual.runs.rulebook import Rulebook


# A page shows so many other columns of the rows of a value, unless it is said which.
_SHOWN = 6


@click.command(short_help="Take rulings on what is open, from a sheet or one by one.")
@rulebook_argument
@click.argument("sheet", required=False)
@click.option(
    "--table",
    metavar="TABLE",
    help="Without SHEET: ask about what is open in this table, or say what --add-to-lists changes in it.",
)
@click.option(
    "--show", "show_columns", metavar="COLUMNS", help="Show these columns of some rows of each value: a,b."
)
@click.option(
    "--page", metavar="FILE", help="With --table: write a page to decide on, for a browser (.html)."
)
@force_option
@click.option("--by", metavar="NAME", help="Who rules; otherwise the name you are logged in with.")
@click.option(
    "--withdraw", metavar="VALUE", help="Take back the last ruling on a value, or on the words of a kind."
)
@click.option("--column", metavar="COLUMN", help="The column, where rulings on several have such a value.")
@click.option("--look", is_flag=True, help="Show what the sheet would change, and write nothing.")
@click.option("--overrule", is_flag=True, help="Take rulings on values that were ruled otherwise before.")
@click.option(
    "--add-to-lists", is_flag=True, help="Write new entries and aliases back to the lists' CSV files."
)
@allow_outside_option
@encoding_option
@json_option
def review(
    rulebook: str,
    sheet: str | None,
    table: str | None,
    show_columns: str | None,
    page: str | None,
    force: bool,
    by: str | None,
    withdraw: str | None,
    column: str | None,
    look: bool,
    overrule: bool,
    add_to_lists: bool,
    allow_outside: tuple[str, ...],
    encoding: str | None,
    as_json: bool,
) -> int:
    """Take rulings on open values, from a sheet that `igual apply --open` wrote, or in a terminal.

    In a terminal, kinds of differences come first ("May ‘library’ be left out?"): one answer settles many values.

    They are kept beside the rulebook (trees.rulings.csv for trees.toml), and every later run knows them.
    Exit status 1 where rows of the sheet could not be taken.

    \b
    Examples:  igual review trees.toml open.xlsx
               igual review trees.toml --table trees.csv --page open.html
               igual review trees.toml --withdraw library
    """  # noqa: D301 - \b keeps the lines of the examples
    from igual.cli._applying import user
    from igual.files.list_changes import add_to_list_files, find_additions
    from igual.files.rulebooks import load_rulebook
    from igual.files.rulings import rulings_file
    from igual.files.sheets import read_sheet
    from igual.report.records import from_review
    from igual.report.review_views import review_view
    from igual.report.terminal import log_note, show, show_line

    if page and table is None:
        raise click.UsageError("--page needs --table: it asks about what is open there.")
    if sheet is None and table is None and withdraw is None and not add_to_lists:
        raise click.UsageError("Give a SHEET that came back, or --table TABLE to be asked one by one.")
    if sheet is not None and table is not None:
        raise click.UsageError("Give a SHEET or --table, not both.")
    if show_columns and table is None:
        raise click.UsageError("--show needs --table: its rows are shown.")
    kept, status = rulings_file(rulebook, allow_outside), 0
    if withdraw is not None:
        from igual.cli._asking import withdraw_last

        show_line(withdraw_last(kept, withdraw, column))
    who = by or user()
    if sheet is not None:
        taken = _take_sheet(
            rulebook, read_sheet(sheet, encoding), who, allow_outside, look=look, overrule=overrule
        )
        status = int(bool(taken.rejected))
        if as_json:
            print_json(
                {"rulings": str(kept), "written": bool(taken.accepted) and not look, **from_review(taken)}
            )
        else:
            show(review_view(taken))
            if taken.accepted:
                show_line("Nothing was written: --look only looks." if look else f"Kept in {kept}")
    elif table is not None and (page or not add_to_lists):
        source = TableSource((table,), encoding)
        if page:
            _write_page(rulebook, source, page, show_columns, allow_outside, force=force)
        else:
            _ask(rulebook, source, show_columns, allow_outside, who)
    if add_to_lists:
        book = load_rulebook(rulebook, allow_outside)
        additions = find_additions(book)
        lines = _list_unsettled(book, additions, table, encoding) if table is not None and additions else []
        for line in [*lines, *([] if look else add_to_list_files(additions))]:
            (log_note if as_json else show_line)(line)
    return status


def _list_unsettled(
    book: Rulebook, additions: Sequence[ListAdditions], table: str, encoding: str | None
) -> list[str]:
    """Say which settled values of a table the additions would leave open, before they are written."""
    from igual.cli._applying import run_on_table
    from igual.files.list_changes import with_additions
    from igual.report.review_views import list_unsettled
    from igual.runs.list_versions import find_unsettled

    source = TableSource((table,), encoding)
    later = with_additions(book, additions)
    lines = list_unsettled(find_unsettled(run_on_table(book, source), run_on_table(later, source)))
    return lines or ["What is added leaves every settled value of the table settled."]


def _take_sheet(
    rulebook: str,
    answers: Sequence[Answer],
    who: str,
    allow_outside: tuple[str, ...],
    *,
    look: bool,
    overrule: bool,
) -> Review:
    """Take the rulings of a sheet, or only look what they would be."""
    from igual.cli._applying import today
    from igual.files.rulebooks import load_rulebook
    from igual.files.rulings import record_review, rulings_file
    from igual.runs.review import check_answers

    book = load_rulebook(rulebook, allow_outside)

    def check(known: Rulings) -> Review:
        return check_answers(answers, replace(book, rulings=known), who, today(), overrule=overrule)

    return check(book.rulings) if look else record_review(rulings_file(rulebook, allow_outside), check)


def _ask(
    rulebook: str, source: TableSource, show_columns: str | None, allow_outside: tuple[str, ...], who: str
) -> None:
    """Ask about what is open in a table, one by one."""
    from igual.cli._applying import apply_files, gather_pieces
    from igual.cli._asking import ask_one_by_one, show_beside
    from igual.engines.counting import Bounds
    from igual.files.rulings import rulings_file
    from igual.report.terminal import on_terminal

    if not on_terminal() or not sys.stdin.isatty():
        raise click.UsageError(
            "Asking one by one needs a terminal; write a sheet with igual apply --open FILE, and give it here."
        )
    book, pieces = apply_files(rulebook, source, allow_outside, Bounds())
    account = gather_pieces(pieces)[1]
    beside = show_beside(source, account, show_columns.split(",")) if show_columns else (lambda _: ())
    ask_one_by_one(book, account, rulings_file(rulebook, allow_outside), who, beside)


def _write_page(
    rulebook: str,
    source: TableSource,
    page: str,
    show_columns: str | None,
    allow_outside: tuple[str, ...],
    *,
    force: bool,
) -> None:
    """Write what is open in a table as a page to decide on."""
    from igual.cli._applying import apply_files, book_files, gather_pieces
    from igual.cli._asking import show_beside
    from igual.engines.counting import Bounds
    from igual.files.pages import page_ending, save_page
    from igual.report.pages.deciding_page import render_deciding_page
    from igual.report.terminal import show_line
    from igual.report.wording import format_count

    page_ending(page)
    book, pieces = apply_files(rulebook, source, allow_outside, Bounds())
    opened = pieces.first.counted.opened
    account = gather_pieces(pieces)[1]
    asked = {one.column for one in account.waiting}
    chosen = show_columns.split(",") if show_columns else [n for n in opened.names if n not in asked][:_SHOWN]
    beside = show_beside(source, account, chosen)
    html = render_deciding_page(account, Path(rulebook).stem, beside)
    save_page(html, page, [*opened.files, *book_files(rulebook, book)], force=force)
    values = format_count(len(account.waiting), "value")
    show_line(
        f"page to decide on: {page}, {values} open; igual review {rulebook} takes the sheet that it saves"
    )
