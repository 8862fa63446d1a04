"""Sheets that go out to a steward with what is open, and come back with rulings."""

from __future__ import annotations

import io
import os
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from copy import copy
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING, Any

from igual.decisions import NEW, NO, WORDS, YES
from igual.errors import IgualError, OutputError, RulingError, did_you_mean
from igual.files.csv_cells import guarded, is_formula, unguarded
from igual.files.formats.xlsx import MOST_CHARACTERS, MOST_ROWS, escape_text
from igual.files.outputs import outputs
from igual.files.rulings import record_review
from igual.files.sources import existing_file, to_path
from igual.files.workbook_writing import save_workbook
from igual.files.workbooks import cell_text, list_sheets, read_sheet_cells
from igual.matching.questions import Question
from igual.report.questions import format_question
from igual.report.reasons import format_reasons
from igual.report.wording import format_score
from igual.rulings import Rulings
from igual.runs.account import Account
from igual.runs.open_values import OpenValue
from igual.runs.review import Answer, Review, check_answers, draw_between_marks
from igual.runs.rulebook import Rulebook
from igual.sheet_columns import KIND_SHEET, MADE_FOR, PAGE_SHEET, SHEET, WITHIN_SHEET

if TYPE_CHECKING:
    from openpyxl import Workbook

_KINDS, _OPEN = "kinds", "open"
_NEEDED = ("column", "value", "ruling")
# Columns are as wide as what is in them, up to so many characters: all of them fit on a common screen.
_WIDEST = {
    "column": 9, "value": 20, "within": 14, "shown": 20, "rows": 8, "proposal": 20, "score": 9, "why": 26,
    "runners-up": 18, "ruling": 22, "reason": 16,
}  # fmt: skip
_WRAPPED = ("value", "within", "shown", "proposal", "why", "runners-up", "reason")
_ANSWERS = ("ruling", "reason")
_CELL, _WRAPPED_CELL, _ANSWER_CELL = "cell", "wrapped cell", "answer"
_ZOOM, _LINE_HEIGHT, _WIDEST_WHY = 75, 15, 70
_XLSX = ".xlsx"
SHEET_ENDINGS = (".csv", ".tsv", _XLSX)
_MOST_DIGITS = 15


def sheet_ending(path: str | os.PathLike[str]) -> str:
    """The ending of a sheet, if Igual writes that kind of file."""
    ending = to_path(path, OutputError).suffix.lower()
    if ending not in SHEET_ENDINGS:
        raise OutputError(f"{path}: sheets end with {', '.join(SHEET_ENDINGS)}")
    return ending


def save_sheet(account: Account, path: str | os.PathLike[str]) -> None:
    """Write a sheet; see `Outcome.save_open`."""
    ending = sheet_ending(path)
    with outputs() as staged:
        write_sheet(account.waiting, account.questions, staged.place(path), ending)


def review_sheet(
    sheet: str | os.PathLike[str], rulings: Rulings, book: Rulebook, by: str, on: str, overrule: bool
) -> Review:
    """Take the rulings of a sheet that came back; see `Rulings.review`."""
    answers = read_sheet(sheet)

    def check(known: Rulings) -> Review:
        return check_answers(answers, replace(book, rulings=known), by, on, overrule=overrule)

    if rulings.file is not None:
        return record_review(rulings.file, check)
    review = check(rulings)
    return review.with_rulings(Rulings(rulings.with_more(one.ruling for one in review.accepted)))


def write_sheet(waiting: Sequence[OpenValue], questions: Sequence[Question], path: Path, ending: str) -> None:
    """Write what waits for rulings as the kind of sheet that `ending` says: questions on kinds, and single values."""
    kinds: list[dict[str, Any]] = [
        {
            "column": question.column,
            "kind": question.kind,
            "value": question.cause.text,
            "values": len(question.members),
            "rows": question.rows,
            "why": format_question(question),
            "ruling": "",
            "reason": "",
        }
        for question in questions
        if question.cause is not None
    ]
    rows: list[dict[str, Any]] = [
        {
            "column": one.column,
            "value": one.value,
            "within": one.within,
            "shown": draw_between_marks(one.value),
            "rows": one.rows,
            "proposal": one.proposal,
            "score": round(one.score, 2) if one.proposal else None,
            "why": format_reasons(one.reasons, one.value),
            "runners-up": " | ".join(f"{entry} ({format_score(score)})" for entry, score in one.runners_up),
            "ruling": "",
            "reason": "",
        }
        for one in waiting
    ]
    names = WITHIN_SHEET if any(one.within for one in waiting) else SHEET
    if ending == _XLSX:
        choices = [[one.proposal, *(entry for entry, _ in one.runners_up)] for one in waiting]
        words = [[*(text for text in some if text), *WORDS] for some in choices]
        _write_xlsx(names, kinds, rows, words, path)
        return
    from igual.files.tables import table_of, write_table

    # A sheet is made for spreadsheet programs: no cell may become a formula there.
    names = (*names, "kind") if kinds else names
    records = [{name: record.get(name) for name in names} for record in (*kinds, *rows)]
    write_table(guarded(table_of(records, names)), path, ending)


