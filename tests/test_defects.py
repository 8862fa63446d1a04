"""Defects found by use: each of these failed before it was mended."""

from __future__ import annotations

import dataclasses
import json
import os
import subprocess
import sys
from collections.abc import Callable
from pathlib import Path

import pandas as pd
import pyarrow as pa
import pytest

import igual
from igual.display import Displayed
from igual.rules import Check, Condition, Date, Label, Match, Number, Replace, Spacing
from igual.text.folding import folded_key
from tests.conftest import COMMAND, Run

Write = Callable[[str, str | bytes], Path]
BRANCHES = {"branch": ["a", "b", "c", "a", "b"], "day": ["31.01.2024", "01/31/2024", "?", "", "2024"]}
BY_BRANCH = [
    Date(column="day", form="DD.MM.YYYY", when=Condition(column="branch", equals="a")),
    Date(column="day", form="MM/DD/YYYY", when=Condition(column="branch", equals="b")),
]


def test_two_rules_that_read_dates_give_one_date_column() -> None:
    outcome = igual.Rulebook(BY_BRANCH).apply(pa.table(BRANCHES))
    days = outcome.table["day"]
    assert pa.types.is_date32(days.type)
    assert [day and day.isoformat() for day in days.to_pylist()] == [
        "2024-01-31",
        "2024-01-31",
        None,
        None,
        None,
    ]
    assert sorted(outcome.unknown[["value", "kind"]].values.tolist()) == [["2024", "unread"], ["?", "unread"]]
    frame = igual.Rulebook(BY_BRANCH).apply(pd.DataFrame(BRANCHES)).table
    assert str(frame["day"].dtype).startswith("datetime64")
    numbers = Number(column="n", decimal=",", when=Condition(contains=","))
    assert igual.Rulebook([numbers]).apply({"n": ["1,5", "many", "2"]}).table["n"] == [1.5, None, 2.0]


def test_dates_that_no_rule_reads_are_findings(run: Run, write: Write) -> None:
    write("t.csv", "branch,day\na,31.01.2024\nc,soon\n")
    write(
        "b.toml",
        'igual = 1\n[[rule]]\ncolumn = "day"\ndo = "date"\nform = "DD.MM.YYYY"\n'
        'when = { column = "branch", equals = "a" }\n',
    )
    done = run("check b.toml t.csv")
    assert (done.returncode, done.stderr) == (1, "")
    assert "'soon'" in done.stdout
    assert run("apply b.toml t.csv --out clean.csv").returncode == 0


def test_an_unforeseen_error_is_a_line_and_status_2(tmp_path: Path) -> None:
    code = (
        "import igual.cli, igual.cli.survey as s, sys\ndef fail(*_, **__): raise ZeroDivisionError('x\\ny')\n"
    )
    code += "s.survey.callback = fail\nsys.argv = ['igual', 'survey', 't.csv']\nigual.cli.main()"
    quietly = {**os.environ, "IGUAL_DEBUG": "0"}
    done = subprocess.run(
        [sys.executable, "-c", code], capture_output=True, text=True, cwd=tmp_path, env=quietly
    )
    assert done.returncode == 2
    assert "Traceback" not in done.stderr
    assert done.stderr.startswith("igual: unforeseen error, ZeroDivisionError: x↵y\n")
    shown = subprocess.run(
        [sys.executable, "-c", code], capture_output=True, text=True, env={**os.environ, "IGUAL_DEBUG": "1"}
    )
    assert "Traceback" in shown.stderr


def test_results_need_no_docstrings() -> None:
    # Without docstrings (-OO) a dataclass is described by its signature, and so by what its defaults look like: while
    # modules are imported no result can be shown.
    values = [getattr(igual, name) for name in igual.__all__]
    modules = [module for name, module in sys.modules.items() if name.startswith("igual.")]
    kinds = {one for module in modules for one in vars(module).values() if isinstance(one, type)}
    kinds |= {value for value in values if isinstance(value, type)}
    defaults = [
        (kind, part.name)
        for kind in kinds
        if dataclasses.is_dataclass(kind)
        for part in dataclasses.fields(kind)
        if isinstance(part.default, Displayed)
    ]
    assert len(kinds) > 100
    assert defaults == []


