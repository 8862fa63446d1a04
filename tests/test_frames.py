"""Frames of every kind come in without a copy and go out as what they were."""

from __future__ import annotations

import subprocess
import sys
from pathlib import Path
from typing import Any

import duckdb
import pandas as pd
import polars as pl
import pyarrow as pa
import pyarrow.parquet as pq
import pytest
from hypothesis import given
from hypothesis import strategies as st
from polars.testing import assert_frame_equal

import igual
from igual.engines.plain import PlainEngine
from igual.rules import Blanks, Case, Compose, Label, Replace, Spacing
from tests.conftest import examples

CODES = {"state": igual.Codebook({1: "good", 2: "fair", 3: "poor"})}
BOOK = igual.Rulebook(
    [
        Spacing(column="t"),
        Label(column="n", codebook="state"),
        Replace(column="t", pairs={"x": "z"}, when={"column": "o", "equals": "k"}),
        Case(column="o", style="upper", into="O"),
    ],
    codebooks=CODES,
)
CELLS = {
    "t": [" x ", "y", None, "x"],
    "n": [1, 2, None, 1],
    "o": ["k", "l", "k", "l"],
    "f": [1.5, None, -0.0, 2.0],
}
CLEAN = {
    "t": ["z", "y", None, "x"],
    "n": ["good", "fair", None, "good"],
    "o": CELLS["o"],
    "f": CELLS["f"],
    "O": ["K", "L", "K", "L"],
}


def to_dict(table: Any) -> dict[str, list[Any]]:
    if isinstance(table, pd.DataFrame):
        return {name: [None if pd.isna(cell) else cell for cell in table[name]] for name in map(str, table)}
    if isinstance(table, pl.LazyFrame):
        table = table.collect()
    if isinstance(table, pl.DataFrame):
        return dict(table.to_dict(as_series=False))
    return dict(table) if isinstance(table, dict) else dict(pa.table(table).to_pydict())


KINDS: dict[str, Any] = {
    "dict": lambda: CELLS,
    "pandas": lambda: pd.DataFrame(CELLS),
    "pandas of objects": lambda: pd.DataFrame(CELLS).astype({"t": object}),
    "pandas of Arrow types": lambda: pd.DataFrame(CELLS).convert_dtypes(dtype_backend="pyarrow"),
    "polars": lambda: pl.DataFrame(CELLS),
    "polars, lazy": lambda: pl.LazyFrame(CELLS),
    "Arrow table": lambda: pa.table(CELLS),
    "Arrow table of views": lambda: pa.table(pl.DataFrame(CELLS)),
    "Arrow batch": lambda: pa.RecordBatch.from_pydict(CELLS),
    "Arrow reader": lambda: pa.table(CELLS).to_reader(max_chunksize=3),
}


@pytest.mark.parametrize("kind", KINDS)
def test_every_kind_comes_back_as_itself(kind: str) -> None:
    table = KINDS[kind]()
    outcome = BOOK.apply(table)
    assert isinstance(outcome.table, type(table))
    assert to_dict(outcome.table) == CLEAN
    assert outcome.effects["rows"].tolist() == [1, 3, 1, 4]
    assert outcome.crosswalk("t")["clean"].dropna().tolist() == ["z", "y", "x"]


def test_what_gives_an_arrow_stream_is_taken_as_an_arrow_table() -> None:
    relation = duckdb.sql("select * from (values (' x ', 1, 'k'), ('y', 2, 'l')) as v(t, n, o)")
    made = BOOK.apply(relation).table
    assert isinstance(made, pa.Table)
    assert made["t"].to_pylist() == ["z", "y"]
    assert igual.survey(relation).columns["distinct"].tolist() == [2, 2, 2]
    with pytest.raises(igual.TableError, match="can't take a table of type Broken"):
        igual.survey(Broken())


class Broken:
    def __arrow_c_stream__(self, requested: Any = None) -> Any:
        raise ValueError("no rows today")