def _put(where: Any, row: int, column: int, given: Any) -> None:
    cell = where.cell(row, column)
    if isinstance(given, str):
        cell.value = escape_text(given)[:MOST_CHARACTERS]
        cell.data_type = "s"  # never a formula, whatever it starts with
        cell.number_format = "@"
    elif given is not None:
        cell.value = given
        cell.number_format = "0.00" if isinstance(given, float) else "0"


def _add_header(sheet: Any, names: Sequence[str]) -> None:
    from openpyxl.styles import Font, PatternFill
    from openpyxl.styles.fonts import DEFAULT_FONT

    bold = Font(name=DEFAULT_FONT.name, sz=DEFAULT_FONT.sz, bold=True)
    for place, name in enumerate(names, 1):
        _put(sheet, 1, place, name)
        head = sheet.cell(1, place)
        head.font, head.fill = bold, PatternFill("solid", fgColor="DDE3EA")


def _add_styles(book: Workbook) -> None:
    """The styles of cells: a name is given to a cell in no time, a style of its own is compared with all others."""
    from openpyxl.styles import Alignment, NamedStyle, PatternFill
    from openpyxl.styles.fonts import DEFAULT_FONT

    wrapped = Alignment(vertical="top", wrap_text=True)
    for style in (
        NamedStyle(_CELL, alignment=Alignment(vertical="top")),
        NamedStyle(_WRAPPED_CELL, alignment=wrapped),
        NamedStyle(_ANSWER_CELL, alignment=wrapped, number_format="@", fill=PatternFill("solid", "FFF7D6")),
    ):
        style.font = copy(DEFAULT_FONT)
        book.add_named_style(style)


def _rulings_of(names: Sequence[str], rows: int) -> str:
    """The cells of a sheet in which rulings are given."""
    from openpyxl.utils import get_column_letter

    letter = get_column_letter(names.index("ruling") + 1)
    return f"{letter}2:{letter}{rows + 1}"


def _style_of(name: str) -> str:
    if name in _ANSWERS:
        return _ANSWER_CELL
    return _WRAPPED_CELL if name in _WRAPPED else _CELL


