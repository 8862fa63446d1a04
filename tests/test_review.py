"""`igual review` as a process: sheets, one by one on a terminal, two at once, killed in the middle, back to the lists."""

from __future__ import annotations

import csv
import json
import os
import pty
import select
import subprocess
import sys
import termios
import time
from collections.abc import Callable
from pathlib import Path

import pytest

import igual
from igual.files.rulings import locked
from tests.conftest import COMMAND, Run, leftovers

BOOK = """igual = 1
[lists.species]
file = "species.csv"
[[rule]]
column = "tree"
do = "match"
list = "species"
"""
SPECIES = 'value,alias,code,remark\nNorway maple,,NM,"a, b"\nField maple,Hedge maple,FM,\nCommon oak,English oak,CO,\n'
TREES = "tree\nOak?\nOak?\nMaple?\nElm\nbanana\n"


@pytest.fixture
def town(write: Callable[..., Path], tmp_path: Path) -> Path:
    write("trees.toml", BOOK)
    write("species.csv", SPECIES.replace("\n", "\r\n"))
    write("trees.csv", TREES)
    return tmp_path


def sheet(*rows: str) -> str:
    return "column,value,rows,ruling\n" + "".join(f"{row}\n" for row in rows)


def test_a_sheet_is_reviewed_and_later_runs_know(run: Run, town: Path, write: Callable[..., Path]) -> None:
    done = run("apply trees.toml trees.csv --open open.csv")
    assert done.stdout.splitlines()[-2] == "sheet of open values: open.csv"
    write("open.csv", sheet("tree,Oak?,2,Common oak", "tree,Maple?,1,Mapel", "tree,Elm,1,"))
    looked = run("review trees.toml open.csv --by Ines --look")
    assert "Nothing was written" in looked.stdout
    assert leftovers(town, ["trees.toml", "species.csv", "trees.csv", "open.csv"]) == []
    done = run("review trees.toml open.csv --by Ines")
    assert done.returncode == 1
    assert "Rulings taken: 1 value, 2 rows" in done.stdout
    assert "list 'species': 'Mapel' is not an entry of the list" in done.stdout
    assert "1 row without a ruling" in done.stdout
    assert (
        (town / "trees.rulings.csv").read_text().splitlines()[1].startswith("tree,Oak?,Common oak,,Ines,20")
    )
    assert igual.Rulebook.load(town / "trees.toml").apply({"tree": ["Oak?"]}).table == {
        "tree": ["Common oak"]
    }
    write("open.csv", sheet("tree,Oak?,2,Field maple"))
    refused = json.loads(run("review trees.toml open.csv --json").stdout)["refused"]
    assert refused[0]["why"].startswith("it was ruled 'Common oak' by Ines on 20")
    again = run("review trees.toml open.csv --overrule --by Ben --json")
    assert again.returncode == 0
    assert json.loads(again.stdout)["taken"][0]["overrules"]["by"] == "Ines"
    assert igual.Rulebook.load(town / "trees.toml").apply({"tree": ["Oak?"]}).table == {
        "tree": ["Field maple"]
    }


@pytest.mark.parametrize(
    ("line", "content", "said"),
    [
        ("review trees.toml", "", "Give a SHEET that came back, or --table TABLE"),
        ("review trees.toml open.csv --table trees.csv", sheet(), "not both"),
        ("review trees.toml --table trees.csv", "", "Asking one by one needs a terminal"),
        ("review trees.toml open.csv", "column,value,Decision\n", "row 1: there is no column 'ruling'"),
        ("review trees.toml open.csv", "ruling,ruling,column,value\n", "has two columns 'ruling'"),
        ("review trees.toml open.csv", "column,value,ruling\na,b,c,d\n", "row 2: 4 cells found, 3 expected"),
        ("review trees.toml nowhere.xlsx", "", "nowhere.xlsx: there is no such file"),
        ("review trees.toml trees.toml", "", "sheets end with .csv, .tsv, .xlsx"),
        ("review trees.toml open.xlsx", "no workbook", "open.xlsx is not a spreadsheet (.xlsx), or is damaged"),
        ("apply trees.toml trees.csv --open open.pdf", "", "sheets end with .csv, .tsv, .xlsx"),
        ("apply trees.toml trees.csv --open trees.csv", "", "trees.csv is one of the inputs"),
        ("apply trees.toml trees.csv --record r.txt", "", "a record ends with .json"),
        ("apply trees.toml trees.csv --crosswalk r.txtx", "", "crosswalks end with .csv"),
    ],
)  # fmt: skip
def test_calls_that_are_refused(
    run: Run, town: Path, write: Callable[..., Path], line: str, content: str, said: str
) -> None:
    if content:
        write("open.xlsx" if "xlsx" in line else "open.csv", content)
    before = {path: path.read_bytes() for path in town.iterdir()}
    done = run(line)
    assert (done.returncode, done.stdout) == (2, "")
    assert said in done.stderr
    assert "Traceback" not in done.stderr
    assert {path: path.read_bytes() for path in town.iterdir()} == before


