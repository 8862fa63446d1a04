"""Files of odd shapes and damaged ones: read as what they hold, or refused in a line, and soon."""

from __future__ import annotations

import csv
import io
import json
import os
import re
import shutil
import sys
import tomllib
import zipfile
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pandas as pd
import pyarrow as pa
import pytest
from pyarrow import parquet

import igual
from igual.lists import CodeMeaning
from igual.rules import Band, Bands, Case, Label, Match, Replace
from igual.text.folding import casefold
from tests.attack.forked import ForkServer
from tests.attack.test_hardening import RULE, book
from tests.conftest import Run

Write = Callable[[str, str | bytes], Path]
SKOS = "http://www.w3.org/2004/02/skos/core#"
LABELLED = f'{{"@id": "urn:a", "@type": "{SKOS}Concept", "{SKOS}prefLabel": {{%s}}}}'


def make_xlsx(path: Path, rows: list[list[Any]], change: Callable[[str], str] = str, form: str = "") -> Path:
    from openpyxl import Workbook

    made = Workbook()
    for row in rows:
        made.active.append(row)
        if form:
            made.active.cell(made.active.max_row, 1).number_format = form
    made.save(path)
    with zipfile.ZipFile(path) as packed:
        parts = {name: packed.read(name) for name in packed.namelist()}
    with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as packed:
        for name, content in parts.items():
            packed.writestr(name, change(content.decode()) if "sheet1" in name else content)
    return path


def test_cells_of_a_spreadsheet_keep_their_texts(run: Run, tmp_path: Path) -> None:
    make_xlsx(
        tmp_path / "t.xlsx",
        [
            ["a"],
            ["run at 00:00:00"],
            ["x_x000D_y"],
            ["_x005F_x000D_"],
            [pd.Timestamp("2024-05-31")],
            [pd.Timedelta("36h")],
        ],
    )
    values = json.loads(run("tally t.xlsx -c a --json").stdout)["values"]
    assert {one["value"] for one in values} == {
        "run at 00:00:00",
        "x\ry",
        "_x000D_",
        "2024-05-31",
        "36:00:00",
    }


@pytest.mark.parametrize("form", ["yyyy-mm-dd", "hh:mm", "[h]:mm:ss"])
def test_numbers_that_no_format_of_times_holds_are_read(run: Run, tmp_path: Path, form: str) -> None:
    numbers = ["a", -5000.5, -0.25, 60, 61, 0.5, 2958466, 1e300, -1e300]
    path = make_xlsx(tmp_path / "t.xlsx", [[one] for one in numbers], form=form)
    (tmp_path / "b.toml").write_text(book(f'{RULE}do = "spacing"\n'))
    # Wherever the sheet lies in its package, and whether or not its cells say where they stand.
    with zipfile.ZipFile(path) as packed:
        parts = {name: packed.read(name) for name in packed.namelist()}
    with zipfile.ZipFile(path, "w") as packed:
        for name, content in parts.items():
            content = re.sub(rb' r="A?\d+"', b"", content) if "sheet1" in name else content
            packed.writestr(
                name.replace("worksheets/sheet1", "x"), content.replace(b"worksheets/sheet1", b"x")
            )
    done = run("apply b.toml t.xlsx --out o.csv")
    cells = (tmp_path / "o.csv").read_text().split()[1:]
    huge = ["1" + "0" * 300, "-1" + "0" * 300]
    if form.startswith("["):
        assert cells[:3] == ["-120012:00:00", "-06:00:00", "1440:00:00"]
        assert (cells[4], cells[6:], done.stderr) == ("12:00:00", huge, "")
    else:
        assert cells == ["-5000.5", "-0.25", "60", "1900-03-01", "12:00:00", "2958466", *huge]
        said = "3 cells have a format of days or times and a number that is none (the first in row 2)"
        assert said in done.stderr


