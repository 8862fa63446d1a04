"""`igual match` and `igual lookalikes` as processes, on the sample data and on bad input."""

from __future__ import annotations

import csv
import json
from pathlib import Path

import pytest

from igual.demo.layout import FILES
from tests.conftest import Run, leftovers


def test_match_shows_what_waits_first(run: Run, trees: Path) -> None:
    done = run("match trees.csv --column species --list species.csv")
    assert (done.returncode, done.stderr) == (0, "")
    first = done.stdout.splitlines()[0]
    assert first.startswith("species: 371 settled (1,989 rows), ")
    lines = done.stdout.splitlines()
    order = [
        next(at for at, line in enumerate(lines) if line.startswith(f" {status}"))
        for status in ("open", "unknown", "settled")
    ]
    assert order == sorted(order)
    assert "two letters swapped" in done.stdout
    assert "1,892" in done.stdout.split("settled by")[1].splitlines()[0]
    assert leftovers(trees) == sorted(FILES)


def test_match_writes_every_value_with_its_reason(run: Run, trees: Path) -> None:
    done = run("match trees.csv -c species -l species.csv --give code --out matches.csv --json")
    found = json.loads(done.stdout)
    assert found["counts"]["settled"]["rows"] == 1_989
    with (trees / "matches.csv").open(encoding="utf-8") as file:
        rows = list(csv.DictReader(file))
    assert len(rows) == len(found["matches"]) == 378
    assert list(rows[0]) == [
        "value",
        "rows",
        "status",
        "proposal",
        "score",
        "runner_up",
        "runner_up_score",
        "why",
        "reasons",
        "given",
    ]
    by_value = {row["value"]: row for row in rows}
    assert by_value["norway mapel"]["given"] == "ACPL"
    assert by_value["norway mapel"]["why"] == "two letters swapped: norway mapel → Norway maple"
    assert by_value["norway mapel"]["reasons"] == "letters swapped"
    asked = json.loads(run("match trees.csv -c species -l species.csv --json").stdout)["questions"]
    assert asked[0]["pairs"] == {"Cherry": "Wild cherry", "Plane": "London plane"}
    assert (asked[0]["kind"], asked[0]["rows"], asked[0]["cause"]) == ("word left out", 4, None)
    strict = json.loads(run("match trees.csv -c species -l species.csv --by exact --json").stdout)
    assert strict["counts"]["open"]["values"] == 0
    assert strict["counts"]["unknown"]["values"] > 200


def test_lookalikes_become_pairs_and_rulings(run: Run, trees: Path) -> None:
    done = run("lookalikes trees.csv -c contractor --pairs pairs.csv --rulings rulings.csv --out groups.csv")
    assert (done.returncode, done.stderr) == (0, "")
    assert "groups that are probably one each" in done.stdout
    (trees / "book.toml").write_text(
        'igual = 1\n[pairs.contractors]\nfile = "pairs.csv"\n[[rule]]\ncolumn = "contractor"\ndo = "replace"\n'
        'pairs = "contractors"\nwhere = "whole"\n',
        encoding="utf-8",
    )
    applied = json.loads(run("apply book.toml trees.csv --out clean.csv --json").stdout)
    assert applied["effects"][0]["values"] == len((trees / "pairs.csv").read_text("utf-8").splitlines()) - 1
    again = json.loads(run("lookalikes clean.csv -c contractor --json").stdout)
    assert again["lookalikes"] == []
    assert (
        (trees / "rulings.csv").read_text("utf-8").startswith("column,value,ruling,reason,by,on\ncontractor,")
    )


@pytest.mark.parametrize(
    ("line", "said"),
    [
        ("match trees.csv -c specis -l species.csv", "no column 'specis'; did you mean 'species'"),
        ("match trees.csv -c species -l spcies.csv", "spcies.csv"),
        ("match trees.csv -c species -l trees.csv", "value"),
        ("match trees.csv -c species -l species.csv --settle 7", "--settle"),
        ("match trees.csv -c species -l species.csv --by nearly", "--by"),
        ("match trees.csv -c species -l species.csv --give cod", "no attribute 'cod'; did you mean 'code'"),
        ("match trees.csv -c species -l species.csv --out trees.csv", "one of the inputs"),
        ("match trees.csv -c species -l species.csv --out species.csv", "one of the inputs"),
        ("match trees.csv -c species -l species.csv --out m.docx", "can't tell what to write"),
        ("lookalikes trees.csv -c species --min-score 0", "--min-score"),
        ("lookalikes trees.csv -c species --min-score nan", "'nan' is no number"),
        ("match trees.csv -c species -l species.csv --settle nan", "'nan' is no number"),
        ("lookalikes trees.csv -c spcies", "did you mean 'species'"),
        ("lookalikes trees.csv -c species --out a.csv --pairs a.csv", "named for two outputs"),
        ("lookalikes nowhere.csv -c species", "nowhere.csv"),
    ],
)
def test_bad_calls_are_said_in_a_line_and_leave_nothing(run: Run, trees: Path, line: str, said: str) -> None:
    done = run(line)
    assert done.returncode == 2
    assert said in done.stderr
    assert "Traceback" not in done.stderr
    assert done.stdout == ""
    assert leftovers(trees) == sorted(FILES)


def test_lists_with_faults_name_the_row(run: Run, trees: Path) -> None:
    for content, said in (
        ("value\noak\noak\n", "row 3"),
        ("value\n", "at least one entry"),
        ("name\noak\n", "'value'"),
    ):
        (trees / "bad.csv").write_text(content, encoding="utf-8")
        done = run("match trees.csv -c species -l bad.csv")
        assert done.returncode == 2, done
        assert said in done.stderr
        assert "bad.csv" in done.stderr


def test_a_column_of_nothing_and_a_table_of_odd_texts(run: Run, trees: Path) -> None:
    (trees / "odd.csv").write_text("a,b\n,\n ,?\n,=1+1\n,<b>x</b>\n,\u202eoak\n", encoding="utf-8")
    blank = run("match odd.csv -c a -l species.csv")
    assert (blank.returncode, blank.stderr) == (0, "")
    assert "5 blank rows" in blank.stdout
    odd = run("match odd.csv -c b -l species.csv")
    assert odd.returncode == 0
    assert "\u202e" not in odd.stdout
    assert "nothing looks alike" in run("lookalikes odd.csv -c b").stdout
