"""The command line, run as a process."""

from __future__ import annotations

import csv
import json
import os
import re
import signal
import subprocess
import time
from collections.abc import Callable
from pathlib import Path

import pytest

import igual
from igual.demo.layout import FILES
from tests.conftest import COMMAND, Run, leftovers, limited

Write = Callable[[str, str | bytes], Path]
BOOK = 'igual = 1\n[[rule]]\ncolumn = "a"\ndo = "spacing"\n'


def test_survey(run: Run, trees: Path) -> None:
    shown = run("survey trees.csv -c species")
    assert shown.returncode == 0
    assert "trees.csv: 2,000 rows, 1 column" in shown.stdout
    assert "·norway·maple" in shown.stdout
    assert "↵" not in shown.stdout.split("What is odd")[1].split("↵ line break")[0]  # no example has one
    assert max(map(len, shown.stdout.splitlines())) <= 110
    found = json.loads(run("survey trees.csv --json").stdout)
    assert [column["column"] for column in found["columns"]][:3] == ["tree", "species", "condition"]
    kinds = {(oddity["column"], oddity["oddity"]) for oddity in found["oddities"]}
    assert {
        ("contractor", "decoded wrongly"), ("contractor", "look-alike letters"), ("height_m", "texts among numbers"),
        ("district", "line breaks"), ("district", "invisible characters"), ("condition", "looks like missing"),
    } <= kinds  # fmt: skip


def test_tally(run: Run, trees: Path) -> None:
    shown = run("tally trees.csv -c site --top 2")
    assert [line.split()[:2] for line in shown.stdout.splitlines()[4:7]] == [
        ["s", "569"],
        ["a", "372"],
        ["8", "other"],
    ]
    found = json.loads(run("tally trees.csv -c species --contains MAPLE --ignore-case --json").stdout)
    assert found["rows"] == 2_000
    assert found["counted"] == sum(value["rows"] for value in found["values"])
    assert all("maple" in value["value"].lower() for value in found["values"])
    assert run("tally trees.csv -c site --one-of a --one-of A --sort value").stdout.count("\n") == 7
    assert "0 distinct values" in run("tally trees.csv -c site --blank").stdout


def test_tally_in_other_ways(run: Run, trees: Path) -> None:
    crossed = run("tally trees.csv -c site --by condition --top 2").stdout.splitlines()
    assert crossed[0] == "site by condition"
    assert crossed[2].split()[:3] == ["site", "1", "G"]
    assert crossed[2].endswith("others")
    by_two = json.loads(run("tally trees.csv -c site --by condition --by district --json").stdout)
    assert sum(sum(value["rows"]) for value in by_two["values"]) == 2_000
    assert len(by_two["headings"][0]) == 2
    assert run("tally trees.csv -c site --distinct --top 2").stdout == "s\na\n"
    assert [
        line.split()[0] for line in run("tally trees.csv -c species --of words").stdout.splitlines()[4:7]
    ] == ["2", "1", "3"]
    tall = run("tally trees.csv -c height_m --above 27.5")
    assert "can't be read as plain numbers or dates" in tall.stderr
    run("apply trees.toml trees.csv --out clean.csv --only 10")
    compared = run("tally trees.csv -c district --against clean.csv --top 3").stdout
    assert compared.startswith("district: 125 vanished, 10 merged")
    assert "and 6 more" in compared
    assert run("tally trees.csv -c site --by condition --distinct").returncode == 2


def test_apply_writes_what_it_says(run: Run, trees: Path) -> None:
    done = run("apply trees.toml trees.csv --out clean.csv --trail trail.csv --crosswalk walk.parquet")
    assert done.returncode == 0
    assert done.stderr == ""
    assert done.stdout.endswith("clean table: clean.csv\ntrail: trail.csv\ncrosswalk: walk.parquet\nOpen values can be ruled "
                                "on once: --open FILE writes them to a sheet for igual review.\n")  # fmt: skip
    raw, clean = (trees / "trees.csv").read_text(), (trees / "clean.csv").read_text()
    assert clean.splitlines()[1] == (
        "00001,Small-leaved lime,good,avenue,Saint Brannock,Kestrel Hill Road,ALDOUS,1974-10-27,25.9,,,Aldous Tree Care Ltd,tall"
    )
    for file in (raw, clean):
        assert file.count("\nin Church Street") == raw.count("\nin Church Street") > 0
    again = run("apply trees.toml trees.csv --out again.csv --json")
    assert (trees / "again.csv").read_text() == clean
    account = json.loads(again.stdout)
    assert account["rows"] == 2_000
    assert {hint["kind"] for hint in account["hints"]} == {"unused", "unknown", "open"}
    assert {value["value"] for value in account["unknown"] if value["kind"] == "unlabelled"} == {"9", "x"}
    assert account["unused"] == [
        {"rule": 4, "do": "replace", "of": "pair list misspellings", "entry": "sicamore"},
        {"rule": 5, "do": "replace", "of": "pairs", "entry": "Hawthron"},
        {"rule": 6, "do": "match", "of": "list species", "entry": "Judas tree"},
    ]


