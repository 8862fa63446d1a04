"""`igual draft`."""

from __future__ import annotations

from pathlib import Path

import click

from igual.cli._options import TableSource, json_option, print_json, table_argument


@click.command(short_help="Draft a first rulebook from what a table shows.")
@table_argument
@click.option(
    "--list", "-l", "lists", metavar="LIST", multiple=True, help="Try this reference list on every column."
)
@click.option(
    "--codebook", "codebooks", metavar="FILE", multiple=True, help="Try this codebook on every column."
)
@click.option(
    "--out", "-o", metavar="RULEBOOK", help="Write the rulebook here (.toml), and its files beside it."
)
@json_option
def draft(
    table: TableSource, lists: tuple[str, ...], codebooks: tuple[str, ...], out: str | None, as_json: bool
) -> int:
    """Draft a first rulebook: rules for what is odd, each with a note that says why.

    What is uncertain is written but commented out. Nothing that exists is overwritten. Exit status 1 where nothing
    needs a rule.

    Example:  igual draft trees.csv --list species.csv --out mine.toml
    """
    from igual.cli._loading import count_places, open_table, report_reading
    from igual.files.drafts import save_draft
    from igual.lists import Codebook, ReferenceList
    from igual.report.draft_views import draft_view
    from igual.report.evidence import format_evidence
    from igual.report.records import from_draft
    from igual.report.terminal import show, show_line
    from igual.runs.draft import draft_rules

    opened = open_table(table)
    counted = count_places(opened, [[place] for place in range(len(opened.names))])
    drafted = draft_rules(
        ((opened.names[place], counted.source.any_column(place)) for (place,) in counted.groups),
        format_evidence,
        {Path(path).stem: ReferenceList.load(path) for path in lists},
        {Path(path).stem: Codebook.load(path) for path in codebooks},
    )
    written = save_draft(drafted, out) if out and drafted.rules else []
    if as_json:
        print_json(from_draft(drafted, written))
        return int(not drafted.rules)
    report_reading(opened)
    show(draft_view(drafted))
    for path in written:
        show_line(f"written: {path}")
    if drafted.rules and not out:
        show_line("Nothing was written: --out RULEBOOK does that.")
    return int(not drafted.rules)
