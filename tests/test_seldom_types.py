"""Columns of types that few tables have: UUIDs, JSON and other extension types, small decimals, views of bytes."""

from __future__ import annotations

import json
import uuid
from collections.abc import Callable
from decimal import Decimal
from pathlib import Path
from typing import Any

import openpyxl
import pandas as pd
import polars as pl
import pyarrow as pa
import pytest
from pyarrow import feather, parquet

import igual
from igual.rules import Blanks, Case, Overlay, Replace, Spacing
from igual.text.cells import print_cells
from igual.text.plain_types import spell_out, to_plain
from igual.values import value_of
from tests.conftest import Run

Write = Callable[[str, str | bytes], Path]
ONE, TWO = uuid.UUID(int=0xC0FFEE << 100), uuid.UUID(int=1)
SMALL = [Decimal("1.5"), None, Decimal("2.0")]
# What is stored, and the values that it is read as.
CELLS: dict[str, tuple[pa.Array, list[str | None]]] = {
    "uuid": (pa.array([ONE.bytes, None, TWO.bytes], pa.uuid()), [str(ONE), None, str(TWO)]),
    "json": (pa.array(['{"a":1}', None, "=1+1"], pa.json_(pa.string())), ['{"a":1}', None, "=1+1"]),
    "opaque": (pa.ExtensionArray.from_storage(pa.opaque(pa.string(), "t", "v"), pa.array(["a ", None, "b"])), ["a ", None, "b"]),
    "bool8": (pa.ExtensionArray.from_storage(pa.bool8(), pa.array([1, None, 0], pa.int8())), ["1", None, "0"]),
    "decimal32": (pa.array(SMALL, pa.decimal32(5, 1)), ["1.5", None, "2"]),
    "decimal64": (pa.array(SMALL, pa.decimal64(10, 1)), ["1.5", None, "2"]),
}  # fmt: skip
BOOK = igual.Rulebook([Case(column="k", style="upper")])


def table_of(name: str) -> pa.Table:
    return pa.table({"a": CELLS[name][0], "k": ["x", "y", "z"]})


@pytest.mark.parametrize("name", CELLS)
def test_seldom_types_are_read_as_values_and_stay_what_they_are(name: str) -> None:
    table, values = table_of(name), CELLS[name][1]
    assert [
        value for value in igual.tally(table["a"], sort="order").table["value"] if not pd.isna(value)
    ] == [value for value in values if value]
    assert igual.survey(table).columns["missing"].tolist() == [1, 0]
    made: Any = BOOK.apply(table).table
    assert (made["a"].type, made["k"].to_pylist()) == (table["a"].type, ["X", "Y", "Z"])
    first: Any = values[0]
    changed: Any = igual.Rulebook([Replace(column="a", pairs={first: "7"}, where="whole")]).apply(table).table
    assert [cell and str(cell) for cell in changed["a"].to_pylist()] in (
        ["7", None, values[2]],
        ["7.0", None, "2.0"],
    )
    stream: Any = BOOK.apply(table.to_reader(max_chunksize=2)).table
    assert stream.read_all()["a"].combine_chunks().equals(table["a"].combine_chunks())


@pytest.mark.parametrize("name", CELLS)
def test_a_piece_of_a_column_of_a_seldom_type(name: str) -> None:
    cells, values = CELLS[name]
    for start, stop in ((1, 3), (2, 3), (0, 2), (1, 2), (3, 3)):
        piece = to_plain(pa.chunked_array([cells.slice(start, stop - start)]))
        read = [value_of(cell) for cell in piece.to_pylist()]
        assert read == values[start:stop]
    assert to_plain(pa.chunked_array([], cells.type)).to_pylist() == []
    many = pa.concat_arrays([cells] * 9).slice(5, 14)
    assert [value_of(cell) for cell in to_plain(pa.chunked_array([many])).to_pylist()] == (values * 9)[5:19]


