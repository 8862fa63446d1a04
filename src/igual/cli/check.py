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
    """See whether every value has its label or a settled entry, and meets the checks; exit status 1 if not.

    Example:  igual check trees.toml trees.csv
    """
    from igual.cli.loading import applied, said_of_reading
    from igual.core.text.saying import counted
    from igual.report.records import of_named
    from igual.report.terminal import show
    from igual.report.views import open_view, unfit_view, unknown_view

    _, source, outcome = applied(rulebook, table, encoding)
    unknown, waiting, unfit = outcome.unknown, outcome.open, list(outcome.unfit)
    rows, in_order = source.table.num_rows, not (unknown or waiting or unfit)
    if as_json:
        findings = {"unknown": of_named(unknown), "open": of_named(waiting), "unfit": of_named(unfit)}
        print_json({"in_order": in_order, "rows": rows, **findings})
        return int(not in_order)
    said_of_reading(source)
    if in_order:
        click.echo(f"{source.path.name}: in order, {counted(rows, 'row')}")
        return 0
    if unknown:
        show(unknown_view(outcome, most=len(unknown)))
    if waiting:
        show(open_view(outcome, most=len(waiting)))
    if unfit:
        show(unfit_view(outcome, most=len(unfit)))
    return 1
