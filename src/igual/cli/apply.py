"""`igual apply`."""

from __future__ import annotations

from typing import Any

import click

from igual.cli.options import encoding_option, json_option, print_json, rulebook_argument, table_argument


@click.command(short_help="Apply a rulebook to a table.")
@rulebook_argument
@table_argument
@click.option("--out", "-o", metavar="F", help="Write the clean table here (.csv, .tsv, .parquet).")
@click.option("--preview", type=click.IntRange(min=1), metavar="N", help="Show N changes of each rule.")
@click.option("--only", type=click.IntRange(min=1), metavar="N", help="Apply the first N rules only.")
@click.option("--trail", metavar="F", help="Write what each rule made of each distinct value.")
@click.option("--crosswalk", metavar="F", help="Write the raw and clean values of each column, with rows.")
@encoding_option
@json_option
def apply(
    rulebook: str,
    table: str,
    out: str | None,
    preview: int | None,
    only: int | None,
    trail: str | None,
    crosswalk: str | None,
    encoding: str | None,
    as_json: bool,
) -> None:
    """Apply a rulebook to a table, and account for every change.

    \b
    Examples:  igual apply trees.toml trees.csv --preview 5
               igual apply trees.toml trees.csv --out clean.csv --trail trail.csv
    """
    from igual.cli.loading import applied, book_files, said_of_reading
    from igual.core.headers import clean_headers
    from igual.core.preview import preview as preview_of
    from igual.engines.arrow_tables import ArrowEngine
    from igual.files.outputs import outputs
    from igual.files.tables import checked_ending, write_table
    from igual.report.progress import waiting
    from igual.report.records import of_outcome
    from igual.report.terminal import on_terminal, show
    from igual.report.views import outcome_view, preview_view

    named = {what: path for what, path in (("out", out), ("trail", trail), ("crosswalk", crosswalk)) if path}
    if not named and preview is None:
        raise click.UsageError(
            "Nothing to do: give --preview N to look, or --out F to write the clean table."
        )
    endings = {what: checked_ending(path) for what, path in named.items()}
    book, source, outcome = applied(rulebook, table, encoding, only)
    rebuilt = ArrowEngine().rebuilt(source.table, outcome.trails)
    renamed = clean_headers(rebuilt.column_names, book.headers) if book.headers else []
    makers: dict[str, Any] = {
        "out": lambda: rebuilt.rename_columns([one.clean for one in renamed]) if book.headers else rebuilt,
        "trail": lambda: outcome.trail,
        "crosswalk": lambda: outcome.crosswalks,
    }
    inputs = [source.path, *book_files(rulebook, book)]
    with outputs(inputs) as staged:
        places = {what: staged.place(path) for what, path in named.items()}
        for what, place in places.items():
            with waiting(f"writing {named[what]}"):
                write_table(makers[what](), place, endings[what], source.dialect)
    if as_json:
        print_json(
            {
                "rulebook": rulebook,
                "table": table,
                "rows": source.table.num_rows,
                **of_outcome(outcome),
                "written": named,
            }
        )
        return
    said_of_reading(source)
    if preview is not None:
        show(preview_view(preview_of(outcome.stages, preview), plain=not on_terminal()))
    show(outcome_view(outcome), "")
    for one in renamed:
        if one.collided:
            click.echo(f"two columns would be called alike: {one.raw!r} became {one.clean!r}")
    for what, path in named.items():
        click.echo(f"{_NAMES[what]}: {path}")
    if not out:
        click.echo("The table itself was not written: --out F does that.")


_NAMES = {"out": "clean table", "trail": "trail", "crosswalk": "crosswalk"}
