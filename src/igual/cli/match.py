"""`igual match`."""

from __future__ import annotations

from typing import Any

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
from igual.matching.thresholds import DEFAULTS, Thresholds

_SHARE = ProbabilityType()


@click.command(short_help="Match a column to a reference list.")
@table_argument
@click.option("--column", "-c", metavar="COLUMN", required=True, help="The column to match.")
@click.option("--list", "-l", "list_", metavar="LIST", required=True, help="The reference list (.csv).")
@click.option(
    "--by",
    type=click.Choice(["exact", "folded", "fuzzy"]),
    multiple=True,
    help="A way to match; give it several times. All three unless given.",
)
@click.option(
    "--settle",
    type=_SHARE,
    default=DEFAULTS.settle,
    show_default=True,
    help="Minimum score to accept without review.",
)
@click.option(
    "--ask",
    type=_SHARE,
    default=DEFAULTS.ask,
    show_default=True,
    help="Minimum probability that any entry is meant, to be open.",
)
@click.option(
    "--margin",
    type=_SHARE,
    default=DEFAULTS.margin,
    show_default=True,
    help="How clear the best entry must be beside the second best.",
)
@click.option("--give", metavar="ATTRIBUTE", help="Give this attribute of the entry too.")
@click.option("--case-sensitive", is_flag=True, help="Settle nothing that differs in case.")
@click.option(
    "--top", type=click.IntRange(min=1), metavar="N", default=40, show_default=True, help="Show N values."
)
@click.option(
    "--out", "-o", metavar="FILE", help="Write every value with its match here (.csv, .tsv, .parquet)."
)
@report_option
@escape_option
@force_option
@json_option
def match(
    table: TableSource,
    column: str,
    list_: str,
    by: tuple[Any, ...],
    settle: float,
    ask: float,
    margin: float,
    give: str | None,
    case_sensitive: bool,
    top: int,
    out: str | None,
    report: str | None,
    escape_formulas: bool,
    force: bool,
    as_json: bool,
) -> None:
    """Match the distinct values of a column to the entries of a reference list.

    Settled matches are certain enough, open ones need a decision, unknown values have no entry. What is spelled as
    in the list is not shown.

    Example:  igual match trees.csv --column species --list species.csv
    """
    from igual.cli._loading import Output, read_column, report_reading, write_records
    from igual.files.existing import NewFile
    from igual.lists import ReferenceList
    from igual.matching.index import MatchIndex
    from igual.matching.matcher import WAYS
    from igual.matching.matches import match_column
    from igual.report.matching_views import matches_view
    from igual.report.progress import show_progress
    from igual.report.records import MATCHES, list_matches, list_questions
    from igual.report.terminal import show, show_line

    reference = ReferenceList.load(list_)
    opened, values = read_column(table, column)
    thresholds = Thresholds(settle, ask, margin, case_sensitive)
    with show_progress(f"matching {column}") as on_progress:
        matched = match_column(values, MatchIndex(reference), by or WAYS, thresholds, give, on_progress)
    columns = MATCHES if give is None else (*MATCHES, "given")
    new = NewFile("table", tuple(columns))
    page = None
    if report:
        from igual.cli._pages import list_read
        from igual.report.pages.looking_pages import build_matches_page
        from igual.report.pages.rendering import render_page
        from igual.report.pages.run_page import RunFacts

        read = list_read({"table": opened.files, "list": [list_]})
        facts = RunFacts(int(matched.rows.sum()), opened.name, read)
        page = render_page(build_matches_page(matched, facts, column)), report
    write_records(
        [Output(out, new, list_matches(matched) if out else ())],
        [*opened.files, list_],
        page,
        force=force,
        escape_formulas=escape_formulas,
    )
    if as_json:
        counts = {
            status: {"values": values, "rows": rows}
            for status, (values, rows) in matched.count_statuses().items()
        }
        questions = list_questions(matched.questions)
        matches = list_matches(matched)
        print_json(
            {"column": column, "list": list_, "counts": counts, "questions": questions, "matches": matches}
        )
        return
    report_reading(opened)
    show(matches_view(matched, column, top))
    if out:
        show_line(f"every value with its match: {out}")
