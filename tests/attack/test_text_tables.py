"""Text tables: what is written reads back, cell for cell, and what is broken is refused by its row."""

from __future__ import annotations

import csv
import io
from collections import Counter
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pandas as pd
import pyarrow as pa
import pytest
from hypothesis import given
from hypothesis import strategies as st

import igual
from igual.files.csv_rows import RowStyle, encode_csv, quote_cells
from igual.files.dialects import Dialect, establish
from igual.files.formats import text as text_format
from igual.files.formats.base import ReadOptions
from igual.files.formats.text import read_csv, write_csv
from igual.files.quotes import are_quotes_well_formed, csv_of_any_size
from igual.files.sources import NeedsParserError
from igual.files.streams import count_table
from igual.files.text_blocks import Spliced, TextBlock, read_blocks
from igual.files.text_parsing import parse_block, parse_without_quotes
from tests.conftest import Run, examples

Write = Callable[[str, str | bytes], Path]
CELL = st.text(max_size=8) | st.text(st.sampled_from('",;\t\r\n\ufeff\u2028\x85\x00#= a\x1d'), max_size=5)


@examples(200)
@given(width=st.integers(1, 3), data=st.data(), delimiter=st.sampled_from(",;\t"))
def test_what_is_written_reads_back(
    tmp_path_factory: pytest.TempPathFactory, width: int, data: st.DataObject, delimiter: str
) -> None:
    names = data.draw(
        st.lists(
            CELL.filter(lambda c: c.strip("\r\n\t \x00") != ""), min_size=width, max_size=width, unique=True
        )
    )
    rows = data.draw(st.lists(st.tuples(*[CELL] * width), min_size=1, max_size=4))
    path = tmp_path_factory.mktemp("t") / ("t.tsv" if delimiter == "\t" else "t.csv")
    columns = [pa.array(column, pa.string()) for column in zip(*rows, strict=True)]
    write_csv(pa.Table.from_arrays(columns, names=names), path, delimiter)
    content = path.read_bytes().decode()
    assert list(csv.reader(io.StringIO(content, newline=""), delimiter=delimiter)) == [
        names,
        *map(list, rows),
    ]
    if "\x00" not in content:  # where pandas ends the table
        frame = pd.read_csv(
            path, sep=delimiter, header=None, skiprows=0, dtype=str, keep_default_na=False, na_filter=False
        )
        assert frame.iloc[1:].to_numpy().tolist() == [list(row) for row in rows]
    if establish(path).delimiter == delimiter:  # it is found out from the rows, which may be too few
        table, _ = read_csv(path)
        assert table.column_names == names
        assert [tuple(row.values()) for row in table.rename_columns(list("abc"[:width])).to_pylist()] == rows


@pytest.mark.parametrize(
    ("content", "said"),
    [
        ('a,"b\n1,2\n3,4\n', "row 1: a quote is opened and never closed"),
        ('a,b\n1,2\n3,"4\n', "row 3: a quote is opened and never closed"),
        ('a\n"1\n', "row 2: a quote is opened and never closed"),
        ('a,b\n"1""\n2,3\n', "row 2: a quote is opened and never closed"),
        ('a,b\n"abc"def,1\n', "row 2: text follows a closing quote in the same cell"),
        ('a,"b"c\n1,2\n', "row 1: text follows a closing quote in the same cell"),
        ('a,b\n1,"x"y"\n', "row 2: text follows a closing quote in the same cell"),
        ("a,b\n1,2\n3,4,5\n6,\xff\n".encode("latin-1"), "row 3: 3 cells found, 2 expected as in the header"),
    ],
)  # fmt: skip
def test_broken_tables_are_refused_by_their_row(write: Write, content: str | bytes, said: str) -> None:
    with pytest.raises(igual.TableError, match=said):
        read_csv(write("t.csv", content))


@pytest.mark.parametrize(
    ("content", "rows"),
    [
        ('a,b\n5" pipe,1\n"6"" pipe",2\n', ['5" pipe', '6" pipe']),
        ("\n\r\na,b\nx,1\ny,2\n", ["x", "y"]),
        ('\ufeff"a",b\n"x\ny",1\n', ["x\ny"]),
        ("a,b\nü,1\n".encode("utf-32"), ["ü"]),
        ("a,b\nü,1\n".encode("utf-32-be"), ["ü"]),
        ("a,b\nü,1\n".encode("utf-16-be"), ["ü"]),
        ("a,b" + "".join(f",long_name_{n}" for n in range(40_000)) + "\nx,1" + "," * 40_000 + "\n", ["x"]),
    ],
)
def test_odd_tables_are_read_whole(write: Write, content: str | bytes, rows: list[str]) -> None:
    assert read_csv(write("t.csv", content))[0]["a"].to_pylist() == rows