def test_the_order_of_codes_survives_in_each_library() -> None:
    polars = BOOK.apply(pl.DataFrame(CELLS)).table
    assert polars["n"].dtype == pl.Enum(["good", "fair", "poor"])
    assert BOOK.apply(pl.LazyFrame(CELLS)).table.collect()["n"].dtype == polars["n"].dtype
    assert BOOK.apply(pa.table(CELLS)).table["n"].type.ordered
    assert BOOK.apply(pa.table(CELLS).to_reader()).table.schema.field("n").type.ordered
    assert BOOK.apply(pd.DataFrame(CELLS)).table["n"].cat.ordered


def test_polars_columns_that_no_rule_changes_stay() -> None:
    frame = pl.DataFrame(
        {
            "c": pl.Series(["u", "v", "u"], dtype=pl.Categorical),
            "e": pl.Series(["v", "u", None], dtype=pl.Enum(["v", "u"])),
            "i": pl.Series([1, None, 3], dtype=pl.Int8),
            "d": pl.Series(["2024-05-31", None, "2024-06-01"]).str.to_date(),
            "l": [[1], None, []],
        }
    )
    book = igual.Rulebook([Spacing(columns=("c", "e", "i", "d"))])
    assert_frame_equal(book.apply(frame).table, frame)
    assert_frame_equal(book.apply(frame.lazy()).table.collect(), frame)
    changed = igual.Rulebook([Replace(columns=("c", "i"), pairs={"u": "w", "1": "9"})]).apply(frame).table
    assert changed["c"].to_list() == ["w", "v", "w"]
    assert (changed["i"].dtype, changed["i"].to_list()) == (pl.Int8, [9, None, 3])


def test_pandas_columns_of_which_rules_make_values_missing() -> None:
    kinds = {"Int8": "Int8", "int8": "Int64", "UInt64": "UInt64", "uint64": "UInt64", "Float32": "Float32"}
    blanks = igual.Rulebook([Blanks(column="c", texts=("2", "true"))])
    for dtype, wanted in kinds.items():
        large = 2**64 - 1 if "64" in dtype else 5
        cells = blanks.apply(pd.DataFrame({"c": pd.Series([2, large], dtype=dtype)})).table["c"]
        assert (cells.dtype, cells.isna().tolist()) == (wanted, [True, False]), dtype
        assert dtype == "Float32" or cells[1] == large
    for dtype in ("bool", "boolean"):
        cells = blanks.apply(pd.DataFrame({"c": pd.Series([True, False], dtype=dtype)})).table["c"]
        assert (cells.dtype, cells.isna().tolist(), cells[1]) == ("boolean", [True, False], False)


@pytest.mark.parametrize("large", [3, 2**120, 2**127 - 1])
def test_polars_whole_numbers_of_128_bits(large: int) -> None:
    frame = pl.DataFrame({"c": pl.Series([1, None, -2, large], dtype=pl.Int128)})
    assert igual.survey(frame).columns["distinct"].tolist() == [3]
    blanks = igual.Rulebook([Blanks(column="c", texts=("-2",))])
    for table in (frame, frame.lazy()):
        cells = blanks.apply(table).table.lazy().collect()["c"]
        assert [cell and int(cell) for cell in cells] == [1, None, None, large]
        assert cells.dtype == (pl.Int128 if large < 10**38 else pl.String)
    negative = igual.Rulebook([Replace(column="c", pairs={"1": "-1"})])
    unsigned = pl.DataFrame({"c": pl.Series([1, 2], dtype=pl.UInt128)})
    assert negative.apply(unsigned).table["c"].to_list() == ["-1", "2"]


def test_rules_on_values_give_back_the_kind_they_got() -> None:
    rule = Spacing()
    for values in (pl.Series("s", [" a", None]), pd.Series([" a", None], name="s"), pa.array([" a", None])):
        made = rule.on(values)
        assert type(made) is type(values)
        assert (made.to_pylist() if isinstance(made, pa.Array) else made.to_list())[0] == "a"
    assert rule.on(pl.Series("s", [" a"])).name == "s"
    assert igual.tally(pl.Series(["a", "b", "a"])).table["rows"].tolist() == [2, 1]
    assert igual.count(pl.LazyFrame({"s": [1, 2, 2]}), equals=2) == 2
    with pytest.raises(igual.TableError, match="a table with 2: select one"):
        igual.count(pl.LazyFrame({"s": [1], "t": [2]}), equals=2)