@pytest.mark.parametrize("ending", [".parquet", ".arrow"])
@pytest.mark.parametrize("name", CELLS)
def test_files_with_seldom_types(run: Run, tmp_path: Path, write: Write, name: str, ending: str) -> None:
    table, values = table_of(name), CELLS[name][1]
    path = tmp_path / f"t{ending}"
    if ending == ".parquet":
        parquet.write_table(table, path)
    else:
        feather.write_feather(table, path)
    write("b.toml", 'igual = 1\n[[rule]]\ncolumn = "k"\ndo = "case"\nstyle = "upper"\n')
    shown = json.loads(run(f"tally t{ending} -c a --json").stdout)["values"]
    assert sorted(row["value"] or "" for row in shown) == sorted(value or "" for value in values)
    assert run(f"survey t{ending}").returncode == 0
    for out in (".csv", ".jsonl", ".xlsx", ".parquet", ".arrow"):
        done = run(f"apply b.toml t{ending} --out o{out} --escape-formulas")
        assert done.returncode == 0, done.stderr
    guarded = [value.replace("=1+1", "'=1+1") if value else None for value in values]
    frame = pd.read_csv(tmp_path / "o.csv", dtype=str, keep_default_na=False)
    plain = [
        value and value.replace("2", "2.0") if name.startswith("decimal") else value for value in guarded
    ]
    assert frame["a"].tolist() in ([value or "" for value in guarded], [value or "" for value in plain])
    lines = [json.loads(line) for line in (tmp_path / "o.jsonl").read_text(encoding="utf-8").splitlines()]
    assert [None if line["a"] is None else str(line["a"]) for line in lines] in (values, ["1.5", None, "2.0"])
    sheet = openpyxl.load_workbook(tmp_path / "o.xlsx").worksheets[0]
    assert [
        None if cell is None else str(cell) for (cell,) in sheet.iter_rows(2, 4, 1, 1, values_only=True)
    ] == values
    assert (
        parquet.read_table(tmp_path / "o.parquet")["a"].combine_chunks().equals(table["a"].combine_chunks())
    )
    assert feather.read_table(tmp_path / "o.arrow")["a"].type == table["a"].type


def test_bytes_are_refused_by_rules_in_whatever_form() -> None:
    for kind in (pa.binary(), pa.binary_view(), pa.binary(1)):
        table = pa.table({"a": pa.array([b"a", None], kind), "k": ["x", "y"]})
        made: Any = BOOK.apply(table).table
        assert made["a"].type == kind
        with pytest.raises(igual.TableError, match="no values that rules could read"):
            igual.Rulebook([Spacing(column="a")]).apply(table)


def test_rules_read_no_nested_cells_of_polars() -> None:
    book = igual.Rulebook([Replace(column="k", pairs={"x": "q"}, when={"column": "a", "blank": False})])
    for cells in ([["a"], None], [{"x": 1}, None], [b"a", None]):
        frame = pl.LazyFrame({"a": cells, "k": ["x", "x"]})
        for table in (frame, frame.collect()):
            with pytest.raises(igual.TableError, match=r"column 'a' is .* no values that rules could read"):
                book.apply(table)
        made: Any = BOOK.apply(frame).table
        assert made.collect()["a"].to_list() == cells


@pytest.mark.parametrize("out", [".parquet", ".csv"])
def test_types_that_a_format_lacks_are_refused_by_name(out: str, run: Run, tmp_path: Path) -> None:
    union = pa.UnionArray.from_sparse(pa.array([0, 1], pa.int8()), [pa.array(["a", "b"]), pa.array([1, 2])])
    ends = pa.array([2], pa.int16())
    lacking = [union, pa.array([(1, 2, 3), None], pa.month_day_nano_interval())]
    lacking.append(pa.RunEndEncodedArray.from_arrays(ends, pa.array(["oak"])))
    BOOK.save(tmp_path / "b.toml")
    for cells in lacking:
        table = pa.table({"odd": cells, "k": ["x", "y"]})
        with pa.ipc.new_file(tmp_path / "t.arrow", table.schema) as file:
            file.write_table(table)
        refused = run(f"apply b.toml t.arrow --out o{out}")
        assert (refused.returncode, refused.stderr.count("\n")) == (2, 1), refused.stderr
        assert "column 'odd'" in refused.stderr
        assert f"{cells.type}" in refused.stderr
        assert not (tmp_path / f"o{out}").exists()
        assert run("apply b.toml t.arrow --out o.arrow --force").returncode == 0
        assert feather.read_table(tmp_path / "o.arrow")["odd"].type == cells.type