def test_new_entries_and_aliases_go_back_to_the_list(
    run: Run, town: Path, write: Callable[..., Path]
) -> None:
    write(
        "open.csv",
        sheet("tree,Elm,1,new entry: Wych elm", "tree,Oak?,2,alias of Common oak", "tree,banana,1,new entry"),
    )
    done = run("review trees.toml open.csv --add-to-lists --by Ines")
    assert done.stdout.splitlines()[-1].endswith("species.csv: 2 new entries and 2 new aliases")
    assert (town / "species.csv").read_bytes().decode() == (
        'value,alias,code,remark\r\nNorway maple,,NM,"a, b"\r\nField maple,Hedge maple,FM,\r\n'
        "Common oak,English oak|Oak?,CO,\r\nWych elm,Elm,,\r\nbanana,,,\r\n"
    )
    before = (town / "species.csv").read_bytes()
    again = run("review trees.toml --add-to-lists")
    assert "propose nothing that the lists don't have" in again.stdout
    assert (town / "species.csv").read_bytes() == before
    check = run("check trees.toml trees.csv")
    assert (
        check.stdout
        == "tree: 1 value (1 row, 20.0 %) needs a decision, found by rule 1: 'Maple?' ('Field maple'?)\n"
    )


def test_a_list_without_room_for_aliases_stays_as_it_is(
    run: Run, town: Path, write: Callable[..., Path]
) -> None:
    write("species.csv", "value\nCommon oak\n")
    write("open.csv", sheet("tree,Oak?,2,alias of Common oak"))
    done = run("review trees.toml open.csv --add-to-lists")
    assert done.returncode == 2
    assert "species.csv has no column 'alias'" in done.stderr
    assert (town / "species.csv").read_text() == "value\nCommon oak\n"
    assert "alias of Common oak" in (town / "trees.rulings.csv").read_text()


def test_aliases_that_a_cell_can_not_hold_are_said(run: Run, town: Path, write: Callable[..., Path]) -> None:
    write("open.csv", sheet("tree,Oak|Ash,1,alias of Common oak", 'tree," oak! ",1,alias of Common oak'))
    before = (town / "species.csv").read_bytes()
    for _ in range(2):
        done = run("review trees.toml open.csv --add-to-lists")
        assert done.stdout.splitlines()[-1].endswith(
            "species.csv: can't be kept among aliases: '·oak!·', 'Oak|Ash'"
        )
        assert (town / "species.csv").read_bytes() == before


class Terminal:
    """The command on a terminal of its own."""

    def __init__(self, folder: Path, *line: str) -> None:
        self.screen, theirs = pty.openpty()
        # The first terminal that the leader of a session opens is where its keys come from.
        command = ["bash", "-c", 'exec "$@" <> "$0"', os.ttyname(theirs), str(COMMAND), *line]
        self.process = subprocess.Popen(
            command, cwd=folder, env={**os.environ, "TERM": "dumb", "COLUMNS": "100"},
            stdin=theirs, stdout=theirs, stderr=theirs, start_new_session=True,
        )  # fmt: skip
        os.close(theirs)
        self.seen, self.at = "", 0

    def until(self, text: str, seconds: float = 30) -> str:
        end, start = time.monotonic() + seconds, self.at
        while text not in self.seen[start:]:
            assert time.monotonic() < end, f"waited for {text!r}; saw {self.seen[start:]!r}"
            if select.select([self.screen], [], [], 0.2)[0]:
                try:
                    self.seen += os.read(self.screen, 4096).decode(errors="replace")
                except OSError:
                    assert text in self.seen[start:], self.seen
        self.at = self.seen.index(text, start) + len(text)
        return self.seen[start : self.at]

    def type(self, keys: str, line: bool = False) -> None:
        """Type a key, or a line, as soon as the program waits for such: what is typed before is thrown away."""
        end = time.monotonic() + 60
        while bool(termios.tcgetattr(self.screen)[3] & termios.ICANON) != line:
            assert time.monotonic() < end, self.seen
            time.sleep(0.01)
        os.write(self.screen, keys.encode())

    def ended(self) -> int:
        while True:
            try:
                if not os.read(self.screen, 4096):
                    break
            except OSError:
                break
        os.close(self.screen)
        return self.process.wait()


