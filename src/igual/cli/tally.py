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
@encoding_option
@json_option
def tally(
    table: str,
    column: str,
    sort: str,
    top: int | None,
    encoding: str | None,
    as_json: bool,
    one_of: tuple[str, ...],
    **words: Any,
) -> None:
    """Count the distinct values of a column, perhaps only those that meet a condition.

    Example:  igual tally trees.csv --column species --contains maple --ignore-case
    """
    from igual.cli.loading import columns_named, loaded, said_of_reading
    from igual.core.conditions import Condition
    from igual.core.tally import said_of_unread
    from igual.core.tally import tally as tally_of
    from igual.engines.arrow_tables import ArrowEngine
    from igual.report.records import of_tally
    from igual.report.terminal import show
    from igual.report.views import tally_view

    source = loaded(table, encoding, [column])
    (place,) = columns_named(source.table, (column,))
    condition = Condition(one_of=one_of or None, **words)
    values = ArrowEngine().column(source.table, place)
    found = tally_of(values, condition, None, sort)  # type: ignore[arg-type]
    if as_json:
        print_json(
            {"column": column, "rows": found.rows, "counted": found.counted, "values": of_tally(found)[:top]}
        )
    else:
        said_of_reading(source)
        if unread := said_of_unread(values, condition):
            click.echo(unread, err=True)
        show(tally_view(found, column, top))
