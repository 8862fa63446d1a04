"""Tables, lists and rulebooks on disk: what is read, what is refused, what is left behind."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import pyarrow as pa
import pytest
from hypothesis import given
from hypothesis import strategies as st
from pyarrow import parquet

import igual
from igual.files.formats.text import read_csv, write_csv
from igual.files.outputs import outputs
from igual.files.rulebooks import load_rulebook
from igual.files.tables import read_table, write_table
from igual.rules import Case, Label, Match, OtherText, Replace, Spacing
from tests.conftest import Run, leftovers

Write = Callable[[str, str | bytes], Path]


@pytest.mark.parametrize(
    ("content", "wanted"),
    [
        (b'a,"b ""c""",d\n1,"x, y",\n007,, 1e5\nNA,"l1\nl2",None\n',
         {"a": ["1", "007", "NA"], 'b "c"': ["x, y", "", "l1\nl2"], "d": ["", " 1e5", "None"]}),
        (b"a;b\r\n1;2,3\r\n", {"a": ["1"], "b": ["2,3"]}),
        (b"a\tb\n1\t2\n", {"a": ["1"], "b": ["2"]}),
        (b"a|b\n1|2,5\n3|4,5\n", {"a": ["1", "3"], "b": ["2,5", "4,5"]}),
        (b'a\n1\n""\n2\n', {"a": ["1", "", "2"]}),
        (b"a,b", {"a": [], "b": []}),
        (b"a,b\n", {"a": [], "b": []}),
        (b"a,\n1,2\n", {"a": ["1"], "": ["2"]}),
        (b"a,b\n\n1,2\n\n", {"a": ["1"], "b": ["2"]}),
        (b"a,b\n1,x\x00y\n", {"a": ["1"], "b": ["x\x00y"]}),
        (b"a,b\n1,5\" pipe\n", {"a": ["1"], "b": ['5" pipe']}),
        (b'"a\nb",c\n1,2\n', {"a\nb": ["1"], "c": ["2"]}),
        ("a,b\n1,ü\n".encode("utf-8-sig"), {"a": ["1"], "b": ["ü"]}),
        ("a,b\n1,ü\n".encode("utf-16"), {"a": ["1"], "b": ["ü"]}),
        ("a,b\n1,ü\n".encode("utf-16-be"), {"a": ["1"], "b": ["ü"]}),
        ("a;b\n1;Müller, Straße\n".encode("cp1252"), {"a": ["1"], "b": ["Müller, Straße"]}),
        ("a;b\n1;Łódź, żółty\n".encode("cp1250"), {"a": ["1"], "b": ["Łódź, żółty"]}),
        ("ä;b\n1;Привет, мир\n".encode("cp1251", "replace"), {"?": ["1"], "b": ["Привет, мир"]}),
    ],
)  # fmt: skip
def test_text_tables(write: Write, content: bytes, wanted: dict[str, list[str]]) -> None:
    table, dialect = read_csv(write("in.csv", content))
    assert table.to_pydict() == wanted
    again = write("out.csv", b"")
    write_csv(table, again, dialect.delimiter, dialect.line_end, dialect.bom)
    assert read_csv(again)[0].to_pydict() == wanted
    if (
        dialect.encoding == "utf-8"
        and b'5" pipe' not in content
        and b"\n\n" not in content
        and content[-1:] == b"\n"
    ):
        assert again.read_bytes() == content


CELLS = st.text(st.characters(codec="utf-8"), max_size=5) | st.sampled_from(
    ['"', ",", "\n", "\r", "\r\n", '",\n"']
)


@given(st.lists(st.tuples(CELLS, CELLS), min_size=1, max_size=6), st.sampled_from([",", ";", "\t"]))
def test_what_is_written_is_read_again(
    tmp_path_factory: pytest.TempPathFactory, rows: list[tuple[str, str]], delimiter: str
) -> None:
    path = tmp_path_factory.getbasetemp() / "cells.csv"
    columns = [pa.array([row[0] for row in rows]), pa.array([row[1] for row in rows]).dictionary_encode()]
    write_csv(pa.table(columns, names=["first", "second"]), path, delimiter)
    read, _ = read_csv(path)
    assert list(zip(read["first"].to_pylist(), read["second"].to_pylist(), strict=True)) == rows


@pytest.mark.parametrize(
    ("content", "said"),
    [
        (b"", "in.csv is empty"),
        (b"\n\n", "in.csv is empty"),
        (b"a,b\n1,2\n3\n4,5,6\n", "in.csv, row 3: 1 cell found, 2 expected as in the header (further rows not in order: 1)"),
        (b'a,b\n1,"2\n3,4\n', "in.csv, row 2: a quote is opened and never closed"),
        (b'a,b\n"1,2\n3,4\n', "in.csv, row 2: a quote is opened and never closed"),
        (b"a;b\n" + "1;Müller\n".encode() * 9 + b"2;\xff\n", "in.csv is not valid utf-8 at offset 96 (byte 0xff)"),
        ("a,b\n1,ü\n".encode("utf-16")[:-1], "in.csv is not valid utf-16 at offset 16"),
        ("a,b\n1,ü".encode("utf-8-sig") + b"\xfc\n", "not valid utf-8 at offset 11 (byte 0xfc)"),
    ],
)  # fmt: skip
def test_text_tables_that_are_refused(write: Write, content: bytes, said: str) -> None:
    with pytest.raises(igual.TableError) as caught:
        read_csv(write("in.csv", content))
    assert said in str(caught.value)


