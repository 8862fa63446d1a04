"""What the attacks have found, each by name."""

from __future__ import annotations

import contextlib
import csv
import json
import os
import signal
import stat
import subprocess
import sys
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import pandas as pd
import pyarrow as pa
import pytest
from hypothesis import given
from hypothesis import strategies as st
from pyarrow import parquet

import igual
from igual.files.csv_cells import guarded, unguarded
from igual.rules import Condition, Date, Extract, Label, Match, Number, Overlay, Replace, Spacing
from tests.attack.campaign import _UNSEEN
from tests.attack.forked import ForkServer
from tests.conftest import COMMAND, Run, limited

Write = Callable[[str, str | bytes], Path]
ODD = "a\x1b[31m\x9b2J\u202eb\u2062\u2065\u3164\U000e0041\nc"
RULE = '[[rule]]\ncolumn = "a"\n'


def book(text: str) -> str:
    return f"igual = 1\n{text}"


# Terminal


@pytest.mark.parametrize(
    "call",
    [
        ["survey", "T"], ["survey", "T", "--json"], ["tally", "T", "-c", "N"], ["tally", "T", "-c", "N", "--distinct"],
        ["tally", "T", "-c", "nosuch"], ["tally", "T", "-c", "N", "--by", "N2"], ["lookalikes", "T", "-c", "N"],
        ["match", "T", "-c", "N", "--list", "L"], ["apply", "B", "T", "--preview", "9"], ["apply", "B", "T", "--out", "O"],
        ["check", "B", "T"], ["check", "B", "T", "--json"], ["review", "B", "S"], ["lists", "L", "L2"], ["apply", ODD, "T"],
        ["draft", "T"], ["learn", "T", "-c", "N", "-e", "oak", ODD], ["learn", "T", "-c", "N", "-e", ODD, "oak"], ["demo", ODD],
        ["crosswalk", "W", "T"], ["crosswalk", "W", "T", "--out", "O"], ["lookalikes", "T", "-c", "N", "--pairs", "O"], ["demo", "T"],
        ["rules", ODD], [ODD], ["survey", "T", "--" + ODD], ["survey", ODD], ["check", "B", "T", "--allow", ODD],
    ],
)  # fmt: skip
def test_no_control_reaches_the_terminal(server: ForkServer, tmp_path: Path, call: list[str]) -> None:
    def put(name: str, *rows: tuple[str, ...]) -> str:
        with (tmp_path / name).open("w", encoding="utf-8", newline="") as file:
            csv.writer(file, quoting=csv.QUOTE_ALL).writerows(rows)
        return name

    odd = json.dumps(ODD)
    stem = "t\x1b[1m\u202e"
    (tmp_path / f"{stem}.toml").write_text(
        f'igual = 1\n[lists.{odd}]\nvalues = [{odd}, "oak"]\n[[rule]]\ncolumn = {odd}\ndo = "match"\nlist = {odd}\nnote = {odd}\n',
        encoding="utf-8",
    )
    named = {
        "T": put(f"{stem}.csv", (ODD, "N2"), (ODD, "x"), (f"{ODD} ", "x"), ("oka", "y"), ("oak", "z")), "B": f"{stem}.toml",
        "L": put("l\x1b.csv", ("value", ODD), (ODD, "1"), ("oak", "2")), "L2": put("m\x1b.csv", ("value",), (f"{ODD}s",)),
        "W": put("w\x1b.csv", ("column", "raw", "clean", "rows", "how"), (ODD, "oka", ODD, "1", "kept")),
        "S": put("s\x1b.csv", ("column", "value", "ruling"), (ODD, "oka", ODD), (ODD, "elm", "oak")), "O": f"{stem}o.csv", "N": ODD,
    }  # fmt: skip
    done = server.run([named.get(word, word) for word in call], tmp_path)
    assert "unforeseen" not in done.stderr
    assert not _UNSEEN.search(done.stdout + done.stderr), repr(done.stdout + done.stderr)
    if done.returncode == 2:
        assert 1 <= done.stderr.count("\n") <= 2


@pytest.mark.parametrize("encoding", ["ascii", "cp1252", "latin-1"])
def test_streams_that_lack_characters(
    server: ForkServer, write: Write, tmp_path: Path, encoding: str
) -> None:
    write("t.csv", "a\n中 é\n\U0001f600\n")
    env = {**os.environ, "PYTHONIOENCODING": encoding}
    assert server.run("survey t.csv".split(), tmp_path, env=env).returncode == 0
    done = server.run("tally t.csv -c a --json".split(), tmp_path, env=env)
    assert json.loads(done.stdout)["values"][0]["value"] == "中 é"


