"""`igual lookalikes`."""

from __future__ import annotations

from pathlib import Path

import click

from igual.cli._options import (
    ProbabilityType,
    TableSource,
    escape_option,
    force_option,
    json_option,
    print_json,
    report_option,
    table_argument,
)


@click.command(short_help="Find values of a column that are probably one.")
@table_argument
@click.option("--column", "-c", metavar="COLUMN", required=True, help="The column to look through.")
@click.option("--list", "-l", "list_", metavar="LIST", help="Prefer the spellings of this reference list.")
@click.option(
    "--min-score",
    type=ProbabilityType(0.05),
    default=0.85,
    show_default=True,
    help="Minimum probability that two values are one.",
)
@click.option("--weaker", is_flag=True, help="Show also what differs by whole words or initials.")
@click.option(
    "--top", type=click.IntRange(min=1), metavar="N", default=20, show_default=True, help="Show N groups."
)
@click.option("--out", "-o", metavar="FILE", help="Write the groups here (.csv, .tsv, .parquet).")
@click.option("--pairs", metavar="FILE", help="Write a pair list for the rule 'replace' here (.csv).")
@click.option("--rulings", metavar="FILE", help="Write a sheet of rulings here (.csv).")
@report_option
@escape_option
@force_option
@json_option
def lookalikes(
    table: TableSource,
    column: str,
    list_: str | None,
    min_score: float,
    weaker: bool,
    top: int,
    out: str | None,
    pairs: str | None,
    rulings: str | None,
    report: str | None,
    escape_formulas: bool,
    force: bool,
    as_json: bool,
) -> None:
    """Find groups of distinct values that are probably one, and propose a spelling for each.

    Example:  igual lookalikes trees.csv --column street --pairs streets.csv
    """
    from igual.cli._loading import Output, read_column, report_reading, write_records
    from igual.files.existing import NewFile
    from igual.lists import ReferenceList
    from igual.looking.lookalikes import find_lookalikes
    from igual.report import records
    from igual.report.matching_views import lookalikes_view, related_view
    from igual.report.progress import show_progress
    from igual.report.terminal import show, show_line

    reference = ReferenceList.load(list_) if list_ else None
    opened, values = read_column(table, column)
    with show_progress(f"looking through {column}") as on_progress:
        groups = find_lookalikes(values, min_score, reference, on_progress, weaker=weaker)
    replaced = [
        {"from": one.value, "to": one.proposal} for one in groups.members if one.value != one.proposal
    ]
    inputs: list[str | Path] = [*opened.files, *([list_] if list_ else [])]
    named = (
        Output(out, NewFile("table", records.LOOKALIKES), records.list_lookalikes(groups.members)),
        Output(pairs, NewFile("pair list", ("from", "to")), replaced),
        Output(
            rulings,
            NewFile("sheet of rulings", records.RULINGS),
            records.list_as_rulings(groups.members, column),
        ),
    )
    page = None
    if report:
        from igual.cli._pages import list_read
        from igual.report.pages.looking_pages import build_lookalikes_page
        from igual.report.pages.rendering import render_page
        from igual.report.pages.run_page import RunFacts

        read = list_read({"table": opened.files, "list": [list_] if list_ else []})
        facts = RunFacts(int(values.counts.sum()), opened.name, read)
        page = render_page(build_lookalikes_page(groups, facts, column)), report
    write_records(named, inputs, page, force=force, escape_formulas=escape_formulas)
    if as_json:
        listed = {"column": column, "lookalikes": records.list_lookalikes(groups.members)}
        print_json(listed | ({"weaker": records.list_related(groups.related)} if weaker else {}))
        return
    report_reading(opened)
    show(lookalikes_view(groups.members, column, top))
    if weaker:
        show(related_view(groups.related, top))
    for what, path in (("groups", out), ("pairs for the rule replace", pairs), ("rulings", rulings)):
        if path:
            show_line(f"{what}: {path}")
