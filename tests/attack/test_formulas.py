"""Cells that a spreadsheet program would take for formulas, at their start or behind another separator."""

from __future__ import annotations

import csv
from collections.abc import Callable
from pathlib import Path

import pyarrow as pa
import pytest
from hypothesis import given
from hypothesis import strategies as st

import igual
from igual.decisions import Ruling
from igual.files.csv_cells import guard_text, guarded, unguarded
from igual.files.rulings import load_rulings, record_rulings
from tests.attack.forked import Done
from tests.conftest import examples

Run = Callable[..., Done]
HOSTILE = ["=1+1", "x;=cmd|' /C calc'!A0", "a\t@SUM(1)", "a|-2+3", "x; =1", "\t=1", "x;'=1", "'=1"]


@pytest.mark.parametrize("text", HOSTILE)
def test_no_cell_begins_with_a_formula_wherever_a_program_splits(text: str) -> None:
    made = guarded(pa.table({"a": [text, "plain"]}))["a"].to_pylist()
    assert made == [guard_text(text), "plain"]
    for separator in ";\t|":
        for cell in made[0].split(separator):
            assert not cell.strip().startswith(("=", "+", "-", "@"))
    assert unguarded(made[0]) == text


@examples(400)
@given(st.text(";|\t='+-@a 1,.", max_size=12))
def test_guards_come_off_again(text: str) -> None:
    assert unguarded(guard_text(text)) == text


def test_rulings_on_formulas_are_guarded_on_disk_and_read_as_they_were(tmp_path: Path) -> None:
    kept = [Ruling("a", value, "keep", "=why", "me", "2026-05-08") for value in HOSTILE]
    path = tmp_path / "r.rulings.csv"
    record_rulings(path, kept)
    assert set(load_rulings(path).rulings) == set(kept)
    with path.open(encoding="utf-8", newline="") as file:
        for row in csv.reader(file):
            assert not any(cell.lstrip().startswith(("=", "@")) for cell in row)


@pytest.mark.parametrize("ruling", ['new entry: =HYPERLINK("http://x")', "new entry"])
def test_a_new_entry_from_a_sheet_is_no_formula(ruling: str, run: Run, tmp_path: Path) -> None:
    (tmp_path / "l.csv").write_text("value\noak\n")
    (tmp_path / "b.toml").write_text(
        'igual = 1\n\n[lists]\nl = { file = "l.csv" }\n\n[[rule]]\ncolumn = "a"\ndo = "match"\nlist = "l"\n'
    )
    with (tmp_path / "open.csv").open("w", encoding="utf-8", newline="") as file:
        csv.writer(file).writerows(
            [
                ["column", "value", "shown", "ruling"],
                ["a", "@SUM(1)" if ruling == "new entry" else "x", "x", ruling],
            ]
        )
    done = run("review b.toml open.csv --add-to-lists")
    assert done.returncode == 1
    assert "would be a formula in a spreadsheet" in done.stdout
    assert (tmp_path / "l.csv").read_text() == "value\noak\n"
    assert not (tmp_path / "b.rulings.csv").exists()


def test_escape_formulas_reaches_inner_ones(run: Run, tmp_path: Path) -> None:
    (tmp_path / "t.csv").write_text('a\n"x;=1+1"\n')
    (tmp_path / "b.toml").write_text('igual = 1\n\n[[rule]]\ncolumn = "a"\ndo = "spacing"\n')
    assert run("apply b.toml t.csv --out o.csv --escape-formulas").returncode == 0
    assert (tmp_path / "o.csv").read_text() == "a\nx;'=1+1\n"
    assert igual.Rulebook.load(tmp_path / "b.toml").rules