@pytest.mark.parametrize(
    "call",
    [
        "survey trees.csv --json", "tally trees.csv -c species", "match trees.csv -c species --list species.csv", "rules", "--help",
        "lookalikes trees.csv -c street", "check trees.toml trees.csv", "apply trees.toml trees.csv --preview 50", "draft trees.csv",
        "learn trees.csv -c planted -e 27/10/1974 1974", "lists species.csv species.csv", "demo d", "review trees.toml open.csv --look",
        "crosswalk walk.csv trees.csv",
    ],
)  # fmt: skip
def test_readers_that_leave_early_are_no_error(server: ForkServer, few_trees: Path, call: str) -> None:
    if call.startswith(("review", "crosswalk")):
        server.run("apply trees.toml trees.csv --open open.csv --crosswalk walk.csv".split(), few_trees)
    done = server.run(call.split(), few_trees, reader_leaves=True)
    assert (done.returncode, done.stderr) == (0, "")


def test_streams_that_are_gone(few_trees: Path) -> None:
    call = "tally trees.csv -c species"
    for redirect in ("| head -1; exit ${PIPESTATUS[0]}", ">&-", "2>&-", ">&- 2>&-", "> /dev/full"):
        line = f"{COMMAND} {call} {redirect}"
        done = subprocess.run(["bash", "-c", line], cwd=few_trees, capture_output=True, text=True)
        assert "Traceback" not in done.stderr
        assert done.returncode == (2 if "full" in redirect else 0)


def test_a_signal_on_the_way_out_comes_too_late() -> None:
    # It is sent while the last signal is being set aside, when the work is done.
    code = """
import os, signal, sys
from igual.cli import main
set_handler, left = signal.signal, [False, False, False, False, True, False, True]
def interrupted(number, handler):
    if handler is signal.SIG_IGN and left and left.pop():
        os.kill(os.getpid(), signal.SIGTERM)
    return set_handler(number, handler)
signal.signal = interrupted
sys.argv = ["igual", "--version"]
main()
"""
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True)
    assert (done.returncode, done.stderr) == (0, "")
    assert done.stdout.startswith("igual")


@pytest.mark.parametrize("delay", [0.06, 0.1, 0.15, 0.2])
def test_an_early_interrupt_is_quiet(few_trees: Path, delay: float) -> None:
    call = [str(COMMAND), "survey", "trees.csv"]
    with subprocess.Popen(
        call, cwd=few_trees, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True
    ) as process:
        time.sleep(delay)
        process.send_signal(signal.SIGINT)
        _, error = process.communicate()
    # While Python itself is starting it says what it likes; Igual's own frames are in no traceback.
    assert str(Path(igual.__file__).parent) not in error


# Paths, modes, outputs


@pytest.mark.parametrize(
    "name",
    [
        "/etc/hostname",
        "../l.csv",
        "link.csv",
        "fifo.csv",
        "loop.csv",
        "https://x.example/l.csv",
        "/dev/zero",
        "a\\u0000b",
    ],
)
def test_files_of_a_rulebook_lie_in_its_folder(run: Run, tmp_path: Path, name: str) -> None:
    folder = tmp_path / "books"
    folder.mkdir()
    (tmp_path / "l.csv").write_text("value\noak\n")
    (folder / "link.csv").symlink_to("../l.csv")
    (folder / "loop.csv").symlink_to("loop.csv")
    os.mkfifo(folder / "fifo.csv")
    (folder / "t.csv").write_text("a\noka\n")
    (folder / "b.toml").write_text(book(f'[lists.l]\nfile = "{name}"\n{RULE}do = "match"\nlist = "l"\n'))
    for call in ("check b.toml t.csv", "review b.toml --add-to-lists", "apply b.toml t.csv --preview 1"):
        done = run(call, folder=folder)
        assert (done.returncode, done.stderr.count("\n")) == (2, 1), done.stderr
    if name in ("../l.csv", "link.csv"):
        assert run("check b.toml t.csv --allow-outside ..", folder=folder).returncode == 1
        assert igual.Rulebook.load(folder / "b.toml", allow_outside=[tmp_path]).lists["l"].values == ("oak",)


