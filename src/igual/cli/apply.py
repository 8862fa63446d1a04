"""`igual apply`."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
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
@click.option(
    "--crosswalk", metavar="F", help="Write raw and clean values, rows and how (.csv, .parquet, .sssom.tsv)."
)
@click.option("--open", "open_", metavar="F", help="Write what waits for rulings to a sheet (.xlsx, .csv).")
@click.option("--record", metavar="F", help="Write what was read, done, found and written (.json).")
@click.option("--guard", is_flag=True, help="In CSV put ' before cells that spreadsheets take for formulas.")
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
    open_: str | None,
    record: str | None,
    guard: bool,
    encoding: str | None,
    as_json: bool,
) -> None:
    """Apply a rulebook to a table, and account for every change.

    \b
    Examples:  igual apply trees.toml trees.csv --preview 5
               igual apply trees.toml trees.csv --out clean.csv --open open.xlsx --record run.json
    """
    from igual.cli.loading import applied, said_of_reading, user
    from igual.core.headers import clean_headers
    from igual.core.preview import preview as preview_of
    from igual.core.reviewing import stale, waiting_for_rulings
    from igual.engines.arrow_tables import ArrowEngine
    from igual.files.crosswalks import crosswalk_ending, write_crosswalk
    from igual.files.csv_cells import guarded
    from igual.files.outputs import outputs
    from igual.files.sheets import sheet_ending, write_sheet
    from igual.files.tables import TEXT_ENDINGS, checked_ending, write_table
    from igual.report.progress import waiting
    from igual.report.records import of_outcome
    from igual.report.terminal import on_terminal, show
    from igual.report.views import outcome_view, preview_view

    asked = {"out": out, "trail": trail, "crosswalk": crosswalk, "open": open_, "record": record}
    named = {what: path for what, path in asked.items() if path}
    if not named and preview is None:
        raise click.UsageError(
            "Nothing to do: give --preview N to look, or --out F to write the clean table."
        )
    check_ending = {"crosswalk": crosswalk_ending, "open": sheet_ending, "record": _json_ending}
    endings = {what: check_ending.get(what, checked_ending)(path) for what, path in named.items()}
    book, source, outcome = applied(rulebook, table, encoding, only)
    rebuilt = ArrowEngine().rebuilt(source.table, outcome.trails)
    renamed = clean_headers(rebuilt.column_names, book.headers) if book.headers else []
    if renamed:
        rebuilt = rebuilt.rename_columns([one.clean for one in renamed])

    def as_table(made: Any, place: Path, ending: str) -> None:
        guards = guard and ending.lower() in TEXT_ENDINGS
        write_table(guarded(made) if guards else made, place, ending, source.dialect)

    version = _version()
    writers: dict[str, Callable[[Path, str], None]] = {
        "out": lambda place, ending: as_table(rebuilt, place, ending),
        "trail": lambda place, ending: as_table(outcome.trail, place, ending),
        "crosswalk": lambda place, ending: (
            write_crosswalk(outcome.crosswalks, place, ending, version)
            if ending.lower() not in TEXT_ENDINGS
            else as_table(outcome.crosswalks.table, place, ending)
        ),
        "open": lambda place, ending: write_sheet(waiting_for_rulings(outcome), place, ending),
    }
    inputs = _inputs(rulebook, book, source.path)
    with outputs([path for paths in inputs.values() for path in paths]) as staged:
        places = {what: staged.place(path) for what, path in named.items()}
        for what, writer in writers.items():
            if what in places:
                with waiting(f"writing {named[what]}"):
                    writer(places[what], endings[what])
        if "record" in places:
            from igual.core.findings import findings_of
            from igual.files.run_records import run_record, write_record

            rows = source.table.num_rows
            findings = findings_of(outcome, rows, [(one.column, one.value) for one, _ in stale(book)])
            made = {what: (named[what], place) for what, place in places.items() if what != "record"}
            write_record(run_record(outcome, findings, inputs, made, rows, user()), places["record"])
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
    if outcome.open and not open_:
        click.echo("Open values can be ruled on once: --open F writes them to a sheet for igual review.")


_NAMES = {
    "out": "clean table",
    "trail": "trail",
    "crosswalk": "crosswalk",
    "open": "sheet of open values",
    "record": "record of the run",
}


def _inputs(rulebook: str, book: Any, table: Path) -> dict[str, list[Path]]:
    from igual.cli.loading import book_files

    first, *beside = book_files(rulebook, book)
    return {"table": [table], "rulebook": [first], "beside the rulebook": beside}


def _json_ending(path: str) -> str:
    if not path.lower().endswith(".json"):
        raise click.UsageError(f"{path}: a record ends with .json")
    return ".json"


def _version() -> str:
    from importlib.metadata import version

    return version("igual")