@pytest.mark.parametrize("lead", [["oak"], [None], ["a", None], ["a", "b", ""]])
@pytest.mark.parametrize("cut", [0, 40_000])
def test_very_many_rows_of_polars_are_encoded_as_those_of_arrow(lead: list[str | None], cut: int) -> None:
    # From 65,536 on, texts of which many are equal are told apart as the views that polars holds.
    texts = lead + [None if row % 7 == 3 else f"v {row * row % 101}" for row in range(70_000)]
    own = pa.table({"t": pa.array(texts, pa.large_string())})
    frame = pl.concat(
        [pl.DataFrame({"t": part}, {"t": pl.String}) for part in (texts[:cut], texts[cut:])], rechunk=False
    )
    book = igual.Rulebook([Case(column="t", style="upper"), Replace(column="t", pairs={"V": "W"}, into="u")])
    outcome, wanted = book.apply(frame), book.apply(own)
    for name in ("t", "u"):
        assert outcome.table[name].to_list() == wanted.table[name].to_pylist()
        assert outcome.crosswalk(name).equals(wanted.crosswalk(name))


@pytest.mark.parametrize("kind", ["polars", "polars, lazy", "Arrow reader", "Arrow batch"])
def test_empty_tables_and_missing_columns(kind: str) -> None:
    table = {"polars": pl.DataFrame, "polars, lazy": pl.LazyFrame}.get(kind, pa.table)(
        {"t": pl.Series([], dtype=pl.String)}
    )
    table = {
        "Arrow reader": lambda t: t.to_reader(),
        "Arrow batch": lambda t: pa.RecordBatch.from_arrays([pa.array([], pa.string())], ["t"]),
    }.get(kind, lambda t: t)(table)
    assert to_dict(igual.Rulebook([Spacing(column="t")]).apply(table).table) == {"t": []}
    with pytest.raises(igual.RulebookError, match="did you mean 't'"):
        igual.Rulebook([Spacing(column="tt")]).apply(KINDS[kind]())


def test_frames_with_any_index_and_frames_derived_from_pandas() -> None:
    class Register(pd.DataFrame):
        @property
        def _constructor(self) -> Any:
            return Register

    frame = Register(CELLS).set_axis([7, 7, "a", None])
    outcome = BOOK.apply(frame)
    assert isinstance(outcome.table, Register)
    assert outcome.table.index.equals(frame.index)


def test_headers_and_surveys_of_lazy_tables() -> None:
    styled = igual.Rulebook([Spacing(column="Tree ID")], headers="snake")
    assert styled.apply(pl.LazyFrame({"Tree ID": ["a "]})).table.collect().columns == ["tree_id"]
    assert styled.apply(pa.table({"Tree ID": ["a "]}).to_reader()).table.read_all().column_names == [
        "tree_id"
    ]
    assert igual.survey(pl.LazyFrame(CELLS)).columns["distinct"].tolist() == [3, 2, 2, 3]


def test_nothing_is_imported_that_did_not_come_in() -> None:
    code = (
        "import sys, igual; "
        "unwanted = {'pandas', 'polars', 'scipy', 'pyspark', 'duckdb'} & set(sys.modules); "
        "import pyarrow as pa; igual.Rulebook([igual.rules.Spacing(column='a')]).apply(pa.table({'a': ['x ']})); "
        "print(unwanted, {'polars', 'scipy', 'pyspark', 'duckdb'} & set(sys.modules))"
    )
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    assert done.stdout.strip() == "set() set()"


TEXTS = st.text(st.characters(codec="utf-8"), max_size=6) | st.none()


@examples(50)
@given(st.lists(st.tuples(TEXTS, st.integers(-3, 3) | st.none(), TEXTS), max_size=12))
def test_all_kinds_give_the_same(rows: list[tuple[str | None, int | None, str | None]]) -> None:
    columns = [list(column) for column in zip(*rows, strict=True)] or [[], [], []]
    kinds = [pa.string(), pa.int64(), pa.string()]
    table = pa.table([pa.array(*one) for one in zip(columns, kinds, strict=True)], names=["t", "n", "o"])
    wanted = to_dict(BOOK.apply(table).table)
    for same in (
        table.to_pydict(),
        table.to_pandas(types_mapper=pd.ArrowDtype),
        pl.DataFrame(table),
        pl.DataFrame(table).lazy(),
        table.to_reader(max_chunksize=2),
    ):
        assert to_dict(BOOK.apply(same).table) == wanted