def test_a_tally_in_a_database_counts_rows(tmp_path: Path) -> None:
    sqlalchemy = pytest.importorskip("sqlalchemy")
    engine = sqlalchemy.create_engine(f"sqlite:///{tmp_path}/t.db")
    with engine.begin() as connection:
        connection.execute(sqlalchemy.text("create table t (a text)"))
        connection.execute(sqlalchemy.text("insert into t values ('x'), ('x'), ('x'), ('y')"))
    engine.dispose()
    with igual.Database(f"sqlite:///{tmp_path}/t.db") as database:
        tally = database.tally("t", "a")
    assert tally.table[["rows", "share"]].values.tolist() == [[3, 0.75], [1, 0.25]]
    assert "4 of 4 rows" in repr(tally)


@pytest.mark.parametrize(
    ("name", "content", "what"),
    [
        ("list.csv", "value,alias\noak,\n", "a reference list"),
        ("codes.csv", "code,label\n1,oak\n", "a codebook"),
        ("b.rulings.csv", "column,value,ruling,reason,by,on\n", "a file of rulings"),
        ("other.csv", "a,b\n1,2\n", "a table with the columns a, b"),
    ],
)
def test_outputs_replace_only_their_own_kind(
    run: Run, write: Write, name: str, content: str, what: str
) -> None:
    write("t.csv", "tree\noak\nOak\n")
    write("b.toml", 'igual = 1\n[[rule]]\ncolumn = "tree"\ndo = "spacing"\n')
    kept = write(name, content)
    for line in (
        f"lookalikes t.csv -c tree --pairs {name}",
        f"lookalikes t.csv -c tree --rulings {name}",
        f"lookalikes t.csv -c tree --out {name}",
        f"match t.csv -c tree -l t2.csv --out {name}",
        f"apply b.toml t.csv --out {name}",
        f"apply b.toml t.csv --trail {name}",
        f"apply b.toml t.csv --crosswalk {name}",
        f"apply b.toml t.csv --open {name}",
    ):
        write("t2.csv", "value\noak\n")
        done = run(line)
        assert (done.returncode, done.stdout) == (2, ""), line
        assert f"{name} is there already and is {what}" in done.stderr
        assert kept.read_text() == content
    assert run(f"apply b.toml t.csv --out {name} --force").returncode == 0
    assert kept.read_text() == "tree\noak\nOak\n"


def test_outputs_of_the_same_kind_are_replaced(run: Run, few_trees: Path) -> None:
    line = (
        "apply trees.toml trees.csv --out c.csv --trail t.csv --crosswalk w.csv --open o.xlsx --record r.json"
    )
    walk = "apply trees.toml trees.csv --crosswalk w.sssom.tsv"
    pairs = "lookalikes trees.csv -c contractor --pairs p.csv --rulings s.csv --out g.csv"
    for call in (line, walk, pairs):
        assert (run(call).returncode, run(call).returncode) == (0, 0)


def test_entries_of_a_list_are_never_lookalikes() -> None:
    firms = igual.ReferenceList(["Harrow Editions", "Yarrow Editions", "Elm", "ELM"], {"Elm": ["elm tree"]})
    values = ["Harrow Editions"] * 3 + ["Yarrow Editions", "Harow Editions", "Elm", "ELM", "elm", "elm treee"]
    table = igual.lookalikes(values, reference=firms, min_score=0.3).table
    for _, group in table.groupby("group"):
        assert len({firms.entry_of[value] for value in group["value"] if value in firms.entry_of}) <= 1
    assert "Harow Editions" in table["value"].tolist()


