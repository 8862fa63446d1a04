"""Table files of every kind, compressed or not, one or several, from standard input and to standard output."""

from __future__ import annotations

import datetime as dt
import gzip
import io
import json
import math
import os
import re
import struct
import zipfile
from collections.abc import Callable
from decimal import Decimal
from pathlib import Path
from typing import Any

import openpyxl
import pandas as pd
import pyarrow as pa
import pytest
from hypothesis import HealthCheck, given
from hypothesis import strategies as st
from openpyxl import Workbook
from pyarrow import parquet

import igual
from igual.files.formats.base import ReadOptions, join_batches
from igual.files.streams import CleanTable, count_table
from igual.files.tables import open_table_file, read_table, write_table, writing_table
from igual.files.text_blocks import TextBlock, read_blocks
from igual.files.text_parsing import find_end_of_rows
from igual.text.cells import list_cells, read_cells
from tests.attack.forked import ForkServer
from tests.attack.written_oddly import write_ods
from tests.conftest import Run, examples

Write = Callable[[str, str | bytes], Path]

BOOK = 'igual = 1\n[[rule]]\ncolumn = "t"\ndo = "spacing"\n[[rule]]\ncolumn = "t"\ndo = "extract"\npattern = "^(.)"\ninto = "first"\n'
ENDINGS = (
    ".csv",
    ".tsv",
    ".csv.gz",
    ".csv.zst",
    ".jsonl",
    ".jsonl.gz",
    ".parquet",
    ".arrow",
    ".feather",
    ".xlsx",
)
TABLE = pa.table(
    {
        "t": ["a  b", " x", 'q"', None, "a  b", "l\n1"],
        "n": ["1", "2", "3", "4", "5", "007"],
        "o": list("uvwxyz"),
    }
)


@pytest.mark.parametrize("source", ENDINGS)
def test_every_kind_is_read_and_gives_the_same_clean_table(
    run: Run, tmp_path: Path, write: Write, source: str
) -> None:
    write_table(TABLE, tmp_path / f"in{source}", source)
    write("b.toml", BOOK)
    for target in (".csv", ".parquet", ".jsonl.zst", ".xlsx"):
        done = run(f"apply b.toml in{source} --out out{target}")
        assert done.returncode == 0, done.stderr
        clean = read_table(tmp_path / f"out{target}").to_pydict()
        assert [text or None for text in clean["t"]] == ["a b", "x", 'q"', None, "a b", "l 1"]
        assert clean["n"] == ["1", "2", "3", "4", "5", "007"]
        assert [text or None for text in clean["first"]] == ["a", "x", "q", None, "a", "l"]


@pytest.mark.parametrize("ending", ENDINGS)
def test_the_same_table_gives_the_same_bytes(tmp_path: Path, ending: str) -> None:
    for name in ("one", "other"):
        write_table(TABLE, tmp_path / name, ending)
    if ending != ".xlsx":
        assert (tmp_path / "one").read_bytes() == (tmp_path / "other").read_bytes()


def test_types_survive_where_the_format_has_them(run: Run, tmp_path: Path, write: Write) -> None:
    table = pa.table(
        {
            "t": pa.array(["a ", "b", None]),
            "i": pa.array([1, None, 3], pa.int8()),
            "d": pa.array([dt.date(2024, 5, 31), None, None]),
            "x": pa.array([1.5, None, -0.0]),
            "l": pa.array([[1], None, []]),
            "k": pa.array(["u", "v", "u"], pa.large_string()),
        }
    )
    write("b.toml", 'igual = 1\n[[rule]]\ncolumns = ["t", "i"]\ndo = "spacing"\n')
    for ending in (".parquet", ".arrow"):
        write_table(table, tmp_path / f"in{ending}", ending)
        assert run(f"apply b.toml in{ending} --out out{ending}").returncode == 0
        clean = read_table(tmp_path / f"out{ending}")
        assert clean.schema.equals(table.schema)
        assert clean.drop_columns(["t"]).equals(table.drop_columns(["t"]))


def test_blocks_and_the_parser_give_the_same_bytes(tmp_path: Path) -> None:
    """What is exchanged without a parser is what a parser would have given."""
    book = igual.Rulebook(
        [igual.rules.Spacing(column="b"), igual.rules.Replace(column="c", pairs={"x": 'q"'}, into="new")]
    )
    for content in (
        b"a,b,c\n1, x ,x\n2,y  z,\n",
        b'"a","b","c"\n"1"," x ","x"\n"2","y  z",""\n',
        b"a;b;c\r\n1; x ;x\r\n2;;z\r\n",
        b'a,b,c\n1,"x, ",x\n"2",y  z,"a ""b"""\n',
        b"a,b,c\n\n1, x ,x\n\n2,,\n",
    ):
        raw = tmp_path / "raw.csv"
        raw.write_bytes(content)
        made = []
        opened = open_table_file(raw)
        assert opened.otherwise is not None
        for way in (opened, opened.otherwise):
            counted = count_table(way, [[1], [2]])
            account = book.run(counted.source)
            clean = CleanTable(counted, [trail.clean_column for trail in account.trails.values()])
            with writing_table(tmp_path / "clean.csv", ".csv", clean.schema) as writer:
                clean.write(writer)
            made.append((tmp_path / "clean.csv").read_bytes())
        assert made[0].replace(b"\r\n", b"\n") == made[1].replace(b"\r\n", b"\n")
        assert b'q""' in made[0]