@pytest.mark.parametrize("cells", [pa.nulls(2), pa.array([b"0" * 16, None], pa.uuid())])
def test_what_rules_make_of_a_pandas_column_of_another_type_are_texts(cells: pa.Array) -> None:
    frame = pa.table({"a": cells}).to_pandas(types_mapper=pd.ArrowDtype)
    book = igual.Rulebook([Blanks(column="a", fill="none"), Overlay(column="a", start=1, length=2, text="x")])
    made: Any = book.apply(frame).table
    assert made["a"].dtype == pd.ArrowDtype(pa.string())
    raw = [None if cell is None else str(cell) for cell in cells.to_pylist()]
    assert made["a"].tolist() == [f"x{('none' if value is None else value)[2:]}" for value in raw]


def test_crosswalks_know_a_column_without_a_name(tmp_path: Path) -> None:
    table = {"": ["oak", "Elm"], "k": ["x", "y"]}
    outcome = igual.Rulebook([Case(column="", style="upper")]).apply(table)
    assert outcome.crosswalks.apply(table).table == {"": ["OAK", "ELM"], "k": ["x", "y"]}
    outcome.crosswalks.save(tmp_path / "walk.csv")
    with (tmp_path / "walk.csv").open("a", encoding="utf-8") as file:
        file.write(",,,,,,,,,\n")
    assert igual.Crosswalk.load(tmp_path / "walk.csv").apply(table).table[""] == ["OAK", "ELM"]
    (tmp_path / "one.csv").write_text("column,raw,clean\nk,x,X\n,,\n", encoding="utf-8")
    assert igual.Crosswalk.load(tmp_path / "one.csv").columns == ["k"]


@pytest.mark.parametrize("out", [".xlsx", ".jsonl", ".arrow"])
def test_empty_columns_of_types_that_arrow_makes_no_array_of(out: str, run: Run, tmp_path: Path) -> None:
    halves = pa.DictionaryArray.from_arrays(pa.array([], pa.int32()), pa.array([], pa.float16()))
    union = pa.UnionArray.from_sparse(pa.array([], pa.int8()), [pa.array([], pa.string())])
    table = pa.table({"h": halves, "u": union, "k": pa.array([], pa.string())})
    with pa.ipc.new_file(tmp_path / "t.arrow", table.schema) as file:
        file.write_table(table)
    (tmp_path / "walk.csv").write_text("column,raw,clean\nk,oak,Oak\n", encoding="utf-8")
    BOOK.save(tmp_path / "b.toml")
    nothing = pa.DictionaryArray.from_arrays(pa.array([None, 0], pa.int32()), pa.nulls(1))
    with pa.ipc.new_file(tmp_path / "n.arrow", pa.schema([("k", nothing.type)])) as file:
        file.write_table(pa.table({"k": nothing}))
    assert run(f"crosswalk walk.csv n.arrow n.arrow --out m{out}").returncode == 0
    for call in ("survey", "crosswalk walk.csv", "apply b.toml"):
        done = run(f"{call} t.arrow" + ("" if call == "survey" else f" --out o{out} --force"))
        assert done.returncode == 0, done.stderr