@pytest.mark.parametrize(
    "bomb",
    [
        b"<row><c" + b' t="s"' * 200_000 + b"></c></row>",
        b"<c " * 200_000,
        b"<c>" + b"<row " * 200_000,
        b"<c><f " + b"<f /><f " * 100_000,
        b"<c><v>60</v><v>1e9" + b"<c s='1' s='1'" * 100_000,
    ],
    ids=["attributes", "cells", "rows", "formulas", "formats"],
)
def test_sheets_of_odd_tags_are_refused_soon(server: ForkServer, tmp_path: Path, bomb: bytes) -> None:
    change = lambda sheet: sheet.replace("<sheetData>", f"<sheetData>{bomb.decode()}")  # noqa: E731
    make_xlsx(tmp_path / "t.xlsx", [["a"], ["oak"]], change)
    done = server.run(["survey", "t.xlsx"], tmp_path, seconds=30)
    assert (done.timed_out, done.returncode, done.stderr.count("\n")) == (False, 2, 1), done.stderr


def test_pictures_in_a_workbook_are_no_sheets(run: Run, tmp_path: Path) -> None:
    path = make_xlsx(tmp_path / "t.xlsx", [["a"], ["oak"]])
    with zipfile.ZipFile(path, "a") as packed:
        packed.writestr("xl/media/image1.png", b"\x89PNG\r\n<c " + b"\x01" * 1_000 + b">")
    assert run("tally t.xlsx -c a --distinct").stdout == "oak\n"


@pytest.mark.parametrize("at", ["XFD1048576", "A99999999999", "ZZZZ5"])
def test_cells_at_a_far_corner_are_refused(run: Run, tmp_path: Path, at: str) -> None:
    row = at.lstrip("ABCDEFGHIJKLMNOPQRSTUVWXYZ")
    make_xlsx(
        tmp_path / "t.xlsx",
        [["a"], ["b"]],
        lambda sheet: sheet.replace('r="2"', f'r="{row}"').replace('r="A2"', f'r="{at}"'),
    )
    done = run("survey t.xlsx")
    assert (done.returncode, done.seconds < 10, done.peak < 1 << 30) == (2, True, True), done.stderr


def test_cells_that_do_not_say_where_they_are_are_counted(run: Run, tmp_path: Path) -> None:
    many = "<row>" + "<c><v>1</v></c>" * 20_000 + "</row>"
    make_xlsx(
        tmp_path / "t.xlsx", [["a"]], lambda sheet: sheet.replace("</sheetData>", f"{many}</sheetData>")
    )
    assert "column 20,000" in run("survey t.xlsx").stderr


@pytest.mark.parametrize(
    ("name", "content", "said"),
    [
        # What took minutes, 14 GB or a crash of the whole process.
        (
            "t.jsonl",
            "".join(f'{{"k{key}": 1}}\n' for key in range(12_000)),
            "t.jsonl has more than 10,000 keys",
        ),
        ("t.jsonl", f'{{"a": {"[" * 50_000}{"]" * 50_000}}}\n', "t.jsonl, line 1 is not JSON"),
        ("t.jsonl", '{"a": ' * 500 + "1" + "}" * 500 + "\n", ""),
        ("t.csv", 'a,b\n"' + "line\n" * 1_000_000 + '",x\n', ""),
        ("t.csv", "a\n" + '"' * 3_000_001, "t.csv, row 2: a quote is opened and never closed"),
        ("t.jsonl", '{"a": "x"}\n{"a": "' + '\\"[' * 200_000, "t.jsonl, line 2 is not JSON"),
        ("t.csv", ";" * 300_000 + "\n", "t.csv has 300,001 columns; up to 100,000 are read"),
    ],
    ids=["keys", "deep", "nested", "long cell", "quotes", "open text", "columns"],
)
def test_tables_of_odd_shapes_are_read_or_refused_soon(
    server: ForkServer, write: Write, tmp_path: Path, name: str, content: str, said: str
) -> None:
    write(name, content)
    done = server.run(["survey", name], tmp_path, seconds=60, memory=4 << 30)
    assert not done.timed_out
    assert done.returncode == (2 if said else 0), done.stderr
    assert said in done.stderr
    assert done.peak < 2 << 30