def test_a_cell_of_100_megabytes(write: Write) -> None:
    table, _ = read_csv(write("in.csv", b"a,b\n1,2\n3," + b"x" * 100_000_000 + b"\n4,5\n"))
    assert [len(cell) for cell in table["b"].to_pylist()] == [1, 100_000_000, 1]


def test_parquet_and_files_that_are_no_tables(tmp_path: Path, write: Write) -> None:
    table = pa.table({"t": ["a ", None], "n": [1, 2], "d": pa.array(["x", "y"]).dictionary_encode()})
    parquet.write_table(table, tmp_path / "in.parquet")
    assert read_table(tmp_path / "in.parquet").equals(table)
    outcome = igual.Rulebook([Spacing(columns=("t", "d"))]).apply(table)
    write_table(outcome.table, tmp_path / "out.parquet", ".parquet")
    assert parquet.read_table(tmp_path / "out.parquet").equals(
        pa.table({**dict(zip("tnd", table.columns, strict=True)), "t": ["a", None]})
    )
    for path, said in (
        (write("x.parquet", "no"), "x.parquet is not a Parquet file"),
        (write("x.doc", "no"), "can't read this kind of file"),
        (tmp_path, "is a folder"),
        (tmp_path / "in.parqet", "there is no such file; did you mean 'in.parquet'?"),
        (Path("/dev/zero"), "is not a regular file"),
    ):
        with pytest.raises(igual.TableError) as caught:
            read_table(path)
        assert said in str(caught.value)


def test_outputs_appear_together_or_not_at_all(tmp_path: Path, write: Write) -> None:
    raw = write("raw.csv", "a\n")
    with pytest.raises(igual.OutputError, match="nothing was written"), outputs([raw]) as staged:
        staged.place(tmp_path / "one.csv").write_text("1")
        staged.place(tmp_path / "two.csv").write_text("2")
        raise OSError(28, "No space left on device")
    assert leftovers(tmp_path) == ["raw.csv"]
    (tmp_path / "link.csv").symlink_to(raw)
    for target, said in (
        (raw, "is one of the inputs"), (tmp_path / "link.csv", "is one of the inputs"),
        (tmp_path, "is a folder"), (tmp_path / "no" / "x.csv", "there is no folder"),
    ):  # fmt: skip
        with pytest.raises(igual.OutputError, match=said), outputs([raw]) as staged:
            staged.place(target)
    with outputs([raw]) as staged:
        staged.place(tmp_path / "one.csv").write_text("1")
    assert leftovers(tmp_path) == ["link.csv", "one.csv", "raw.csv"]


def test_a_rulebook_survives_saving_and_loading(tmp_path: Path, write: Write) -> None:
    (tmp_path / "lists").mkdir()
    write("lists/species.csv", "value,alias,code\nNorway maple,ACPL|Acer,1\n,,\nCommon oak,,2\n")
    write("lists/site.csv", "code,label\na,avenue\nA,alley\n")
    book = igual.Rulebook(
        [
            Spacing(columns=("a", "b"), also="_-", breaks="keep", note='why "not"\n'),
            Case(column="a", style="title", keep=("NW",), small=("of",)),
            Replace(
                column="a",
                pairs={"é 1": "\\", "a.b": "'\"", "NO": "1e5"},
                where="word",
                nth=2,
                ignore_case=True,
            ),
            Label(column="b", codebook="site", otherwise=OtherText(text="?"), into="c"),
            Label(column="c", codebook="own", otherwise="keep"),
            Match(column="a", list="species", by=("folded",)),
            Match(column="a", list="own"),
        ],
        lists={
            "species": igual.ReferenceList.load(tmp_path / "lists" / "species.csv"),
            "own": igual.ReferenceList(["x y", "z"], {"z": ["Z"]}, {"rate": ["1", "2"]}),
        },
        codebooks={
            "site": igual.Codebook.load(tmp_path / "lists" / "site.csv"),
            "own": igual.Codebook({"1": "one"}),
        },
    )
    assert book.lists["species"].aliases == {"Norway maple": ("ACPL", "Acer")}
    assert book.lists["species"].attributes == {"code": ("1", "2")}
    (tmp_path / "books").mkdir()
    for name in ("books/one.toml", "two.toml"):
        book.save(tmp_path / name)
        assert igual.Rulebook.load(tmp_path / name, allow_outside=[tmp_path]) == book
    assert 'file = "../lists/species.csv"' in (tmp_path / "books" / "one.toml").read_text()
    assert igual.Rulebook(book.rules[:-1], book.lists, book.codebooks) != book


SPACING = '[[rule]]\ncolumn = "a"\ndo = "spacing"\n'


