"""Columns in dictionaries of their own for each file, batch or chunk: their values, types and the width of their codes are kept."""

from __future__ import annotations

import datetime as dt
import itertools
import json
from collections import Counter
from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import Any

import numpy as np
import pyarrow as pa
import pytest
from pyarrow import parquet

import igual
from igual.rules import Replace, Spacing
from igual.text.plain_types import join_chunks, spell_out, to_plain, without_missing_words
from tests.conftest import Run

# Types of words, and four words of each.
WORDS: dict[str, tuple[pa.DataType, Sequence[Any]]] = {
    "texts": (pa.string(), ["x", "y", "a", "b"]),
    "views": (pa.string_view(), ["x", "y", "a" * 40, "b"]),
    "doubles": (pa.float64(), [1.5, 0.0, float("nan"), -0.0]),
    "halves": (pa.float16(), [*np.array([1.5, 2, 3, 4], np.float16)]),
    "lists": (pa.list_(pa.int8()), [[1], [], [2], [3]]),
    "list views": (pa.list_view(pa.string()), [["x"], [], ["y", "z"], ["a"]]),
    "structs": (pa.struct([("a", pa.string())]), [{"a": "x"}, {"a": None}, {"a": "y"}, {"a": "z"}]),
    "days": (pa.date32(), [dt.date(2024, 5, 31), dt.date(1, 1, 1), dt.date(2024, 6, 1), dt.date(2024, 6, 2)]),
    "durations": (pa.duration("s"), [1, 2, 3, 4]),
    "flags": (pa.bool_(), [True, False, False, True]),
    "decimals": (pa.decimal32(5, 1), [1, 2, 3, 4]),
}


def make_pieces(name: str, shape: str, *, has_missing_word: bool) -> list[pa.Table]:
    """Two tables of four rows, with other words each; the first one has an empty dictionary before them."""
    kind, cells = WORDS[name]
    tables = []
    for words in ([], cells[:2], cells[2:]):
        held = pa.array([None, *words] if has_missing_word and words else words, kind)
        codes = pa.array([0, len(held) - 1, None, 0] if words else [None] * 4, pa.int8())
        column = pa.DictionaryArray.from_arrays(codes, held)
        if shape == "struct":
            column = pa.StructArray.from_arrays([column], ["k"])
        elif shape == "list":
            column = pa.ListArray.from_arrays([0, 1, 1, 3, 4], column)
        tables.append(pa.table({"t": [" x", "y", "z ", " w"], "s": column}))
    return tables


def write_stream(tables: Sequence[pa.Table], path: Path) -> Path:
    with pa.ipc.new_stream(path, tables[0].schema) as file:
        for table in tables:
            file.write_table(table)
    return path


def _can_be_written(shape: str, name: str, *, has_missing_word: bool) -> bool:
    """Whether an Arrow file can hold it: Arrow doesn't join all dictionaries that are inside others."""
    is_text = name in ("texts", "views")
    return (
        shape == "column"
        or is_text
        or not (has_missing_word or name in ("halves", "lists", "list views", "structs"))
    )


def list_cells(tables: Sequence[pa.Table]) -> list[str]:
    return [repr(cell) for table in tables for cell in table["s"].to_pylist()]


@pytest.mark.parametrize("name", WORDS)
@pytest.mark.parametrize("has_missing_word", [True, False], ids=["with a missing word", ""])
@pytest.mark.parametrize("shape", ["column", "struct", "list"])
def test_every_batch_may_have_its_own_words(
    tmp_path: Path, name: str, shape: str, has_missing_word: bool
) -> None:
    tables = make_pieces(name, shape, has_missing_word=has_missing_word)
    source = write_stream(tables, tmp_path / "t.arrow")
    book = igual.Rulebook([Spacing(column="t")])
    book.apply_file(source, tmp_path / "o.jsonl")
    assert len((tmp_path / "o.jsonl").read_text().splitlines()) == 12
    wanted, kind = list_cells(tables), tables[0].schema.field("s").type
    if _can_be_written(shape, name, has_missing_word=has_missing_word):
        book.apply_file(source, tmp_path / "o.arrow")
        made = pa.ipc.open_file(tmp_path / "o.arrow").read_all()
        assert (list_cells([made]), made.schema.field("s").type) == (wanted, kind)
    else:
        with pytest.raises(igual.IgualError, match="the dictionaries inside column 's' can't be joined"):
            book.apply_file(source, tmp_path / "o.arrow")
    if shape != "column" and name == "list views":
        with pytest.raises(igual.IgualError, match="Parquet has no type for column 's'"):
            book.apply_file(source, tmp_path / "o.parquet")
    else:
        book.apply_file(source, tmp_path / "o.parquet")
        assert list_cells([parquet.read_table(tmp_path / "o.parquet")]) == wanted
    # In memory, columns that no rule names aren't touched.
    kept = book.apply(pa.concat_tables(tables)).table
    assert (list_cells([kept]), kept.schema.field("s").type) == (wanted, kind)


