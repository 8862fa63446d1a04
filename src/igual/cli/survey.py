"""`igual survey`."""

from __future__ import annotations

import click

from igual.cli._options import TableSource, json_option, print_json, table_argument


@click.command(short_help="Look at a table and what is odd about it.")
@table_argument
@click.option(
    "--column", "-c", "wanted", metavar="COLUMN", multiple=True, help="Only this column; may be repeated."
)
@json_option
def survey(table: TableSource, wanted: tuple[str, ...], as_json: bool) -> None:
    """Look at a table: its columns, and what is odd about their values.

    Example:  igual survey trees.csv --column species
    """
    from igual.cli._loading import count_file, count_places, open_table, report_reading
    from igual.looking.survey import survey_columns
    from igual.report.records import from_survey
    from igual.report.terminal import show
    from igual.report.views import survey_view

    opened = open_table(table)
    if wanted:
        counted = count_file(opened, [[name] for name in wanted])
    else:
        counted = count_places(opened, [[place] for place in range(len(opened.names))])
    names = opened.names
    found = survey_columns((names[place], counted.source.any_column(place)) for (place,) in counted.groups)
    if as_json:
        print_json(from_survey(found))
    else:
        report_reading(opened)
        show(survey_view(found, opened.name))