def test_rulings_that_lead_outside_are_refused(run: Run, tmp_path: Path) -> None:
    (tmp_path / "b").mkdir()
    (tmp_path / "b" / "b.toml").write_text(book(f'{RULE}do = "spacing"\n'))
    (tmp_path / "b" / "t.csv").write_text("a\nx\n")
    (tmp_path / "b" / "b.rulings.csv").symlink_to("../elsewhere.csv")
    assert "lies outside" in run("check b.toml t.csv", folder=tmp_path / "b").stderr


def test_outputs_keep_the_mode_and_refuse_what_is_read_only(run: Run, write: Write, tmp_path: Path) -> None:
    write("t.csv", "a\nx \n")
    write("b.toml", book(f'{RULE}do = "spacing"\n'))
    write("secret.csv", "a\nold\n").chmod(0o600)
    write("fixed.csv", "a\nold\n").chmod(0o444)
    assert run("apply b.toml t.csv --out secret.csv").returncode == 0
    assert stat.S_IMODE((tmp_path / "secret.csv").stat().st_mode) == 0o600
    assert "fixed.csv is read-only" in run("apply b.toml t.csv --out fixed.csv").stderr
    assert (tmp_path / "fixed.csv").read_text() == "a\nold\n"
    line = f"umask 027; {COMMAND} apply b.toml t.csv --out new.csv"
    subprocess.run(line, shell=True, cwd=tmp_path, check=True, capture_output=True)
    assert stat.S_IMODE((tmp_path / "new.csv").stat().st_mode) == 0o640


def test_what_a_killed_run_left_is_removed_by_the_next(run: Run, write: Write, tmp_path: Path) -> None:
    from igual.files.outputs import Outputs

    write("t.csv", "a\nx \n")
    write("b.toml", book(f'{RULE}do = "spacing"\n'))
    write(".clean.csv.00000000.part", "half")
    alive = Outputs()
    alive.place(tmp_path / "clean.csv")
    (living,) = tmp_path.glob(".clean.csv.*.part")
    assert living.name != ".clean.csv.00000000.part"
    write(".clean.csv.00000001.part", "half")
    assert run("apply b.toml t.csv --out clean.csv").returncode == 0
    assert [path.name for path in tmp_path.glob(".*.part")] == [living.name]
    alive.discard()
    alive.release()


