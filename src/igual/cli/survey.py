"""`igual survey`."""

from __future__ import annotations

import click

from igual.cli._options import encoding_option, json_option, print_json, table_argument


@click.command(short_help="Look at a table and what is odd about it.")
@table_argument
@click.option(
    "--column", "-c", "wanted", metavar="COLUMN", multiple=True, help="Only this column; may be repeated."
)
@encoding_option
@json_option
def survey(table: str, wanted: tuple[str, ...], encoding: str | None, as_json: bool) -> None:
    """Look at a table: its columns, and what is odd about their values.

    Example:  igual survey trees.csv --column species
    """
    from igual.cli._loading import find_columns, load_table, report_reading
    from igual.engines import Source
    from igual.engines.arrow import ArrowEngine
    from igual.looking.survey import survey_columns
    from igual.report.records import from_survey
    from igual.report.terminal import show
    from igual.report.views import survey_view

    source = load_table(table, encoding)
    columns = Source(source.table, ArrowEngine())
    places = find_columns(source.table, wanted)
    found = survey_columns((columns.names[at], columns.any_column(at)) for at in places)
    if as_json:
        print_json(from_survey(found))
    else:
        report_reading(source)
        show(survey_view(found, source.path.name))
