"""The gate, crosswalks as CSV and SSSOM, and the record of a run."""

from __future__ import annotations

import hashlib
import json
import re
from collections.abc import Callable
from pathlib import Path

import pandas as pd
import pyarrow as pa
import pytest

import igual
from igual.rules import Case, Condition, Label, Match, Replace, Spacing
from igual.runs.findings import Allowed, read_allowance
from tests.conftest import Run

SPECIES = igual.ReferenceList(["Norway maple", "Common oak"], {"Common oak": ["English oak"]})
SITE = igual.Codebook({"a": "avenue", "p": "park"})
TREES = {
    "tree": [" Norwy mapel", "English oak", "norway maple", "Oak?", "banana", None, ""],
    "site": [*"aapxx", "a", None],
}


def outcome() -> igual.Outcome:
    rules = [
        Spacing(column="tree"),
        Match(column="tree", list="species"),
        Label(column="site", codebook="site"),
    ]
    return igual.Rulebook(rules, {"species": SPECIES}, {"site": SITE}).apply(TREES)


def test_a_crosswalk_says_how() -> None:
    how = outcome().crosswalk("tree").set_index("raw")["how"].to_dict()
    assert re.fullmatch(r"spacing; match: fuzzy 0\.\d\d", how[" Norwy mapel"])
    assert how["English oak"] == "match: alias"
    assert how["norway maple"] == "match: folded"
    assert how["Oak?"] == "match: open"
    assert how["banana"] == "match: unlisted"
    assert outcome().crosswalk("site").set_index("raw")["how"].to_dict()["x"] == "label: unknown"


@pytest.mark.parametrize("ending", [".csv", ".parquet", ".sssom.tsv"])
def test_a_crosswalk_does_what_its_rulebook_did(tmp_path: Path, ending: str) -> None:
    path = tmp_path / f"walk{ending}"
    made = outcome()
    made.crosswalks.save(path)
    loaded = igual.Crosswalk.load(path)
    done = loaded.apply(TREES)
    assert done.table == made.table
    strange = {"Oak?", "banana", "x", ""} if ending == ".sssom.tsv" else set()
    assert set(done.unknown["value"]) == strange
    frame = loaded.apply(
        pd.DataFrame({"tree": ["English oak", "Gean", "Gean"], "site": ["p", "p", "p"], "id": [1, 2, 3]})
    )
    assert frame.table["tree"].tolist() == ["Common oak", "Gean", "Gean"]
    assert frame.unknown.values.tolist() == [["tree", "Gean", 2, "not in the crosswalk"]]
    assert "Gean" in repr(frame)
    assert loaded.aliases("tree")["Common oak"] == ["English oak"]
    rulings = loaded.as_rulings(by="another team", on="2026-05-08")
    assert rulings.of_column("tree")["English oak"].ruling == "Common oak"
    assert "Oak?" not in rulings.of_column("tree")
    path.unlink()
    loaded.save(path)
    again = igual.Crosswalk.load(path)
    assert again.table.equals(loaded.table)


def test_sssom_is_valid_by_its_published_schema(tmp_path: Path) -> None:
    model = pytest.importorskip(
        "sssom_schema", reason="the published schema comes with the package sssom-schema"
    )
    path = tmp_path / "walk.sssom.tsv"
    outcome().crosswalks.save(path)
    lines = path.read_text().splitlines()
    head = [line[1:] for line in lines if line.startswith("#")]
    plain = dict(line.split(": ", 1) for line in head if not line.startswith((" ", "curie_map")))
    prefixes = dict(line.strip().split(": ", 1) for line in head if line.startswith("  "))
    names, *rows = [line.split("\t") for line in lines if not line.startswith("#")]
    mappings = [dict(zip(names, row, strict=True)) for row in rows]
    checked = model.MappingSet(
        mappings=[model.Mapping(**mapping) for mapping in mappings],
        curie_map=[
            model.Prefix(prefix_name=name, prefix_url=json.loads(url)) for name, url in prefixes.items()
        ],
        **{name: text.strip('"') for name, text in plain.items()},
    )
    assert len(checked.mappings) == 5
    schema = (Path(model.__file__).parent / "schema" / "sssom_schema.yaml").read_text()
    justified = re.search(r'pattern: "(\^semapv:\([^"]*)"', schema)
    assert justified is not None
    for mapping in mappings:
        assert re.match(justified[1], mapping["mapping_justification"])
        assert mapping["predicate_id"] in ("skos:exactMatch", "skos:closeMatch")
        assert mapping["subject_label"]
        assert 0 <= float(mapping["confidence"]) <= 1
    close = [mapping for mapping in mappings if mapping["predicate_id"] == "skos:closeMatch"]
    assert [mapping["subject_label"] for mapping in close] == [" Norwy mapel"]


