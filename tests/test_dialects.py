"""How text tables are written, established from their bytes."""

from __future__ import annotations

import os
import pty
import subprocess
from collections.abc import Callable
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from igual.files.dialects import _is_utf_8_throughout, encoding_of_bytes, establish, first_undecodable
from igual.files.tables import open_table_file
from tests.conftest import COMMAND

Write = Callable[[str, str | bytes], Path]


@pytest.mark.parametrize(
    ("name", "content", "delimiter", "header"),
    [
        ("a.csv", "a,b\n1,2\n", ",", ("a", "b")),
        ("a.csv", "a;b\n1,5;2,5\n3,5;4,5\n", ";", ("a", "b")),
        ("a.csv", "name\tnote\nx\ta, b\ny\tc, d, e\n", "\t", ("name", "note")),
        ("a.csv", 'a|"b|c"\n1|2\n', "|", ("a", "b|c")),
        ("a.tsv", "a,b\tc\n", "\t", ("a,b", "c")),
        ("a.csv", "only one column\nx; y\nz\n", ",", ("only one column",)),
        ("a.csv", 'a,b\n1,"' + "x\n" * 200_000, ",", ("a", "b")),
        ("a.csv", "a,b\r1,2\r", ",", ("a", "b")),
    ],
)
def test_delimiters(write: Write, name: str, content: str, delimiter: str, header: tuple[str, ...]) -> None:
    dialect = establish(write(name, content))
    assert (dialect.delimiter, dialect.header) == (delimiter, header)


@pytest.mark.parametrize(
    ("text", "encoding"),
    [
        ("Müller;Straße;Größe", "cp1252"),
        ("São Paulo; café; naïve", "cp1252"),
        ("Łódź, Kraków, Gdańsk, żółty", "cp1250"),
        ("Москва, Санкт-Петербург", "cp1251"),
        ("Αθήνα, Θεσσαλονίκη", "cp1253"),
        ("Привет мир как дела", "koi8_r"),
    ],
)
def test_single_byte_encodings(write: Write, text: str, encoding: str) -> None:
    assert encoding_of_bytes(write("a.csv", f"plain line\n{text}\n".encode(encoding))) == encoding


def test_damaged_utf_8_is_nothing_else(write: Write) -> None:
    assert encoding_of_bytes(write("a.csv", "Müller Straße Größe\n".encode() + b"\xff\n")) is None


@pytest.mark.parametrize("offset", [0, 5, (1 << 20) - 1, 1 << 20, (1 << 20) + 7])
def test_the_offset_of_a_bad_byte_is_exact(write: Write, offset: int) -> None:
    path = write("a.csv", b"a" * offset + b"\xff" + b"a" * 10)
    assert first_undecodable(path, "utf-8") == (offset, 0xFF)


@given(
    st.lists(st.sampled_from(["a", "é", "€", "🌳", b"\xff", b"\x80", b"\xe2\x82"]), max_size=12),
    st.integers(1, 5),
)
def test_pieces_of_a_file_are_utf_8_if_the_whole_is(
    tmp_path_factory: pytest.TempPathFactory, parts: list[str | bytes], size: int
) -> None:
    content = b"".join(part.encode() if isinstance(part, str) else part for part in parts)
    path = tmp_path_factory.mktemp("pieces") / "a.csv"
    path.write_bytes(content)
    wanted = None
    try:
        content.decode()
    except UnicodeDecodeError as error:
        wanted = (error.start, content[error.start])
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr("igual.files.dialects._PIECE_BYTES", size)
        assert first_undecodable(path, "utf-8") == wanted
        assert _is_utf_8_throughout(path) == (wanted is None)


def test_a_sequence_cut_off_at_a_block_or_at_the_end(write: Write) -> None:
    whole = b"a" * ((1 << 20) - 1) + "é".encode()
    assert first_undecodable(write("a.csv", whole), "utf-8") is None
    assert first_undecodable(write("a.csv", whole[:-1]), "utf-8") == ((1 << 20) - 1, 0xC3)


def on_a_terminal(command: list[str], folder: Path) -> str:
    """What a command shows where standard output and error are a terminal."""
    ours, theirs = pty.openpty()
    with subprocess.Popen(
        command, cwd=folder, stdin=theirs, stdout=theirs, stderr=theirs, close_fds=True
    ) as process:
        os.close(theirs)
        shown = b""
        while True:
            try:
                block = os.read(ours, 65_536)
            except OSError:  # the terminal is gone with the process
                break
            if not block:
                break
            shown += block
    os.close(ours)
    assert process.returncode == 0
    return shown.decode()


def test_a_terminal_gets_colour_and_a_sign_of_life(tmp_path: Path, write: Write) -> None:
    write("small.csv", "a\n x\n")
    assert "\x1b[1m" in on_a_terminal([str(COMMAND), "survey", "small.csv"], tmp_path)
    assert "reading" not in on_a_terminal([str(COMMAND), "survey", "small.csv"], tmp_path)
    slow = "import time; from igual.report.progress import show_progress\nwith show_progress('reading x.csv'): time.sleep(1.6)"
    assert "reading x.csv …" in on_a_terminal([str(COMMAND.parent / "python"), "-c", slow], tmp_path)


@pytest.mark.parametrize("line_end", ["\n", "\r\n", "\r"])
def test_cells_of_many_nul_bytes_make_no_table_of_two_bytes_a_letter(tmp_path: Path, line_end: str) -> None:
    path = tmp_path / "t.csv"
    cell = ",\0" * 2_000
    path.write_bytes(f"a\tb{line_end}\t{cell}{line_end}".encode())
    assert open_table_file(path).names == ["a", "b"]


@pytest.mark.parametrize("encoding", ["utf-16-le", "utf-16-be", "utf-32-le", "utf-32-be"])
@pytest.mark.parametrize("header", ["a;b", "číslo;b", "a;č", "č", "编号;名称", "慢", "\r\na;b"])
def test_tables_of_two_or_four_bytes_a_letter_are_known_without_a_mark(
    tmp_path: Path, header: str, encoding: str
) -> None:
    names = header.strip().split(";")
    path = tmp_path / "t.csv"
    path.write_bytes("\n".join([header, *[";".join(["word"] * len(names))] * 60, ""]).encode(encoding))
    assert open_table_file(path).names == names