VIEWS: dict[str, tuple[pa.DataType, list[Any]]] = {
    "of texts": (pa.list_view(pa.string()), [None, ["a"], ["b"], [], None, ["c", None], [], ["d"]]),
    "of views": (pa.large_list_view(pa.list_view(pa.int8())), [[[1], [], None, [2]], None, [], [[3, 4]]]),
    "in structs": (pa.struct([("x", pa.list_view(pa.int8())), ("y", pa.string())]), [{"x": [1], "y": "a"}, None, {"x": [], "y": "b"}]),
    "in lists": (pa.list_(pa.list_view(pa.int8())), [[[1], [], [2]], None, [None]]),
    "in pairs": (pa.list_(pa.list_view(pa.int8()), 2), [[[1], []], None, [None, [2]]]),
    "in maps": (pa.map_(pa.string(), pa.list_view(pa.int8())), [[("k", [1]), ("l", [])], None, [("m", [2])]]),
}  # fmt: skip


@pytest.mark.parametrize("name", VIEWS)
def test_list_views_are_printed_as_lists(name: str, tmp_path: Path) -> None:
    kind, cells = VIEWS[name]
    whole = pa.array(cells * 3, kind)
    # What is taken in pieces, or put together from several, has its cells out of order, and empty ones anywhere.
    for part in (
        whole,
        whole[1:7],
        whole.take(pa.array([2, 0, 1, 2])),
        pa.concat_arrays([whole[2:], whole[:1]]),
    ):
        wanted = [None if cell is None else json.dumps(cell) for cell in part.to_pylist()]
        assert print_cells(part).to_pylist() == wanted == print_cells(spell_out(part)).to_pylist()
    path = tmp_path / "t.parquet"
    parquet.write_table(pa.table({"v": whole}), path, row_group_size=1)
    igual.Rulebook([Case(column="v", style="upper")]).apply_file(path, tmp_path / "t.csv")
    read = pd.read_csv(tmp_path / "t.csv", dtype=str, keep_default_na=False)["v"].tolist()
    assert read == [json.dumps(cell).upper() if cell is not None else "" for cell in whole.to_pylist()]


def test_empty_views_may_begin_anywhere() -> None:
    cells = [None, ["a"], ["b"], None, ["c"], [], None, [], ["d"], None, ["e"], [], None, ["f"], [], []]
    array = pa.array(cells, pa.list_view(pa.string()))
    starts = pa.array([0, 0, 1, 0, 2, 0, 0, 0, 3, 0, 4, 0, 0, 5, 0, 0], pa.int32())
    valid, _, sizes = array.buffers()[:3]
    joined = pa.Array.from_buffers(
        array.type, 16, [valid, starts.buffers()[1], sizes], children=[array.values]
    )
    joined.validate(full=True)
    assert print_cells(joined).to_pylist() == [None if cell is None else json.dumps(cell) for cell in cells]


@pytest.mark.parametrize("ending", [".arrow", ".parquet", ".jsonl"])
@pytest.mark.parametrize("kind", [pa.list_(pa.null()), pa.large_list(pa.null()), pa.list_view(pa.null())])
def test_lists_of_nothing_keep_their_lengths(tmp_path: Path, ending: str, kind: pa.DataType) -> None:
    """Arrow cuts them short where it casts them, be it to the type that they have."""
    cells = [[None, None], None, [], [None] * 3]
    table = pa.table({"t": [" x"] * 4, "s": pa.array(cells, kind)})
    with pa.ipc.new_file(tmp_path / "t.arrow", table.schema) as file:
        file.write_table(table)
    igual.Rulebook([Spacing(column="t")]).apply_file(tmp_path / "t.arrow", tmp_path / f"o{ending}")
    if ending == ".jsonl":
        rows = map(json.loads, (tmp_path / "o.jsonl").read_text().splitlines())
        made = [None if row["s"] is None else json.loads(row["s"]) for row in rows]
    elif ending == ".parquet":
        made = parquet.read_table(tmp_path / "o.parquet")["s"].to_pylist()
    else:
        made = pa.ipc.open_file(tmp_path / "o.arrow").read_all()["s"].to_pylist()
    assert made == cells
    for part in (table["s"].chunk(0), table["s"].chunk(0)[2:]):
        assert print_cells(part).to_pylist() == [
            None if cell is None else json.dumps(cell) for cell in part.to_pylist()
        ]