def test_a_request_to_stop_waits_for_renaming(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    from igual.files.outputs import outputs

    rename = os.replace

    def interrupt(source: str, target: str, **more: Any) -> None:
        os.kill(os.getpid(), signal.SIGINT)
        rename(source, target, **more)

    monkeypatch.setattr(os, "replace", interrupt)
    # Who starts the tests in the background may have had requests to stop ignored.
    found = signal.signal(signal.SIGINT, signal.default_int_handler)
    try:
        with pytest.raises(KeyboardInterrupt) as caught, outputs() as staged:
            for name in ("a", "b"):
                staged.place(tmp_path / name).write_text("new")
    finally:
        signal.signal(signal.SIGINT, found)
    assert caught.value.__notes__ == ["all outputs had been written"]
    assert sorted(path.name for path in tmp_path.iterdir()) == ["a", "b"]


def test_a_full_disk_while_a_spreadsheet_is_written(trees: Path) -> None:
    env = {name: text for name, text in os.environ.items() if not name.startswith("COVERAGE")}
    call = limited("-f 2", str(COMMAND), *"apply trees.toml june.csv --open open.xlsx".split())
    done = subprocess.run(call, cwd=trees, capture_output=True, text=True, env=env)
    assert (done.returncode, done.stderr.count("\n")) == (2, 1), done.stderr
    assert not list(trees.glob("*open.xlsx*"))


@pytest.mark.parametrize("megabytes", [600, 1_400])
def test_short_memory_is_no_mistake_of_igual(trees: Path, megabytes: int) -> None:
    call = limited(f"-v {megabytes}000", str(COMMAND), *"apply trees.toml june.csv --out new.csv".split())
    done = subprocess.run(call, cwd=trees, capture_output=True, text=True, timeout=300)
    assert "unforeseen" not in done.stderr
    assert (trees / "new.csv").exists() is (done.returncode == 0)


def test_packages_that_find_no_memory_are_no_mistake_of_igual(capsys: pytest.CaptureFixture[str]) -> None:
    from igual.cli._process import explain_failure

    error = ImportError("the package seems to be broken")
    error.__cause__ = ImportError("_sparse.so: failed to map segment from shared object")
    assert explain_failure(error, was_interrupted=False) == 2
    assert capsys.readouterr().err == "igual: the computer has too little free memory for this table\n"


def test_no_thread_is_started_where_memory_is_limited() -> None:
    # A thread that finds no memory for its first step ends without a word, and Python would wait for it without end.
    code = "import threading; from igual.threads import map_in_order; print(*map_in_order(lambda _: threading.current_thread().name, 'ab'))"
    free = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    assert "MainThread" not in free.stdout
    for limit in ("-v 8000000", "-d 8000000"):
        done = subprocess.run(limited(limit, sys.executable, "-c", code), capture_output=True, text=True)
        assert (done.stdout, done.stderr) == ("MainThread MainThread\n", "")


# Formulas


@given(st.text(max_size=6) | st.text(st.sampled_from("'=+-@\t\r\n ＝1a"), max_size=5))
def test_guards_come_off_again(text: str) -> None:
    made = guarded(pa.table({"c": [text]}))["c"][0].as_py()
    assert unguarded(made) == text
    assert made.strip(" \t\r\n\u00a0\ufeff")[:1] not in ("=", "@", "＝") or made.startswith("'")


def test_every_text_output_is_guarded_on_request(run: Run, write: Write, tmp_path: Path) -> None:
    write("t.csv", '=h,a\n1,=1+1\n2,"\t=2"\n3,-3\n4,=1+1 \n')
    write("l.csv", "value\n=1+1\n")
    write("b.toml", book(f'{RULE}do = "spacing"\nends = "keep"\n'))
    assert (
        run("apply b.toml t.csv --out o.csv --trail r.csv --crosswalk w.csv --escape-formulas").returncode
        == 0
    )
    assert run("match t.csv -c a --list l.csv --out m.csv --escape-formulas").returncode == 0
    assert (
        run("lookalikes t.csv -c a --pairs p.csv --rulings u.csv --out g.csv --escape-formulas").returncode
        == 0
    )
    for name in ("o", "r", "w", "m", "p", "u", "g"):
        with (tmp_path / f"{name}.csv").open(newline="") as file:
            cells = [cell for row in csv.reader(file) for cell in row]
        assert not [cell for cell in cells if cell.lstrip("\t\r\n ")[:1] in ("=", "@")], name
        assert "'=h" in cells or name != "o"


@pytest.mark.parametrize(
    ("pairs", "words", "said"),
    [
        ("A,x\na,y\n", "ignore_case = true", "pairs 'A' and 'a' are the same when case is ignored"),
        ("(,x\n", "pattern = true", "the pattern '(' can't be used"),
        ("a,x\nb,y\n", "pattern = true", "several patterns act one after another"),
        ("aB" * 100_000 + ",x\n", "", "a text of 200,000 characters is too long to look for"),
    ],
    ids=["case", "pattern", "patterns", "long"],
)
def test_pair_lists_that_a_rule_can_not_use(
    run: Run, write: Write, pairs: str, words: str, said: str
) -> None:
    write("t.csv", "a\n" + "aB" * 100_000 + "\n")
    write("p.csv", f"from,to\n{pairs}")
    write("b.toml", book(f'[pairs.p]\nfile = "p.csv"\n{RULE}do = "replace"\npairs = "p"\n{words}\n'))
    done = run("apply b.toml t.csv --out o.csv")
    assert (done.returncode, done.stderr.count("\n")) == (2, 1), done.stderr
    assert f"rule 1 (replace): pair list 'p': {said}" in done.stderr


# Lists and rulings


def test_other_rows_of_a_list_stay(run: Run, write: Write, tmp_path: Path) -> None:
    # Some cells are longer than Python's reader of CSV takes by itself.
    rows = f'\nvalue,alias,note\nfir,,3" pipe{"x" * 200_000}\noak,QR,5" pipe\nelm,,"a ""b"""\n\nash,,x\n'
    write("l.csv", rows)
    write("b.toml", book(f'[lists.l]\nfile = "l.csv"\n{RULE}do = "match"\nlist = "l"\n'))
    write(
        "b.rulings.csv", 'column,value,ruling,reason,by,on\na,"fir, red",new entry,,,\na,Q,alias of oak,,,\n'
    )
    assert run("review b.toml --add-to-lists").returncode == 0
    assert (tmp_path / "l.csv").read_text() == rows.replace(
        'oak,QR,5" pipe', 'oak,QR|Q,"5"" pipe"'
    ) + '"fir, red",,\n'


def test_a_list_that_lacks_a_character_is_left_alone(run: Run, write: Write, tmp_path: Path) -> None:
    before = "value,alias\nähorn eiche linde größe,\nmöhre käse grün,\n".encode("cp1252")
    write("l.csv", before)
    write("b.toml", book(f'[lists.l]\nfile = "l.csv"\n{RULE}do = "match"\nlist = "l"\n'))
    write("b.rulings.csv", "column,value,ruling,reason,by,on\na,中,new entry,,,\n")
    done = run("review b.toml --add-to-lists")
    assert (done.returncode, "save it as UTF-8 first" in done.stderr) == (2, True)
    assert (tmp_path / "l.csv").read_bytes() == before


@given(st.tuples(*[st.text(min_size=1, max_size=6).filter(lambda t: t.strip() != "")] * 5))
def test_any_ruling_reads_back(tmp_path_factory: pytest.TempPathFactory, cells: tuple[str, ...]) -> None:
    path = tmp_path_factory.mktemp("r") / "b.rulings.csv"
    column, value, ruling, reason, by = cells
    kept = igual.Rulings.load(path).decide(column, value, ruling, reason, by=by, on="2026-05-08")
    assert igual.Rulings.load(path).rulings == kept.rulings


def test_twelve_add_to_a_list_at_once(server: ForkServer, write: Write, tmp_path: Path) -> None:
    write("l.csv", "value\noak\n")
    for number in range(12):
        folder = f"b{number}.toml"
        write(folder, book(f'[lists.l]\nfile = "l.csv"\n{RULE}do = "match"\nlist = "l"\n'))
        write(f"b{number}.rulings.csv", f"column,value,ruling,reason,by,on\na,new {number},new entry,,,\n")
    done = server.run_together([f"review b{number}.toml --add-to-lists" for number in range(12)], tmp_path)
    assert [one.returncode for one in done] == [0] * 12, [one.stderr for one in done]
    assert len(igual.ReferenceList.load(tmp_path / "l.csv").values) == 13


def test_two_reviews_at_once_do_not_contradict_each_other(write: Write, tmp_path: Path) -> None:
    write("b.toml", book(f'[lists.l]\nvalues = ["oak", "elm"]\n{RULE}do = "match"\nlist = "l"\n'))
    stale = igual.Rulebook.load(tmp_path / "b.toml")
    for sheet, ruling, taken in (("one.csv", "oak", 1), ("two.csv", "elm", 0)):
        write(sheet, f"column,value,ruling\na,oka,{ruling}\n")
        assert len(stale.rulings.review(tmp_path / sheet, stale, by="x").accepted) == taken


@pytest.mark.parametrize(
    "raw", ["#x", "a\tb", 'q"r', "a\rb", "l\u2028m", "\ufeffz", "a|b\\c", "'=1", "x\x85y"]
)
def test_sssom_reads_back(tmp_path: Path, raw: str) -> None:
    table = pa.table(
        {"column": ["c|d: e"], "raw": [raw], "clean": [f"{raw}!"], "rows": [3], "how": ["a|b: c\\"]}
    )
    igual.Crosswalk(table).save(tmp_path / "w.sssom.tsv")
    back = igual.Crosswalk.load(tmp_path / "w.sssom.tsv").table
    for name in ("column", "raw", "clean", "rows", "how"):
        assert back[name].to_pylist() == table[name].to_pylist()
    frame = pd.read_csv(tmp_path / "w.sssom.tsv", sep="\t", comment="#", dtype=str, keep_default_na=False)
    assert frame["subject_label"].tolist() == [raw]


@given(st.lists(st.tuples(*[st.text(max_size=6)] * 3), min_size=1, max_size=4))
def test_any_crosswalk_reads_back_from_sssom(
    tmp_path_factory: pytest.TempPathFactory, rows: list[tuple[str, ...]]
) -> None:
    rows = [row for row in rows if row[0] and row[1].strip() and row[2]] or [("c", "a", "b")]
    path = tmp_path_factory.mktemp("w") / "w.sssom.tsv"
    names = ("column", "raw", "clean")
    columns = [pa.array(cells) for cells in zip(*rows, strict=True)]
    igual.Crosswalk(pa.table(columns, names=names)).save(path)
    back = igual.Crosswalk.load(path).table
    assert [tuple(row.values()) for row in back.select(names).to_pylist()] == rows


def test_names_with_undecodable_bytes(server: ForkServer, tmp_path: Path) -> None:

    (tmp_path / "t\udc80.csv").write_bytes(b"a\nx \n")
    with (tmp_path / "t\udc80.parquet").open("wb") as file:
        parquet.write_table(pa.table({"a": ["x "]}), file)
    (tmp_path / "b.toml").write_text(book(f'{RULE}do = "spacing"\n'))
    for name, out in (("t\udc80.csv", "o\udc80.csv"), ("t\udc80.parquet", "o\udc80.parquet")):
        assert "x·" in server.run(["survey", name], tmp_path).stdout
        assert server.run(["apply", "b.toml", name, "--out", out], tmp_path).returncode == 0


@pytest.mark.parametrize("how", ["rows: 9" + "9" * 40, "rows: x", "rows: ٣"])
def test_numbers_in_sssom_are_bounded(write: Write, how: str) -> None:
    head = "subject_label\tsubject_category\tpredicate_id\tobject_label\tmapping_justification\tconfidence\tother\n"
    path = write("w.sssom.tsv", f"{head}a\tc\tskos:exactMatch\tb\tx\t\t{how}\n")
    with pytest.raises(igual.TableError, match=r"mapping 1.*is no number of rows"):
        igual.Crosswalk.load(path)
    path = write("w.sssom.tsv", f"{head}a\tc\tskos:closeMatch\tb\tx\tnan\t\n")
    with pytest.raises(igual.TableError, match="is no confidence"):
        igual.Crosswalk.load(path)


# Rules


def test_numbers_are_exact_and_told_truly(run: Run, write: Write, tmp_path: Path) -> None:
    write("t.csv", "a\n123456789012\n1.5\n9007199254740993\n007\n0.10\n")
    write("b.toml", book(f'{RULE}do = "number"\n'))
    done = run("apply b.toml t.csv --out o.csv --trail r.csv --json")
    assert (tmp_path / "o.csv").read_text() == "a\n123456789012\n1.5\n9007199254740993\n7\n0.1\n"
    assert json.loads(done.stdout)["effects"][0]["values"] == 2
    assert "a,007,7" in (tmp_path / "r.csv").read_text()
    wide = Number().on(pa.array(["12345678901234567890.25", "1"]))
    assert (wide.type, str(wide[0])) == (pa.decimal128(38, 2), "12345678901234567890.25")
    assert Number().on(["1" * 60, "2"]) == ["1" * 60, "2"]
    assert Number().on(["9007199254740993"]) == [9007199254740993]


def test_overlay_keeps_the_length() -> None:
    assert Overlay(start=2, length=4, text="wxyz", same_length=True).on(["a", "ab", "abc", "", None]) == [
        "a",
        "aw",
        "awx",
        "",
        None,
    ]


def test_whole_respects_nth_and_all_fold_alike() -> None:
    assert Replace(pairs={"a": "x"}, where="whole", nth=2).on(["a"]) == ["a"]
    for where in ("anywhere", "whole", "word", "start", "end"):
        assert Replace(pairs={"Straße": "x"}, where=where, ignore_case=True).on(["STRASSE"]) == ["x"]


@pytest.mark.parametrize(
    "rule",
    [
        "pairs = { 'a' = '\\1' }", "pairs = { 'a' = 'x\\' }", "pairs = { 'a{1001}' = '' }", "pairs = { '(a' = '' }",
        "pairs = { 'a' = '\\x' }", "pairs = { '\\C+**' = '' }",
    ],
)  # fmt: skip
def test_patterns_that_can_not_serve_are_refused(run: Run, write: Write, rule: str) -> None:
    write("t.csv", "a\nx\n")
    write("b.toml", book(f'{RULE}do = "replace"\npattern = true\n{rule}\n'))
    done = run("apply b.toml t.csv --preview 1")
    assert (done.returncode, done.stderr.count("\n"), "unforeseen" in done.stderr) == (2, 1, False)


def test_patterns_with_odd_groups() -> None:
    assert Replace(pairs={r"\Q(a": "x"}, pattern=True, where="start").on(["(a(a"]) == ["x(a"]
    assert Replace(pairs={"(b)(a)": r"\2\1"}, pattern=True, nth=3).on(["ba ba ba"]) == ["ba ba ab"]
    assert Replace(pairs={r"\bfoo\b": "x"}, pattern=True, nth=2).on(["foo foofoo foo"]) == ["foo foofoo x"]
    assert Replace(pairs={"a+": "x"}, pattern=True, nth=2).on(["aaa"]) == ["aaa"]
    assert Extract(pattern="[(?P<x>]+").on(["a(P<"]) == ["(P<"]


@pytest.mark.parametrize(
    "text",
    [
        ".".join(["a"] * 20_000) + " = 1\n",
        RULE + 'do = "spacing"\nwhen = ' + "{ not = " * 250 + "{ blank = true }" + " }" * 250 + "\n",
        (RULE + 'do = "replace"\npairs = { a = "aa" }\n') * 40,
        "".join(f'[[rule]]\ndo = "compose"\ntemplate = "{{{c}}}{{{c}}}"\ninto = "c{n}"\n' for n, c in enumerate(["a", *(f"c{n}" for n in range(39))])),
        RULE + 'do = "overlay"\nstart = 1\nlength = 2000000000\ntext = "x"\n',
        RULE + 'do = "overlay"\nstart = 99999999999999999999\nlength = 2\ntext = "x"\n',
        RULE + 'do = "part"\nseparator = "-"\nnth = -9223372036854775807\n',
        RULE + 'do = "part"\nseparator = "-"\nnth = ' + "9" * 5_000 + "\n",
        RULE + 'do = "spacing"\nwhen = { above = nan }\n',
        '[codebooks.k]\nlabels = { "1" = "x" }\n' + RULE + 'do = "label"\ncodebook = "k"\ndated_by = "a"\n',
        RULE + 'do = "replace"\npairs = { a = "' + "x" * 20_000 + '" }\n',
    ],
)  # fmt: skip
def test_endless_rulebooks_are_refused_in_a_line(run: Run, write: Write, text: str) -> None:
    write("t.csv", "a\nabc-\n")
    write("b.toml", book(text))
    done = run("apply b.toml t.csv --preview 1")
    assert (done.returncode, done.stderr.count("\n"), "unforeseen" in done.stderr) == (2, 1, False), (
        done.stderr[:300]
    )
    assert (done.seconds < 20, done.peak < 1 << 30) == (True, True)


# Python


def test_values_of_odd_kinds() -> None:
    odd = [pd.NaT, None, np.nan, pd.NA]
    made = Spacing().on(pd.Series(["a ", *odd], dtype=object)).tolist()
    assert (made[0], [pd.isna(cell) for cell in made[1:]]) == ("a", [True] * 4)
    assert Spacing().on(pa.array(["a ", None], pa.string_view())).to_pylist() == ["a", None]
    assert Spacing().on(pd.Series(pd.Categorical([None, None]))).isna().all()
    assert Date(form="DD/MM/YYYY").on(["01/01/0000"]) == [None]
    nothing = pa.array([None, None]).dictionary_encode()
    assert Spacing().on(nothing).to_pylist() == [None, None]
    outcome = igual.Rulebook(
        [Label(column="a", codebook="k")], codebooks={"k": igual.Codebook({"1": "x"})}
    ).apply({"a": []})
    assert outcome.crosswalks.table.num_rows == 0


def test_columns_of_more_than_two_gigabytes_are_cut(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("igual.column._MOST_BYTES", 100)
    cells = [f"{number} {'x' * (number % 70)} " for number in range(50)] + [None, "y" * 300]
    for kind in (pa.string(), pa.large_string(), pa.string_view()):
        made = Spacing().on(pa.chunked_array([pa.array(cells[:30], kind), pa.array(cells[30:], kind)]))
        assert (made.type, made.num_chunks > 3) == (kind, True)
        assert made.to_pylist() == [cell if cell is None else cell.strip() for cell in cells]


@pytest.mark.parametrize(
    "call",
    [
        lambda: igual.ReferenceList("abc"), lambda: igual.ReferenceList(["oak"], {"oak": "qr"}), lambda: igual.Codebook(["a"]),  # type: ignore[arg-type]
        lambda: igual.PairList("ab"), lambda: igual.ReferenceList(["\ud800"]), lambda: igual.Codebook({"1": "\ud800"}),  # type: ignore[arg-type]
        lambda: Spacing().on(["\ud800"]), lambda: Condition(equals="\ud800"), lambda: igual.Rulebook(Spacing(column="a")),  # type: ignore[arg-type]
        lambda: igual.Rulebook([Spacing(column="a")]).apply({"a": 5}), lambda: igual.Rulings().decide("a", "\ud800", "x"),
        lambda: igual.Rulebook([Spacing(column="a")]).save("a\0b.toml"), lambda: Label(column="a", codebook="c", dated_by="a"),
        lambda: igual.match(["a"], "species.csv"), lambda: igual.ReferenceList(5), lambda: igual.ReferenceList(["a"], ["b"]),  # type: ignore[arg-type]
        lambda: igual.Rulebook([Spacing(column="a")], lists=["oak"]), lambda: igual.lookalikes(["a"], min_score="x"),  # type: ignore[arg-type]
        lambda: Spacing(column="a", when={1: "x"}), lambda: igual.tally(pd.MultiIndex.from_tuples([("a", "b")])),  # type: ignore[dict-item]
        lambda: igual.Rulebook([Spacing(column="a")]).apply({"a": ["x"]}, only="1"),  # type: ignore[arg-type]
        lambda: igual.ReferenceList.load("x" * 5000 + ".csv"), lambda: igual.match(["\udc80"], igual.ReferenceList(["a"])),
    ],
)  # fmt: skip
def test_every_error_is_igual_s_own(call: Callable[[], Any]) -> None:
    with pytest.raises(igual.IgualError) as caught:
        call()
    assert str(caught.value)


def test_plain_lists_and_mappings_serve_as_what_they_stand_for() -> None:
    rules = [Match(column="a", list="l"), Label(column="b", codebook="c"), Replace(column="b", pairs="p")]
    plain: dict[str, Any] = {
        "lists": {"l": ["oak"]},
        "codebooks": {"c": {1: "good"}},
        "pairs": {"p": {"good": "fine"}},
    }
    book = igual.Rulebook(rules, **plain)
    assert book.apply({"a": ["Oak"], "b": [1]}).table == {"a": ["oak"], "b": ["fine"]}
    assert isinstance(book.lists["l"], igual.ReferenceList)
    with pytest.raises(igual.ListError, match="the list 'l': entry 'oak' stands twice"):
        igual.Rulebook(rules, **plain | {"lists": {"l": ["oak", "oak"]}})
    assert igual.lookalikes(["Oak", "oak"], reference=["oak"]).pairs == {"Oak": "oak"}
    assert igual.compare_lists(["a"], ["b"])["what"].tolist() == ["added", "removed"]


def test_a_link_to_rulings_elsewhere_is_refused_by_every_command(
    run: Run, write: Write, tmp_path: Path
) -> None:
    inner = tmp_path / "inner"
    inner.mkdir()
    head = "column,value,ruling,reason,by,on\n"
    elsewhere = write("elsewhere.csv", f"{head}a,x,keep,,me,2026-05-08\n")
    (inner / "b.toml").write_text(
        book(f'{RULE}do = "match"\nlist = "l"\n') + '\n[lists]\nl = { file = "l.csv" }\n'
    )
    (inner / "l.csv").write_text("value\ny\n")
    (inner / "t.csv").write_text("a\nx\n")
    (inner / "b.rulings.csv").symlink_to(elsewhere)
    for call in (
        "review b.toml --withdraw x",
        "apply b.toml t.csv --out o.csv",
        "check b.toml t.csv",
        "review b.toml --add-to-lists",
    ):
        done = run(call, folder=inner)
        assert (done.returncode, "lies outside the rulebook's folder" in done.stderr) == (2, True), call
    assert elsewhere.read_text() == f"{head}a,x,keep,,me,2026-05-08\n"


def test_a_lock_that_is_a_link_empties_nothing(tmp_path: Path) -> None:
    from igual.decisions import Ruling
    from igual.errors import IgualError
    from igual.files.rulings import record_rulings

    precious = tmp_path / "precious.txt"
    precious.write_text("keep me")
    (tmp_path / ".r.rulings.csv.lock").symlink_to(precious)
    with contextlib.suppress(IgualError):
        record_rulings(tmp_path / "r.rulings.csv", [Ruling("a", "x", "keep", "", "me", "2026-05-08")])
    assert precious.read_text() == "keep me"


def test_a_traceback_on_request_draws_what_terminals_would_obey(tmp_path: Path) -> None:
    name = "\x1b[31mred\x1b]0;title\x07.csv"
    done = subprocess.run(
        [str(COMMAND), "survey", name],
        cwd=tmp_path,
        capture_output=True,
        env={**os.environ, "IGUAL_DEBUG": "1"},
    )
    assert done.returncode == 2
    assert b"Traceback" in done.stderr
    assert b"\x1b" not in done.stderr
    assert b"\x07" not in done.stderr