@pytest.mark.parametrize(
    ("content", "said"),
    [
        (SPACING.replace("spacing", "spacin"), "b.toml: rule 1: no rule does 'spacin'; did you mean 'spacing'?"),
        (SPACING + SPACING + "ens = 'left'", "b.toml: rule 2 (spacing): unknown word 'ens'; did you mean 'ends'?"),
        (SPACING + "column = 'b'", "b.toml is not valid TOML: Cannot overwrite a value"),
        (SPACING + "into = 3", "b.toml: rule 1 (spacing): 'into' takes a text in quotes; found 3"),
        ('[[rule]]\ncolumn = "a"\n', "b.toml: rule 1: the word 'do' is missing"),
        ('[[rule]]\ndo = "spacing"\n', "b.toml: rule 1 (spacing): 'column' is missing"),
        ('[[rule]]\ncolumn = "a"\ndo = "match"\nlist = "x"\nby = ["exat"]', "'by' can't be 'exat'; did you mean 'exact'?"),
        ('[[rule]]\ncolumn = "a"\ndo = "label"\ncodebook = "sites"\n[codebooks.site]\nfile = "good.csv"',
         "rule 1 (label): no codebook 'sites'; did you mean 'site'?"),
        ("[lists.l]\nfile = 'gone.csv'\n" + SPACING, "list 'l': gone.csv: there is no such file; did you mean 'good.csv'?"),
        ("[codebooks.c]\nfile = 'twice.csv'\n" + SPACING, "codebook 'c': twice.csv, row 3: code '1' stands in row 2 already"),
        ("[codebooks.c]\nfile = 'bare.csv'\n" + SPACING + "[[rule]]\ncolumn = 'a'\ndo = 'label'\ncodebook = 'c'",
         "codebook 'c' (rule 2): bare.csv, row 3: code '2' has no label"),
        ("[codebooks.c]\nfile = 'wrong.csv'\n" + SPACING, "wrong.csv has no column 'label'; did you mean 'lable'?"),
        ("[codebooks.c]\nlabels = {}\n" + SPACING, "codebook 'c': a codebook needs at least one code"),
        ("[lists.l]\nvalues = ['a', 'a']\n" + SPACING, "list 'l': entry 'a' stands twice"),
        ("[lists.l]\nfile = 'entries.csv'\n" + SPACING, "entries.csv, row 3: value 'oak' stands in row 2 already"),
        ("[lists.l]\nfile = 'x'\nvalues = ['a']\n" + SPACING, "list 'l': give either 'file' or 'values'"),
        ("[list.l]\nfile = 'x'\n" + SPACING, "b.toml: unknown word 'list'; did you mean 'lists'?"),
        ("rules = 1", "b.toml: unknown word 'rules'; did you mean 'rule'?"),
        ("", "b.toml: a rulebook needs at least one rule"),
        ("a = " + "[" * 5_000, "b.toml is not valid TOML"),
    ],
)  # fmt: skip
def test_rulebooks_that_are_refused(tmp_path: Path, write: Write, content: str, said: str) -> None:
    write("good.csv", "code,label\n1,a\n")
    write("twice.csv", "code,label\n1,a\n1,b\n")
    write("bare.csv", "code,label\n1,a\n2,\n")
    write("wrong.csv", "code,lable\n1,a\n")
    write("entries.csv", "value\noak\noak\n")
    with pytest.raises(igual.RulebookError) as caught:
        igual.Rulebook.load(write("b.toml", "igual = 1\n" + content))
    assert said in str(caught.value).replace(f"{tmp_path}/", "")
    assert "\n" not in str(caught.value)


def test_a_rulebook_of_another_format_is_refused(write: Write) -> None:
    with pytest.raises(igual.RulebookError, match="it is in format 2; this version of Igual reads format 1"):
        load_rulebook(write("b.toml", "igual = 2\n" + SPACING))


@pytest.mark.parametrize("ending", [".gz", ".zst"])
@pytest.mark.parametrize("mark", [b"", b"\xef\xbb\xbf"], ids=["", "with a mark"])
@pytest.mark.parametrize(
    "rows",
    [
        b'a,b\r\n"x\n""y""\n",1\r\n"z",2\n',  # lines that end in two ways, so that a parser has to find the rows
        b'a,b\n"x\r""\r",1\r"",2\r\n',
        b'a\n"x"\n""""\n',
        b'a,b\n"x"y,1\n',
        b'a,b\n"x,1\n',
    ],
)
def test_compressed_tables_are_read_as_others(
    tmp_path: Path, run: Run, rows: bytes, mark: bytes, ending: str
) -> None:
    (tmp_path / "t.csv").write_bytes(mark + rows)
    with pa.output_stream(
        tmp_path / f"t.csv{ending}", compression=ending[1:].replace("gz", "gzip").replace("zst", "zstd")
    ) as file:
        file.write(mark + rows)
    plain, packed = run("tally t.csv -c a --json"), run(f"tally t.csv{ending} -c a --json")
    assert (packed.returncode, packed.stdout) == (plain.returncode, plain.stdout)
    assert packed.stderr.replace(f"t.csv{ending}", "t.csv") == plain.stderr
