"""`igual check`."""

from __future__ import annotations

import click

from igual.cli.options import encoding_option, json_option, print_json, rulebook_argument, table_argument


@click.command(short_help="See whether everything is settled, labelled, listed and in form.")
@rulebook_argument
@table_argument
@click.option(
    "--allow",
    metavar="KIND=N",
    multiple=True,
    help="Let so many rows of a kind pass (open=12), or such a share of them (unlisted=0.5%).",
)
@click.option("--since", "earlier", metavar="CROSSWALK", help="Compare with the crosswalk of an earlier run.")
@encoding_option
@json_option
def check(
    rulebook: str,
    table: str,
    allow: tuple[str, ...],
    earlier: str | None,
    encoding: str | None,
    as_json: bool,
) -> int:
    """See whether every value is settled, labelled, listed and in form: a line for each finding; exit status 1 if any.

    Kinds of findings: open, unlisted, unlabelled, unread, undecided, ruled out, unfit, stale (a ruling that the
    list no longer knows) and, with --since, changed (a value comes out differently than before).

    \b
    Examples:  igual check trees.toml trees.csv
               igual check trees.toml june.csv --since may-crosswalk.csv --allow open=0.5%
    """
    from igual.cli.loading import applied, said_of_reading
    from igual.core.findings import allowance, beyond, findings_of, since
    from igual.core.reviewing import stale
    from igual.core.text.saying import counted
    from igual.files.crosswalks import load_crosswalk
    from igual.report.check_views import changed_finding, finding_line, since_lines
    from igual.report.records import of_check
    from igual.report.terminal import on_terminal, show

    allowed = {one.kind: one for one in map(allowance, allow)}
    before = load_crosswalk(earlier) if earlier is not None else None
    book, source, outcome = applied(rulebook, table, encoding)
    rows = source.table.num_rows
    findings = findings_of(outcome, rows, [(one.column, one.value) for one, _ in stale(book)])
    compared = since(before, outcome.crosswalks) if before is not None else []
    findings += [found for one in compared if (found := changed_finding(one, rows)) is not None]
    bad = beyond(findings, allowed)
    if as_json:
        print_json(of_check(findings, bad, compared if earlier else None, rows))
        return int(bool(bad))
    said_of_reading(source)
    lines = [*(finding_line(one, one not in bad) for one in findings), *since_lines(compared)]
    if on_terminal():
        show(*lines)
    else:  # a line each, however long
        click.echo("".join(f"{line.plain}\n" for line in lines), nl=False)
    if not bad:
        click.echo(f"{source.path.name}: in order, {counted(rows, 'row')}")
    return int(bool(bad))
