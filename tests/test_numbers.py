"""Whole numbers are values like any other; other numbers, days and times say how they are read."""

from __future__ import annotations

import datetime as dt
from decimal import Decimal
from pathlib import Path
from typing import Any

import numpy as np
import pandas as pd
import pyarrow as pa
import pytest
from hypothesis import given
from hypothesis import strategies as st

import igual
from igual.engines import open_table
from igual.files.tables import read_table
from igual.rules import Band, Bands, Condition, Label, Number, Replace, Spacing
from igual.text.cells import read_cells, write_cells

CODES = {"state": igual.Codebook({1: "good", 2: "fair"})}
LABEL = igual.Rulebook([Label(column="c", codebook="state")], codebooks=CODES)


@pytest.mark.parametrize(
    "column",
    [
        pd.Series([1, 2, 1]),
        pd.Series([1, 2, 1], dtype="uint8"),
        pd.Series([1.0, 2.0, 1.0]),
        pd.Series([1, 2, 1], dtype="Int32"),
        pd.Series([1, 2, 1], dtype="category"),
        pd.Series(["1", "2", "1"]),
        pd.Series([1, "2", 1.0], dtype=object),
        pd.Series([Decimal("1.00"), Decimal(2), Decimal(1)]),
        pd.Series([1, 2, 1], dtype=pd.ArrowDtype(pa.int8())),
    ],
)
def test_whole_numbers_find_their_codes_in_every_dtype(column: pd.Series) -> None:
    outcome = LABEL.apply(pd.DataFrame({"c": column}).set_axis([7, 7, 9]))
    assert outcome.table["c"].tolist() == ["good", "fair", "good"]
    assert outcome.table["c"].cat.categories.tolist() == ["good", "fair"]
    assert outcome.table["c"].cat.ordered
    assert outcome.table.index.tolist() == [7, 7, 9]


@pytest.mark.parametrize(
    "column",
    [
        pa.array([1, None, 2], pa.int64()),
        pa.array([1, None, 2], pa.uint8()),
        pa.array([1, None, float("nan")]),
        pa.array([1, None, 2], pa.float32()),
        pa.array([Decimal("1.0"), None, Decimal("2.0")]),
        pa.array([1, None, 2]).dictionary_encode(),
        pa.array(["1", None, "2"], pa.string_view()),
    ],
)
def test_whole_numbers_find_their_codes_in_every_arrow_type(column: pa.Array) -> None:
    table = LABEL.apply(pa.table({"c": column})).table
    assert table["c"].type.ordered
    assert table["c"].to_pylist()[:2] == ["good", None]


def test_numbers_and_texts_are_the_same_in_lists_of_every_kind() -> None:
    assert igual.Codebook({1: "good"}) == igual.Codebook({"1": "good"}) == igual.Codebook({1.0: "good"})
    assert igual.ReferenceList([1, 2]) == igual.ReferenceList(["1", "2"])  # type: ignore[list-item]
    assert igual.PairList({1: 2}) == igual.PairList({"1": "2"})  # type: ignore[dict-item]
    assert Replace(column="c", pairs={1: "x"}) == Replace(column="c", pairs={"1": "x"})  # type: ignore[dict-item]
    with pytest.raises(igual.ListError, match="code '1' stands twice"):
        igual.Codebook({1: "good", "1": "fair"})


def test_a_text_with_a_zero_that_says_nothing_is_no_code_but_a_near_miss() -> None:
    outcome = LABEL.apply({"c": ["01", "1.0", "1"]})
    assert outcome.table["c"] == ["01", "1.0", "good"]
    assert outcome.unknown[["value", "near"]].to_numpy().tolist() == [["01", "1"], ["1.0", "1"]]


def test_truth_values_and_numbers_in_one_column_stay_apart() -> None:
    tallied = igual.tally([True, 1, "true", np.False_, 0]).table
    assert dict(zip(tallied["value"], tallied["rows"], strict=True)) == {
        "true": 2,
        "1": 1,
        "false": 1,
        "0": 1,
    }