def test_a_notebook_shows_each_result_once() -> None:
    code = (
        "import builtins\n"
        "class ZMQInteractiveShell: pass\n"
        "builtins.get_ipython = lambda: ZMQInteractiveShell()\n"
        "import igual\n"
        "print(repr(igual.tally(['oak ', 'oak '])))"
    )
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True)
    assert done.returncode == 0, done.stderr
    assert "1 distinct value, 2 of 2 rows" in done.stdout
    many = igual.match([f"tree {number}" for number in range(1, 60)], ["oak"])._repr_html_()
    assert "and 39 more rows" in many
    assert "oak·" in igual.tally(["oak ", "<b>"])._repr_html_()
    assert "&lt;b&gt;" in igual.tally(["oak ", "<b>"])._repr_html_()


def test_representations_are_short() -> None:
    rules = [Spacing(column="t")]
    book = igual.Rulebook(rules, checks=[Check(column="t", must={"blank": False})])
    assert repr(book) == "<igual.Rulebook of 1 rule and 1 check: 1 spacing (t)>"
    walk = book.apply({"t": ["a ", "b"]}).crosswalks
    assert repr(walk) == "<igual.Crosswalk of 2 values in 1 column: t>"
    assert repr(walk.apply({"t": [str(number) for number in range(100)]})).count("\n") < 20


def test_what_is_ruled_now_does_not_come_out_differently(run: Run, write: Write) -> None:
    write("l.csv", "value\nField maple\nWild cherry\n")
    write(
        "b.toml", 'igual = 1\n[lists.l]\nfile = "l.csv"\n[[rule]]\ncolumn = "t"\ndo = "match"\nlist = "l"\n'
    )
    write("t.csv", "t\nMaple\nField maple\n")
    assert run("apply b.toml t.csv --crosswalk may.csv").returncode == 0
    write("s.csv", "column,value,ruling\nt,Maple,Field maple\n")
    assert run("review b.toml s.csv --by Ines").returncode == 0
    done = run("check b.toml t.csv --since may.csv --json")
    assert json.loads(done.stdout)["findings"] == []
    write("s.csv", "column,value,ruling\nt,Maple,Wild cherry\n")
    assert run("apply b.toml t.csv --crosswalk june.csv").returncode == 0
    assert run("review b.toml s.csv --by Ines --overrule").returncode == 0
    (finding,) = json.loads(run("check b.toml t.csv --since june.csv --json").stdout)["findings"]
    assert finding["found"][0]["before"] == "Field maple"
    assert finding["found"][0]["now"] == "Wild cherry"


def test_encodings_are_kept_on_request_and_noted(run: Run, write: Write) -> None:
    write("t.csv", "t\nMüller \n".encode("cp1252") * 1)
    write("b.toml", 'igual = 1\n[[rule]]\ncolumn = "t"\ndo = "spacing"\n')
    done = run("apply b.toml t.csv --encoding cp1252 --out clean.csv")
    assert done.stderr == "clean.csv is UTF-8; t.csv is cp1252: --out-encoding cp1252 keeps that\n"
    done = run("apply b.toml t.csv --encoding cp1252 --out clean.csv --out-encoding cp1252 --force")
    assert (done.returncode, done.stderr) == (0, "")
    assert (write("x", "").parent / "clean.csv").read_bytes() == "t\nMüller\n".encode("cp1252")
    done = run("apply b.toml t.csv --encoding cp1252 --out clean.csv --out-encoding ascii")
    assert done.returncode == 2
    assert "the encoding ascii has no 'ü'" in done.stderr


def test_a_rulebook_may_hold_headers_or_checks_only(run: Run, write: Write) -> None:
    write("t.csv", "Tree Name\noak\n")
    write("h.toml", 'igual = 1\nheaders = "snake"\n')
    assert run("apply h.toml t.csv --out clean.csv").returncode == 0
    assert (write("x", "").parent / "clean.csv").read_text() == "tree_name\noak\n"
    assert "1 same" in run("tally t.csv --against clean.csv --column", "Tree Name").stdout
    write("c.toml", 'igual = 1\n[[check]]\ncolumn = "Tree Name"\nmust = { equals = "elm" }\n')
    assert run("check c.toml t.csv").returncode == 1


