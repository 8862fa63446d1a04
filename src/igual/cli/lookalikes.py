"""`igual lookalikes`."""

from __future__ import annotations

from pathlib import Path

import click

from igual.cli.options import encoding_option, json_option, print_json, table_argument


@click.command(short_help="Find values of a column that are probably one.")
@table_argument
@click.option("--column", "-c", metavar="C", required=True, help="The column to look through.")
@click.option("--list", "-l", "list_", metavar="LIST", help="Prefer the spellings of this reference list.")
@click.option(
    "--least",
    type=click.FloatRange(0.05, 1),
    default=0.9,
    show_default=True,
    help="How likely two must be one.",
)
@click.option(
    "--top", type=click.IntRange(min=1), metavar="N", default=20, show_default=True, help="Show N groups."
)
@click.option("--out", "-o", metavar="F", help="Write the groups here (.csv, .tsv, .parquet).")
@click.option("--pairs", metavar="F", help="Write a pair list for the rule 'replace' here (.csv).")
@click.option("--rulings", metavar="F", help="Write a sheet of rulings here (.csv).")
@encoding_option
@json_option
def lookalikes(
    table: str,
    column: str,
    list_: str | None,
    least: float,
    top: int,
    out: str | None,
    pairs: str | None,
    rulings: str | None,
    encoding: str | None,
    as_json: bool,
) -> None:
    """Find groups of distinct values that are probably one, and propose a spelling for each.

    Example:  igual lookalikes trees.csv --column street --pairs streets.csv
    """
    import pyarrow as pa

    from igual.cli.loading import column_of, said_of_reading, written
    from igual.core.conditions import is_blank
    from igual.core.matching.lookalikes import lookalikes as lookalikes_of
    from igual.files.lists import ReferenceList
    from igual.report import records
    from igual.report.matching_views import lookalikes_view
    from igual.report.progress import waiting
    from igual.report.terminal import show

    reference = ReferenceList.load(list_) if list_ else None
    source, values = column_of(table, column, encoding)
    telling = ~is_blank(values.values)
    with waiting(f"looking through {column}") as tell:
        some = values.values.filter(pa.array(telling))
        found = lookalikes_of(some, values.counts[telling], least, reference, tell=tell)
    replaced = [{"from": one.value, "to": one.proposal} for one in found if one.value != one.proposal]
    inputs: list[str | Path] = [source.path, *([list_] if list_ else [])]
    asked = (
        (out, records.of_named(found), records.LOOKALIKES),
        (pairs, replaced, ("from", "to")),
        (rulings, records.of_rulings(found, column), records.RULINGS),
    )
    written(asked, inputs)
    if as_json:
        print_json({"column": column, "lookalikes": records.of_named(found)})
        return
    said_of_reading(source)
    show(lookalikes_view(found, column, top))
    for what, path in (("groups", out), ("pairs for the rule replace", pairs), ("rulings", rulings)):
        if path:
            click.echo(f"{what}: {path}")