def test_a_long_line_above_the_header_is_skipped_soon(
    server: ForkServer, write: Write, tmp_path: Path
) -> None:
    write("t.csv", "title\n" + "x" * 300_000)
    done = server.run(["survey", "t.csv", "--header-row", "3"], tmp_path, seconds=30)
    assert done.stderr == "igual: t.csv, row 3: no column names were found\n"


def test_long_lists_are_loaded_in_linear_time(tmp_path: Path) -> None:
    # Only that it ends: a quadratic step would take minutes.
    special = [(str(number * 10), f"l{number}", str(number * 10 + 8), None, None) for number in range(20_000)]
    codes = igual.Codebook({}, [CodeMeaning(*entry) for entry in special])
    assert Label(codebook="c").on(["15", "19", "199998"], codebooks={"c": codes}) == ["l1", "19", "l19999"]
    names = [f"c{number}" for number in range(20_000)]
    walk = igual.Crosswalk(pa.table({"column": names, "raw": names, "clean": names}))
    assert len(walk.columns) == 20_000


def test_rulebooks_with_long_lists_are_written_in_linear_time(tmp_path: Path) -> None:
    # As above: what wrote them took 14 s for 4,000 pairs, and four times as long for twice as many.
    names = [f'it\'s {number} "é"' for number in range(10_000)]
    book = igual.Rulebook(
        [
            Label(column="a", codebook="k"),
            Match(column="a", list="l"),
            Replace(column="a", pairs=dict.fromkeys(names, "x")),
        ],
        lists={"l": igual.ReferenceList(names, {names[0]: ["one", "two"]}, {"kind": names})},
        codebooks={"k": igual.Codebook(dict.fromkeys(names, "x"))},
    )
    book.save(tmp_path / "b.toml")
    assert igual.Rulebook.load(tmp_path / "b.toml") == book


def test_what_is_a_list_of_tables_stands_beneath_its_own(tmp_path: Path) -> None:
    ranges = [CodeMeaning("10", "low", "18", None, None), CodeMeaning("20", "high", "28", None, "2024-12-31")]
    rules = [
        Label(column="a", codebook="k"),
        Bands(column="b", bands=(Band(label="small", below=5), Band(label="large", at_least=5)), note="n"),
    ]
    book = igual.Rulebook(rules, codebooks={"k": igual.Codebook({"1": "one"}, ranges)})
    book.save(tmp_path / "b.toml")
    assert igual.Rulebook.load(tmp_path / "b.toml") == book
    written = (tmp_path / "b.toml").read_text(encoding="utf-8")
    assert [line for line in written.splitlines() if line.startswith("[")] == [
        "[codebooks.k]", "[[codebooks.k.special]]", "[[codebooks.k.special]]", "[[rule]]", "[[rule]]",
        "[[rule.bands]]", "[[rule.bands]]",
    ]  # fmt: skip
    entries = igual.ReferenceList(["oak", "elm"], attributes={"kind": ["tree", None]})
    with pytest.raises(igual.IgualError, match="attribute 'kind' of 'elm' is missing"):
        igual.Rulebook([Match(column="a", list="l")], lists={"l": entries}).save(tmp_path / "c.toml")
    assert not (tmp_path / "c.toml").exists()


def test_pairs_that_nothing_is_like_are_looked_at_together(monkeypatch: pytest.MonkeyPatch) -> None:
    """One by one, a million pairs took two minutes."""
    calls = []

    def count(values: pa.Array) -> pa.Array:
        calls.append(len(values))
        return casefold(values)

    monkeypatch.setattr("igual.text.folding.casefold", count)
    pairs = {f"mistake {number}": f"right {number}" for number in range(2_000)}
    outcome = igual.Rulebook([Replace(column="a", pairs=pairs)]).apply({"a": ["Mistake 7", "mistake 8", "x"]})
    assert outcome.table == {"a": ["Mistake 7", "right 8", "x"]}
    assert outcome.near_misses["entry"].tolist() == ["mistake 7"]
    assert len(calls) < 20