def test_sssom_of_others_is_read(tmp_path: Path) -> None:
    path = tmp_path / "theirs.sssom.tsv"
    path.write_text(
        "#mapping_set_id: https://w3id.org/sssom/mappings/x\n"
        "subject_id\tsubject_label\tpredicate_id\tobject_id\tobject_label\tmapping_justification\tconfidence\n"
        "t:1\tGean\tskos:exactMatch\to:1\tWild cherry\tsemapv:ManualMappingCuration\t\n"
        "t:2\tElm\tskos:broadMatch\to:2\tTree\tsemapv:LexicalMatching\t\n"
        "t:3\t\tskos:closeMatch\to:3\tOak\tsemapv:LexicalSimilarityThresholdMatching\t0.8\n"
    )
    found = igual.Crosswalk.load(path, column="tree").table
    assert found.select(["raw", "clean", "how"]).to_pylist() == [
        {"raw": "Gean", "clean": "Wild cherry", "how": "ruling"}, {"raw": "t:3", "clean": "Oak", "how": "fuzzy 0.80"},
    ]  # fmt: skip
    with pytest.raises(igual.TableError, match="subject_category doesn't say which column is meant"):
        igual.Crosswalk.load(path)
    path.write_text("a\tb\n1\t2\n")
    with pytest.raises(igual.TableError, match="is no SSSOM table: it has no column 'predicate_id'"):
        igual.Crosswalk.load(path)


def test_what_depends_on_other_columns_is_not_guessed() -> None:
    rule = Replace(column="tree", pairs={"oak": "Oak"}, when=Condition(column="site", equals="park"))
    made = igual.Rulebook([rule]).apply({"tree": ["oak", "oak", "elm"], "site": ["park", "road", "road"]})
    assert made.crosswalk("tree")["given"].tolist() == ["site = park", "site = road", "site = road"]
    done = made.crosswalks.apply({"tree": ["oak", "elm"], "site": ["park", "road"]})
    assert done.unknown.values.tolist() == [["tree", "oak", 1, "it depends on other columns"]]


def test_crosswalks_that_can_not_be_used() -> None:
    with pytest.raises(igual.TableError, match="the crosswalk has no column 'clean'"):
        igual.Crosswalk(pa.table({"column": ["a"], "raw": ["b"], "cleaned": ["c"]}))
    walk = igual.Crosswalk(pa.table({"column": ["tree"], "raw": ["b"], "clean": ["c"], "rows": ["1"]}))
    with pytest.raises(igual.TableError, match="the table has no column 'tree'; did you mean 'tre'"):
        walk.apply({"tre": ["b"]})
    into = igual.Rulebook([Case(column="tree", style="lower", into="low")]).apply({"tree": ["A"]}).crosswalks
    assert into.apply({"tree": ["A"]}).table == {"tree": ["A"], "low": ["a"]}
    with pytest.raises(igual.TableError, match="would write over the column 'low'"):
        into.apply({"tree": ["A"], "low": ["b"]})
    with pytest.raises(igual.TableError, match="takes whole numbers"):
        igual.Crosswalk(pa.table({"column": ["tree"], "raw": ["b"], "clean": ["c"], "rows": ["x"]}))


# The gate.


def test_allowances() -> None:
    assert read_allowance("open=12") == Allowed("open", 12, None)
    for text, said in (
        ("opn=1", "no finding is called 'opn'; did you mean 'open'?"), ("open", "give a number of rows"),
        ("open=1.5", "give a number"), ("open=-1", "give a number"), ("open=x%", "open=0.5%"), ("open=inf", "give"),
    ):  # fmt: skip
        with pytest.raises(igual.RulebookError, match=re.escape(said)):
            read_allowance(text)


def test_what_is_allowed_passes_the_gate(run: Run, trees: Path) -> None:
    everything = "--allow open=10 --allow unlisted=5 --allow unlabelled=2% --allow undecided=1% --allow unread=12 --allow unfit=43"
    done = run(f"check trees.toml trees.csv {everything}")
    assert done.returncode == 0
    assert done.stdout.splitlines()[0].endswith("(allowed)")
    assert done.stdout.splitlines()[-1] == "trees.csv: in order, 2,000 rows"
    less = json.loads(
        run(f"check trees.toml trees.csv {everything.replace('open=10', 'open=9')} --json").stdout
    )
    assert [one["kind"] for one in less["findings"] if not one["allowed"]] == ["open", "open"]
    assert run("check trees.toml trees.csv --allow opn=3").returncode == 2