def test_rules_read_words_of_every_batch(tmp_path: Path) -> None:
    for has_missing_word in (True, False):
        tables = make_pieces("texts", "column", has_missing_word=has_missing_word)
        source = write_stream(tables, tmp_path / "t.arrow")
        book = igual.Rulebook([Replace(column="s", pairs={"y": "why", "a": "A"})])
        raw = pa.concat_tables(tables)["s"].to_pylist()
        wanted = [{"y": "why", "a": "A"}.get(cell, cell) for cell in raw]
        assert book.apply(pa.concat_tables(tables)).table["s"].to_pylist() == wanted
        book.apply_file(source, tmp_path / "o.jsonl")
        rows = map(json.loads, (tmp_path / "o.jsonl").read_text().splitlines())
        assert [row["s"] for row in rows] == wanted


@pytest.mark.parametrize("name", WORDS)
def test_columns_are_looked_at(tmp_path: Path, run: Run, name: str) -> None:
    tables = make_pieces(name, "column", has_missing_word=True)
    write_stream(tables, tmp_path / "t.arrow")
    (tmp_path / "u.csv").write_text("t,s\nx,x\ny,1.5\n")
    for call in (
        "tally t.arrow -c s --against u.csv",
        "tally u.csv -c s --against t.arrow",
        "survey t.arrow",
    ):
        done = run(call)
        assert done.returncode == 0 or "has no values that rules could read" in done.stderr, done.stderr
    if name in ("texts", "views", "days"):
        counted = json.loads(run("tally t.arrow -c s --json").stdout)["values"]
        cells = pa.concat_tables(tables)["s"].to_pylist()
        wanted = Counter("" if cell is None else str(cell) for cell in cells)
        assert {row["value"] or "": row["rows"] for row in counted} == wanted


def _write_files(folder: Path, words: Iterator[int], sizes: Sequence[int]) -> list[Path]:
    paths = []
    for number, size in enumerate(sizes):
        held = pa.array([f"w{next(words)}" for _ in range(size)])
        coded = pa.DictionaryArray.from_arrays(pa.array(range(size), pa.int8()), held)
        paths.append(folder / f"{number}.arrow")
        table = pa.table({"t": [" x"] * size, "d": coded, "n": pa.array(range(size), pa.int16())})
        with pa.ipc.new_file(paths[-1], table.schema) as file:
            file.write_table(table)
    return paths


@pytest.mark.parametrize(
    ("sizes", "codes"), [([100, 28], pa.int8()), ([100, 29], pa.int32()), ([40, 60, 60, 60], pa.int32())]
)
def test_codes_keep_their_width_as_long_as_it_is_enough(
    tmp_path: Path, sizes: list[int], codes: pa.DataType
) -> None:
    """128 words can be told apart by codes of 8 bits, of which none is below zero."""
    paths = _write_files(tmp_path, itertools.count(), sizes)
    igual.Rulebook([Spacing(column="t")]).apply_file(paths, tmp_path / "o.arrow")
    made = pa.ipc.open_file(tmp_path / "o.arrow").read_all()
    assert made["d"].to_pylist() == [f"w{number}" for number in range(sum(sizes))]
    assert made["t"].to_pylist() == ["x"] * sum(sizes)
    assert made.schema.types == [pa.string(), pa.dictionary(codes, pa.string()), pa.int16()]
    assert sorted(path.name for path in tmp_path.iterdir()) == sorted([*(p.name for p in paths), "o.arrow"])


