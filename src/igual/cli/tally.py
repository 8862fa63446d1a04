"""`igual tally`."""

from __future__ import annotations

from typing import Any

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


@click.command(short_help="Count the distinct values of a column.")
@table_argument
@click.option("--column", "-c", metavar="COLUMN", required=True, help="The column to tally.")
@condition_options
@click.option(
    "--sort",
    type=click.Choice(["rows", "value", "order"]),
    default="rows",
    help="Most rows first, by value, or in the order of --codebook or of the column itself.",
)
@click.option("--codebook", metavar="FILE", help="The codebook whose order --sort order takes (.csv).")
@click.option(
    "--top", type=click.IntRange(min=1), metavar="N", help="Only the first N; the rest in one line."
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
    column: str,
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

    Example:  igual tally trees.csv --column species --contains maple --ignore-case
    """
    from igual.cli._loading import count_file, find_restyled, open_table, read_rows, report_reading
    from igual.conditions import Condition
    from igual.lists import Codebook
    from igual.looking.comparison import compare_columns, cross_tabulate, measure_lengths
    from igual.looking.tally import find_unread, tally_column
    from igual.report import records, views
    from igual.report.terminal import show, show_line, tell_note

    if sum(map(bool, (by, against, distinct))) > 1:
        raise click.UsageError("Give one of --by, --against and --distinct.")
    if codebook and sort != "order":
        raise click.UsageError("--codebook gives an order: add --sort order.")
    if report and (by or against):
        raise click.UsageError("--report is of one tally: give neither --by nor --against.")
    opened = open_table(table)
    source = count_file(opened, [(column, *by)]).source
    values, *others = (source.any_column(source.names.index(name)) for name in (column, *by))
    values = measure_lengths(values, of) if of else values
    condition = Condition(one_of=one_of or None, **words)
    if not as_json:
        report_reading(opened)
        if unread := find_unread(values, condition):
            tell_note(str(unread))
    if against:
        other = open_table(table._replace(paths=(against,)))
        after = read_rows(other, find_restyled(other.names, column))
        compared = compare_columns(read_rows(opened, column), after)
        if as_json:
            print_json({"column": column, "values": records.to_records(compared[:top])})
        else:
            show(views.compared_view(compared, column, top))
        return
    if by:
        found = cross_tabulate(values, others, condition.mask(values.values))
        if as_json:
            print_json({"column": column, "by": by, **records.from_cross_table(found, top)})
        else:
            show(views.cross_view(found, column, by, top))
        return
    order = Codebook.load(codebook) if codebook else None
    tallied = tally_column(values, condition, None, sort, None, order)  # type: ignore[arg-type]
    if report:
        from igual.cli._pages import list_read, write_report
        from igual.report.pages.looking_pages import build_tally_page
        from igual.report.pages.run_page import RunFacts

        read = {"table": opened.files}
        facts = RunFacts(tallied.rows, opened.name, list_read(read))
        write_report(build_tally_page(tallied, facts, column), report, read, force=force)
    if as_json:
        listed = records.list_tally(tallied)[:top]
        print_json({"column": column, "rows": tallied.rows, "counted": tallied.counted, "values": listed})
    elif distinct:
        for record in records.list_tally(tallied)[:top]:
            show_line(record["value"] or "")
    else:
        show(views.tally_view(tallied, column, top))