def test_long_values_are_put_in_case_in_linear_time() -> None:
    # As above: the squares of so many words would take minutes.
    words = "İ( the: of " * 60_000
    for rule in (Case(style="snake"), Case(style="title", small=["the", "of"])):
        (made,) = rule.on([words])
        assert len(made or "") > 240_000
    assert Case(style="snake").on(["İ" + "a’" * 300_000]) == ["i_" + "a" * 300_000]


@pytest.mark.parametrize(
    "rule",
    [
        """do = "replace"\npairs = { oak = "{b}!" }\nfill = true""",
        f"""do = "compose"\ntemplate = "{"{a}" * 3_000}"\ninto = "c\"""",
    ],
    ids=["fill", "compose"],
)
def test_columns_that_would_make_values_vast_are_refused_first(
    server: ForkServer, write: Write, tmp_path: Path, rule: str
) -> None:
    write("t.csv", f"a,b\n{'oak ' * 20_000},{'ab ' * 40_000}\n")
    write("b.toml", book(f"{RULE}{rule}\n".replace('column = "a"\ndo = "compose"', 'do = "compose"')))
    done = server.run("apply b.toml t.csv --out o.csv".split(), tmp_path, seconds=30, memory=4 << 30)
    assert (done.timed_out, done.returncode, done.peak < 1 << 30) == (False, 2, True)
    assert "bytes long; 1,048,576 are allowed" in done.stderr


def test_a_vast_answer_on_a_sheet_is_shown_by_its_beginning(
    server: ForkServer, write: Write, tmp_path: Path
) -> None:
    write("l.csv", "value\noak\n")
    write("b.toml", book(f'[lists.l]\nfile = "l.csv"\n{RULE}do = "match"\nlist = "l"\n'))
    odd = "‹Aldous Tr" + "\x1b[31" * 250_000
    write("o.csv", f"column,value,ruling,reason\na,{odd},nothing such,\na,{odd}x,{odd},\n")
    done = server.run("review b.toml o.csv".split(), tmp_path, seconds=30)
    assert (done.timed_out, done.returncode, len(done.stdout) < 100_000) == (False, 1, True), done.stderr


def test_a_vast_cell_is_bounded(run: Run, write: Write) -> None:
    write("t.csv", "a,b\n" + "x y " * 5_000_000 + ",1\noak,2\n")
    write("l.csv", "value\noak\n")
    write("b.toml", book(f'[lists.l]\nfile = "l.csv"\n{RULE}do = "match"\nlist = "l"\n'))
    for call in ("match t.csv -c a --list l.csv", "apply b.toml t.csv --preview 2"):
        done = run(call)
        assert (done.returncode, done.seconds < 60) == (0, True), done.stderr


def test_contexts_elsewhere_are_refused_wherever_they_stand(write: Write, tmp_path: Path) -> None:
    write("ctx.jsonld", '{"@context": {"x": "urn:x"}}')
    for context in (
        f'[[["file://{tmp_path}/ctx.jsonld"]]]', '["https://x.example/c"]', f'{{"x": {{"@id": "urn:x", "@context": "file://{tmp_path}/ctx.jsonld"}}}}',
        f'[null, "file://{tmp_path}/ctx.jsonld"]', f'{{"@import": "file://{tmp_path}/ctx.jsonld"}}',
    ):  # fmt: skip
        document = f'{{"@context": {context}, "x": {{"@id": "urn:y", "urn:z": "w"}}}}'
        with pytest.raises(
            igual.ListError, match=r"nothing is fetched|is not valid|has no concepts"
        ) as caught:
            igual.ReferenceList.load(write("l.jsonld", document))
        assert "has no concepts" not in str(caught.value) or "@id" in context
    assert sys.modules["rdflib.plugins.shared.jsonld.context"].source_to_json.__name__ == "source_to_json"


