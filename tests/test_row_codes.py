"""What the first pass over a file keeps for the second: the same bytes come out as when all is looked up again."""

from __future__ import annotations

import gc
import os
import tempfile
from collections import Counter
from pathlib import Path
from random import Random

import pyarrow as pa
import pytest

import igual
from igual.files import streams
from igual.files.formats import base
from igual.files.row_codes import RowCodes
from igual.files.streams import CleanTable, count_table
from igual.files.tables import open_table_file, writing_table
from igual.rules import Case, Compose, Replace, Spacing
from tests.attack.forked import SMALL_PARTS
from tests.conftest import Run

TRIALS = 4
GROUPS = [[0], [2, 3], [1]]
BOOK = igual.Rulebook(
    [
        Spacing(column="a"), Case(column="b", style="upper"), Replace(column="c", pairs={"x": "{d}"}, fill=True),
        Compose(column="b", into="new", template="{b}!"),
    ]
)  # fmt: skip


def make_table(random: Random, least_rows: int) -> pa.Table:
    rows, few = (
        random.choice((least_rows, 1, 400, 400)),
        ["x", "", None, "é y", "a, b", 'say "x"', "two\nlines", "-1"],
    )
    columns = {
        "a": [random.choice([" oak", "elm ", f"v{random.randrange(90)}"]) for _ in range(rows)],
        "b": [random.choice(few) for _ in range(rows)],
        "c": [random.choice(few[:4]) for _ in range(rows)],
        "d": [f"{random.randrange(10 ** random.randrange(4))}" for _ in range(rows)],
        "e": [random.choice(few) for _ in range(rows)],
    }
    table = pa.table({name: pa.array(cells, pa.string()) for name, cells in columns.items()})
    if random.random() < 0.5:
        table = table.set_column(1, "b", table.column("b").dictionary_encode())
    return table


def write_all(source: Path, out: Path, codes_in: Path | None, *, is_kept: bool = False) -> bytes:
    """Apply the rulebook from file to file, through both passes."""
    counted = count_table(open_table_file(source), GROUPS, codes_in=codes_in)
    assert (counted.codes is not None) == is_kept
    account = BOOK.run(counted.source)
    clean = CleanTable(counted, [trail.clean_column for trail in account.trails.values()])
    with writing_table(out, out.suffix, clean.schema) as writer:
        clean.write(writer)
    return out.read_bytes()


@pytest.mark.parametrize("ending", [".csv", ".jsonl", ".arrow"])
def test_the_second_pass_needs_not_look_again(
    ending: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    for module, name, value in SMALL_PARTS:
        monkeypatch.setattr(f"{module}.{name}", value)
    for seed in range(TRIALS):
        random = Random(seed)
        # A file of JSON Lines without a line isn't a table.
        table, source = make_table(random, ending == ".jsonl"), tmp_path / f"t{ending}"
        with writing_table(source, ending, table.schema) as writer:
            for start in range(0, max(len(table), 1), 30):
                writer.write(writer.prepare(base.CleanPart(base.BatchPart(table.slice(start, 30)))))
        looked_up = write_all(source, tmp_path / "looked_up.csv", None)
        assert write_all(source, tmp_path / "no_folder.csv", tmp_path / "nowhere") == looked_up
        with monkeypatch.context() as patched:
            patched.setattr(streams, "Finder", None)
            assert write_all(source, tmp_path / "kept.csv", tmp_path, is_kept=True) == looked_up
    assert sorted(path.name for path in tmp_path.iterdir()) == sorted(
        ["kept.csv", "looked_up.csv", "no_folder.csv", source.name]
    )


def test_rows_that_moved_are_noticed(tmp_path: Path) -> None:
    path = tmp_path / "t.csv"
    path.write_text("a,b,c,d,e\n1,1,1,1,1\n1,1,1,1,1\n")
    counted = count_table(open_table_file(path), GROUPS, codes_in=tmp_path)
    account = BOOK.run(counted.source)
    clean = CleanTable(counted, [trail.clean_column for trail in account.trails.values()])
    state = path.stat()
    path.write_text("a,b,c,d,e\n1,1,1,1,11111111111\n")
    os.utime(path, ns=(state.st_atime_ns, state.st_mtime_ns))
    assert path.stat().st_size == state.st_size
    with (
        pytest.raises(igual.TableError, match=r"^t\.csv: the table changed while it was read"),
        writing_table(tmp_path / "out.csv", ".csv", clean.schema) as writer,
    ):
        clean.write(writer)


@pytest.mark.skipif(not Path("/dev/full").exists(), reason="there is no device that is always full")
def test_a_full_disk_only_makes_it_slower(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capfd: pytest.CaptureFixture[str]
) -> None:
    def begin(folder: Path, groups: int) -> RowCodes:
        with monkeypatch.context() as patched:
            patched.setattr(tempfile, "TemporaryFile", lambda **words: Path("/dev/full").open("wb"))  # noqa: SIM115
            return RowCodes(folder, groups)

    path = tmp_path / "t.csv"
    path.write_text("a,b,c,d,e\n" + "1,1,1,1,1\n" * 9)
    wanted = write_all(path, tmp_path / "wanted.csv", None)
    monkeypatch.setattr(streams, "RowCodes", begin)
    assert count_table(open_table_file(path), GROUPS, codes_in=tmp_path).codes is None
    assert write_all(path, tmp_path / "out.csv", tmp_path) == wanted
    gc.collect()
    assert capfd.readouterr().err == ""


def test_large_files_keep_codes_beside_their_output(run: Run, tmp_path: Path) -> None:
    (tmp_path / "b.toml").write_text('igual = 1\n[[rule]]\ncolumn = "a"\ndo = "spacing"\n')
    lines = "".join(f" v{number % 70_000} ,x\n" for number in range(200_000))
    (tmp_path / "t.csv").write_text(f"a,b\n{lines}")
    (tmp_path / "out").mkdir()
    for out in ("-", "out/t.csv"):
        done = run(f"apply b.toml t.csv --out {out} -q")
        assert done.returncode == 0, done.stderr
        made = done.stdout if out == "-" else (tmp_path / out).read_text()
        assert made == f"a,b\n{lines}".replace(" ", "")
    assert [path.name for path in (tmp_path / "out").iterdir()] == ["t.csv"]


@pytest.mark.parametrize("again", [0, 3, 400])
def test_columns_that_seem_all_distinct_are_counted(tmp_path: Path, again: int) -> None:
    """Of parts whose cells nearly all differ, those that don't are found out when parts are merged, or at the end."""
    rows = 6_000
    cells = [f"id {number}" for number in range(rows - again)] + [
        f"id {7 * number}" for number in range(again)
    ]
    cells[5], cells[-1], cells[rows // 2] = "", "", "id 1"
    for parts in (1, 4):
        lines = [f"{cell},x\n" for cell in cells] * parts
        (tmp_path / "many.csv").write_text("".join(["a,b\n", *lines]))
        counted = count_table(open_table_file(tmp_path / "many.csv"), [[0], [1]], codes_in=tmp_path)
        first = counted.counted[0]
        wanted = Counter(cells * parts)
        assert dict(zip(first.cells[0].to_pylist(), first.rows.tolist(), strict=True)) == wanted
        assert first.cells[0].to_pylist() == list(wanted)
        assert counted.codes is not None
        book = igual.Rulebook([Case(column="a", style="upper")])
        book.apply_file(tmp_path / "many.csv", tmp_path / "o.csv")
        assert (tmp_path / "o.csv").read_bytes() == (tmp_path / "many.csv").read_bytes().replace(b"id", b"ID")
