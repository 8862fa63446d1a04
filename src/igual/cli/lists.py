"""`igual lists`."""

from __future__ import annotations

import click

from igual.cli._options import allow_outside_option, json_option, print_json


@click.command(short_help="Compare two versions of a reference list.")
@click.argument("old")
@click.argument("new")
@click.option("--rulebook", metavar="RULEBOOK", help="Say which of its rules and rulings the changes touch.")
@click.option("--list", "name", metavar="NAME", help="What the rulebook calls the list, if it has several.")
@allow_outside_option
@json_option
def lists(
    old: str,
    new: str,
    rulebook: str | None,
    name: str | None,
    allow_outside: tuple[str, ...],
    as_json: bool,
) -> None:
    """Compare two versions of a reference list: entries added, removed and renamed, and what that touches.

    Example:  igual lists species-2025.csv species.csv
    """
    from pathlib import Path

    from igual.errors import RulebookError, did_you_mean
    from igual.files.lists import load_reference_list
    from igual.files.rulebooks import load_rulebook
    from igual.report.records import list_list_changes, to_records
    from igual.report.review_views import list_changes_view
    from igual.report.terminal import show
    from igual.runs.list_versions import compare_versions, find_affected

    before, now = load_reference_list(old), load_reference_list(new)
    changes = compare_versions(before, now)
    affected = []
    if rulebook is not None:
        book = load_rulebook(rulebook, allow_outside)
        named = name or (next(iter(book.lists)) if len(book.lists) == 1 else None)
        if named is None or named not in book.lists:
            near = did_you_mean(named or "", book.lists)
            raise RulebookError(f"{Path(rulebook).name}: say with --list which list is meant{near}")
        from dataclasses import replace

        affected = find_affected(replace(book, lists={**book.lists, named: before}), named, now)
    if as_json:
        changed = list_list_changes(changes)
        print_json({"changes": changed} | ({"touches": to_records(affected)} if rulebook else {}))
        return
    show(list_changes_view(changes, affected if rulebook is not None else None))
