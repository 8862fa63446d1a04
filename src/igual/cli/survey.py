"""`igual survey`."""

from __future__ import annotations

import click

from igual.cli.options import encoding_option, json_option, print_json, table_argument


@click.command(short_help="Look at a table and what is odd about it.")
@table_argument
@click.option(
    "--column", "-c", "wanted", metavar="C", multiple=True, help="Only this column; may be repeated."
)
@encoding_option
@json_option
def survey(table: str, wanted: tuple[str, ...], encoding: str | None, as_json: bool) -> None:
    """Look at a table: its columns, and what is odd about their values.

    Example:  igual survey trees.csv --column species
    """
    from igual.cli.loading import columns_named, loaded, said_of_reading
    from igual.core.survey import survey as survey_of
    from igual.engines.arrow_tables import ArrowEngine
    from igual.report.records import of_survey
    from igual.report.terminal import show
    from igual.report.views import survey_view

    source = loaded(table, encoding)
    engine = ArrowEngine()
    places = columns_named(source.table, wanted)
    names = engine.names(source.table)
    found = survey_of(
        (names[at], engine.kind(source.table, at), engine.column(source.table, at)) for at in places
    )
    if as_json:
        print_json(of_survey(found))
    else:
        said_of_reading(source)
        show(survey_view(found, source.path.name))