def test_blocks_of_any_size_hold_the_same_rows(tmp_path: Path) -> None:
    rows = "".join(f'{number},"a,{number}","line\n{number}"\r\n' for number in range(200))
    path = tmp_path / "t.csv"
    path.write_bytes(f"a,b,c\r\n{rows}".encode())
    whole = read_table(path)
    dialect = open_table_file(path).dialect
    assert dialect is not None
    blocks = list(read_blocks(path, dialect, 37))
    assert len(blocks) > 50
    assert all(isinstance(block, TextBlock) for block in blocks)
    assert pa.concat_tables([block.table() for block in blocks]).equals(whole)


def test_columns_that_repeat_are_counted_in_dictionaries(tmp_path: Path) -> None:
    rows = "".join(f'{number},"tree {number % 7}","line\n ""{number}"""\n' for number in range(3_000))
    path = tmp_path / "t.csv"
    path.write_bytes(f"id,tree,note\n{rows}".encode())
    whole, opened = read_table(path), open_table_file(path)
    (part,) = opened.parts([1, 2], 1 << 20)
    assert [pa.types.is_dictionary(part.cells(place).type) for place in (1, 2)] == [True, False]
    for place in (1, 2):
        assert part.cells(place).cast(pa.string()).to_pylist() == whole.column(place).to_pylist()
    counted = count_table(opened, [[0], [1]])
    ids, trees = (one.cells[0].to_pylist() for one in counted.counted)
    assert (len(ids), trees) == (3_000, [f"tree {number}" for number in range(7)])
    # Rows are counted where no column is, and where only a parser can do it.
    path.write_bytes(b"id,tree\n1,a\r\n2,b\r\n\r\n3,c\n")
    assert count_table(open_table_file(path), []).rows == 3


def test_several_files_are_one_table(run: Run, tmp_path: Path, write: Write) -> None:
    write("m1.csv", "t,n\na,1\nb,2\n")
    write("m2.csv", "t,n\na,3\n")
    (tmp_path / "m3.csv.gz").write_bytes(gzip.compress(b"t,n\nc,4\n"))
    assert run("tally m*.csv m3.csv.gz -c t --distinct").stdout.split() == ["a", "b", "c"]
    by = run("tally m*.csv -c t --by source_file --source-file --json")
    assert json.loads(by.stdout)["by"] == ["source_file"]
    write("b.toml", 'igual = 1\n[[rule]]\ncolumn = "t"\ndo = "case"\nstyle = "upper"\n')
    assert run("apply b.toml m1.csv m2.csv --source-file --out out.csv").returncode == 0
    assert (tmp_path / "out.csv").read_text() == "t,n,source_file\nA,1,m1.csv\nB,2,m1.csv\nA,3,m2.csv\n"
    write("x.csv", "t,m\na,1\n")
    refused = run("survey m1.csv x.csv")
    assert (refused.returncode, "x.csv: column 2 is 'm'; in m1.csv it is 'n'" in refused.stderr) == (2, True)
    assert "no file has such a name" in run("survey z*.csv").stderr
    assert "is one of the inputs" in run("apply b.toml m1.csv m2.csv --out m2.csv").stderr
    write("with.csv", "t,source_file\na,1\n")
    assert "has a column 'source_file' already" in run("survey with.csv --source-file").stderr


@pytest.mark.parametrize("ending", [".parquet", ".arrow", ".jsonl", ".xlsx", ".csv.gz"])
def test_files_of_several_kinds_are_one_table(run: Run, tmp_path: Path, write: Write, ending: str) -> None:
    write("first.csv", "t,n\na ,x\nb,y\n")
    # Parquet's texts come as dictionaries, those of text tables as texts.
    write_table(pa.table({"t": ["c ", "a "], "n": ["x", "z"]}), tmp_path / f"second{ending}", ending)
    write("walk.csv", "column,raw,clean\nt,a ,A\nt,b,B\nt,c ,C\n")
    for files, wanted in (
        (f"first.csv second{ending}", ["A", "B", "C", "A"]),
        (f"second{ending} first.csv", ["C", "A", "A", "B"]),
        (f"second{ending} second{ending}", ["C", "A", "C", "A"]),
    ):
        done = run(f"crosswalk walk.csv {files} --out out.csv --force")
        assert done.returncode == 0, done.stderr
        assert read_table(tmp_path / "out.csv")["t"].to_pylist() == wanted