def test_a_review_shows_columns_of_any_type(tmp_path: Path, run: Run) -> None:
    (tmp_path / "m.toml").write_text(
        'igual = 1\n[lists.l]\nvalues = ["Oak", "Elm"]\n[[rule]]\ncolumn = "a"\ndo = "match"\nlist = "l"\n'
    )
    table = pa.table({"a": ["Oka"], "b": pa.array([["list", None]]), "c": [{"x": b"\xff"}], "d": [b"\xff"]})
    with pa.ipc.new_file(tmp_path / "t.arrow", table.schema) as file:
        file.write_table(table)
    done = run("review m.toml --table t.arrow --page p.html --show b,c,d")
    assert done.returncode == 0, done.stderr
    page = (tmp_path / "p.html").read_text(encoding="utf-8")
    assert "list" in page.split("Oka", 1)[1]


def test_lists_may_have_columns_of_any_type(tmp_path: Path, run: Run) -> None:
    """Arrow joins no pieces of an empty column of structs with types of their own."""
    kind = pa.struct([("x", pa.opaque(pa.string(), "t", "v"))])
    entries = pa.table({"value": pa.array(["Oak"]), "kind": pa.nulls(1, kind)})
    (tmp_path / "t.csv").write_text("a,b\noak,1\n")
    for part, status in ((entries, 0), (entries[:0], 2)):
        parquet.write_table(part, tmp_path / "l.parquet")
        done = run("match t.csv -c a -l l.parquet --give kind")
        assert (done.returncode, "unforeseen" in done.stderr) == (status, False), done.stderr


def test_lists_of_two_formats_are_of_one_type(tmp_path: Path) -> None:
    """Parquet calls the items of lists by another name."""
    table = pa.table(
        {
            "t": [" x"],
            "s": pa.array([[1, None]]),
            "m": pa.array([[("k", [2])]], pa.map_(pa.string(), pa.list_(pa.int8()))),
        }
    )
    parquet.write_table(table, tmp_path / "1.parquet")
    with pa.ipc.new_file(tmp_path / "2.arrow", table.schema) as file:
        file.write_table(table)
    paths = [tmp_path / "1.parquet", tmp_path / "2.arrow"]
    for given in (paths, paths[::-1]):
        for out, read in (("o.parquet", parquet.read_table), ("o.arrow", feather.read_table)):
            igual.Rulebook([Spacing(column="t")]).apply_file(given, tmp_path / out)
            assert (
                read(tmp_path / out).drop_columns(["t"]).to_pylist()
                == table.drop_columns(["t"]).to_pylist() * 2
            )
            (tmp_path / out).unlink()


@pytest.mark.parametrize("kind", ["list", "array", "struct"])
def test_a_single_row_of_categories_inside_a_list_of_a_lazy_frame(kind: str) -> None:
    # polars panics where it groups them as they are, which no `except Exception` holds.
    lists = pl.Series(
        "c", [["oak"]], dtype=pl.Array(pl.Categorical, 1) if kind == "array" else pl.List(pl.Categorical)
    )
    frame = lists.to_frame().lazy()
    if kind == "struct":
        frame = lists.to_frame().to_struct("c").to_frame().lazy()
    counted = igual.tally(frame)
    assert counted.table["value"].tolist() == ['{"c": ["oak"]}' if kind == "struct" else '["oak"]']


def test_a_column_of_a_lazy_frame_may_be_learned_from_itself() -> None:
    frame = pl.LazyFrame({"a": ["oak", "elm", "oak"]})
    learned = [igual.learn(table, columns="a", wanted="a") for table in (frame, frame.collect())]
    assert repr(learned[0]) == repr(learned[1])