def test_a_rulebook_that_would_let_values_grow_the_next_time(run: Run, write: Write, tmp_path: Path) -> None:
    write("t.csv", "a\n" + "x" * 1_000 + "\n")
    pairs = "pairs = { x = '" + "y" * 1_000 + "', z = 'x' }\ncascade = true"
    write("b.toml", book(f'{RULE}do = "replace"\n{pairs}\n{RULE}do = "replace"\npairs = {{ y = "x" }}\n'))
    done = run("apply b.toml t.csv --out o.csv")
    assert (done.returncode, (tmp_path / "o.csv").exists()) == (0, True), done.stderr


def with_flags(content: bytes, place: int, flags: int) -> bytes:
    """A package of which every part has other flags, where it begins and in the list at the end."""
    changed = bytearray(content)
    for sign, at in ((b"PK\3\4", place), (b"PK\1\2", place + 2)):
        for found in re.finditer(re.escape(sign), content):
            changed[found.start() + at : found.start() + at + 2] = flags.to_bytes(2, "little")
    return bytes(changed)


@pytest.mark.parametrize(
    ("how", "said"),
    [
        ("encrypted", "is encrypted"), ("container", "is encrypted"), ("compression", "compression method"), ("deflate", "is damaged"),
        ("99999", "is damaged"), ("-7", "refers to text number '-7'"), ("x", "refers to text number 'x'"), ("9" * 30, "refers to text number"),
    ],
)  # fmt: skip
def test_damaged_workbooks_are_refused(run: Run, tmp_path: Path, how: str, said: str) -> None:
    shared = lambda sheet: sheet.replace('t="inlineStr"><is><t>oak</t></is>', f't="s"><v>{how}</v>')  # noqa: E731
    path = make_xlsx(tmp_path / "t.xlsx", [["a"], ["oak"]], shared if how[-1] in "79x" else str)
    content = path.read_bytes()
    sheet = content.index(b"xl/worksheets/sheet1.xml")
    path.write_bytes(
        {
            "encrypted": lambda: with_flags(content, 6, 1),
            "container": lambda: b"\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1" + bytes(2_000),
            "compression": lambda: with_flags(content, 8, 99),
            "deflate": lambda: content[: sheet + 24] + b"\xff" * 36 + content[sheet + 60 :],
        }.get(how, lambda: content)()
    )
    done = run("survey t.xlsx")
    assert (done.returncode, done.stderr.count("\n"), said in done.stderr) == (2, 1, True), done.stderr


@pytest.mark.parametrize("at", [4, -8])
def test_damaged_parquet_is_refused(run: Run, tmp_path: Path, at: int) -> None:
    file = io.BytesIO()
    parquet.write_table(pa.table({"a": ["oak", "elm"] * 5_000}), file)
    content = bytearray(file.getvalue())
    content[at : at + 4] = b"\xff\xff\xff\x7f"
    (tmp_path / "t.parquet").write_bytes(content)
    done = run("tally t.parquet -c a")
    assert (done.returncode, done.stderr.count("\n"), "unforeseen" in done.stderr) == (2, 1, False), (
        done.stderr
    )