@pytest.mark.parametrize(
    ("cells", "values", "kind"),
    [
        (pa.array([1.5, 1e20, 1e-7, -0.0, float("inf")]), ["1.5", f"1{'0' * 20}", "0.0000001", "0", "inf"], "numbers"),
        (pa.array([0.1], pa.float32()), ["0.1"], "numbers"),
        (pa.array([Decimal("1.50")]), ["1.5"], "numbers"),
        (pa.array([dt.date(2024, 5, 31)]), ["2024-05-31"], "dates"),
        (pa.array([dt.datetime(2024, 5, 31)], pa.timestamp("ns")), ["2024-05-31"], "dates"),
        (pa.array([dt.datetime(2024, 5, 31, 7, 5, 0, 500)]), ["2024-05-31T07:05:00.0005"], "times"),
        (
            pa.array([dt.datetime(2024, 5, 31, 7, 5)], pa.timestamp("ns", "Europe/Berlin")),
            ["2024-05-31T09:05:00+02:00"],
            "times",
        ),
        (pa.array([dt.time(7, 5)]), ["07:05:00"], "times"),
        (pa.array([True, False]), ["true", "false"], "whole numbers"),
    ],
)  # fmt: skip
def test_how_other_cells_are_read(cells: pa.Array, values: list[str], kind: str) -> None:
    read = read_cells(cells)
    assert (read.values.to_pylist(), read.kind) == (values, kind)
    rewritten = write_cells(read.values, cells.type)
    assert rewritten is not None
    assert read_cells(rewritten).values.equals(read.values)


def test_cells_that_are_no_longer_of_their_kind_are_texts() -> None:
    table = pa.table(
        {"at": pa.array([dt.time(1, 2), None]), "on": [dt.date(2024, 5, 31), None], "n": [12, None]}
    )
    rules = [Replace(columns=("at", "on"), pairs={":": "-", "-": "/"}), Replace(column="n", pairs={"2": "x"})]
    made = igual.Rulebook(rules).apply(table).table.to_pydict()
    assert made == {"at": ["01-02-00", None], "on": ["2024/05/31", None], "n": ["1x", None]}


@given(st.lists(st.floats(allow_nan=False) | st.none()))
def test_every_double_comes_back_from_its_value(cells: list[float | None]) -> None:
    given = pa.array(cells, pa.float64())
    back = write_cells(read_cells(given).values, pa.float64())
    assert back is not None
    assert [None if cell is None else cell + 0.0 for cell in back.to_pylist()] == [
        None if cell is None else cell + 0.0 for cell in cells
    ]


def test_how_a_column_is_read_is_a_hint_that_names_it() -> None:
    table = {"h": [1.5, None], "d": [dt.date(2024, 5, 31), None], "m": ["a", 1], "n": [1, 2], "t": ["x", "y"]}
    outcome = igual.Rulebook([Spacing(columns=tuple(table))]).apply(table)
    assert [hint.text for hint in outcome.hints if hint.kind == "read"] == [
        "rule 1 (spacing): column 'h' holds numbers, read in plain decimal notation, such as '1.5'",
        "rule 1 (spacing): column 'd' holds dates, read as ISO 8601 has them, such as '2024-05-31'",
        "rule 1 (spacing): column 'm' holds cells of several kinds, read as texts that look like them, such as '1'",
    ]
    assert outcome.table == table
    assert "changed nothing" in outcome.hints[-1].text


@pytest.mark.parametrize(
    "dtype", ["int32", "Sparse[int64]", "float64", "Int64", "bool", "datetime64[ns]", "int8[pyarrow]", object]
)
def test_columns_keep_their_bits_where_nothing_changes(dtype: Any) -> None:
    frame = pd.DataFrame({"c": pd.Series([1, 0, 1]).astype(dtype), "other": [-0.0, np.nan, 1e300]})
    outcome = igual.Rulebook([Spacing(column="c")]).apply(frame)
    pd.testing.assert_frame_equal(outcome.table, frame)
    assert np.signbit(outcome.table["other"][0])