def test_preview_writes_nothing(run: Run, trees: Path) -> None:
    shown = run("apply trees.toml trees.csv --preview 2")
    assert "rule 9 (label), column site: 9 values would change" in shown.stdout
    assert "7 more" in shown.stdout
    assert "‹⟨no-break space⟩›" in shown.stdout
    first = run("apply trees.toml trees.csv --preview 1 --only 1").stdout
    assert "rule 1 (spacing), column species" in first
    assert "rule 2" not in first
    assert (
        "there is no rule 99: the rulebook has 17"
        in run("apply trees.toml trees.csv --preview 1 --only 99").stderr
    )
    assert leftovers(trees) == sorted(FILES)


def test_check_is_a_gate(run: Run, trees: Path, write: Write) -> None:
    found = run("check trees.toml trees.csv")
    assert found.returncode == 1
    lines = found.stdout.splitlines()
    assert len(lines) == 9
    assert lines[0].startswith(
        "species: 4 values (7 rows, 0.4 %) need a decision, found by rule 6: 'Cherry' ('Wild cherry'?), 'Maple' ("
    )
    assert lines[2] == "condition: 1 value (20 rows, 1.0 %) has no label, found by rule 8: '9'"
    assert (
        "6 values (43 rows, 2.1 %) don't meet a check, found by check 2: '27.9', '27.7', '27.5' and 3 more"
        in lines[8]
    )
    assert json.loads(run("check trees.toml trees.csv --json").stdout)["in_order"] is False
    write("few.csv", "condition\n1\nG\n")
    write("few.toml", 'igual = 1\n[codebooks.c]\nfile = "condition.csv"\n[[rule]]\ncolumn = "condition"\ndo = "label"\n'
          'codebook = "c"\notherwise = "blank"\n')  # fmt: skip
    fine = run("check few.toml few.csv")
    assert (fine.returncode, fine.stdout) == (0, "few.csv: in order, 2 rows\n")
    write("few.csv", "condition\n1\n7\n")
    assert run("check few.toml few.csv").returncode == 1


@pytest.mark.parametrize(
    ("line", "said"),
    [
        ("surve trees.csv", "No such command 'surve'"),
        ("survey", "Missing argument 'TABLE...'"),
        ("survey tree.csv", "tree.csv: there is no such file; did you mean 'trees.csv'?"),
        ("survey .", ". is a folder"),
        ("survey empty.csv", "empty.csv is empty"),
        ("survey ragged.csv", "ragged.csv, row 3: 3 cells found, 2 expected"),
        ("survey trees.csv --encoding utf9", "no encoding is called 'utf9'"),
        ("survey trees.csv -c specis", "the table has no column 'specis'; did you mean 'species'?"),
        ("tally double.csv -c a", "the table has 2 columns 'a'"),
        ("tally trees.csv -c site --sort size", "'size' is not one of 'rows', 'value'"),
        ("apply trees.toml trees.csv", "Nothing to do: give --preview N to look, or --out F"),
        (
            "apply trees.toml site.csv --preview 1",
            "trees.toml: rule 1 (spacing): the table has no column 'species'",
        ),
        ("apply trees.csv trees.csv --preview 1", "trees.csv is not valid TOML"),
        ("apply trees.toml trees.csv --out trees.csv", "trees.csv is one of the inputs"),
        ("apply trees.toml trees.csv --out species.csv", "species.csv is one of the inputs"),
        ("apply trees.toml trees.csv --out no/clean.csv", "there is no folder"),
        ("apply trees.toml trees.csv --out clean.pdf", "end the name with one of .csv"),
        ("apply trees.toml trees.csv --out c.csv --trail c.csv", "c.csv is named for two outputs"),
        ("check tree.toml trees.csv", "tree.toml: there is no such file; did you mean 'trees.toml'?"),
        ("demo trees.csv", "trees.csv is a file; name a folder"),
        ("review . condition.csv", "condition.csv is no sheet of open values, which has the columns column"),
        ("review / condition.csv", "condition.csv is no sheet of open values, which has the columns column"),
    ],
)
def test_errors_are_a_line_or_two(run: Run, trees: Path, write: Write, line: str, said: str) -> None:
    write("empty.csv", "")
    write("ragged.csv", "a,b\n1,2\n1,2,3\n")
    write("double.csv", "a,a\n1,2\n")
    before = leftovers(trees)
    failed = run(line)
    assert (failed.returncode, failed.stdout) == (2, "")
    assert said in failed.stderr
    assert failed.stderr.count("\n") <= 2
    assert "Traceback" not in failed.stderr
    assert leftovers(trees) == before


