"""What the Python face takes and gives: tables as lists, errors with attributes, rules that are changed, results kept."""

from __future__ import annotations

import pickle
from pathlib import Path
from typing import Any

import openpyxl
import pandas as pd
import polars as pl
import pyarrow as pa
import pytest

import igual
from igual.errors import IgualError, ListError, RulebookError
from igual.rules import Case, Label, Match, Spacing

COLUMNS = {"value": ["Norway maple", "Common oak"], "alias": ["ACPL|acer", None], "code": [1.0, 2.0]}


@pytest.mark.parametrize("make", [pd.DataFrame, pl.DataFrame, pa.table, dict], ids=lambda make: make.__name__)
def test_a_reference_list_takes_a_table_as_from_a_file(make: Any) -> None:
    trees = igual.ReferenceList(make(COLUMNS))
    assert trees.values == ("Norway maple", "Common oak")
    assert trees.entry_of["acer"] == "Norway maple"
    assert trees.attributes == {"code": ("1", "2")}
    assert igual.match(["ACPL"], make(COLUMNS), give="code").table["given"].tolist() == ["1"]
    book = igual.Rulebook([Match(column="t", list="trees")], lists={"trees": make(COLUMNS)})
    assert book.apply({"t": ["acer"]}).table["t"] == ["Norway maple"]


def test_a_table_that_is_no_reference_list_is_refused() -> None:
    with pytest.raises(ListError, match="the table has no column 'value'; there are: name, code"):
        igual.ReferenceList(pd.DataFrame({"name": ["a"], "code": [1]}))  # type: ignore[arg-type]
    with pytest.raises(ListError, match="row 3: value 'a' stands in row 2 already"):
        igual.ReferenceList(pl.DataFrame({"value": ["a", "a"]}))
    with pytest.raises(ListError, match="aliases and attributes stand in the table itself"):
        igual.ReferenceList(pd.DataFrame(COLUMNS), {"Common oak": ["oak"]})  # type: ignore[arg-type]
    assert igual.ReferenceList(pd.Series(["a", "b"])).values == ("a", "b")  # type: ignore[arg-type]


def error_of(call: Any) -> IgualError:
    with pytest.raises(IgualError) as caught:
        call()
    return caught.value


def test_errors_tell_what_was_asked_for_and_what_there_is(tmp_path: Path) -> None:
    (tmp_path / "trees.toml").write_text("")
    book = igual.Rulebook([Spacing(column="nme")])
    styles = Case.model_fields["style"].annotation.__args__  # type: ignore[union-attr]
    missing = [
        (lambda: book.apply({"name": ["a"]}), "nme", ("name",)),
        (lambda: igual.Rulebook.load(tmp_path / "tree.toml"), str(tmp_path / "tree.toml"), ("trees.toml",)),
        (lambda: Case(style="titel"), "titel", styles),  # type: ignore[arg-type]
        (
            lambda: igual.Rulebook(
                [Label(column="a", codebook="x")], codebooks={"y": igual.Codebook({"1": "one"})}
            ),
            "x",
            ("y",),
        ),
        (lambda: igual.match(["a"], ["b"], give="c"), "c", ()),
        (lambda: igual.Rulebook([Spacing(column="a")]).apply({"a": ["x"]}).crosswalk("b"), "b", ("a",)),
    ]
    for call, name, available in missing:
        error = error_of(call)
        assert (error.name, error.available) == (name, available)


def test_a_changed_copy_of_a_rule_is_a_rule_that_rulebooks_take() -> None:
    rule = Spacing(column="a", note="why")
    moved = rule.model_copy(update={"column": "c"})
    assert (moved.column, moved.columns, moved.note) == ("c", ("c",), "why")
    assert igual.Rulebook([moved]).apply({"c": [" x "]}).table == {"c": ["x"]}
    both = rule.model_copy(update={"columns": ("c", "d")})
    assert (both.column, both.columns) == (None, ("c", "d"))
    assert rule.model_copy() == rule
    with pytest.raises(RulebookError, match="unknown word 'colum'; did you mean 'column'"):
        rule.model_copy(update={"colum": "c"})


def test_a_note_that_is_no_text_is_called_so() -> None:
    with pytest.raises(RulebookError, match="'note' takes a text in quotes; found nan"):
        Spacing(note=float("nan"))  # type: ignore[arg-type]
    with pytest.raises(RulebookError, match="nan is not a number that values can be compared with"):
        Spacing(when={"above": float("nan")})


@pytest.mark.parametrize("make", [pd.DataFrame, dict])
def test_columns_that_no_rule_names_may_have_numbers_for_names(make: Any) -> None:
    table = make({"a": [" x"], 3: [1.5], 4: [" y"]})
    clean = igual.Rulebook([Spacing(columns=("a", "4"))]).apply(table).table
    assert list(clean) == ["a", 3, 4]
    assert [list(clean[name]) for name in clean] == [["x"], [1.5], ["y"]]


def test_an_index_that_was_used_can_be_pickled() -> None:
    index = igual.MatchIndex(["Norway maple", "Common oak"])
    assert igual.match(["Norwy maple"], index).table["status"].tolist() == ["settled"]
    index.search.edits.load_compiled()
    again = pickle.loads(pickle.dumps(index))
    assert igual.match(["Norwy maple"], again).table["status"].tolist() == ["settled"]


def test_open_values_go_to_parquet(tmp_path: Path) -> None:
    near = {"l": igual.ReferenceList(["Kites Quest", "Kite Quest"])}
    outcome = igual.Rulebook([Match(column="a", list="l")], lists=near).apply({"a": ["Kite Qest"]})
    outcome.open.to_parquet(tmp_path / "open.parquet")
    kept = pd.read_parquet(tmp_path / "open.parquet")
    assert kept["value"].tolist() == ["Kite Qest"]
    assert kept["runners_up"][0][0]["entry"] == "Kites Quest"
    igual.match(["Kite Qest"], near["l"]).table.to_parquet(tmp_path / "matches.parquet")


def test_workbooks_keep_the_types_of_cells_that_no_rule_changes(tmp_path: Path) -> None:
    book = openpyxl.Workbook()
    sheet = book.active
    assert sheet is not None
    day = pd.Timestamp(2026, 5, 8).to_pydatetime()
    for row in (
        ["name", "size", "on", "ok", "mixed"],
        [" oak ", 1.5, day, True, 7],
        ["elm", 2, None, False, " b "],
    ):
        sheet.append(row)
    book.save(tmp_path / "in.xlsx")
    rules = igual.Rulebook([Spacing(columns=("name", "mixed"))])
    rules.apply_file(tmp_path / "in.xlsx", tmp_path / "out.xlsx")
    made = openpyxl.load_workbook(tmp_path / "out.xlsx").active
    assert made is not None
    cells = [[cell.value for cell in row] for row in made.iter_rows(min_row=2)]
    assert cells == [["oak", 1.5, day, True, 7], ["elm", 2, None, False, "b"]]
    # What a rule changed is text.
    igual.Rulebook(
        [Label(column="size", codebook="s")], codebooks={"s": igual.Codebook({"2": "two"})}
    ).apply_file(tmp_path / "in.xlsx", tmp_path / "labelled.xlsx")
    made = openpyxl.load_workbook(tmp_path / "labelled.xlsx").active
    assert made is not None
    assert [cell.value for cell in made["B"]][1:] == [1.5, "two"]