@pytest.mark.parametrize(
    "name", ["hex", "rot13", "undefined", "idna", "punycode", "unicode_escape", "x\0y", "ü"]
)
def test_odd_encodings_are_refused(run: Run, write: Write, name: str) -> None:
    write("t.csv", "a,b\n1,2\n")
    with pytest.raises(igual.TableError, match="no encoding is called"):
        read_csv(Path(write("t.csv", "a,b\n1,2\n")), encoding=name)
    if "\0" not in name:
        assert run("survey t.csv --encoding", name).returncode == 2


@examples(300)
@given(
    text=st.lists(
        st.sampled_from(
            ["a", "é", " ", '"', '""', ",", ";", "\n", "\r\n", "\r", "x,y\n", '"a,b"', '"a\nb"', "\ufeff", "\u2028", "\x85"]
        ),
        min_size=1,
        max_size=16,
    ).map("".join),
    has_header=st.booleans(),
)  # fmt: skip
def test_rows_are_those_of_the_standard_library(
    tmp_path_factory: pytest.TempPathFactory, text: str, has_header: bool
) -> None:
    path = tmp_path_factory.mktemp("t") / "t.csv"
    text = f"h1,h2\n{text}" if has_header else text
    path.write_bytes(text.encode())
    try:
        dialect, table = establish(path), read_csv(path)[0]
    except igual.TableError:
        dialect, table = None, None
    plain = text.removeprefix("\ufeff").lstrip("\r\n")
    try:
        rows = list(
            csv.reader(
                io.StringIO(plain, newline=""), delimiter=dialect.delimiter if dialect else ",", strict=True
            )
        )
    except csv.Error:
        assert table is None
        return
    if dialect is None or table is None:
        # Without a header of its own there may be another delimiter, or no name at all.
        assert not has_header or {";", '"'} & set(plain) or len({len(row) for row in rows if row}) > 1
        return
    wanted = [row or [""] for row in rows] if len(dialect.header) == 1 else [row for row in rows if row]
    assert [
        list(dialect.header),
        *([cell or "" for cell in row.values()] for row in as_rows(table)),
    ] == wanted


RAW = st.lists(
    st.sampled_from(["a", "é", " ", '5" x', 'x"', "\u2028", "\ufeff", "\x85", "=1", "中"]), max_size=2
).map("".join)
QUOTED = st.lists(
    st.sampled_from(["a", '""', "\r\n", "\n", "\r", ",", "\ufeff", "中", "a\nb\n"]), max_size=3
).map(lambda parts: f'"{"".join(parts)}"')


@examples(200)
@given(
    width=st.integers(1, 3),
    data=st.data(),
    size=st.integers(1, 60),
    end=st.sampled_from(["\n", "\r\n", "\r"]),
)
def test_tables_written_oddly_are_read_whole_in_any_blocks(
    tmp_path_factory: pytest.TempPathFactory, width: int, data: st.DataObject, size: int, end: str
) -> None:
    row = (
        st.lists(RAW | QUOTED, min_size=width, max_size=width)
        .map(",".join)
        .filter(lambda line: line.strip() != "")
    )
    header = ",".join(f"h{place}{data.draw(RAW)}" for place in range(width))
    content = end.join([header, *data.draw(st.lists(row, max_size=8))]) + end
    path = tmp_path_factory.mktemp("t") / "t.csv"
    path.write_bytes(content.encode())
    rows = list(csv.reader(io.StringIO(content, newline=""), strict=True))
    with pytest.MonkeyPatch.context() as patch:
        # Arrow wants a whole row in two of its blocks.
        patch.setattr("igual.files.text_parsing.BLOCK", size + 200)
        patch.setattr(
            text_format,
            "read_blocks",
            lambda path, dialect, _, places: read_blocks(path, dialect, size, places),
        )
        table = read_csv(path)[0]
        opened = text_format.FORMAT.open(path, ReadOptions())
        counted = count_table(opened, [[place] for place in range(width)]).counted
    for column, combinations in zip(table.columns, counted, strict=True):
        wanted = Counter(cell or "" for cell in column.to_pylist())
        cells = [cell or "" for cell in combinations.cells[0].to_pylist()]
        assert dict(zip(cells, combinations.rows.tolist(), strict=True)) == wanted
        assert cells == list(wanted)
    assert [table.column_names, *([cell or "" for cell in row.values()] for row in as_rows(table))] == rows


