"""`igual lists`."""

from __future__ import annotations

import click

from igual.cli._options import TableSource, allow_outside_option, json_option, print_json


@click.command(short_help="Compare two versions of a reference list.")
@click.argument("old")
@click.argument("new")
@click.option("--rulebook", metavar="RULEBOOK", help="Say which of its rules and rulings the changes touch.")
@click.option(
    "--table", metavar="TABLE", help="With --rulebook: say which of its settled values NEW leaves open."
)
@click.option("--list", "name", metavar="NAME", help="What the rulebook calls the list, if it has several.")
@allow_outside_option
@json_option
def lists(
    old: str,
    new: str,
    rulebook: str | None,
    table: str | None,
    name: str | None,
    allow_outside: tuple[str, ...],
    as_json: bool,
) -> None:
    """Compare two versions of a reference list: entries added, removed and renamed, and what that touches.

    \b
    Examples:  igual lists species-2025.csv species.csv
               igual lists old.csv new.csv --rulebook trees.toml --table trees.csv
    """  # noqa: D301 - \b keeps the lines of the examples
    from pathlib import Path

    from igual.errors import RulebookError, did_you_mean
    from igual.files.lists import load_reference_list
    from igual.files.rulebooks import load_rulebook
    from igual.report.records import list_list_changes, to_records
    from igual.report.review_views import list_changes_view, list_unsettled
    from igual.report.terminal import show, show_line
    from igual.runs.list_versions import compare_versions, find_affected, find_unsettled

    before, now = load_reference_list(old), load_reference_list(new)
    changes = compare_versions(before, now)
    affected, unsettled = [], []
    if table is not None and rulebook is None:
        raise click.UsageError("--table needs --rulebook: its rules say what is matched to the list.")
    if rulebook is not None:
        book = load_rulebook(rulebook, allow_outside)
        named = name or (next(iter(book.lists)) if len(book.lists) == 1 else None)
        if named is None or named not in book.lists:
            near = did_you_mean(named or "", book.lists)
            raise RulebookError(f"{Path(rulebook).name}: say with --list which list is meant{near}")
        from dataclasses import replace

        both = [replace(book, lists={**book.lists, named: version}) for version in (before, now)]
        affected = find_affected(both[0], named, now)
        if table is not None:
            from igual.cli._applying import run_on_table

            unsettled = find_unsettled(*(run_on_table(version, TableSource((table,))) for version in both))
    if as_json:
        changed = list_list_changes(changes)
        print_json(
            {"changes": changed}
            | ({"touches": to_records(affected)} if rulebook else {})
            | ({"unsettles": to_records(unsettled)} if table else {})
        )
        return
    show(list_changes_view(changes, affected if rulebook is not None else None))
    for line in list_unsettled(unsettled) or (
        ["No settled value of the table is left open."] if table else []
    ):
        show_line(line)
