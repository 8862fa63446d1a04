"""How a run of rules is written to files: all outputs or none."""

from __future__ import annotations

import contextlib
import functools
import itertools
import tempfile
from collections.abc import Callable, Mapping, Sequence
from pathlib import Path
from typing import NamedTuple

import pyarrow as pa

from igual.cli._applying import book_files, user
from igual.errors import OutputError
from igual.files.applying import write_piece
from igual.files.crosswalks import write_crosswalk
from igual.files.csv_cells import guarded
from igual.files.existing import NewFile, refuse_to_replace
from igual.files.formats.base import BatchPart, CleanPart, OpenedTable, TextStyle
from igual.files.outputs import outputs
from igual.files.pages import PAGE, write_page
from igual.files.pieces import Pieces
from igual.files.run_records import run_record, write_record
from igual.files.sheets import write_sheet
from igual.files.sssom import ENDING
from igual.files.standard import NAME, print_output
from igual.files.streams import CleanTable
from igual.files.tables import is_text_ending, writing_table
from igual.looking.headers import RestyledHeader
from igual.report.progress import show_progress
from igual.runs.account import Account
from igual.runs.crosswalk import Crosswalk
from igual.runs.crosswalk_rows import SCHEMA
from igual.runs.findings import Finding, compare_crosswalks, list_findings
from igual.runs.gathering import Gatherer
from igual.runs.hints import Hint, find_hints
from igual.runs.review import find_stale_rulings
from igual.runs.rulebook import Rulebook
from igual.runs.trail_rows import TRAIL_SCHEMA
from igual.sheet_columns import SHEET


class TextChoice(NamedTuple):
    """How text outputs are written."""

    escape_formulas: bool
    encoding: str | None


class Run(NamedTuple):
    """What was read, and what came of it."""

    rulebook: str
    book: Rulebook
    pieces: Pieces
    rows: int
    account: Account
    clean: CleanTable
    restyled: list[RestyledHeader]
    before: Crosswalk | None
    hints: Sequence[Hint] = ()

    @property
    def opened(self) -> OpenedTable:
        """The table file."""
        return self.pieces.first.counted.opened


def _refuse_to_replace(run: Run, named: Mapping[str, str], endings: Mapping[str, str]) -> None:
    """Leave alone whatever isn't of the kind that is to be written."""
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
        if not _goes_to_standard_output(what, path):
            refuse_to_replace(path, new[what])


def write_outputs(
    run: Run, named: Mapping[str, str], endings: Mapping[str, str], style: TextChoice, force: bool
) -> Run:
    """Write all outputs or none; give the run with the account of all pieces."""
    first, *beside = book_files(run.rulebook, run.book)
    inputs = {"table": list(run.opened.files), "rulebook": [first], "beside the rulebook": beside}
    with (
        tempfile.TemporaryDirectory(prefix="igual-") as folder,
        outputs([path for paths in inputs.values() for path in paths]) as staged,
    ):
        poured = Path(folder, "table")
        places = {
            what: poured if _goes_to_standard_output(what, path) else staged.place(path)
            for what, path in named.items()
        }
        if not force:
            _refuse_to_replace(run, named, endings)
        run = _write_pieces(run, places, endings, style)
        _write_account(run, places, endings, style)
        findings = _list_findings(run) if {"report", "record"} & places.keys() else []
        if "report" in places:
            _write_page(run, findings, inputs, places["report"])
        if "record" in places:
            made = {what: (named[what], place) for what, place in places.items() if what != "record"}
            written = run_record(run.account, findings, inputs, made, run.rows, user())
            write_record(written, places["record"])
        if poured.exists():
            print_output(poured)
    return run


def _write_pieces(run: Run, places: Mapping[str, Path], endings: Mapping[str, str], style: TextChoice) -> Run:
    """Write what has a line for each row or value, piece by piece."""
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
                report_rows = functools.partial(_report_rows, on_progress, rows)
                guards = run.clean.is_guarded
                write_piece(
                    run.book, piece, endings["out"], run.clean, writers["out"], report_rows, is_guarded=guards
                )
            for what in listed:
                part = CleanPart(BatchPart(made_of(piece.account, what)))
                writers[what].write(writers[what].prepare(part))
            rows += piece.counted.rows
            gatherer.add(piece.account)
    account = gatherer.gather()
    return run._replace(rows=rows, account=account, hints=find_hints(account))


def _report_rows(on_progress: Callable[[int, int | None], None], before: int, done: int) -> None:
    on_progress(before + done, None)


def _write_account(
    run: Run, places: Mapping[str, Path], endings: Mapping[str, str], style: TextChoice
) -> None:
    """Write what is made of the whole account."""
    if endings.get("crosswalk") == ENDING:
        if run.pieces.outgrown:
            raise OutputError("a table that is worked piece by piece has no crosswalk as SSSOM: take .csv")
        write_crosswalk(run.account.crosswalk, places["crosswalk"], ENDING)
    if "open" in places:
        write_sheet(run.account.waiting, run.account.questions, places["open"], endings["open"])


def _goes_to_standard_output(what: str, path: str) -> bool:
    return what == "out" and path == NAME


def _list_findings(run: Run) -> list[Finding]:
    return list_findings(run.account, run.rows, find_stale_rulings(run.book))


def _write_page(run: Run, findings: Sequence[Finding], inputs: Mapping[str, list[Path]], path: Path) -> None:

    from igual.cli._pages import count_rulings, list_read
    from igual.report.pages.rendering import render_page
    from igual.report.pages.run_page import RunFacts, build_run_page

    account = run.account
    facts = RunFacts(
        run.rows,
        f"{Path(run.rulebook).name} applied to {run.opened.name}",
        list_read(inputs),
        run.hints,
        findings,
        None if run.before is None else compare_crosswalks(run.before, account.crosswalk),
        count_rulings(run.book),
    )
    write_page(render_page(build_run_page(account, facts)), path)
