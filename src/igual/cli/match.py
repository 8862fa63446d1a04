"""`igual match`."""

from __future__ import annotations

from typing import Any

import click

from igual.cli.options import encoding_option, json_option, print_json, table_argument
from igual.core.matching.thresholds import USUAL, Thresholds

_SHARE = click.FloatRange(0, 1)


@click.command(short_help="Match a column to a reference list.")
@table_argument
@click.option("--column", "-c", metavar="C", required=True, help="The column to match.")
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
    default=USUAL.settle,
    show_default=True,
    help="The least score that needs nobody.",
)
@click.option(
    "--ask", type=_SHARE, default=USUAL.ask, show_default=True, help="The least chance to be worth asking."
)
@click.option(
    "--margin",
    type=_SHARE,
    default=USUAL.margin,
    show_default=True,
    help="How far it must be ahead of the runner-up.",
)
@click.option("--give", metavar="A", help="Give this attribute of the entry too.")
@click.option("--case-sensitive", is_flag=True, help="Settle nothing that differs in case.")
@click.option(
    "--top", type=click.IntRange(min=1), metavar="N", default=40, show_default=True, help="Show N values."
)
@click.option(
    "--out", "-o", metavar="F", help="Write every value with its match here (.csv, .tsv, .parquet)."
)
@encoding_option
@json_option
def match(
    table: str,
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
    encoding: str | None,
    as_json: bool,
) -> None:
    """Match the distinct values of a column to the entries of a reference list.

    Settled matches need nobody, open ones wait for a person, unknown values have no entry. What is spelled as
    in the list is not shown.

    Example:  igual match trees.csv --column species --list species.csv
    """
    from igual.cli.loading import column_of, said_of_reading, written
    from igual.core.matching.index import MatchIndex
    from igual.core.matching.matcher import WAYS
    from igual.core.matching.matches import match as match_column
    from igual.files.lists import ReferenceList
    from igual.report.matching_views import matches_view
    from igual.report.progress import waiting
    from igual.report.records import MATCHES, of_matches
    from igual.report.terminal import show

    reference = ReferenceList.load(list_)
    source, values = column_of(table, column, encoding)
    thresholds = Thresholds(settle, ask, margin, case_sensitive)
    with waiting(f"matching {column}") as tell:
        found = match_column(values, MatchIndex(reference), by or WAYS, thresholds, give, tell)
    columns = MATCHES if give is None else (*MATCHES, "given")
    written([(out, of_matches(found) if out else (), columns)], [source.path, list_])
    if as_json:
        counts = {
            status: {"values": values, "rows": rows} for status, (values, rows) in found.counts().items()
        }
        print_json({"column": column, "list": list_, "counts": counts, "matches": of_matches(found)})
        return
    said_of_reading(source)
    show(matches_view(found, column, top))
    if out:
        click.echo(f"every value with its match: {out}")
