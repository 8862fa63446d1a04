"""`igual check`."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

import click

from igual.cli._options import (
    TableSource,
    allow_outside_option,
    columns_option,
    force_option,
    json_option,
    most_values_option,
    print_json,
    report_option,
    rulebook_argument,
    table_argument,
)


@click.command(short_help="See whether everything is settled, labelled, listed and in form.")
@rulebook_argument
@table_argument
@click.option(
    "--allow",
    metavar="KIND=N",
    multiple=True,
    help="Tolerate up to N rows of a kind (open=12), or a share of them (unlisted=0.5%).",
)
@columns_option
@click.option("--since", "earlier", metavar="CROSSWALK", help="Compare with the crosswalk of an earlier run.")
@report_option
@force_option
@most_values_option
@allow_outside_option
@json_option
def check(
    rulebook: str,
    table: TableSource,
    allow: tuple[str, ...],
    wanted: tuple[str, ...],
    earlier: str | None,
    report: str | None,
    force: bool,
    most_values: int,
    allow_outside: tuple[str, ...],
    as_json: bool,
) -> int:
    """See whether every value is settled, labelled, listed and in form: a line for each finding; exit status 1 if any.

    Kinds of findings: open, unlisted, unlabelled, unread, undecided, ruled out, unfit, stale (a ruling that the
    list no longer knows) and, with --since, changed (a value comes out differently than before).

    \b
    Examples:  igual check trees.toml trees.csv
               igual check trees.toml june.csv --allow open=0.5%
               igual check trees.toml june.csv --since may-crosswalk.csv
    """  # noqa: D301 - \b keeps the lines of the examples
    from igual.cli._applying import apply_files, gather_pieces
    from igual.cli._loading import report_reading
    from igual.engines.counting import Bounds
    from igual.files.crosswalks import load_crosswalk
    from igual.report.check_views import finding_line, since_lines
    from igual.report.records import from_check
    from igual.report.terminal import on_terminal, show, show_line
    from igual.report.wording import format_count
    from igual.runs.findings import (
        compare_crosswalks,
        exceed_allowance,
        find_changed,
        list_findings,
        read_allowance,
    )
    from igual.runs.review import find_stale_rulings

    allowed = {one.kind: one for one in map(read_allowance, allow)}
    before = load_crosswalk(earlier) if earlier is not None else None
    book, pieces = apply_files(rulebook, table, allow_outside, Bounds(most_values))
    opened = pieces.first.counted.opened
    rows, account = gather_pieces(pieces)
    findings = list_findings(account, rows, find_stale_rulings(book))
    compared = compare_crosswalks(before, account.crosswalk) if before is not None else []
    findings += [changed for one in compared if (changed := find_changed(one, rows)) is not None]
    if wanted:
        chosen = _choose(wanted, list(dict.fromkeys([*account.trails, *(one.column for one in findings)])))
        findings = [one for one in findings if one.column in chosen]
        compared = [one for one in compared if one.column in chosen]
    bad = exceed_allowance(findings, allowed)
    if report:
        from igual.cli._applying import book_files
        from igual.cli._pages import count_rulings, list_read, write_report
        from igual.report.pages.looking_pages import build_check_page
        from igual.report.pages.run_page import RunFacts

        first, *beside = book_files(rulebook, book)
        read = {"table": opened.files, "rulebook": [first], "beside the rulebook": beside}
        read |= {"earlier run": [Path(earlier)]} if earlier else {}
        facts = RunFacts(
            rows,
            opened.name,
            list_read(read),
            since=compared if earlier else None,
            rulings=count_rulings(book),
        )
        write_report(build_check_page(findings, bad, facts), report, read, force=force)
    if as_json:
        print_json(from_check(findings, bad, compared if earlier else None, rows))
        return int(bool(bad))
    report_reading(opened)
    lines = [*(finding_line(one, one not in bad) for one in findings), *since_lines(compared)]
    if on_terminal():
        show(*lines)
    else:  # a line each, however long
        for line in lines:
            show_line(line.plain)
    if not bad:
        show_line(f"{opened.name}: in order, {format_count(rows, 'row')}")
    return int(bool(bad))


def _choose(wanted: Sequence[str], known: list[str]) -> list[str]:
    """The columns that are meant, of those that rules or checks are about."""
    from igual.errors import TableError
    from igual.text.wildcards import expand_names

    chosen = expand_names(wanted, known)
    for name in chosen:
        if name not in known:
            raise TableError.from_missing("the rulebook", "column", name, known)
    return chosen