@pytest.mark.parametrize(
    ("name", "content", "said"),
    [
        ("b.rulings.csv", "column,value,value,ruling,reason,by,on\na,oka,x,oak,,,\n", "has several columns 'value'"),
        ("w.csv", "column,raw,raw,clean\na,oka,x,oak\n", "has several columns 'raw'"),
        ("l.csv", b"value,alias\roak,\relm,\r", ""),
        ("l.jsonld", LABELLED % '"@id": "urn:b"', "no preferred label"),
        ("l.jsonld", LABELLED % '"@value": "\\ud800x"', "half of a character"),
        ("l.jsonld", LABELLED % '"@value": "oak"', ""),
    ],
)  # fmt: skip
def test_odd_lists_rulings_and_crosswalks(
    run: Run, write: Write, name: str, content: str | bytes, said: str
) -> None:
    write("l.csv", "value\noak\n")
    write("t.csv", "a\noka\noak\n")
    write("b.toml", book(f'[lists.l]\nfile = "l.csv"\n{RULE}do = "match"\nlist = "l"\n'))
    write(name, content)
    call = {"b.rulings.csv": "apply b.toml t.csv --preview 1", "w.csv": "crosswalk w.csv t.csv"}
    done = run(call.get(name, f"match t.csv -c a -l {name} --json"))
    assert (done.returncode, said in done.stderr) == (2 if said else 0, True), done.stderr
    assert done.stderr.count("\n") == bool(said)
    if not said:
        assert json.loads(done.stdout)["counts"]["settled"]["values"] == 1


def test_filling_many_places_takes_no_more_than_is_filled_in(run: Run, write: Write) -> None:
    write("t.csv", f"a,b\n{'oak ' * 10_000},x\noak,{'y' * 100_000}\n")
    write("b.toml", book(RULE + 'do = "replace"\npairs = { oak = "{b}!" }\nfill = true\n'))
    done = run("apply b.toml t.csv --out o.csv")
    assert done.returncode == 0, done.stderr
    assert done.peak < 600_000_000


@pytest.mark.skipif(sys.platform != "linux", reason="file names are characters elsewhere")
def test_names_of_files_may_hold_bytes_that_are_no_characters(run: Run, few_trees: Path) -> None:
    """A name in Latin-1, say, on a file system that holds bytes."""
    odd = os.fsdecode(b"\xff")
    for name in ("trees.csv", "trees.toml"):
        shutil.copy(few_trees / name, few_trees / f"{odd}{name}")
    tables = (f"{odd}trees.toml", f"{odd}trees.csv", "trees.csv", "--source-file", "--out", "o.csv")
    more = ("--report", "r.html", "--crosswalk", "w.sssom.tsv", "--open", f"{odd}.xlsx")
    done = run("apply", *tables, "--record", f"{odd}r.json", *more)
    assert (done.returncode, done.stderr.count("unforeseen")) == (0, 0), done.stderr
    assert f"{odd}trees.csv" in {
        one["name"] for one in json.loads((few_trees / f"{odd}r.json").read_bytes())["inputs"]
    }
    assert r"\udcfftrees.csv" in (few_trees / "r.html").read_text(encoding="utf-8")
    rows = csv.DictReader((few_trees / "o.csv").read_text(encoding="utf-8").splitlines())
    sources = {row["source_file"] for row in rows}
    assert sources == {r"\udcfftrees.csv", "trees.csv"}
    assert run("survey", f"{odd}trees.csv", "--report", "s.html").returncode == 0
    refused = run("draft", "trees.csv", "--out", f"{odd}.toml")
    assert (refused.returncode, refused.stderr.count("\n")) == (2, 1)
    assert "bytes that are no characters" in refused.stderr
    shutil.copy(few_trees / "species.csv", few_trees / f"{odd}.csv")
    listed = igual.Rulebook(
        [igual.rules.Match(column="a", list="l")],
        lists={"l": igual.ReferenceList.load(few_trees / f"{odd}.csv")},
    )
    with pytest.raises(igual.OutputError, match="bytes that are no characters"):
        listed.save(few_trees / "saved.toml")
    assert not (few_trees / "saved.toml").exists()


def test_a_draft_quotes_the_names_of_its_files(run: Run, trees: Path) -> None:
    assert run("draft", "trees.csv", "--out", 'a"b.toml').returncode == 0
    text = (trees / 'a"b.toml').read_text(encoding="utf-8")
    in_force = "".join(line.removeprefix("# ") for line in text.splitlines(keepends=True) if "file =" in line)
    files = [value for line in in_force.splitlines() for value in tomllib.loads(line).values()]
    assert files
    assert all((trees / file).exists() for file in files)
