"""`igual check`."""

from __future__ import annotations

import click

from igual.cli.options import encoding_option, json_option, print_json, rulebook_argument, table_argument


@click.command(short_help="See whether every value has its label or entry.")
@rulebook_argument
@table_argument
@encoding_option
@json_option
def check(rulebook: str, table: str, encoding: str | None, as_json: bool) -> int:
    """See whether every value has its label and its entry; exit status 1 when one has not.

    Example:  igual check trees.toml trees.csv
    """
    from igual.cli.loading import applied, said_of_reading
    from igual.core.text.saying import counted
    from igual.report.records import of_named
    from igual.report.terminal import show
    from igual.report.views import unknown_view

    _, source, outcome = applied(rulebook, table, encoding)
    unknown = outcome.unknown
    if as_json:
        print_json({"in_order": not unknown, "rows": source.table.num_rows, "unknown": of_named(unknown)})
        return int(bool(unknown))
    said_of_reading(source)
    if not unknown:
        click.echo(f"{source.path.name}: in order, {counted(source.table.num_rows, 'row')}")
        return 0
    show(unknown_view(outcome, most=len(unknown)))
    return 1