def test_asked_one_by_one_each_answer_is_on_disk_before_the_next_question(town: Path) -> None:
    kept = town / "trees.rulings.csv"
    shell = Terminal(town, "review", "trees.toml", "--table", "trees.csv", "--by", "Ines")
    assert "Oak?" in shell.until("q stop")  # most rows first
    shell.type("\r")
    shell.until("2 of 4")
    assert "tree,Oak?,Common oak,,Ines," in kept.read_text()
    shell.until("q stop")
    shell.type("u")
    assert "taken back" in shell.until("q stop")
    assert "Oak?" not in kept.read_text()
    shell.type("1")
    shell.until("q stop")
    shell.type("n")  # Elm
    shell.until("spelled")
    shell.type("Wych elm\n", line=True)
    shell.until("q stop")
    shell.type("/")  # Maple?
    shell.until("search")
    shell.type("hedge\n", line=True)
    assert "Field maple" in shell.until("a number picks one")
    shell.type("1")
    shell.until("q stop")
    shell.type("s")  # banana
    said = shell.until("still open")
    assert "3 rulings on 4 rows, kept in" in said
    assert "1 value still open" in said
    assert shell.ended() == 0
    rulings = igual.Rulings.load(kept).table.set_index("value")["ruling"].to_dict()
    assert rulings == {"Oak?": "Common oak", "Elm": "new entry: Wych elm", "Maple?": "Field maple"}


@pytest.mark.parametrize("stop", ["q", "\x03", "\x04"])
def test_stopping_loses_nothing(town: Path, stop: str) -> None:
    shell = Terminal(town, "review", "trees.toml", "--table", "trees.csv")
    shell.until("q stop")
    shell.type("k")
    shell.until("q stop")
    shell.type(stop)
    assert "1 ruling on 2 rows" in shell.until("3 values still open")
    assert shell.ended() == 0
    assert list(igual.Rulings.load(town / "trees.rulings.csv").table["ruling"]) == ["keep as it is"]


MANY = """
import sys, igual
rulings = igual.Rulings.load(sys.argv[1])
for place in range(int(sys.argv[3])):
    rulings = rulings.decide("tree", f"{sys.argv[2]} {place}", "Common oak", by=sys.argv[2], on="2026-05-08")
    print(place, flush=True)
"""


def many(path: Path, who: str, number: int) -> subprocess.Popen[str]:
    return subprocess.Popen(
        [sys.executable, "-c", MANY, path, who, str(number)], stdout=subprocess.PIPE, text=True
    )


def test_two_at_once_lose_none(tmp_path: Path) -> None:
    path = tmp_path / "trees.rulings.csv"
    both = [many(path, who, 25) for who in ("Ana", "Ben")]
    assert [one.wait(120) for one in both] == [0, 0]
    for one in both:
        assert one.stdout is not None
        one.stdout.close()
    assert len(igual.Rulings.load(path).table) == 50


def test_killed_in_the_middle_what_was_ruled_stays(tmp_path: Path) -> None:
    path = tmp_path / "trees.rulings.csv"
    for turn in range(3):
        working = many(path, f"turn {turn}", 10_000)
        assert working.stdout is not None
        said = [working.stdout.readline() for _ in range(8 + turn)]
        working.kill()
        rest = working.stdout.read().split()
        working.wait()
        working.stdout.close()
        ruled = igual.Rulings.load(path).table["value"].str.startswith(f"turn {turn} ").sum()
        assert ruled >= len(said) + len(rest)
        assert igual.Rulings.load(path).decide("tree", "after", "Common oak", on="2026-05-08")