@pytest.mark.parametrize(
    ("content", "hint"),
    [
        ('igual = 1\n[rule]\ncolumn = "a"\ndo = "spacing"\n', "write [[rule]]"),
        (
            'igual = 1\n[[rule]]\ncolumn = "a"\ndo = "extract"\npattern = "\\d+"\n',
            r"needs single quotes: '\d+'",
        ),
        (
            'igual = 1\n[[rule]]\ncolumn = "a"\ndo = "replace"\npairs = { Fiction = [3] }\n',
            "'pairs.Fiction' takes",
        ),
    ],
)
def test_slips_in_toml_get_the_hint_that_helps(write: Write, content: str, hint: str) -> None:
    with pytest.raises(igual.RulebookError) as caught:
        igual.Rulebook.load(write("b.toml", content))
    assert hint in str(caught.value)


def test_rules_lists_every_rule_with_an_example(run: Run) -> None:
    listed = json.loads(run("rules --json").stdout)["rules"]
    assert len(listed) == 16
    assert all(rule["summary"] and rule["example"] for rule in listed)
    assert all(word["text"] for rule in listed for word in rule["words"]), listed
    assert "Minimum score to accept" in run("rules match").stdout
    assert "did you mean 'match'?" in run("rules mach").stderr


def test_the_rules_take_what_their_types_say() -> None:
    names: dict[str, object] = {}
    exec("from igual.rules import *", names)
    assert "Any" not in names
    # What counts here is that mypy, which `make types` runs as strictly as any user may, takes these calls.
    rules = [
        Match(column="a", list="b", by="exact"),
        Spacing(columns=["a", "b"], when={"one_of": ["x"]}),
        Spacing(column="a", when=Condition(not_=Condition(contains="x"))),
        Label(column="a", codebook="c", otherwise={"text": "?"}),
        Replace(column="a", pairs={"x": "y"}, when={"not": {"blank": True}}),
    ]
    assert [rule.do for rule in rules] == ["match", "spacing", "spacing", "label", "replace"]
    assert isinstance(igual.match(["x"], ["y"], by="exact"), igual.Matches)
    assert Label(column="a", codebook="c", otherwise={"text": "?"}).dump_words()["otherwise"] == {"text": "?"}


@pytest.mark.filterwarnings("ignore:Passing a BlockManager")  # pandas 2.2 and its own subclasses
def test_frames_derived_from_pandas_are_taken() -> None:
    class Register(pd.DataFrame):
        """Lives in this module, not in pandas."""

        @property
        def _constructor(self) -> type[Register]:
            return Register

    table = igual.Rulebook([Spacing(column="t")]).apply(Register({"t": ["a "]})).table
    assert table["t"].tolist() == ["a"]
    assert type(table) is Register


def test_versions_of_long_lists_are_compared_without_end(monkeypatch: pytest.MonkeyPatch) -> None:
    calls = []

    def count(values: pa.Array) -> pa.Array:
        calls.append(len(values))
        return folded_key(values)

    monkeypatch.setattr("igual.runs.list_versions.folded_key", count)
    old = igual.ReferenceList([f"entry {number}" for number in range(6_000)])
    new = igual.ReferenceList([f"Entry {number}" for number in range(6_000)])
    assert len(igual.compare_lists(old, new)) == 6_000  # it took hours
    assert calls == [6_000, 6_000]


def test_dicts_do_for_conditions_and_texts() -> None:
    rules = [Match(column="t", list="l", when={"contains": "o"}, otherwise={"text": "?"})]
    book = igual.Rulebook(rules, {"l": igual.ReferenceList(["oak"])})
    assert book.apply({"t": ["oAK", "stone", "elm"]}).table["t"] == ["oak", "?", "elm"]


@pytest.mark.parametrize("epoch", ["", "abc", "1.5"])
def test_settings_for_other_programs_that_are_odd_do_no_harm(epoch: str, trees: Path) -> None:
    # A process of its own: NumPy reads it while a part of it is imported.
    call = f"{COMMAND} match trees.csv -c species -l species.csv --out matches.csv".split()
    done = subprocess.run(
        call, cwd=trees, env={**os.environ, "SOURCE_DATE_EPOCH": epoch}, capture_output=True, text=True
    )
    assert (done.returncode, "unforeseen" in done.stderr) == (0, False)