def test_texts_beyond_the_bytes_of_their_file_are_refused(run: Run, tmp_path: Path) -> None:
    path = tmp_path / "t.arrow"
    table = pa.table({"quay": pa.array(["oak", "elms", "lime"], pa.string())})
    with pa.ipc.new_file(path, table.schema) as writer:
        writer.write_table(table)
    content = path.read_bytes()
    changed = content.replace(struct.pack("<4i", 0, 3, 7, 11), struct.pack("<4i", 0, 3, 7, 40))
    assert changed != content
    path.write_bytes(changed)
    for command in ("survey t.arrow", "tally t.arrow -c quay"):
        done = run(command)
        assert done.returncode == 2
        assert "t.arrow can't be read; it is damaged" in done.stderr


def test_column_names_that_are_not_utf8_are_refused(tmp_path: Path) -> None:
    path = tmp_path / "t.arrow"
    table = pa.table({"quay": ["a"]})
    with pa.ipc.new_file(path, table.schema) as writer:
        writer.write_table(table)
    path.write_bytes(path.read_bytes().replace(b"quay", b"\x95uay"))
    with pytest.raises(igual.TableError, match=r"t.arrow can't be read"):
        igual.Rulebook([igual.rules.Spacing(column="quay")]).apply_file(path, tmp_path / "out.csv")


@pytest.mark.parametrize("ending", [".csv", ".csv.gz", ".jsonl", ".parquet", ".arrow", ".xlsx"])
def test_standard_input_and_output(tmp_path: Path, server: ForkServer, write: Write, ending: str) -> None:
    write_table(TABLE, tmp_path / "in", ending)
    write("b.toml", BOOK)
    content = (tmp_path / "in").read_bytes()
    command = "apply b.toml - --out -".split()
    done = server.run(command, tmp_path, given=content)
    assert done.returncode == 0, done.stderr
    assert done.printed.splitlines()[:2] == [b"t,n,o,first", b"a b,1,u,a"]
    assert "What each rule changed" in done.stderr
    packed = server.run([*command, "--out-format", "parquet"], tmp_path, given=content)
    assert parquet.read_table(io.BytesIO(packed.printed)).column_names == ["t", "n", "o", "first"]
    nothing = server.run(command, tmp_path)
    assert (nothing.returncode, nothing.printed) == (2, b"")
    assert "standard input is empty" in nothing.stderr


def test_first_lines_that_are_no_header(run: Run, write: Write) -> None:
    write("stated.csv", "sep=|\na|b\n1|2,3\n")
    assert run("tally stated.csv -c b --distinct").stdout == "2,3\n"
    write("titled.csv", 'The "register"\nof 2024\na,b\n1,2\n')
    assert run("tally titled.csv -c b --header-row 3 --distinct").stdout == "2\n"
    assert "row 9: no column names were found" in run("survey titled.csv --header-row 9").stderr


def make_workbook(path: Path) -> None:
    book = Workbook()
    sheet: Any = book.active
    sheet.title = "Notes"
    sheet["B4"], sheet["C4"], sheet["B5"], sheet["C5"] = "site", "day", 7, dt.datetime(2024, 5, 31)
    sheet["B6"] = "=1+1"
    sheet["C6"] = "#DIV/0!"
    sheet["C6"].data_type = "e"
    sheet["B7"], sheet["D7"] = True, "beside"
    sheet.merge_cells("B8:C8")
    sheet["B8"] = "merged"
    book.create_sheet("Codes").append(["code", "label"])
    book["Codes"].append([1, "good"])
    book.create_sheet("Secret").sheet_state = "hidden"
    book.save(path)


def test_workbooks_say_what_is_not_plain(run: Run, tmp_path: Path) -> None:
    make_workbook(tmp_path / "w.xlsx")
    done = run("survey w.xlsx --json")
    names = [column["column"] for column in json.loads(done.stdout)["columns"]]
    assert names == ["column 1", "site", "day", "column 4"]
    done = run("tally w.xlsx -c site --distinct --sort value")
    assert done.stdout.split() == ["7", "merged", "true"]
    for said in (
        "w.xlsx has 2 sheets; 'Notes' was read: --sheet names another ('Codes')",
        "has an area of merged cells",
        "1 formula has no value",
        "1 cell holds an error",
        "the table starts in row 4",
        "2 columns have no name in row 4",
    ):
        assert said in run("survey w.xlsx").stderr
    for sheet in ("Codes", "2"):
        assert run(f"tally w.xlsx -c code --sheet {sheet} --distinct").stdout == "1\n"
    assert "has no sheet 'Code'; did you mean 'Codes'?" in run("survey w.xlsx --sheet Code").stderr
    assert run("tally w.xlsx -c day --header-row 4 --distinct").stdout.split() == ["2024-05-31"]


