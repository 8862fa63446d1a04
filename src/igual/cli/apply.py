"""`igual apply`."""

from __future__ import annotations

import contextlib
import functools
import itertools
import sys
import tempfile
from collections.abc import Callable, Mapping
from pathlib import Path
from typing import TYPE_CHECKING, NamedTuple

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
    import pyarrow as pa

    from igual.files.formats.base import OpenedTable
    from igual.files.pieces import Pieces
    from igual.files.streams import CleanTable
    from igual.looking.headers import RestyledHeader
    from igual.runs.account import Account
    from igual.runs.crosswalk import Crosswalk
    from igual.runs.hints import Hint
    from igual.runs.rulebook import Rulebook


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
    "--since", "earlier", metavar="CROSSWALK", help="Tell on the page what changed since an earlier run."
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
    r"""Apply a rulebook to a table, and account for every change.

    \b
    Examples:  igual apply trees.toml trees.csv --preview 5
               igual apply trees.toml trees.csv --out clean.csv --open open.xlsx --record run.json
    """
    from igual.cli._loading import apply_files
    from igual.engines.combinations import Bounds
    from igual.files.applying import make_clean
    from igual.files.crosswalks import load_crosswalk
    from igual.files.tables import is_text_ending
    from igual.runs.hints import find_hints

    named = {what: path for what in _NAMES if (path := {**files, "open": open_}[what])}
    if not named and preview is None:
        raise click.UsageError(
            "Nothing to do: give --preview N to look, or --out FILE to write the clean table."
        )
    if earlier and "report" not in named:
        raise click.UsageError("--since is told on the page of the run: give --report FILE too.")
    before = load_crosswalk(earlier) if earlier else None
    endings = _check_endings(named, out_format)
    book, pieces = apply_files(rulebook, table, allow_outside, Bounds(most_values), only)
    counted, account = pieces.first
    escapes_table = escape_formulas and "out" in named and is_text_ending(endings["out"])
    clean, restyled = make_clean(book, counted, account, endings.get("out"), is_guarded=escapes_table)
    run = _Run(rulebook, book, pieces, counted.rows, account, clean, restyled, before)
    hints = find_hints(account)
    run = _write_outputs(run, named, endings, _TextStyle(escape_formulas, out_encoding), force)
    if pieces.outgrown:
        account, hints = run.account, find_hints(run.account)
    if as_json:
        from igual.report.records import from_account

        about = {"rulebook": rulebook, "table": table.shown, "rows": run.rows}
        print_json({**about, **from_account(account, hints), "written": named})
        return
    # What is told must not come between the rows of a table that goes to standard output.
    with contextlib.redirect_stdout(sys.stderr) if files["out"] == NAME else contextlib.nullcontext():
        _show(run, hints, preview, named)
        _note_encoding(run, named, out_encoding)


class _TextStyle(NamedTuple):
    """How text outputs are written."""

    escape_formulas: bool
    encoding: str | None


class _Run(NamedTuple):
    """What was read, and what came of it."""

    rulebook: str
    book: Rulebook
    pieces: Pieces
    rows: int
    account: Account
    clean: CleanTable
    restyled: list[RestyledHeader]
    before: Crosswalk | None

    @property
    def opened(self) -> OpenedTable:
        """The table file."""
        return self.pieces.first.counted.opened


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


def _refuse_to_replace(run: _Run, named: Mapping[str, str], endings: Mapping[str, str]) -> None:
    """Leave alone whatever isn't of the kind that is to be written."""
    from igual.files.existing import NewFile, refuse_to_replace
    from igual.files.pages import PAGE
    from igual.files.sheets import SHEET
    from igual.files.sssom import ENDING
    from igual.runs.crosswalk_rows import SCHEMA
    from igual.runs.trail_rows import TRAIL_SCHEMA

    new = {
        "out": NewFile("table", tuple(run.clean.names)),
        "trail": NewFile("trail", tuple(TRAIL_SCHEMA)),
        "crosswalk": NewFile("SSSOM")
        if endings.get("crosswalk") == ENDING
        else NewFile("crosswalk", tuple(SCHEMA)),
        "open": NewFile("sheet", SHEET, tuple(run.book.matched_columns())),
        "report": PAGE,
        "record": NewFile("record", about=(Path(run.rulebook).name,)),
    }
    for what, path in named.items():
        if not _is_poured(what, path):
            refuse_to_replace(path, new[what])


def _write_outputs(
    run: _Run, named: Mapping[str, str], endings: Mapping[str, str], style: _TextStyle, force: bool
) -> _Run:
    """Write all outputs or none; give the run with the account of all pieces."""
    from igual.cli._loading import book_files
    from igual.files.outputs import outputs
    from igual.files.standard import pour_output

    first, *beside = book_files(run.rulebook, run.book)
    inputs = {"table": list(run.opened.files), "rulebook": [first], "beside the rulebook": beside}
    with (
        tempfile.TemporaryDirectory(prefix="igual-") as folder,
        outputs([path for paths in inputs.values() for path in paths]) as staged,
    ):
        poured = Path(folder, "table")
        places = {
            what: poured if _is_poured(what, path) else staged.place(path) for what, path in named.items()
        }
        if not force:
            _refuse_to_replace(run, named, endings)
        run = _write_pieces(run, places, endings, style)
        _write_account(run, places, endings, style)
        if "report" in places:
            _write_page(run, inputs, places["report"])
        if "record" in places:
            made = {what: (named[what], place) for what, place in places.items() if what != "record"}
            _write_record(run, inputs, made, places["record"])
        if poured.exists():
            pour_output(poured)
    return run


