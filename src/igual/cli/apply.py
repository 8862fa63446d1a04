"""`igual apply`."""

from __future__ import annotations

import contextlib
import sys
from collections.abc import Callable, Mapping
from pathlib import Path
from typing import TYPE_CHECKING

import click

from igual.cli._options import (
    TableSource,
    allow_outside_option,
    escape_option,
    force_option,
    json_option,
    most_values_option,
    print_json,
    rulebook_argument,
    table_argument,
)

# Standard output in the place of a file.
NAME = "-"

if TYPE_CHECKING:
    from igual.cli._run_files import Run


@click.command(short_help="Apply a rulebook to a table.")
@rulebook_argument
@table_argument
@click.option(
    "--out",
    "-o",
    metavar="FILE",
    help="Write the clean table here, or to standard output (-): .csv, .parquet, …",
)
@click.option(
    "--out-format",
    metavar="FORMAT",
    help="Kind of file that --out is, such as parquet, where its name doesn't tell.",
)
@click.option("--preview", type=click.IntRange(min=1), metavar="N", help="Show N changes of each rule.")
@click.option("--only", type=click.IntRange(min=1), metavar="N", help="Apply the first N rules only.")
@click.option("--trail", metavar="FILE", help="Write what each rule made of each distinct value.")
@click.option(
    "--crosswalk",
    metavar="FILE",
    help="Write raw and clean values, rows and how (.csv, .parquet, .sssom.tsv).",
)
@click.option(
    "--open", "open_", metavar="FILE", help="Write what waits for rulings to a sheet (.xlsx, .csv)."
)
@click.option("--report", metavar="FILE", help="Write the run as a page to look at (.html).")
@click.option(
    "--since", "earlier", metavar="CROSSWALK", help="Include changes since an earlier run in the report."
)
@click.option("--record", metavar="FILE", help="Write what was read, done, found and written (.json).")
@escape_option
@click.option("--out-encoding", metavar="NAME", help="Encoding of text outputs; UTF-8 unless given.")
@force_option
@most_values_option
@allow_outside_option
@json_option
def apply(
    rulebook: str,
    table: TableSource,
    preview: int | None,
    only: int | None,
    most_values: int,
    escape_formulas: bool,
    out_encoding: str | None,
    out_format: str | None,
    allow_outside: tuple[str, ...],
    force: bool,
    as_json: bool,
    open_: str | None,
    earlier: str | None,
    **files: str | None,
) -> None:
    """Apply a rulebook to a table, and account for every change.

    \b
    Examples:  igual apply trees.toml trees.csv --preview 5
               igual apply trees.toml trees.csv --out clean.csv --open open.xlsx
    """  # noqa: D301 - \b keeps the lines of the examples
    from igual.cli._applying import apply_files
    from igual.cli._run_files import Run, TextChoice, write_outputs
    from igual.engines.counting import Bounds
    from igual.files.applying import make_clean
    from igual.files.crosswalks import load_crosswalk
    from igual.files.tables import is_text_ending

    named = {what: path for what in _NAMES if (path := {**files, "open": open_}[what])}
    if not named and preview is None:
        raise click.UsageError(
            "Nothing to do: give --preview N to look, or --out FILE to write the clean table."
        )
    if earlier and "report" not in named:
        raise click.UsageError("--since is told on the page of the run: give --report FILE too.")
    before = load_crosswalk(earlier) if earlier else None
    endings = _check_endings(named, out_format)
    codes_in = Path(named["out"]).parent if named.get("out", NAME) != NAME else None
    book, pieces = apply_files(rulebook, table, allow_outside, Bounds(most_values), only, codes_in)
    counted, account = pieces.first
    escapes_table = escape_formulas and "out" in named and is_text_ending(endings["out"])
    clean, restyled = make_clean(book, counted, account, endings.get("out"), is_guarded=escapes_table)
    run = Run(rulebook, book, pieces, counted.rows, account, clean, restyled, before)
    run = write_outputs(run, named, endings, TextChoice(escape_formulas, out_encoding), force)
    if as_json:
        from igual.report.records import from_account

        about = {"rulebook": rulebook, "table": table.shown, "rows": run.rows}
        print_json({**about, **from_account(run.account, run.hints), "written": named})
        return
    # What is told must not come between the rows of a table that goes to standard output.
    with contextlib.redirect_stdout(sys.stderr) if files["out"] == NAME else contextlib.nullcontext():
        _show(run, preview, named)
        _note_encoding(run, named, out_encoding)


_NAMES = {
    "out": "clean table",
    "trail": "trail",
    "crosswalk": "crosswalk",
    "open": "sheet of open values",
    "report": "page to look at",
    "record": "record of the run",
}


def _check_endings(named: Mapping[str, str], out_format: str | None) -> dict[str, str]:
    """The ending of each output, if Igual writes that kind of file."""
    from igual.files.crosswalks import crosswalk_ending
    from igual.files.pages import page_ending
    from igual.files.sheets import sheet_ending
    from igual.files.tables import checked_ending

    checks: dict[str, Callable[[str], str]] = {
        "crosswalk": crosswalk_ending,
        "open": sheet_ending,
        "report": page_ending,
        "record": _json_ending,
    }
    told = {"out": f"table.{out_format.lstrip('.') if out_format else 'csv'}"}
    is_told = out_format is not None or named.get("out") == NAME
    return {
        what: checks.get(what, checked_ending)(told[what] if what == "out" and is_told else path)
        for what, path in named.items()
    }


def _json_ending(path: str) -> str:
    if not path.lower().endswith(".json"):
        raise click.UsageError(f"{path}: a record ends with .json")
    return ".json"


def _show(run: Run, preview: int | None, named: Mapping[str, str]) -> None:
    from igual.cli._loading import report_reading
    from igual.report.run_views import outcome_view, preview_view
    from igual.report.terminal import on_terminal, show, show_line
    from igual.report.wording import format_count
    from igual.runs.preview import make_preview

    report_reading(run.opened)
    if preview is not None:
        show(preview_view(make_preview(run.account.stages, preview).rules, plain=not on_terminal()))
    show(outcome_view(run.account, run.hints), "")
    for header in run.restyled:
        if header.collided:
            show_line(f"two columns would be called alike: {header.raw!r} became {header.clean!r}")
    for what, path in named.items():
        show_line(f"{_NAMES[what]}: {path}")
    if "out" not in named:
        show_line("The table itself was not written: --out FILE does that.")
    if run.account.open and "open" not in named:
        show_line("Open values can be ruled on once: --open FILE writes them to a sheet for igual review.")
        kinds = [question for question in run.account.questions if question.cause is not None]
        if kinds:
            settled = sum(len(question.members) for question in kinds)
            asked = format_count(len(kinds), "question")
            show_line(
                f"{asked} on what they have in common would settle {format_count(settled, 'of them', 'of them')}."
            )


def _note_encoding(run: Run, named: Mapping[str, str], out_encoding: str | None) -> None:
    """Note that a table comes out in another encoding than it came in."""
    from igual.files.tables import ending_of, is_text_ending
    from igual.report.terminal import log_note

    dialect = run.opened.dialect
    if named.get("out", NAME) == NAME or out_encoding or dialect is None or dialect.encoding == "utf-8":
        return
    name, encoding = run.opened.name, dialect.encoding
    if is_text_ending(ending_of(named["out"])):
        log_note(f"{named['out']} is UTF-8; {name} is {encoding}: --out-encoding {encoding} keeps that")