def test_a_million_empty_rows_are_none(run: Run, tmp_path: Path) -> None:
    book = Workbook()
    sheet: Any = book.active
    sheet.append(["a"])
    sheet.append(["x"])
    book.save(tmp_path / "plain.xlsx")
    rows = b"".join(b'<row r="%d" s="1"/>' % number for number in range(3, 1_048_577))
    with (
        zipfile.ZipFile(tmp_path / "plain.xlsx") as plain,
        zipfile.ZipFile(tmp_path / "w.xlsx", "w", 8) as made,
    ):
        for part in plain.infolist():
            content = plain.read(part)
            made.writestr(part.filename, content.replace(b"</sheetData>", rows + b"</sheetData>"))
    done = run("survey w.xlsx")
    assert "w.xlsx: 1 row, 1 column" in done.stdout


TIMES = st.datetimes(dt.datetime(1, 1, 1), dt.datetime(9999, 12, 31, 23, 59, 59))
TYPED: dict[pa.DataType, st.SearchStrategy[Any]] = {
    pa.date32(): st.dates(),
    pa.timestamp("us"): TIMES,
    pa.timestamp("ns"): st.integers(-(2**62), 2**62),
    pa.time64("ns"): st.integers(0, 86_399 * 10**9),
    pa.int64(): st.integers(-(2**63), 2**63 - 1),
    pa.uint64(): st.integers(0, 2**64 - 1),
    pa.float64(): st.floats(allow_nan=False),
    pa.decimal128(20, 3): st.integers(-(10**16), 10**16).map(lambda number: Decimal(number) / 1000),
}