def _add_kinds(sheet: Any, kinds: Sequence[dict[str, Any]]) -> None:
    """The questions on kinds, with yes and no to pick from."""
    from openpyxl.utils import get_column_letter
    from openpyxl.worksheet.datavalidation import DataValidation

    _add_header(sheet, KIND_SHEET)
    pick = DataValidation("list", formula1=f'"{YES},{NO}"', allow_blank=True)
    sheet.add_data_validation(pick)
    pick.add(_rulings_of(KIND_SHEET, len(kinds)))
    for row, record in enumerate(kinds, 2):
        for place, name in enumerate(KIND_SHEET, 1):
            sheet.cell(row, place).style = _style_of(name)
            _put(sheet, row, place, record[name])
        sheet.row_dimensions[row].height = _LINE_HEIGHT * max(-(-len(record["why"]) // (_WIDEST_WHY - 4)), 1)
    for place, name in enumerate(KIND_SHEET, 1):
        sheet.column_dimensions[get_column_letter(place)].width = _WIDEST_WHY if name == "why" else 16
    sheet.freeze_panes = "A2"
    sheet.sheet_view.zoomScale = _ZOOM


def _write_xlsx(
    names: Sequence[str],
    kinds: Sequence[dict[str, Any]],
    rows: Sequence[dict[str, Any]],
    choices: Sequence[Sequence[str]],
    path: Path,
) -> None:
    from openpyxl import Workbook
    from openpyxl.utils import get_column_letter
    from openpyxl.worksheet.datavalidation import DataValidation

    if len(rows) >= MOST_ROWS:
        raise OutputError(f"a spreadsheet holds {MOST_ROWS:,} rows; write the sheet as .csv")
    book = Workbook()
    sheet = book.active
    sheet.title = _OPEN
    _add_styles(book)
    if kinds:
        _add_kinds(book.create_sheet(_KINDS, 0), kinds)
        book.active = 0
    hidden = book.create_sheet("choices")
    hidden.sheet_state = "hidden"

    _add_header(sheet, names)
    for place, name in enumerate(names, 1):
        longest = max((len(str(record[name] or "")) for record in rows), default=0)
        room = _WIDEST[name] if name in _ANSWERS else max(longest + 1, len(name) + 3)
        sheet.column_dimensions[get_column_letter(place)].width = min(room, _WIDEST[name])
    for row, (record, offered) in enumerate(zip(rows, choices, strict=True), 2):
        for place, name in enumerate(names, 1):
            sheet.cell(row, place).style = _style_of(name)
            _put(sheet, row, place, record[name])
        lines = max(-(-len(str(record[name] or "")) // (_WIDEST[name] - 2)) for name in _WRAPPED)
        sheet.row_dimensions[row].height = _LINE_HEIGHT * max(lines, 1)
        for place, text in enumerate(offered, 1):
            _put(hidden, row, place, text)
    if rows:
        # One for all rows, since there may be more of these than of validations: each row picks from its own choices.
        own = f"choices!$A2:${get_column_letter(max(map(len, choices)))}2"
        pick = DataValidation("list", formula1=f"OFFSET({own},0,0,1,COUNTA({own}))", allow_blank=True)
        # Any other entry of the list may be typed.
        pick.showErrorMessage = False
        sheet.add_data_validation(pick)
        pick.add(_rulings_of(names, len(rows)))
    sheet.freeze_panes = "C2"
    sheet.sheet_view.zoomScale = _ZOOM
    sheet.auto_filter.ref = f"A1:{get_column_letter(len(names))}{len(rows) + 1}"
    # In memory first: where the disk is full a half-written archive would complain once more when it is closed.
    made = io.BytesIO()
    save_workbook(book, made)
    path.write_bytes(made.getvalue())


def read_sheet(path: str | os.PathLike[str], encoding: str | None = None) -> list[Answer]:
    """Read a sheet that came back; rows may be gone, in another order, or have more columns.

    Raises:
        RulingError: Where a needed column isn't there; what is wrong with single cells stands in the answers.
    """
    existing = existing_file(path, RulingError)
    if existing.suffix.lower() not in (*SHEET_ENDINGS, ".txt"):
        raise RulingError(f"{existing.name}: sheets end with {', '.join(SHEET_ENDINGS)}")
    if existing.suffix.lower() != _XLSX:
        return _read_answers(existing, _csv_lines(existing, encoding))
    with _reporting():
        names = list_sheets(existing)
    answers = _read_answers(existing, _xlsx_lines(existing, _KINDS)) if _KINDS in names else []
    return answers + _read_answers(existing, _xlsx_lines(existing, _OPEN if _OPEN in names else None))


def _read_answers(path: Path, lines: Iterator[list[Any]]) -> list[Answer]:
    header = next(lines, [])
    names = [str(cell or "").strip().casefold() for cell in header]
    places = {}
    for name in PAGE_SHEET:
        if names.count(name) > 1:
            raise RulingError(f"{path.name} has two columns {name!r}; leave one")
        if name in names:
            places[name] = names.index(name)
    if missing := [name for name in _NEEDED if name not in places]:
        if len(missing) == len(_NEEDED):
            raise RulingError(
                f"{path.name} is no sheet of open values, which has the columns {', '.join(_NEEDED)}; "
                "igual review RULEBOOK --table FILE asks about what is open in a table"
            )
        near = did_you_mean(missing[0], [str(cell) for cell in header if cell])
        raise RulingError(f"{path.name}, row 1: there is no column {missing[0]!r}{near}")
    answers = []
    for number, line in enumerate(lines, 2):
        if any(cell not in (None, "") and str(cell).strip() for cell in line):
            answers.append(_answer(number, {name: line[at] for name, at in places.items() if at < len(line)}))
    return answers


def _find_new_formula(ruling: str, value: str) -> str:
    """The entry that a ruling proposes, where a spreadsheet program would take it for a formula; else ''."""
    stated, _, entry = ruling.strip().partition(":")
    if stated.strip().casefold() != NEW:
        return ""
    entry = entry.strip() or value
    return entry if is_formula(entry) else ""


def _answer(number: int, cells: dict[str, Any]) -> Answer:
    wrong = ""
    texts = {}
    for name, cell in cells.items():
        text = cell_text(cell) or ""
        texts[name] = unguarded(text)
        if not isinstance(cell, str | None) and name in ("value", "ruling") and text:
            kind = (
                "true or false" if isinstance(cell, bool) else "number" if isinstance(cell, float) else "date"
            )
            if name == "value" and not cells.get("shown"):
                wrong = f"the value was turned into a {kind} ({text}); write it as a text"
    if entry := _find_new_formula(texts.get("ruling", ""), texts.get("value", "")):
        wrong = f"the new entry {entry!r} would be a formula in a spreadsheet; add it to the list by hand"
    rows = texts.get("rows", "")
    return Answer(
        number,
        texts.get("column", "").strip(),
        texts.get("value", ""),
        texts.get("shown", ""),
        int(rows) if rows.isdecimal() and len(rows) <= _MOST_DIGITS else 0,
        texts.get("ruling", ""),
        texts.get("reason", ""),
        wrong,
        texts.get("proposal", ""),
        texts.get("kind", "").strip(),
        texts.get(MADE_FOR, ""),
        texts.get("within", "").strip(),
    )


def _csv_lines(path: Path, encoding: str | None) -> Iterator[list[Any]]:
    from igual.files.tables import read_table

    with _reporting():
        table = read_table(path, encoding)
    yield list(table.column_names)
    columns = [column.to_pylist() for column in table.columns]
    yield from (list(line) for line in zip(*columns, strict=True))


@contextmanager
def _reporting() -> Iterator[None]:
    """Errors of tables as errors of rulings."""
    try:
        yield
    except IgualError as error:
        raise RulingError(str(error)) from None


def _xlsx_lines(path: Path, sheet: str | None) -> Iterator[list[Any]]:
    with _reporting():
        lines = read_sheet_cells(path, sheet).rows
    return (list(line) for line in lines)
