"""`igual tally`."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import TYPE_CHECKING, Any

import click

from igual.cli._options import (
    TableSource,
    condition_options,
    force_option,
    json_option,
    print_json,
    report_option,
    table_argument,
)

if TYPE_CHECKING:
    from igual.column import Column
    from igual.files.formats.base import OpenedTable
    from igual.looking.comparison import CrossTable
    from igual.looking.tally import Tally

# More lines than these are read by nobody; drawing them would take longer than counting.
_MOST_SHOWN = 1_000


@click.command(short_help="Count the distinct values of a column.")
@table_argument
@click.option(
    "--column",
    "-c",
    "wanted",
    metavar="COLUMN",
    required=True,
    multiple=True,
    help="The column to tally, or those that fit (height*); may be repeated.",
)
@condition_options
@click.option(
    "--sort",
    type=click.Choice(["rows", "value", "order"]),
    default="rows",
    help="Most rows first, by value, or in the order of --codebook or of the column itself.",
)
@click.option("--codebook", metavar="FILE", help="The codebook whose order --sort order takes (.csv).")
@click.option(
    "--top",
    type=click.IntRange(min=1),
    metavar="N",
    help=f"Only the first N; the rest in one line. Unless given, up to {_MOST_SHOWN:,} are shown.",
)
@click.option("--by", metavar="COLUMN", multiple=True, help="Count by this column too; may be repeated.")
@click.option("--of", type=click.Choice(["words", "characters"]), help="Tally how many the values have.")
@click.option("--distinct", is_flag=True, help="Only the distinct values, one a line.")
@click.option("--against", metavar="TABLE", help="Compare with this table, taken as the one after.")
@report_option
@force_option
@json_option
def tally(
    table: TableSource,
    wanted: tuple[str, ...],
    sort: str,
    codebook: str | None,
    top: int | None,
    by: tuple[str, ...],
    of: Any,
    distinct: bool,
    against: str | None,
    report: str | None,
    force: bool,
    as_json: bool,
    one_of: tuple[str, ...],
    **words: Any,
) -> None:
    """Count the distinct values of a column, perhaps only those that meet a condition.

    Example:  igual tally trees.csv -c species --contains maple --ignore-case
    """
    from igual.cli._loading import count_file, find_restyled, open_table, read_rows, report_reading
    from igual.conditions import Condition
    from igual.lists import Codebook
    from igual.looking.comparison import cross_tabulate, measure_lengths
    from igual.looking.tally import find_unread, tally_column
    from igual.report import looking_views
    from igual.report.terminal import log_note, show, show_line
    from igual.text.wildcards import expand_names

    if sum(map(bool, (by, against, distinct))) > 1:
        raise click.UsageError("Give one of --by, --against and --distinct.")
    if codebook and sort != "order":
        raise click.UsageError("--codebook gives an order: add --sort order.")
    if report and (by or against):
        raise click.UsageError("--report is of one tally: give neither --by nor --against.")
    opened = open_table(table)
    column, *more = expand_names(wanted, opened.names)
    if more and (by or against or report or distinct):
        raise click.UsageError("--by, --against, --distinct and --report are of one column.")
    source = count_file(opened, [(column, *by), *([name] for name in more)]).source
    columns = [source.any_column(source.names.index(name)) for name in (column, *more)]
    values, *others = [measure_lengths(one, of) for one in columns] if of else columns
    condition = Condition(one_of=one_of or None, **words)
    order = Codebook.load(codebook) if codebook else None
    after = None
    if against:
        other = open_table(table._replace(paths=(against,)))
        after = read_rows(other, find_restyled(other.names, column))
    if not as_json:
        report_reading(opened)
        for unread in (find_unread(one, condition) for one in (values, *others)):
            if unread:
                log_note(str(unread))
    if after is not None:
        _compare(read_rows(opened, column), after, column, top, as_json=as_json)
        return
    if by:
        beside = [source.any_column(source.names.index(name)) for name in by]
        _show_crossed(
            cross_tabulate(values, beside, condition.mask(values.values)), column, by, top, as_json=as_json
        )
        return
    tallied = tally_column(values, condition, None, sort, None, order)  # type: ignore[arg-type]
    if report:
        _write_page(tallied, opened, column, report, force=force)
    if more:
        tallies = [tallied, *(tally_column(one, condition, None, sort, None, order) for one in others)]  # type: ignore[arg-type]
        _show_several(dict(zip([column, *more], tallies, strict=True)), top, as_json=as_json)
    elif as_json:
        print_json(_record(column, tallied, top))
    elif distinct:
        for record in _record(column, tallied, top)["values"]:
            show_line(record["value"] or "")
    else:
        show(looking_views.tally_view(tallied, column, top or _MOST_SHOWN))


def _write_page(tallied: Tally, opened: OpenedTable, column: str, report: str, *, force: bool) -> None:
    """Write the tally of a column as a page."""
    from igual.cli._pages import list_read, write_report
    from igual.report.pages.looking_pages import build_tally_page
    from igual.report.pages.run_page import RunFacts

    read = {"table": opened.files}
    facts = RunFacts(tallied.rows, opened.name, list_read(read))
    write_report(build_tally_page(tallied, facts, column), report, read, force=force)


def _compare(before: Column, after: Column, column: str, top: int | None, *, as_json: bool) -> None:
    """Compare a column with that of the table after."""
    from igual.looking.comparison import compare_columns
    from igual.report import looking_views, records
    from igual.report.terminal import show

    compared = compare_columns(before, after)
    if as_json:
        print_json({"column": column, "values": records.to_records(compared[:top])})
    else:
        show(looking_views.compared_view(compared, column, top or _MOST_SHOWN))


def _show_crossed(
    crossed: CrossTable, column: str, by: Sequence[str], top: int | None, *, as_json: bool
) -> None:
    """Show the tally of a column by others."""
    from igual.report import looking_views, records
    from igual.report.terminal import show

    if as_json:
        print_json({"column": column, "by": by, **records.from_cross_table(crossed, top)})
    else:
        show(looking_views.cross_view(crossed, column, by, top or _MOST_SHOWN))


def _record(column: str, tallied: Tally, top: int | None) -> dict[str, Any]:
    """A tally as JSON has it."""
    from igual.report import records

    values = records.list_tally(tallied)[:top]
    return {"column": column, "rows": tallied.rows, "counted": tallied.counted, "values": values}


def _show_several(tallies: Mapping[str, Tally], top: int | None, *, as_json: bool) -> None:
    """Show the tallies of several columns, one after the other."""
    from igual.report.looking_views import tally_view
    from igual.report.terminal import show

    if as_json:
        print_json({"columns": [_record(column, tallied, top) for column, tallied in tallies.items()]})
    else:
        for column, tallied in tallies.items():
            show(tally_view(tallied, column, top or _MOST_SHOWN), "")