@pytest.mark.parametrize(
    "ending", [".xlsx", ".jsonl", ".jsonl.gz", ".parquet", ".feather", ".tsv", ".csv.zst"]
)
@examples(100, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(
    cells=st.lists(
        st.text(st.characters(codec="utf-8"), max_size=6)
        | st.sampled_from(
            [" ", "\n ", "\t", "\r\n", "\u3000", "_x0020_", "\x85", "null", "1.0", "=1", "<b>&amp;"]
        ),
        min_size=1,
        max_size=6,
    )
)
def test_any_texts_read_back(ending: str, cells: list[str], tmp_path: Path) -> None:
    write_table(pa.table({"at": ["x"] * len(cells), "cells": cells}), tmp_path / f"t{ending}", ending)
    again = read_table(tmp_path / f"t{ending}")
    assert again["at"].to_pylist() == ["x"] * len(cells)
    assert [cell or "" for cell in again["cells"].to_pylist()] == cells


def test_decimals_without_a_fraction_are_whole_in_a_file_too(tmp_path: Path, write: Write, run: Run) -> None:
    write("t.jsonl", '{"c": "999999999999999999999999999999"}\n{"c": "x"}\n{"c": "1"}\n')
    write("b.toml", 'igual = 1\n[[rule]]\ncolumn = "c"\ndo = "number"\n')
    for out in ("o.jsonl", "o.xlsx"):
        assert run(f"apply b.toml t.jsonl --out {out}").returncode == 0
    made = (tmp_path / "o.jsonl").read_text(encoding="utf-8").splitlines()
    assert made == ['{"c": "999999999999999999999999999999"}', '{"c": null}', '{"c": 1}']
    column = next(openpyxl.load_workbook(tmp_path / "o.xlsx").worksheets[0].iter_cols(values_only=True))
    assert column == ("c", "9" * 30, None, 1)
    hundreds = pa.array([Decimal(100), Decimal(12345678901234567800)], pa.decimal128(30, -2))
    assert list_cells(hundreds, math.isfinite) == [100, "12345678901234567800"]


@pytest.mark.parametrize("ending", [".xlsx", ".jsonl", ".parquet", ".arrow"])
@examples(100, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(data=st.data())
def test_typed_cells_read_back_as_the_same_values(ending: str, data: st.DataObject, tmp_path: Path) -> None:
    kind = data.draw(st.sampled_from(list(TYPED)))
    listed = data.draw(st.lists(TYPED[kind] | st.none(), min_size=1, max_size=6))
    is_nanos = pa.types.is_temporal(kind) and kind in (pa.timestamp("ns"), pa.time64("ns"))
    cells = pa.array(listed, pa.int64()).cast(kind) if is_nanos else pa.array(listed, kind)
    path = tmp_path / f"t{ending}"
    write_table(pa.table({"at": ["x"] * len(cells), "cells": cells}), path, ending)
    again = read_table(path)["cells"].combine_chunks()
    again = again.dictionary_decode() if pa.types.is_dictionary(again.type) else again
    values, read = (read_cells(one).values.fill_null("").to_pylist() for one in (cells, again))
    # In a column of days and times a day that is read as a cell of its own has no time.
    assert [value.removesuffix("T00:00:00") for value in values] == [
        value.removesuffix("T00:00:00") for value in read
    ]


@pytest.mark.parametrize("ending", ["csv", "jsonl", "xlsx"])
def test_times_in_years_that_few_programs_print(run: Run, tmp_path: Path, write: Write, ending: str) -> None:
    counts = pa.array([0, 2**41, -(2**41), None])
    columns = {
        "day": pa.array([0, 2**31 - 1, -(2**31), None], pa.int32()).view(pa.date32()),
        "time": counts.view(pa.timestamp("s")),
        "zoned": counts.view(pa.timestamp("s", "Europe/Vienna")),
    }
    parquet.write_table(pa.table({"tree": ["a", "b", "c", "d"], **columns}), tmp_path / "far.parquet")
    write("upper.toml", "igual = 1\n[[rule]]\ndo = 'case'\nstyle = 'upper'\ncolumn = 'tree'\n")
    assert run(f"apply upper.toml far.parquet --out far.{ending}").returncode == 0
    for name, expected in {
        "day": ("5881580-07-11", "-5877641-06-23"),
        "time": ("71654-04-10T01:12:32", "-67715-09-22T22:47:28"),
        "zoned": ("71654-04-10T01:12:32Z", "-67715-09-22T22:47:28Z"),
    }.items():
        told = json.loads(run(f"tally far.{ending} -c {name} --json").stdout)["values"]
        values = {one["value"].replace(" ", "T").replace(".000", "") for one in told if one["value"]}
        assert set(expected) < values


def test_an_empty_table_of_any_types(run: Run, tmp_path: Path) -> None:
    kinds = (pa.dictionary(pa.int32(), pa.timestamp("ns")), pa.map_(pa.string(), pa.int8()), pa.string_view())
    table = pa.Table.from_arrays([pa.nulls(0, kind) for kind in kinds], names=["t", "b", "c"])
    write_table(table, tmp_path / "t.arrow", ".arrow")
    (tmp_path / "b.toml").write_text(BOOK, encoding="utf-8")
    for call in (
        "survey t.arrow",
        "tally t.arrow -c b",
        "apply b.toml t.arrow --out o.jsonl --trail trail.csv",
    ):
        assert run(call).returncode == 0
    assert repr(igual.survey(table)).startswith("0 rows, 3 columns")


@given(
    st.lists(st.sampled_from(['"', "\n", "\r", "a", ","]), max_size=12).map("".join),
    st.sampled_from(["", 'a,"', '"a",""']),
)
def test_rows_end_where_no_quote_is_open(text: str, before: str) -> None:
    data = text.encode()
    opened = before.count('"')
    ends = [
        place
        for place, byte in enumerate(data)
        if byte in b"\n\r" and (opened + data[:place].count(b'"')) % 2 == 0
    ]
    # A return at the very end may be the first half of a line break.
    whole = [place + 1 for place in ends if not (data[place] == ord("\r") and place == len(data) - 1)]
    assert find_end_of_rows(data, before.encode()) == (whole[-1] if whole else 0)


def test_small_batches_are_read_together(run: Run, tmp_path: Path) -> None:
    texts = [pa.array([f"{number} "]).dictionary_encode() for number in range(3)]
    numbers = pa.array(range(70_000))
    batches = [
        pa.RecordBatch.from_arrays([texts[row % 3], numbers.slice(row, 1)], ["t", "n"])
        for row in range(70_000)
    ]
    parts = list(join_batches(batches))
    assert [part.num_rows for part in parts] == [65_536, 4_464]
    assert {column.num_chunks for column in parts[0].columns} == {1}
    assert pa.concat_tables(parts)["n"].to_pylist() == list(range(70_000))
    with pa.ipc.new_stream(tmp_path / "t.arrow", batches[0].schema) as file:
        for batch in batches[:50]:
            file.write_batch(batch)
    (tmp_path / "b.toml").write_text(BOOK, encoding="utf-8")
    assert run("apply b.toml t.arrow --out o.parquet").returncode == 0
    # Each batch has a dictionary of its own; in a file, as other programs read it, there is one that grows.
    assert run("apply b.toml t.arrow --out o.arrow").returncode == 0
    with pa.ipc.open_file(tmp_path / "o.arrow") as file:
        kept = file.read_all()
    assert kept.schema.field("t").type == batches[0].schema.field("t").type
    assert kept.select(["t", "n"]).to_pydict() == {
        "t": [str(row % 3) for row in range(50)],
        "n": list(range(50)),
    }
    made = parquet.read_table(tmp_path / "o.parquet").to_pydict()
    assert (made["t"], made["n"]) == ([str(row % 3) for row in range(50)], list(range(50)))


def test_dictionaries_of_any_type_go_to_parquet(run: Run, tmp_path: Path) -> None:
    columns = {
        "passed": pa.array([1, None], pa.duration("ns")),
        "at": pa.array([1, None], pa.timestamp("us", tz="Europe/Lisbon")),
        "day": pa.array([1, None], pa.date32()),
        "number": pa.array([1, None], pa.uint8()),
        "bytes": pa.array([b"x", None], pa.binary()),
        "text": pa.array(["x", None], pa.large_string()),
    }
    views = {
        name: pa.DictionaryArray.from_arrays(pa.array([0, None], pa.int32()), pa.array([cell], kind))
        for name, cell, kind in (("seen", "x", pa.string_view()), ("seen bytes", b"x", pa.binary_view()))
    }
    encoded = {name: cells.dictionary_encode() for name, cells in columns.items()} | views
    deep = pa.StructArray.from_arrays(list(encoded.values())[:3], list(encoded)[:3])
    several = pa.ListArray.from_arrays(pa.array([0, 0, 2], pa.int32()), deep)
    given = pa.table({"t": ["a ", "b"], **encoded, "deep": deep, "several": several})
    with pa.ipc.new_file(tmp_path / "t.arrow", given.schema) as file:
        file.write_table(given)
    (tmp_path / "b.toml").write_text(BOOK, encoding="utf-8")
    assert run("apply b.toml t.arrow --out o.parquet").returncode == 0
    made = parquet.read_table(tmp_path / "o.parquet")
    for name, cells in (columns | views).items():
        assert repr(made[name].to_pylist()) == repr(cells.to_pylist()), name
    for out in ("o.xlsx", "o.jsonl"):
        assert run(f"apply b.toml t.arrow --out {out}").returncode == 0
        assert [row["seen"] for row in read_table(tmp_path / out).to_pylist()] == ["x", None]
    refused = run("apply b.toml t.arrow --out o.csv")
    assert (refused.returncode, refused.stderr.count("what a text table can't hold")) == (2, 1)
    assert "column 'several': list<" in refused.stderr or "column 'deep': struct<" in refused.stderr
    assert repr(made["deep"].to_pylist()) == repr(deep.to_pylist())
    assert repr(made["several"].to_pylist()) == repr(several.to_pylist())


def test_texts_stay_texts_in_spreadsheets(run: Run, tmp_path: Path, write: Write) -> None:
    write("t.csv", "t,n\n=1+1,007\n'x,1e5\n")
    write("b.toml", 'igual = 1\n[[rule]]\ncolumn = "t"\ndo = "spacing"\n')
    assert run("apply b.toml t.csv --out o.xlsx").returncode == 0
    frame = pd.read_excel(tmp_path / "o.xlsx", dtype=object, engine="openpyxl")
    assert frame.to_numpy().tolist() == [["=1+1", "007"], ["'x", "1e5"]]


@pytest.mark.parametrize(
    ("name", "content", "said"),
    [
        ("t.jsonl", b'{"a": 1}\n[1]\n', "t.jsonl, line 2 is not an object"),
        ("t.jsonl", b'{"a": 1}\nnonsense\n', "t.jsonl, line 2 is not JSON"),
        ("t.jsonl", b'null\n{"a": 1}\n', "t.jsonl, line 1 is not an object"),
        ("t.jsonl", b' \r\n null {"a": 1}\n', "t.jsonl, line 2 is not JSON: Extra data"),
        ("t.jsonl", b'{"a": 1}{"a": 2}\n', "t.jsonl, line 1 is not JSON: Extra data"),
        ("t.jsonl", b"\n", "t.jsonl is empty"),
        ("t.jsonl", b'{"a": "x"}\n{"a": "\xd3x"}\n', "t.jsonl, line 2 is not JSON"),
        ("t.jsonl", b'{"a\xd3": "x"}\n', "t.jsonl can't be read; it is damaged"),
        ("t.csv.gz", gzip.compress(b"a,b\n" + os.urandom(500).hex().encode())[:-20], "cut off"),
        ("t.csv.gz", b"a,b\n1,2\n", "can't be unpacked"),
        (
            "t.csv.gz",
            gzip.compress(b"a,b\n") + gzip.compress(b"1,2\n" * (1 << 20)) * (1 << 8),
            "unpacks to more than 400 times its size",
        ),
        ("t.csv.zst", b"(\xb5/\xfd\x00", "can't be unpacked"),
        ("t.parquet", b"PAR1aaaa", "is not a Parquet file, or is damaged"),
        ("t.arrow", b"ARROW1\x00\x00aaaaaaaaaaaaaaaa", "is not an Arrow file"),
        ("t.feather", b"FEA1aaaa", "is not an Arrow file"),
        ("t.ods", b"PK\x03\x04", "is not a spreadsheet (.ods), or is damaged"),
        ("t.parquet.gz", b"", "can't read this kind of file"),
    ],
    ids=range(17),
)
def test_damaged_files(run: Run, tmp_path: Path, name: str, content: bytes, said: str) -> None:
    (tmp_path / name).write_bytes(content)
    done = run(f"survey {name}")
    assert (done.returncode, said in done.stderr) == (2, True), done.stderr
    assert done.stderr.count("\n") <= 2


def test_json_lines_that_differ(run: Run, tmp_path: Path, write: Write) -> None:
    write("t.jsonl", '{"a": 1, "b": {"x": 1}}\n\n{"a": "é", "c": [1, 2]}\n{"d": "2024-05-31T00:00:00"}\n')
    done = run("survey t.jsonl")
    assert "t.jsonl: 'b', 'c' holds nested values, which are kept as JSON" in done.stderr
    assert read_table(tmp_path / "t.jsonl").to_pydict() == {
        "a": ["1", "é", None],
        "b": ['{"x": 1}', None, None],
        "c": [None, "[1, 2]", None],
        "d": [None, None, "2024-05-31T00:00:00"],
    }


def test_a_file_that_changes_between_the_passes(tmp_path: Path) -> None:
    path = tmp_path / "t.csv"
    path.write_text("t\na \n")
    book = igual.Rulebook([igual.rules.Spacing(column="t")])
    for changed in ("t\na \nb\n", "t\nc \n"):
        path.write_text("t\na \n")
        counted = count_table(open_table_file(path), [[0]])
        account = book.run(counted.source)
        clean = CleanTable(counted, [trail.clean_column for trail in account.trails.values()])
        path.write_text(changed)
        with (
            pytest.raises(igual.TableError, match=r"^t\.csv: the table changed while it was read"),
            writing_table(tmp_path / "out.csv", ".csv", clean.schema) as writer,
        ):
            clean.write(writer)


def test_options_that_a_format_does_not_need_do_no_harm(tmp_path: Path) -> None:
    write_table(TABLE, tmp_path / "t.parquet", ".parquet")
    assert open_table_file(tmp_path / "t.parquet", ReadOptions("cp1252", "x", 1)).names == ["t", "n", "o"]


def test_more_values_than_are_held_at_once(run: Run, tmp_path: Path, write: Write) -> None:
    rows = 30_000
    lines = "".join(f" v{number},{number % 7},k{number % 3}\n" for number in range(rows))
    write("t.csv", f"t,n,k\n{lines}")
    write(
        "b.toml",
        'igual = 1\n[codebooks.n.labels]\n1 = "one"\n2 = "two"\n9 = "nine"\n[[rule]]\ncolumn = "t"\ndo = "spacing"\n'
        '[[rule]]\ncolumn = "n"\ndo = "label"\ncodebook = "n"\n'
        '[[check]]\ncolumn = "t"\nmust = { pattern = "^v" }\n',
    )
    whole = run("apply b.toml t.csv --out whole.csv --trail trail1.csv --crosswalk walk1.csv --json")
    pieces = run(
        "apply b.toml t.csv --out pieces.csv --trail trail2.csv --crosswalk walk2.csv --json --most-values 4000"
    )
    assert (whole.returncode, pieces.returncode) == (0, 0), pieces.stderr
    assert "'t': more distinct values than are held at once (4,000" in pieces.stderr
    assert (tmp_path / "pieces.csv").read_bytes() == (tmp_path / "whole.csv").read_bytes()
    one, other = json.loads(whole.stdout), json.loads(pieces.stdout)
    assert other["rows"] == rows
    assert [effect["rows"] for effect in other["effects"]] == [effect["rows"] for effect in one["effects"]]
    assert other["unknown"] == one["unknown"]
    assert other["unused"] == one["unused"]
    for first, second in (("trail1.csv", "trail2.csv"), ("walk1.csv", "walk2.csv")):
        made, wanted = (
            pd.read_csv(tmp_path / name, dtype=str, keep_default_na=False) for name in (second, first)
        )
        kept = [str(name) for name in wanted if name != "rows"]
        assert set(map(tuple, made[kept].to_numpy().tolist())) == set(
            map(tuple, wanted[kept].to_numpy().tolist())
        )
        assert made["rows"].astype(int).sum() == wanted["rows"].astype(int).sum()
    for call in ("check b.toml t.csv", "check b.toml t.csv --most-values 4000"):
        assert f"{rows:,} rows" not in run(call).stderr
    assert run("check b.toml t.csv --most-values 4000").stdout == run("check b.toml t.csv").stdout
    refused = run("apply b.toml t.csv --crosswalk w.sssom.tsv --most-values 4000")
    assert (refused.returncode, "has no crosswalk as SSSOM" in refused.stderr) == (2, True)
    assert not (tmp_path / "w.sssom.tsv").exists()
    book = igual.Rulebook.load(tmp_path / "b.toml")
    outcome = book.apply_file(tmp_path / "t.csv", tmp_path / "python.csv", most_values=4_000)
    assert outcome.ran_inside == ("t",)
    assert (tmp_path / "python.csv").read_bytes() == (tmp_path / "whole.csv").read_bytes()


@pytest.mark.parametrize("ending", [".jsonl", ".parquet", ".feather", ".csv"])
@pytest.mark.parametrize("labelled_first", [True, False])
def test_labels_in_some_pieces_only(
    run: Run, tmp_path: Path, write: Write, ending: str, labelled_first: bool
) -> None:
    write(
        "b.toml",
        'igual = 1\n[codebooks.k.labels]\n2 = "two"\n1 = "one"\n[[rule]]\ncolumn = "n"\ndo = "label"\ncodebook = "k"\n'
        '[[rule]]\ncolumn = "n"\ndo = "replace"\npairs = { x = "ex" }\n',
    )
    rows = 1 << 16
    codes = [["1", "2", "x"], ["y", "z", "one"]][:: 1 if labelled_first else -1]
    batches = [
        pa.record_batch({"n": pa.array(some).take(pa.array([row % 3 for row in range(rows)]))})
        for some in codes
    ]
    with pa.ipc.new_stream(tmp_path / "t.arrow", batches[0].schema) as file:
        for batch in batches:
            file.write_batch(batch)
    done = run(f"apply b.toml t.arrow --out o{ending} --most-values 3")
    assert (done.returncode, "more distinct values than are held at once" in done.stderr) == (0, True), (
        done.stderr
    )
    made = read_table(tmp_path / f"o{ending}")["n"].cast(pa.string()).to_pylist()
    wanted = {"1": "one", "2": "two", "x": "ex"}
    assert made == [wanted.get(some[row % 3], some[row % 3]) for some in codes for row in range(rows)]


def write_changed_ods(path: Path, change: Callable[[bytes], bytes]) -> None:
    """A sheet with the column a and the value x, changed in its XML."""
    write_ods(path, [["a"], ["x"]])
    with zipfile.ZipFile(path) as plain:
        parts = {part.filename: plain.read(part) for part in plain.infolist()}
    with zipfile.ZipFile(path, "w") as made:
        for name, content in parts.items():
            made.writestr(name, change(content) if name == "content.xml" else content)


@pytest.mark.parametrize(
    ("held", "text"),
    [
        ("a<text:tab/>b<text:line-break/>c", "a\tb\nc"),
        ('<text:span>a<text:s text:c="2"/>b<text:tab text:tab-ref="1" /></text:span>', "a  b\t"),
        ("a</text:p><text:p>b", "a\nb"),
        ("<text:s/>", " "),
    ],
)
def test_tabs_and_line_breaks_in_cells_of_an_ods(tmp_path: Path, held: str, text: str) -> None:
    write_changed_ods(tmp_path / "w.ods", lambda content: content.replace(b">x<", f">{held}<".encode()))
    assert read_table(tmp_path / "w.ods")["a"].to_pylist() == [text]


@pytest.mark.parametrize(
    ("rows", "columns", "is_refused"), [(9_000, 9_000, True), (1_000_000, 100, True), (3, 2, False)]
)
def test_cells_that_are_repeated_without_end(
    run: Run, tmp_path: Path, rows: int, columns: int, is_refused: bool
) -> None:
    def repeat(content: bytes) -> bytes:
        row, cell = b"<table:table-row", b"<table:table-cell"
        start, _, end = content.rpartition(row)
        end = end.replace(cell, b'%b table:number-columns-repeated="%d"' % (cell, columns), 1)
        return start + b'%b table:number-rows-repeated="%d"' % (row, rows) + end

    write_changed_ods(tmp_path / "w.ods", repeat)
    done = run("survey w.ods")
    assert (done.returncode, "has cells as far as row" in done.stderr) == (
        (2, True) if is_refused else (0, False)
    )
    assert done.peak < 1 << 30


def test_spreadsheets_bear_no_time(run: Run, tmp_path: Path, write: Write) -> None:
    """The same table makes the same file whenever it is written."""
    write(
        "b.toml", 'igual = 1\n[lists.l]\nvalues = ["Oak"]\n[[rule]]\ncolumn = "a"\ndo = "match"\nlist = "l"\n'
    )
    write("t.csv", "a\nOka\n")
    assert run("apply b.toml t.csv --out o.xlsx --open open.xlsx").returncode == 0
    for name in ("o.xlsx", "open.xlsx"):
        with zipfile.ZipFile(tmp_path / name) as packed:
            assert {part.date_time for part in packed.infolist()} == {(2000, 1, 1, 0, 0, 0)}
            assert {part.compress_type for part in packed.infolist()} == {zipfile.ZIP_DEFLATED}
            times = re.findall(rb"\d{4}-\d\d-\d\dT[\d:]+Z", packed.read("docProps/core.xml"))
        assert set(times) == {b"2000-01-01T00:00:00Z"}
        assert openpyxl.load_workbook(tmp_path / name).sheetnames