@pytest.mark.parametrize("dtype", ["int32", "Int64", "int8[pyarrow]", "float64"])
def test_a_changed_column_keeps_its_type_where_every_value_fits(dtype: Any) -> None:
    frame = pd.DataFrame({"c": pd.Series([1, 2]).astype(dtype)})
    fits = igual.Rulebook([Replace(column="c", pairs={"1": "7"})]).apply(frame).table
    assert fits["c"].tolist() == [7, 2]
    assert fits["c"].dtype == frame["c"].dtype
    texts = igual.Rulebook([Replace(column="c", pairs={"1": "many"})]).apply(frame).table
    assert texts["c"].tolist() == ["many", "2"]


def test_counts_bands_and_checks_work_on_numbers_and_days() -> None:
    assert igual.count([1, 2.5, 300, None], above=200) == 1
    assert igual.count(pd.Series([1, 2, 2]), equals=2) == 2
    assert igual.count(pd.to_datetime(pd.Series(["2024-05-31", "2024-06-01"])), above="2024-05-31") == 1
    bands = Bands(bands=(Band(label="small", below=5), Band(label="tall", at_least=5)))
    assert bands.on(pd.Series([4.9, 5.0])).tolist() == ["small", "tall"]
    book = igual.Rulebook([], checks=[igual.rules.Check(column="n", must={"at_most": 5})])
    assert book.apply(pa.table({"n": [3, 7]})).unfit["value"].tolist() == ["7"]


def test_numbers_in_files_are_values(tmp_path: Path) -> None:
    pd.DataFrame({"code": [1, 2], "label": ["good", "fair"]}).to_excel(tmp_path / "state.xlsx", index=False)
    pd.DataFrame({"code": [1, 2], "label": ["good", "fair"]}).to_parquet(tmp_path / "state.parquet")
    for name in ("state.xlsx", "state.parquet"):
        assert igual.Codebook.load(tmp_path / name) == CODES["state"]


def test_a_crosswalk_serves_numbers() -> None:
    walk = LABEL.apply({"c": ["1", "2"]}).crosswalks
    assert walk.apply(pd.DataFrame({"c": [1.0, np.nan]})).table["c"].tolist()[0] == "good"


def test_a_survey_counts_cells_of_every_kind() -> None:
    look = igual.survey(pd.DataFrame({"a": [1, 2], "b": [[1], [2]], "c": [1.5, 2]}))
    assert look.columns[["kind", "distinct", "most_frequent"]].to_numpy().tolist() == [
        ["whole numbers", 2, "1"], ["list", 2, "[1]"], ["numbers", 2, "1.5"]
    ]  # fmt: skip
    assert open_table({"x": [1]}).column("x").kind == "whole numbers"


def test_numbers_that_the_condition_leaves_out_are_shown_as_the_column_holds_them(tmp_path: Path) -> None:
    """What was text beside numbers is a number once its column holds numbers: the trail says so."""
    book = igual.Rulebook([Number(column="n", decimal=",", when=Condition(contains=","))])
    outcome = book.apply({"n": ["1,50", "007", "-0", "2.0", "x", None]})
    assert outcome.table["n"] == [1.5, 7, 0, 2, None, None]
    clean = dict(zip(outcome.trail["raw"], outcome.trail["clean"].fillna(""), strict=True))
    assert {raw: clean[raw] for raw in ("1,50", "007", "-0", "2.0", "x")} == {
        "1,50": "1.5", "007": "7", "-0": "0", "2.0": "2", "x": ""
    }  # fmt: skip
    (tmp_path / "t.csv").write_text('n\n"1,50"\n007\n-0\n2.0\nx\n', encoding="utf-8")
    for ending in (".csv", ".parquet", ".jsonl", ".xlsx"):
        book.apply_file(tmp_path / "t.csv", tmp_path / f"o{ending}")
        values = read_cells(read_table(tmp_path / f"o{ending}")["n"].combine_chunks()).values
        assert values.fill_null("").to_pylist()[:4] == ["1.5", "7", "0", "2"]