def test_a_file_that_somebody_holds_is_waited_for_and_then_refused(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("igual.files.rulings._WAIT_SECONDS", 0.1)
    path = tmp_path / "trees.rulings.csv"
    holding = "import sys\nfrom igual.files.rulings import locked\nwith locked(sys.argv[1]):\n print(1, flush=True)\n input()"
    other = subprocess.Popen(
        [sys.executable, "-c", holding, path], stdout=subprocess.PIPE, stdin=subprocess.PIPE, text=True
    )
    assert other.stdout is not None
    other.stdout.readline()
    with pytest.raises(igual.RulingError, match="is being changed by another review"):
        igual.Rulings.load(path).decide("tree", "a", "Common oak")
    other.communicate("\n")
    with locked(path):
        pass
    assert igual.Rulings.load(path).decide("tree", "a", "Common oak")


@pytest.mark.parametrize(
    "made_for", ["", "x", "[" * 5_000, '{"the rules": 3}', '["a"]', "null", '{"\x1b[2J": "a"}', "9" * 10_000]
)
def test_what_a_sheet_was_made_for_may_be_anything(made_for: str, tmp_path: Path) -> None:
    book = igual.Rulebook(
        [igual.rules.Match(column="a", list="l")], lists={"l": igual.ReferenceList(["oak", "elm"])}
    )
    sheet = tmp_path / "sheet.csv"
    with sheet.open("w", encoding="utf-8", newline="") as file:
        lines = csv.writer(file)
        lines.writerow(["column", "value", "ruling", "made for"])
        lines.writerow(["a", "oack", "oak", made_for])
    review = igual.Rulings().review(sheet, book)
    assert [one.ruling.ruling for one in review.accepted] == ["oak"]
    assert list(review.outdated) == ([] if not made_for else ["the rules", "l"])
    assert "\x1b" not in repr(review)


def lay_out_two_lists(write: Callable[[str, str | bytes], Path]) -> None:
    write("near.csv", "value,alias\nNorway maple,\nCommon oak,\n")
    write("far.csv", "value\nDawlish\n")
    lists = '[lists]\nnear = { file = "near.csv" }\nfar = { file = "far.csv" }\n'
    rules = "".join(
        f'[[rule]]\ncolumn = "{column}"\ndo = "match"\nlist = "{name}"\n\n'
        for column, name in (("a", "near"), ("b", "far"))
    )
    write("r.toml", f"igual = 1\n\n{lists}\n{rules}")


def test_additions_are_written_to_all_lists_or_to_none(
    run: Run, write: Callable[[str, str | bytes], Path], tmp_path: Path
) -> None:
    lay_out_two_lists(write)
    # The second list has no column for aliases.
    head = "column,value,ruling,reason,by,on\n"
    write(
        "r.rulings.csv",
        f"{head}a,Silver birch,new entry,,me,2026-05-08\nb,The old warren,alias of Dawlish,,me,2026-05-08\n",
    )
    done = run("review r.toml --add-to-lists")
    assert (done.returncode, "has no column 'alias'" in done.stderr) == (2, True)
    assert (tmp_path / "near.csv").read_text() == "value,alias\nNorway maple,\nCommon oak,\n"
    write("far.csv", "value,alias\nDawlish,\n")
    assert run("review r.toml --add-to-lists").returncode == 0
    assert "Silver birch" in (tmp_path / "near.csv").read_text()
    assert "Dawlish,The old warren" in (tmp_path / "far.csv").read_text()


def test_slips_and_other_cases_are_no_aliases(
    run: Run, write: Callable[[str, str | bytes], Path], tmp_path: Path
) -> None:
    lay_out_two_lists(write)
    rulings = "".join(
        f"a,{value},alias of Norway maple,,me,2026-05-08\n"
        for value in ("Norwy maple", "NORWAY  MAPLE", "Norwya mapel", "ACPL")
    )
    write("r.rulings.csv", f"column,value,ruling,reason,by,on\n{rulings}")
    assert run("review r.toml --add-to-lists").returncode == 0
    assert (tmp_path / "near.csv").read_text() == "value,alias\nNorway maple,ACPL\nCommon oak,\n"


def test_values_that_a_new_entry_unsettles_are_named_before_it_is_written(
    run: Run, write: Callable[[str, str | bytes], Path], tmp_path: Path
) -> None:
    lay_out_two_lists(write)
    write("t.csv", "a,b\n" + "Norwai maple,Dawlish\n" * 3)
    write("r.rulings.csv", "column,value,ruling,reason,by,on\na,Norwax maple,new entry,,me,2026-05-08\n")
    looked = run("review r.toml --add-to-lists --look --table t.csv")
    assert looked.returncode == 0
    assert "'a': 'Norwai maple' (3 rows) is settled now, and would be open" in looked.stdout
    assert "Norwax" not in (tmp_path / "near.csv").read_text()
    assert "Norwai maple" in run("review r.toml --add-to-lists --table t.csv").stdout
    assert "Norwax maple" in (tmp_path / "near.csv").read_text()
    write("old.csv", "value\nNorway maple\nCommon oak\n")
    shown = run("lists old.csv near.csv --rulebook r.toml --list near --table t.csv").stdout
    assert "'a': 'Norwai maple' (3 rows) is settled now, and would be open" in shown
    record = json.loads(
        run("lists old.csv near.csv --rulebook r.toml --list near --table t.csv --json").stdout
    )
    assert [(one["value"], one["rows"]) for one in record["unsettles"]] == [("Norwai maple", 3)]