@examples(200)
@given(text=st.text(st.sampled_from('"",\r\na'), max_size=30), size=st.integers(1, 9))
def test_quotes_are_in_order_or_not_however_they_are_cut(text: str, size: int) -> None:
    rows = f"{text}\n".encode()
    whole = are_quotes_well_formed(rows, ",")
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr("igual.files.quotes._BLOCK", size)
        assert are_quotes_well_formed(rows, ",") == whole
    if whole:
        list(csv.reader(io.StringIO(rows.decode(), newline=""), strict=True))


@pytest.mark.parametrize("size", range(40, 60))
def test_no_line_break_in_a_cell_is_cut(write: Write, monkeypatch: pytest.MonkeyPatch, size: int) -> None:
    monkeypatch.setattr("igual.files.text_parsing.BLOCK", size)
    path = write("t.csv", 'a,b\n5" x,1\n' + '"\r\n",2\n' * 20)
    assert read_csv(path)[0]["a"].to_pylist() == ['5" x', *["\r\n"] * 20]


def as_rows(table: pa.Table) -> list[dict[str, str | None]]:
    return table.rename_columns([str(place) for place in range(table.num_columns)]).to_pylist()  # type: ignore[no-any-return]


def test_a_header_that_looks_like_a_statement_of_the_delimiter(tmp_path: Path) -> None:
    for names in (["sep=;"], ["Sep=", ""], ["sep=", "b"]):
        write_csv(pa.table([["x"]] * len(names), names=names), tmp_path / "t.csv")
        assert read_csv(tmp_path / "t.csv")[0].column_names == names


@pytest.mark.parametrize(
    ("content", "rows"),
    [
        # What is left of a header by counting quotes, or by a parser that skips rows, isn't its end.
        ('h "a\nb"x\nz\n', ['b"x', "z"]),
        ('h\x00,c\n5" b,1\ny,2\n', ['5" b', "y"]),
        ("h\n\ufeff\n\ufeffx\n", ["\ufeff", "\ufeffx"]),
        ('\ufeff\ufeff"h\nx"\n', ['x"']),
    ],
)
def test_no_row_goes_with_the_header(write: Write, content: str, rows: list[str]) -> None:
    assert read_csv(write("t.csv", content))[0].column(0).to_pylist() == rows


@pytest.mark.parametrize("content", [b"a,b\n1,\xff\n3,4,5\n", b"a,b\n\x81,1\n3\n", b"a\n\xff\xfe\n1,2\n"])
def test_a_ragged_row_with_an_undecodable_byte(run: Run, write: Write, content: bytes) -> None:
    write("t.csv", content)
    for call in ("survey t.csv --encoding utf-8", "tally t.csv -c a", "draft t.csv --encoding ascii"):
        done = run(call)
        assert (done.returncode, done.stderr.count("\n"), "unforeseen" in done.stderr) == (2, 1, False)


def test_utf_16_without_a_mark(write: Write) -> None:
    for encoding in ("utf-16-le", "utf-16-be", "utf-32-le"):
        path = write("t.csv", "a,b\nü,1\n".encode(encoding))
        assert read_csv(path, encoding=encoding[:6])[0]["a"].to_pylist() == ["ü"]


def test_numbers_are_written_in_plain_notation(tmp_path: Path) -> None:
    table = pa.table({"n": [1e21, 1.5e-9, 123456789012.0], "w": [1, None, 3]})
    write_csv(table, tmp_path / "n.csv")
    assert (tmp_path / "n.csv").read_text() == (
        "n,w\n1000000000000000000000,1\n0.0000000015,\n123456789012,3\n"
    )


def test_what_a_text_table_can_not_hold_is_refused(tmp_path: Path) -> None:
    for cells in ([["x"]], [{"k": 1}], [b"\xff"]):
        with pytest.raises(igual.OutputError, match="what a text table can't hold"):
            write_csv(pa.table({"c": pa.array(cells)}), tmp_path / "n.csv")