def _write_pieces(
    run: _Run, places: Mapping[str, Path], endings: Mapping[str, str], style: _TextStyle
) -> _Run:
    """Write what has a line for each row or value, piece by piece."""
    from igual.files.applying import write_piece
    from igual.files.csv_cells import guarded
    from igual.files.formats.base import BatchPart, CleanPart, TextStyle
    from igual.files.sssom import ENDING
    from igual.files.tables import is_text_ending, writing_table
    from igual.report.progress import show_progress
    from igual.runs.gathering import Gatherer

    text_style = TextStyle(run.opened.dialect, style.encoding)
    listed: dict[str, Callable[[Account], pa.Table]] = {
        "trail": lambda account: account.trail,
        "crosswalk": lambda account: account.crosswalk.table,
    }
    listed = {what: give for what, give in listed.items() if endings.get(what, ENDING) != ENDING}

    def made_of(account: Account, what: str) -> pa.Table:
        escapes = style.escape_formulas and is_text_ending(endings[what])
        return guarded(listed[what](account)) if escapes else listed[what](account)

    gatherer, rows = Gatherer(), 0
    with contextlib.ExitStack() as open_files:
        on_progress = open_files.enter_context(show_progress("writing"))
        listed = {what: give for what, give in listed.items() if what in places}
        schemas = {what: made_of(run.account, what).schema for what in listed}
        if "out" in places:
            schemas["out"] = run.clean.schema
        writers = {
            what: open_files.enter_context(writing_table(places[what], endings[what], schema, text_style))
            for what, schema in schemas.items()
        }
        for piece in itertools.chain([run.pieces.first], run.pieces.rest):
            if "out" in writers:
                tell = functools.partial(_tell_rows, on_progress, rows)
                guards = run.clean.is_guarded
                write_piece(
                    run.book, piece, endings["out"], run.clean, writers["out"], tell, is_guarded=guards
                )
            for what in listed:
                part = CleanPart(BatchPart(made_of(piece.account, what)))
                writers[what].write(writers[what].prepare(part))
            rows += piece.counted.rows
            gatherer.add(piece.account)
    return run._replace(rows=rows, account=gatherer.gather())


def _tell_rows(on_progress: Callable[[int, int | None], None], before: int, done: int) -> None:
    on_progress(before + done, None)


def _write_account(
    run: _Run, places: Mapping[str, Path], endings: Mapping[str, str], style: _TextStyle
) -> None:
    """Write what is made of the whole account."""
    from igual.files.crosswalks import write_crosswalk
    from igual.files.sheets import write_sheet
    from igual.files.sssom import ENDING

    if endings.get("crosswalk") == ENDING:
        if run.pieces.outgrown:
            raise click.UsageError(
                "A table that is worked piece by piece has no crosswalk as SSSOM: take .csv."
            )
        write_crosswalk(run.account.crosswalk, places["crosswalk"], ENDING)
    if "open" in places:
        write_sheet(run.account.waiting, run.account.questions, places["open"], endings["open"])


def _is_poured(what: str, path: str) -> bool:
    return what == "out" and path == NAME


def _write_page(run: _Run, inputs: Mapping[str, list[Path]], path: Path) -> None:
    from igual.cli._pages import count_rulings, list_read
    from igual.files.pages import write_page
    from igual.report.pages.rendering import render_page
    from igual.report.pages.run_page import RunFacts, build_run_page
    from igual.runs.findings import compare_crosswalks, list_findings
    from igual.runs.hints import find_hints
    from igual.runs.review import find_stale_rulings

    account = run.account
    stale = [ruling for ruling, _ in find_stale_rulings(run.book)]
    facts = RunFacts(
        run.rows,
        f"{Path(run.rulebook).name} applied to {run.opened.name}",
        list_read(inputs),
        find_hints(account),
        list_findings(account, run.rows, stale),
        None if run.before is None else compare_crosswalks(run.before, account.crosswalk),
        count_rulings(run.book),
    )
    write_page(render_page(build_run_page(account, facts)), path)


def _write_record(
    run: _Run, inputs: Mapping[str, list[Path]], made: Mapping[str, tuple[str, Path]], path: Path
) -> None:
    from igual.cli._loading import user
    from igual.files.run_records import run_record, write_record
    from igual.runs.findings import list_findings
    from igual.runs.review import find_stale_rulings

    rows = run.rows
    stale = [ruling for ruling, _ in find_stale_rulings(run.book)]
    findings = list_findings(run.account, rows, stale)
    write_record(run_record(run.account, findings, inputs, made, rows, user()), path)


def _show(run: _Run, hints: list[Hint], preview: int | None, named: Mapping[str, str]) -> None:
    from igual.cli._loading import report_reading
    from igual.report.terminal import on_terminal, show, show_line
    from igual.report.views import outcome_view, preview_view
    from igual.report.wording import format_count
    from igual.runs.preview import make_preview

    report_reading(run.opened)
    if preview is not None:
        show(preview_view(make_preview(run.account.stages, preview).rules, plain=not on_terminal()))
    show(outcome_view(run.account, hints), "")
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


def _note_encoding(run: _Run, named: Mapping[str, str], out_encoding: str | None) -> None:
    """Note that a table comes out in another encoding than it came in."""
    from igual.files.tables import ending_of, is_text_ending
    from igual.report.terminal import show_line

    dialect = run.opened.dialect
    if named.get("out", NAME) == NAME or out_encoding or dialect is None or dialect.encoding == "utf-8":
        return
    name, encoding = run.opened.name, dialect.encoding
    if is_text_ending(ending_of(named["out"])):
        show_line(
            f"{named['out']} is UTF-8; {name} is {encoding}: --out-encoding {encoding} keeps that", err=True
        )