def test_a_pattern_means_text_columns_of_every_kind_of_table(tmp_path: Path) -> None:
    book = igual.Rulebook([igual.rules.Spacing(columns="*"), igual.rules.Case(column="na*", style="upper")])
    frame = pd.DataFrame({"name": [" a  b "], "other": ["x  y"], "size": [1.5]})
    wanted: dict[str, list[Any]] = {"name": ["A B"], "other": ["x y"], "size": [1.5]}
    table = pa.Table.from_pandas(frame)
    assert book.apply(frame).table.to_dict("list") == wanted
    assert book.apply(pl.DataFrame(frame)).table.to_dict(as_series=False) == wanted
    assert book.apply(pl.DataFrame(frame).lazy()).table.collect().to_dict(as_series=False) == wanted
    reader = pa.RecordBatchReader.from_batches(table.schema, table.to_batches())
    assert book.apply(reader).table.read_all().to_pydict() == wanted
    assert book.apply({name: list(cells) for name, cells in wanted.items()}).table == wanted
    book.save(tmp_path / "book.toml")
    assert igual.Rulebook.load(tmp_path / "book.toml") == book
    pq.write_table(table, tmp_path / "raw.parquet")
    book.apply_file(tmp_path / "raw.parquet", tmp_path / "clean.parquet")
    assert pq.read_table(tmp_path / "clean.parquet").to_pydict() == wanted
    # A column of that very name is no pattern.
    assert book.apply({"*": ["a  b"], "name": ["c  d"]}).table == {"*": ["a b"], "name": ["C  D"]}
    with pytest.raises(igual.RulebookError, match=r"rule 1 \(spacing\): no column fits 'zz\*'"):
        igual.Rulebook([igual.rules.Spacing(columns=["zz*"])]).apply(frame)
    with pytest.raises(igual.RulebookError, match="'into' takes the result of one column"):
        igual.Rulebook([igual.rules.Spacing(column="*", into="new")]).apply(frame)
    species = igual.ReferenceList(["Norway maple"])
    matched = igual.Rulebook([igual.rules.Match(columns="*", list="species")], lists={"species": species})
    outcome = matched.apply({"a": ["Norwy mapl"], "b": ["oak"]})
    assert set(outcome.effects["column"]) == {"a", "b"}
    assert list(matched.lists_of("a")) == ["species"]


@pytest.mark.parametrize("rows", [0, 2])
def test_a_stream_may_hold_dictionaries_of_views_anywhere(rows: int) -> None:
    codes = pa.array([0, None], pa.int8())
    seen = pa.DictionaryArray.from_arrays(codes, pa.array(["oak"], pa.string_view()))
    columns = {"deep": pa.StructArray.from_arrays([seen], ["x"]), "seen": seen, "b": pa.array(["elm", None])}
    batch = pa.RecordBatch.from_pydict(columns)
    for name, wanted in (("seen", "OAK"), ("b", "ELM")):
        reader = pa.RecordBatchReader.from_batches(batch.schema, [batch] if rows else [])
        book = igual.Rulebook([igual.rules.Case(column=name, style="upper")])
        cleaned = book.apply(reader).table.read_all()
        assert cleaned[name].to_pylist() == [wanted, None][:rows]
        assert cleaned["deep"].to_pylist() == [{"x": "oak"}, {"x": None}][:rows]


def test_a_wide_table_is_looked_at_a_few_times_and_not_for_each_column(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    looks: list[int] = []
    names = PlainEngine.names

    def look(engine: PlainEngine, table: dict[str, list[str]]) -> list[str]:
        looks.append(1)
        return names(engine, table)

    monkeypatch.setattr(PlainEngine, "names", look)
    wide = {f"c{number}": [f" {number}", "x"] for number in range(300)}
    composed = Compose(template="{c0}-{c299}-{c7}", into="all")
    clean = igual.Rulebook([Spacing(columns=["c*"]), composed]).apply(wide).table
    assert clean == {
        **{name: [cell.strip() for cell in cells] for name, cells in wide.items()},
        "all": ["0-299-7", "x-x-x"],
    }
    assert len(looks) < 10
