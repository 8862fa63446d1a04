"""`igual survey`."""

from __future__ import annotations

import click

from igual.cli._options import (
    TableSource,
    columns_option,
    force_option,
    json_option,
    print_json,
    report_option,
    table_argument,
)


@click.command(short_help="Look at a table and what is odd about it.")
@table_argument
@columns_option
@report_option
@force_option
@json_option
def survey(
    table: TableSource, wanted: tuple[str, ...], report: str | None, force: bool, as_json: bool
) -> None:
    """Look at a table: its columns, and what is odd about their values.

    Example:  igual survey trees.csv --column species
    """
    from igual.cli._loading import count_file, count_places, open_table, report_reading
    from igual.looking.survey import survey_columns
    from igual.report.looking_views import survey_view
    from igual.report.records import from_survey
    from igual.report.terminal import show
    from igual.text.wildcards import expand_names

    opened = open_table(table)
    if wanted:
        counted = count_file(opened, [[name] for name in expand_names(wanted, opened.names)])
    else:
        counted = count_places(opened, [[place] for place in range(len(opened.names))])
    names = opened.names
    surveyed = survey_columns((names[place], counted.source.any_column(place)) for (place,) in counted.groups)
    if report:
        from igual.cli._pages import list_read, write_report
        from igual.report.pages.looking_pages import build_survey_page
        from igual.report.pages.run_page import RunFacts

        read = {"table": opened.files}
        write_report(
            build_survey_page(surveyed, RunFacts(surveyed.rows, opened.name, list_read(read))),
            report,
            read,
            force=force,
        )
    if as_json:
        print_json(from_survey(surveyed))
    else:
        report_reading(opened)
        show(survey_view(surveyed, opened.name))