@pytest.mark.parametrize(
    ("line", "named"),
    [
        ("tally trees.csv -c site --against", "'--against'"), ("apply trees.toml trees.csv --trail", "'--trail'"),
        ("survey trees.csv", "'TABLE...'"), ("check", "'RULEBOOK'"), ("demo", "'[FOLDER]'"),
    ],
)  # fmt: skip
def test_the_name_of_a_file_is_not_empty(run: Run, trees: Path, line: str, named: str) -> None:
    before = leftovers(trees)
    failed = run(line, "", *(["trees.csv"] if line == "check" else []))
    assert (failed.returncode, failed.stdout) == (2, "")
    assert f"{named}: the name of a file is empty\n" in failed.stderr
    assert leftovers(trees) == before


def test_what_was_guessed_is_said(run: Run, tmp_path: Path, write: Write) -> None:
    write("west.csv", "a;a\nMüller;Straße\n".encode("cp1252"))
    shown = run("survey west.csv")
    assert shown.stderr.splitlines() == [
        "west.csv was read as cp1252; --encoding names another", "west.csv has several columns called 'a'"
    ]  # fmt: skip
    assert "Müller" in shown.stdout
    write("west.csv", "größe;b\n groß;1\n".encode("cp1252"))
    write("west.toml", BOOK.replace('"a"', '"größe"'))
    assert run("apply west.toml west.csv --out clean.csv").returncode == 0
    assert (tmp_path / "clean.csv").read_text(encoding="utf-8") == "größe;b\ngroß;1\n"
    late = "a;b\n" + "x;y\n" * 80_000 + " ü;1\n"
    write("late.csv", late.encode("cp1252"))
    write("late.toml", BOOK)
    assert "late.csv was read as cp1252" in run("apply late.toml late.csv --out clean.csv --force").stderr
    assert (tmp_path / "clean.csv").read_text(encoding="utf-8") == late.replace(" ü", "ü")
    assert "Muller" not in run("survey west.csv --encoding cp1251").stdout


def test_help_and_version(run: Run) -> None:
    assert run("--version").stdout.startswith("igual 0.")
    assert run("--help").returncode == 0
    for command in ("survey", "tally", "apply", "check", "demo"):
        assert "igual " + command in run(f"{command} --help").stdout.split("Example")[1]


def test_the_demo_tells_its_story_and_keeps_what_the_reader_changed(run: Run, tmp_path: Path) -> None:
    told = run("demo port")
    assert (told.returncode, told.stderr) == (0, "")
    for part in (
        "1  Look",
        "2  Have rules proposed",
        "take the last part between '/'",
        "3  Apply the rulebook",
        "4  See what waits for you",
        "5  Decide once",
        "Rulings taken: 8 values, 13 rows",
        "6  The next month",
        "Where rulings did their work",
        "7  Your turn",
        "port/clean.csv",
    ):
        assert part in told.stdout
    assert "species: 378 spellings before, 26 after" in told.stdout
    rulebook = tmp_path / "port" / "trees.toml"
    rulebook.write_text(
        rulebook.read_text().replace('{ and = "&" }', '{ and = "&", And = "&" }\nignore_case = true')
    )
    failed = run("demo port")
    assert failed.returncode == 2
    assert "trees.toml: rule 12 (replace): pairs 'and' and 'And' are the same" in failed.stderr
    rulebook.write_text(rulebook.read_text().replace("And = ", "und = "))
    assert "Your own trees.toml in port stays as you changed it." in run("demo port").stdout


def test_a_full_disk_leaves_nothing_half_written(trees: Path, write: Write) -> None:
    write("clean.csv", "as it was")
    call = "apply trees.toml trees.csv --out clean.csv --trail t.csv --force".split()
    # What measures coverage writes a file of its own as the process ends, which the limit would stop too.
    env = {name: text for name, text in os.environ.items() if not name.startswith("COVERAGE")}
    command = limited("-f 48", str(COMMAND), *call)
    failed = subprocess.run(command, cwd=trees, capture_output=True, text=True, env=env)
    assert failed.returncode == 2
    assert (
        failed.stderr
        == "igual: could not write: File too large; nothing was written, and what was there is as before\n"
    )
    assert (trees / "clean.csv").read_text() == "as it was"
    assert leftovers(trees, [*FILES]) == ["clean.csv"]