def test_since_an_earlier_run(run: Run, trees: Path, write: Callable[..., Path]) -> None:
    table = "tree\nNorway maple\nEnglish oak\nEnglish oak\nelm\n"
    write("may.csv", table)
    book = 'igual = 1\n[lists.l]\nvalues = ["Norway maple", "Common oak", "elm"]\naliases = {"Common oak" = ["English oak"]}\n'
    rule = '[[rule]]\ncolumn = "tree"\ndo = "match"\nlist = "l"\n'
    write("b.toml", book + rule)
    assert run("apply b.toml may.csv --crosswalk may-walk.csv").returncode == 0
    same = run("check b.toml may.csv --since may-walk.csv")
    assert (same.returncode, same.stdout) == (0, "may.csv: in order, 4 rows\n")
    write("june.csv", table.replace("elm", "Elm") + "English oak\n")
    write("b.toml", book + rule.replace("[[rule]]", '[[rule]]\ncolumn = "tree"\ndo = "replace"\npairs = {English = "Norway"}\n[[rule]]') + 'by = "folded"\n')  # fmt: skip
    done = run("check b.toml june.csv --since may-walk.csv")
    assert done.returncode == 1
    assert (
        "tree: 1 value (3 rows, 60.0 %) comes out differently than before: 'English oak': 'Common oak' → 'Norway oak'"
        in done.stdout
    )
    assert (
        "tree: since then 1 raw value new (1 row): 'Elm'; 1 raw value gone (1 row): 'elm'; shares moved: "
        in done.stdout
    )
    assert "'Norway oak' 0.0 → 60.0 %" in done.stdout
    found = json.loads(run("check b.toml june.csv --since may-walk.csv --json").stdout)["since"][0]
    assert found["changed"] == [
        {"value": "English oak", "before": "Common oak", "now": "Norway oak", "rows": 3}
    ]


def test_a_ruling_that_is_out_of_date_is_a_finding(run: Run, write: Callable[..., Path]) -> None:
    write(
        "b.toml", 'igual = 1\n[lists.l]\nvalues = ["oak"]\n[[rule]]\ncolumn = "t"\ndo = "match"\nlist = "l"\n'
    )
    write("b.rulings.csv", "column,value,ruling,reason,by,on\nt,x,elm,,Ines,2026-05-08\n")
    write("t.csv", "t\noak\n")
    done = run("check b.toml t.csv")
    assert (done.returncode, done.stdout) == (
        1, "t: 1 value has a ruling that the list no longer knows, found by the file of rulings: 'x'\n",
    )  # fmt: skip


def test_a_run_leaves_a_record_and_runs_are_the_same(run: Run, trees: Path) -> None:
    line = (
        "apply trees.toml trees.csv --out {0}.csv --open {0}.xlsx --crosswalk {0}.sssom.tsv --record {0}.json"
    )
    for name in ("one", "two"):
        assert run(line.format(name)).returncode == 0
    for ending in (".csv", ".xlsx", ".sssom.tsv"):
        assert (trees / f"one{ending}").read_bytes() == (trees / f"two{ending}").read_bytes()
    first, second = (json.loads((trees / f"{name}.json").read_text()) for name in ("one", "two"))
    assert {one["name"]: one["sha256"] for one in first["inputs"]}["trees.csv"] == (
        hashlib.sha256((trees / "trees.csv").read_bytes()).hexdigest()
    )
    assert first["outputs"][0]["sha256"] == hashlib.sha256((trees / "one.csv").read_bytes()).hexdigest()
    assert first["findings"]["unlabelled"] == {"values": 2, "rows": 35}
    assert first["rules"][0]["do"] == "spacing"
    assert str(trees) not in (trees / "one.json").read_text()
    for record in (first, second):
        assert record.pop("at")
        for output in record["outputs"]:
            del output["name"]
    assert first == second


def test_cells_are_guarded_on_request(run: Run, write: Callable[..., Path], tmp_path: Path) -> None:
    write("t.csv", "t,n\n=cmd(),-3.5\n@x,+1\n-a,1\noak,2\n")
    write("b.toml", 'igual = 1\n[[rule]]\ncolumn = "t"\ndo = "spacing"\n')
    assert run("apply b.toml t.csv --out plain.csv").returncode == 0
    assert run("apply b.toml t.csv --out safe.csv --escape-formulas").returncode == 0
    assert (tmp_path / "plain.csv").read_text() == (tmp_path / "t.csv").read_text()
    assert (tmp_path / "safe.csv").read_text() == "t,n\n'=cmd(),-3.5\n'@x,+1\n'-a,1\noak,2\n"
