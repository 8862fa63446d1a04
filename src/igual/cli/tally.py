"""`igual tally`."""

from __future__ import annotations

from typing import Any

import click

from igual.cli.options import condition_options, encoding_option, json_option, print_json, table_argument


@click.command(short_help="Count the distinct values of a column.")
@table_argument
@click.option("--column", "-c", metavar="C", required=True, help="The column to tally.")
@condition_options
@click.option(
    "--sort", type=click.Choice(["rows", "value"]), default="rows", help="Most rows first, or by value."
)
@click.option(
    "--top", type=click.IntRange(min=1), metavar="N", help="Only the first N; the rest in one line."
)
@click.option("--by", metavar="C", multiple=True, help="Count by this column too; may be repeated.")
@click.option("--of", type=click.Choice(["words", "characters"]), help="Tally how many the values have.")
@click.option("--distinct", is_flag=True, help="Only the distinct values, one a line.")
@click.option("--against", metavar="TABLE", help="Compare with this table, taken as the one after.")
@encoding_option
@json_option
def tally(
    table: str,
    column: str,
    sort: str,
    top: int | None,
    by: tuple[str, ...],
    of: Any,
    distinct: bool,
    against: str | None,
    encoding: str | None,
    as_json: bool,
    one_of: tuple[str, ...],
    **words: Any,
) -> None:
    """Count the distinct values of a column, perhaps only those that meet a condition.

    Example:  igual tally trees.csv --column species --contains maple --ignore-case
    """
    from igual.cli.loading import columns_named, loaded, said_of_reading
    from igual.core.comparing import compare, cross, measured
    from igual.core.conditions import Condition
    from igual.core.tally import said_of_unread
    from igual.core.tally import tally as tally_of
    from igual.engines.arrow_tables import ArrowEngine
    from igual.report import records, views
    from igual.report.terminal import show

    if sum(map(bool, (by, against, distinct))) > 1:
        raise click.UsageError("Give one of --by, --against and --distinct.")
    engine = ArrowEngine()
    source = loaded(table, encoding, [column, *by])
    values, *others = (engine.column(source.table, at) for at in columns_named(source.table, (column, *by)))
    values = measured(values, of) if of else values
    condition = Condition(one_of=one_of or None, **words)
    if not as_json:
        said_of_reading(source)
        if unread := said_of_unread(values, condition):
            click.echo(unread, err=True)
    if against:
        other = loaded(against, encoding, [column])
        (place,) = columns_named(other.table, (column,))
        compared = compare(values, engine.column(other.table, place))
        if as_json:
            print_json({"column": column, "values": records.of_named(compared[:top])})
        else:
            show(views.compared_view(compared, column, top))
        return
    if by:
        found = cross(values, others, condition.mask(values.values))
        if as_json:
            print_json({"column": column, "by": by, **records.of_cross(found, top)})
        else:
            show(views.cross_view(found, column, by, top))
        return
    tallied = tally_of(values, condition, None, sort)  # type: ignore[arg-type]
    if as_json:
        listed = records.of_tally(tallied)[:top]
        print_json({"column": column, "rows": tallied.rows, "counted": tallied.counted, "values": listed})
    elif distinct:
        for record in records.of_tally(tallied)[:top]:
            click.echo(record["value"] or "")
    else:
        show(views.tally_view(tallied, column, top))