@pytest.mark.parametrize("sign", [signal.SIGINT, signal.SIGTERM])
def test_an_interrupt_in_mid_write_leaves_nothing(tmp_path: Path, write: Write, sign: signal.Signals) -> None:
    raw = write("raw.csv", "a,b\n" + "".join(f" x{row},{'y' * 50}\n" for row in range(400_000)))
    write("book.toml", BOOK)
    write("clean.csv", "as it was")
    size = raw.stat().st_size
    command: list[str] = [str(COMMAND), *"apply book.toml raw.csv --out clean.csv --force".split()]
    with subprocess.Popen(
        command, cwd=tmp_path, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True
    ) as process:
        deadline = time.monotonic() + 60
        while not (parts := list(tmp_path.glob(".clean.csv.*"))) or os.path.getsize(parts[0]) == 0:
            assert time.monotonic() < deadline
            assert process.poll() is None
            time.sleep(0.005)
        process.send_signal(sign)
        out, error = process.communicate(timeout=60)
    assert process.returncode == 130
    assert (out, error) == ("", "igual: stopped; nothing was written\n")
    assert leftovers(tmp_path) == ["book.toml", "clean.csv", "raw.csv"]
    assert (tmp_path / "clean.csv").read_text() == "as it was"
    assert raw.stat().st_size == size


def test_notes_can_be_silenced_or_be_more(run: Run, trees: Path) -> None:
    assert run("survey trees.csv -c site --report a.html").stderr == "page to look at: a.html\n"
    assert run("survey trees.csv -c site --report a.html -q").stderr == ""
    more = run("apply -v trees.toml trees.csv --preview 1")
    assert more.returncode == 0
    assert "trees.csv: utf-8, cells separated by ','" in more.stderr
    assert "rule 17 (date): " in more.stderr
    assert "rule 17 (date): " not in more.stdout
    failed = run("survey -q nothing.csv")
    assert failed.returncode == 2
    assert "nothing.csv" in failed.stderr


def test_columns_are_taken_by_pattern(run: Run, trees: Path) -> None:
    found = json.loads(run("survey trees.csv -c con* -c site -c s* --json").stdout)
    assert [column["column"] for column in found["columns"]] == [
        "condition",
        "contractor",
        "site",
        "species",
        "street",
    ]
    assert "no column fits 'zz*'" in run("survey trees.csv -c zz*").stderr
    several = json.loads(run("tally trees.csv -c con* -c site --top 1 --json").stdout)["columns"]
    assert [one["column"] for one in several] == ["condition", "contractor", "site"]
    shown = run("tally trees.csv -c con* --top 2").stdout
    assert "condition: 27 distinct values" in shown
    assert "contractor: 110 distinct values" in shown
    assert run("tally trees.csv -c con* --by site").returncode == 2
    gate = run("check trees.toml june.csv -c h*")
    assert gate.returncode == 1
    assert {line.partition(":")[0] for line in gate.stdout.splitlines()} == {"height_m"}
    assert run("check trees.toml june.csv -c street").returncode == 0
    assert "did you mean 'species'?" in run("check trees.toml june.csv -c speces").stderr


def test_a_crosswalk_is_applied_without_its_rulebook(run: Run, few_trees: Path, write: Write) -> None:
    assert run("apply trees.toml trees.csv --crosswalk may.csv --out clean.csv").returncode == 0
    done = run("crosswalk may.csv trees.csv --out again.csv")
    assert done.returncode == 0, done.stderr
    with (
        (few_trees / "clean.csv").open(encoding="utf-8", newline="") as one,
        (few_trees / "again.csv").open(encoding="utf-8", newline="") as other,
    ):
        first, second = list(csv.DictReader(one)), list(csv.DictReader(other))
    assert [row["species"] for row in first] == [row["species"] for row in second]
    assert [row["tree"] for row in first] == [row["tree"] for row in second]
    june = json.loads(run("crosswalk may.csv june.csv --json").stdout)
    assert june["written"] is None
    assert {one["why"] for one in june["unknown"]} <= {"not in the crosswalk", "it depends on other columns"}
    assert "not in the crosswalk" in run("crosswalk may.csv june.csv").stdout
    write("mine.csv", "a,b\n1,2\n")
    refused = run("crosswalk may.csv trees.csv --out mine.csv")
    assert refused.returncode == 2
    assert (few_trees / "mine.csv").read_text() == "a,b\n1,2\n"
    assert run("crosswalk may.csv trees.csv --out trees.csv").returncode == 2
    assert run("crosswalk nothing.csv trees.csv").returncode == 2
    assert run("crosswalk may.csv mine.csv").returncode == 2


