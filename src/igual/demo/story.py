"""The first five minutes: look, apply, read the account."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path

import pyarrow as pa
import pyarrow.compute as pc
from rich.console import RenderableType
from rich.text import Text

from igual.column import Column
from igual.conditions import Condition
from igual.demo.layout import FILES, LaidOut
from igual.engines import Source
from igual.engines.arrow import ArrowEngine
from igual.files.formats.base import OpenedTable, TextStyle
from igual.files.outputs import outputs
from igual.files.pages import write_page
from igual.files.rulebooks import load_rulebook
from igual.files.rulings import record_rulings, rulings_file
from igual.files.sheets import read_sheet, write_sheet
from igual.files.tables import open_table_file, read_table, write_table
from igual.learning.examples import Combined, find_examples
from igual.learning.learned import learn_rules
from igual.lists import ReferenceList
from igual.looking.survey import survey_columns
from igual.looking.tally import tally_column
from igual.report.check_views import finding_line
from igual.report.draft_views import draft_view
from igual.report.evidence import format_evidence
from igual.report.learned_views import learned_view
from igual.report.looking_views import survey_view
from igual.report.pages.deciding_page import render_deciding_page
from igual.report.pages.rendering import render_page
from igual.report.pages.run_page import RunFacts, build_run_page
from igual.report.review_views import review_view
from igual.report.run_views import effects_view, hints_view, open_view, unknown_view, unused_line
from igual.report.tables import draw_table, draw_value
from igual.report.terminal import show
from igual.rulings import Rulings
from igual.runs.account import Account
from igual.runs.crosswalk_rows import RULING
from igual.runs.draft import draft_rules
from igual.runs.findings import list_findings
from igual.runs.hints import find_hints
from igual.runs.review import check_answers
from igual.runs.rulebook import Rulebook

_LOOKED_AT = ("species", "site", "contractor")
_LISTED = ("species", "district", "contractor")
# A column, one of its values, and what that is to become.
_EXAMPLE = ("planted", "27/10/1974", "1974")
_TOP = 8
_STEWARD, _DAY = "Ines", "2026-05-31"


def tell_story(laid: LaidOut) -> None:
    """Show on the sample what Igual does, step by step, each with the command that does it."""
    folder = laid.folder
    opened = open_table_file(folder / "trees.csv")
    trees = opened.read()
    book = load_rulebook(folder / "trees.toml")
    engine = ArrowEngine()

    show(Text("Port Almery counts its street trees", style="bold underline"))
    show("Three crews wrote the same things in three ways. This is how Igual puts them right.\n")
    if laid.kept:
        show(f"Your own {', '.join(laid.kept)} in {folder} stays as you changed it.\n")

    _step(1, "Look", f"igual survey {folder / 'trees.csv'} " + " ".join(f"-c {name}" for name in _LOOKED_AT))
    looked_at = [opened.names.index(name) for name in _LOOKED_AT if name in opened.names]
    columns = ((opened.names[at], engine.column(trees, at)) for at in looked_at)
    show(survey_view(survey_columns(columns), "trees.csv"))

    _have_rules_proposed(folder, opened.names, trees)

    _step(
        3,
        "Apply the rulebook",
        f"igual apply {folder / 'trees.toml'} {folder / 'trees.csv'} --out {folder / 'clean.csv'} "
        f"--report {folder / 'run.html'}",
    )
    outcome = _ran(replace(book, rulings=Rulings()), trees)
    _write_run(folder, opened, trees, outcome)
    show(effects_view(outcome))
    show(_before_and_after(outcome, "species"))

    _step(4, "See what waits for you", f"igual check {folder / 'trees.toml'} {folder / 'trees.csv'}")
    show(unknown_view(outcome), open_view(outcome), unused_line(outcome), hints_view(find_hints(outcome)))

    _step(
        5,
        "Decide once",
        f"igual apply {folder / 'trees.toml'} {folder / 'trees.csv'} --open {folder / 'open.xlsx'}",
        f"igual review {folder / 'trees.toml'} {folder / 'ruled.csv'} --by {_STEWARD}",
        f"igual review {folder / 'trees.toml'} --table {folder / 'trees.csv'} --page {folder / 'decide.html'}",
    )
    show("What is open went out as a sheet; it came back as ruled.csv, with one slip of the pen.\n")
    decided = check_answers(read_sheet(folder / "ruled.csv"), book, _STEWARD, _DAY)
    kept = record_rulings(rulings_file(folder / "trees.toml"), [one.ruling for one in decided.accepted])
    show(review_view(decided))

    _step(6, "The next month", f"igual check {folder / 'trees.toml'} {folder / 'june.csv'}")
    june = read_table(folder / "june.csv")
    later = _ran(replace(book, rulings=kept), june)
    show(*(finding_line(one) for one in list_findings(later, june.num_rows)), "")
    show(_ruled(later))

    _step(7, "Your turn", f"edit {folder / 'trees.toml'}, then: igual demo {folder}")
    show(_files(folder))


def _write_run(folder: Path, opened: OpenedTable, trees: pa.Table, outcome: Account) -> None:
    """Write all that comes of the run."""
    clean = ArrowEngine().rebuild(trees, [trail.clean_column for trail in outcome.trails.values()])
    with outputs([folder / name for name in FILES]) as staged:
        for name, made in (
            ("clean.csv", clean),
            ("trail.csv", outcome.trail),
            ("crosswalk.csv", outcome.crosswalk.table),
        ):
            write_table(made, staged.place(folder / name), ".csv", TextStyle(opened.dialect))
        write_sheet(outcome.waiting, outcome.questions, staged.place(folder / "open.xlsx"), ".xlsx")
        facts = RunFacts(len(trees), "trees.toml applied to trees.csv", hints=find_hints(outcome))
        write_page(render_page(build_run_page(outcome, facts)), staged.place(folder / "run.html"))
        write_page(render_deciding_page(outcome, "trees"), staged.place(folder / "decide.html"))


def _have_rules_proposed(folder: Path, names: Sequence[str], trees: pa.Table) -> None:
    """A first rulebook drafted from what the table shows, and a rule learned from one example."""
    if not set(_LISTED) <= set(names) or _EXAMPLE[0] not in names:
        return
    lists = [folder / f"{name}.csv" for name in ("species", "districts", "contractors")]
    column, raw, wanted = _EXAMPLE
    _step(
        2,
        "Have rules proposed",
        f"igual draft {folder / 'trees.csv'} --out {folder / 'drafted.toml'} "
        + " ".join(f"-l {path}" for path in lists),
        f"igual learn {folder / 'trees.csv'} -c {column} -e {raw} {wanted} --into year",
    )
    engine = ArrowEngine()
    columns = [(name, engine.column(trees, place)) for place, name in enumerate(names)]
    drafted = draft_rules(columns, format_evidence, {path.stem: ReferenceList.load(path) for path in lists})
    show(draft_view(drafted), "")
    combined = Combined.from_columns((column,), [dict(columns)[column]])
    if raw in combined.texts.to_pylist():
        show(learned_view(learn_rules(combined, find_examples(combined, {raw: wanted}), "year")))


def _ran(book: Rulebook, source: pa.Table) -> Account:
    return book.run(Source(source, ArrowEngine()))


def _ruled(account: Account) -> RenderableType:
    """What the rulings of the month before did in this one."""
    walk = account.crosswalk.table
    ruled = walk.filter(pc.is_in(walk["way"], pa.array([RULING, "ruled out"], walk["way"].type)))
    rows = [
        (
            draw_value(one["column"]),
            draw_value(one["raw"]),
            draw_value(one["clean"]),
            one["rows"],
            one["way"],
        )
        for one in ruled.to_pylist()
    ]
    return draw_table("Where rulings did their work", ("column", "raw", "clean", "rows#", "how"), rows)


def _step(number: int, title: str, *commands: str) -> None:
    show("")
    show(Text.assemble((f" {number} ", "reverse"), (f" {title}  ", "bold")))
    show(Text("".join(f"    {command}\n" for command in commands), style="cyan"))


def _before_and_after(account: Account, column: str) -> RenderableType:
    """The most frequent clean values, and the raw spellings that each was made of."""
    walk = account.crosswalk.of_column(column)
    after = tally_column(_as_column(walk), Condition())
    spellings: dict[str | None, list[tuple[int, str | None]]] = {}
    for record in walk.to_pylist():
        spellings.setdefault(record["clean"], []).append((record["rows"], record["raw"]))
    rows = []
    for record in after.counts.to_pylist()[:_TOP]:
        made_of = sorted(spellings[record["value"]], key=lambda spelling: (-spelling[0], spelling[1] or ""))
        some = Text(", ").join(draw_value(raw) for _, raw in made_of[:4])
        more = f" and {len(made_of) - 4} more" if len(made_of) > 4 else ""
        rows.append((draw_value(record["value"]), record["rows"], len(made_of), Text.assemble(some, more)))
    title = (
        f"{column}: {walk.num_rows:,} spellings before, {after.counts.num_rows:,} after; the most frequent:"
    )
    return draw_table(title, ("after", "rows#", "spellings#", "before"), rows)


def _as_column(walk: pa.Table) -> Column:
    """A column of clean values that keeps the rows of a crosswalk."""
    codes = pa.array(range(walk.num_rows), pa.int32()).to_numpy().repeat(walk["rows"].to_numpy())
    return Column.from_codes(walk["clean"].combine_chunks(), codes)


def _files(folder: Path) -> RenderableType:
    made = {
        "clean.csv": "the clean register",
        "trail.csv": "what each rule made of each distinct value",
        "crosswalk.csv": "raw and clean values and how, for any other program to join",
        "run.html": "the run as a page to look at",
        "open.xlsx": "the sheet of what was open",
        "decide.html": "the same as a page to decide on, for any browser",
        "trees.rulings.csv": "what was ruled; every run of trees.toml knows it",
    }
    rows = [(Text(str(folder / name)), what) for name, what in {**FILES, **made}.items()]
    return draw_table("Where everything lies", ("file", "what it is"), rows)