def test_bytes_of_missing_cells_are_not_read(tmp_path: Path) -> None:
    parts = (bytes([0b10]), np.array([0, 4, 6], np.int64).tobytes(), b",a1/ab")
    hidden = pa.Array.from_buffers(pa.large_string(), 2, [pa.py_buffer(part) for part in parts])
    write_csv(pa.table({"a": hidden, "b": ["x", "y"]}), tmp_path / "t.csv")
    assert (tmp_path / "t.csv").read_text() == "a,b\n,x\nab,y\n"


def test_one_that_reads_takes_no_long_cell_from_another() -> None:
    """The standard library's limit is one for all threads."""
    before = csv.field_size_limit(100)
    try:
        first, second = csv_of_any_size(), csv_of_any_size()
        first.__enter__()
        with second:
            first.__exit__(None, None, None)
            assert next(csv.reader(["x" * 101])) == ["x" * 101]
        assert csv.field_size_limit() == 100
    finally:
        csv.field_size_limit(before)


PIECES = ("a", "é", ",", ";", '"', '""', "\n", "\r\n", "\r", " ", "oak", '","', '"a"')


@examples(400)
@given(data=st.data(), width=st.integers(2, 4), line_end=st.sampled_from(["\n", "\r\n"]))
def test_cells_are_found_and_exchanged_as_a_parser_and_a_writer_do_it(
    data: st.DataObject, width: int, line_end: str
) -> None:
    # Either whole cells, quoted here and there without need, or pieces that make no sense.
    cell = st.lists(st.sampled_from(PIECES), max_size=4).map("".join)
    if data.draw(st.booleans(), "in order"):
        quoted = cell.map(lambda text: '"' + text.replace('"', '""') + '"')
        cell = quoted | cell.filter(lambda text: not set(text) & set(',"\r\n'))
    rows = data.draw(st.lists(st.tuples(*[cell] * width), min_size=1, max_size=6))
    content = line_end.join(map(",".join, rows)).encode()
    dialect = Dialect("utf-8", False, ",", line_end, tuple("abcd"[:width]))
    block = TextBlock(content, dialect)
    try:
        if not block.is_plain:
            return
    except NeedsParserError:
        return
    wanted = parse_block(block.data, dialect)
    assert block.rows == wanted.num_rows
    for place in range(width):
        assert pa.chunked_array([block.cells(place)]).to_pylist() == wanted.column(place).to_pylist()
    style = RowStyle(",", is_alone=False)
    fresh = pa.array(["", "new", 'a "b", c', "x\ny"])
    codes = np.arange(block.rows, dtype=np.int32) % len(fresh)
    exchanged: tuple[int | None, ...] = (None, 0, width - 1)
    for at in exchanged:
        new = pa.chunked_array([fresh.take(pa.array(codes))])
        kept = wanted.append_column("n", new) if at is None else wanted.set_column(at, "n", new)
        kept = kept.rename_columns(list("abcde"[: kept.num_columns]))
        cells = quote_cells(fresh, style)
        if at is None:
            cells = pa.array([b"," + one for one in cells.to_pylist()], pa.large_binary())
        made = block.splice([Spliced(at, cells, codes)])
        assert made.to_pybytes() == b"".join(encode_csv(kept, ",", line_end, has_header=False))
    assert block.splice([]).to_pybytes() == b"".join(encode_csv(wanted, ",", line_end, has_header=False))


@examples(400)
@given(data=st.data(), width=st.integers(1, 3), line_end=st.sampled_from(["\n", "\r\n", "\r"]))
def test_cells_that_are_read_as_they_are_written_are_those_of_a_parser(
    data: st.DataObject, width: int, line_end: str
) -> None:
    plain = st.lists(st.sampled_from(["a", "é", " ", "oak", "'"]), max_size=3).map("".join)
    odd = st.lists(st.sampled_from(PIECES), max_size=4).map("".join)
    cell = plain | plain.map('"{}"'.format) | st.sampled_from(['""""', '"a""b"'])
    is_odd = data.draw(st.booleans(), "odd")
    cell = cell | odd if is_odd else cell
    rows = data.draw(st.lists(st.tuples(*[cell] * width), min_size=1, max_size=6))
    content = line_end.join(map(",".join, rows)) + line_end
    dialect = Dialect("utf-8", False, ",", line_end, tuple("abc"[:width]))
    made = parse_without_quotes(content.encode(), dialect, range(width))
    if made is None:
        assert is_odd
        return
    assert are_quotes_well_formed(content.encode(), ",")
    read = csv.reader(io.StringIO(content, newline=""), strict=True)
    wanted = [row or [""] for row in read if row or width == 1]
    assert [list(row.values()) for row in made.to_pylist()] == wanted