def test_match_shows_the_attribute_that_it_gives(run: Run, trees: Path) -> None:
    shown = run("match trees.csv -c species -l species.csv --give code").stdout
    assert "gives" in shown.splitlines()[2]
    assert re.search(r"settled +NORWY MAPLE· +1 +Norway maple.*ACPL", shown)
    assert "gives" not in run("match trees.csv -c species -l species.csv").stdout


def test_long_tallies_end_in_a_line_unless_more_is_asked_for(run: Run, write: Write) -> None:
    write("t.csv", "a,b\n" + "".join(f"v{number},x\n" for number in range(1_100)))
    write("u.csv", "a\n" + "".join(f"w{number}\n" for number in range(1_100)))
    for call in ("tally t.csv -c a", "tally t.csv -c a --by b", "tally t.csv -c a -c b"):
        shown = run(call).stdout
        assert shown.count("\n v") - shown.count("\n value") == 1_000
        assert "100 other values" in shown
    shown = run("tally t.csv -c a --against u.csv").stdout
    assert re.search(r"1,200 other values +1,100 +100\n", shown)
    assert run("tally t.csv -c a --top 1100").stdout.count("\n v") == 1_101
    assert len(json.loads(run("tally t.csv -c a --json").stdout)["values"]) == 1_100
    assert run("tally t.csv -c a --distinct").stdout.count("\n") == 1_100


def test_an_error_stands_alone(run: Run, write: Write) -> None:
    write("before.csv", "a,a,b\nx,y,z\n")
    write("after.csv", "a\nx\n")
    done = run("tally before.csv -c b --against after.csv")
    assert (done.returncode, done.stderr.count("\n")) == (2, 1)
    assert "several columns called 'a'" in run("tally before.csv -c b").stderr
    write("two.toml", "igual = 1\n[[rule]]\ndo = 'spacing'\ncolumn = 'b'\n")
    apply = "apply two.toml before.csv -v --out"
    assert "rule 1 (spacing): " in run(f"{apply} clean.csv").stderr
    done = run(f"{apply} before.csv")
    assert (done.returncode, done.stderr.count("\n")) == (2, 1)
    done = run(f"{apply} nowhere/clean.csv")
    assert (done.returncode, done.stderr.count("\n")) == (2, 1)


def test_a_rulebook_without_rules_gives_every_output(run: Run, write: Callable[[str, str], Path]) -> None:
    write("t.csv", "a b,c\nx,1\n")
    write("h.toml", 'igual = 1\nheaders = "snake"\n')
    outputs = {
        "--out": "o.csv",
        "--trail": "tr.csv",
        "--crosswalk": "w.csv",
        "--open": "op.csv",
        "--report": "r.html",
    }
    done = run(f"apply h.toml t.csv {' '.join(' '.join(pair) for pair in outputs.items())}")
    assert (done.returncode, done.stderr) == (0, "")
    folder = write("o.txt", "").parent
    assert (folder / "o.csv").read_text() == "a_b,c\nx,1\n"
    assert [(folder / name).read_text().count("\n") for name in ("tr.csv", "w.csv", "op.csv")] == [1, 1, 1]
    assert run("check h.toml t.csv --since w.csv").returncode == 0
    assert run("crosswalk w.csv t.csv --out x.csv").returncode == 0
    outcome = igual.Rulebook([], headers="snake").apply({"a B": ["x"]})
    assert (outcome.table, len(outcome.trail), outcome.effects.empty) == ({"a_b": ["x"]}, 0, True)


def test_of_very_many_columns_the_first_are_shown(run: Run, write: Callable[[str, str], Path]) -> None:
    write("t.csv", ",".join(f"c{n}" for n in range(250)) + "\n" + ",".join([" 1"] * 250) + "\n")
    numbers = '[[rule]]\ndo = "number"\ncolumns = ["c0", "c1"]\n'
    write("b.toml", f'igual = 1\n[[rule]]\ndo = "spacing"\ncolumns = ["c*"]\n{numbers}')
    done = run("apply b.toml t.csv --out n.csv")
    assert re.search(r"^and 52 more lines; --json tells of all$", done.stdout, re.MULTILINE)
    assert " c199 " in done.stdout
    told = json.loads(run("apply b.toml t.csv --out n.csv --json").stdout)
    assert len(told["effects"]) == 252
    # Of the columns that no later rule reads numbers from, spaces were all that kept values from being such.
    assert len([hint for hint in told["hints"] if hint["kind"] == "numbers left"]) == 248