def test_many_dictionaries_that_begin_empty(tmp_path: Path) -> None:
    """In each batch another column has its first word; the file isn't written anew for each of them."""
    names = [f"c{number}" for number in range(12)]
    tables = []
    for now in range(len(names) + 1):
        columns = {"t": pa.array([" x", "y"])}
        for number, name in enumerate(names):
            words = [None, f"{name} {now}"] if number < now else []
            codes = pa.array([1, 0] if words else [None, None], pa.int8())
            columns[name] = pa.DictionaryArray.from_arrays(codes, pa.array(words, pa.string()))
        tables.append(pa.table(columns))
    source = write_stream(tables, tmp_path / "t.arrow")
    igual.Rulebook([Spacing(column="t")]).apply_file(source, tmp_path / "o.arrow")
    made = pa.ipc.open_file(tmp_path / "o.arrow").read_all()
    for name in names:
        assert made[name].to_pylist() == [cell for table in tables for cell in table[name].to_pylist()]
        assert made.schema.field(name).type == tables[0].schema.field(name).type


def test_dictionaries_that_begin_empty_may_need_wider_codes(tmp_path: Path) -> None:
    """What takes the place of an empty dictionary is one word more than 8 bits can tell apart."""
    begin = {"a": 0, "b": 1, "c": 2, "d": 3, "e": 4}
    paths, tables = [], []
    for now in range(6):
        columns = {"t": pa.array([" x"] * 128)}
        for name, first in begin.items():
            words = [f"{name} {word}" for word in range(128 if name == "e" else 1)]
            held = pa.array(words if first < now else [], pa.string())
            codes = pa.array(np.arange(128) % max(len(held), 1), pa.int8(), mask=np.full(128, not len(held)))
            columns[name] = pa.DictionaryArray.from_arrays(codes, held)
        tables.append(pa.table(columns))
        paths.append(write_stream(tables[-1:], tmp_path / f"{now}.arrow"))
    igual.Rulebook([Spacing(column="t")]).apply_file(paths, tmp_path / "o.arrow")
    made = pa.ipc.open_file(tmp_path / "o.arrow").read_all()
    for name in begin:
        assert made[name].to_pylist() == [cell for table in tables for cell in table[name].to_pylist()]
    assert made.schema.field("e").type == pa.dictionary(pa.int32(), pa.string())


def test_empty_columns_of_unions_are_read(tmp_path: Path) -> None:
    """Arrow ended the process where it was asked for the size of such a column."""
    kinds = pa.array([0, 1], pa.int8())
    union = pa.UnionArray.from_sparse(kinds, [pa.array(["x", "y"]), pa.array([1, 2])])
    table = pa.table({"t": [" a", "b"], "s": union})
    source = write_stream([table, table[:0], table], tmp_path / "t.arrow")
    igual.Rulebook([Spacing(column="t")]).apply_file(source, tmp_path / "o.arrow")
    made = pa.ipc.open_file(tmp_path / "o.arrow").read_all()
    assert (made["t"].to_pylist(), made["s"].to_pylist()) == (["a", "b"] * 2, ["x", 2] * 2)


def test_pieces_are_joined_as_they_are() -> None:
    halves = [pa.array(np.array(cells, np.float16)).dictionary_encode() for cells in ([1, 2], [3, 1])]
    assert join_chunks(pa.chunked_array(halves)).to_pylist() == [1, 2, 3, 1]
    assert to_plain(pa.chunked_array(halves)).type == pa.float32()
    coded = pa.DictionaryArray.from_arrays(pa.array([0, 1, 2, None], pa.int8()), pa.array(["b", None, "a"]))
    assert without_missing_words(coded).dictionary.to_pylist() == ["b", "a"]
    inside = pa.StructArray.from_arrays([coded], ["k"])
    for cells in (without_missing_words(coded), to_plain(pa.chunked_array([coded]))):
        assert cells.to_pylist() == ["b", None, "a", None]
    assert spell_out(inside).type == pa.struct([("k", pa.string())])
    assert join_chunks(pa.chunked_array([inside, inside])).to_pylist() == inside.to_pylist() * 2
