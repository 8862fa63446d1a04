"""Matching within what stands beside a value: which entries may be meant, and rulings that count there alone."""

from __future__ import annotations

import csv
import json
import re
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any

import openpyxl
import pyarrow as pa
import pytest
from hypothesis import given
from hypothesis import strategies as st

import igual
from igual.rules import Match
from tests.browsing import Browser
from tests.conftest import Run, examples
from tests.test_review import Terminal


def match_streets(
    places: igual.ReferenceList, rulings: igual.Rulings | None = None, **words: Any
) -> igual.Rulebook:
    rules = [Match(column="at", list="places", **words)]
    return igual.Rulebook(rules, lists={"places": places}, rulings=rulings or igual.Rulings())


STREETS = igual.ReferenceList(
    ["Church Street, Almery", "Church Street, Brannock", "Harbour", "Old Town"],
    aliases={"Church Street, Almery": ["Church Street"], "Church Street, Brannock": ["Church Street"]},
    attributes={"town": ["Almery", "Brannock", "Almery", "Brannock"]},
)


def test_within_the_context_of_a_row() -> None:
    table = {
        "at": [
            "Church Street",
            "Church Street",
            "Church Street",
            "Old Twon",
            "Old Twon",
            "Harbour",
            "Harbour",
        ],
        "town": ["Almery", "BRANNOCK", None, "Brannock", "Almery", "Almery", "Nowhere"],
    }
    outcome = match_streets(STREETS, within={"town": "town"}).apply(table)
    assert outcome.table["at"] == [
        "Church Street, Almery", "Church Street, Brannock", "Church Street", "Old Town", "Old Twon", "Harbour", "Harbour",
    ]  # fmt: skip
    why = dict(zip(outcome.open["value"], outcome.open["why"], strict=True))
    assert set(why) == {"Church Street", "Harbour"}
    assert "no entry has the town ‘Nowhere’" in why["Harbour"]
    assert outcome.unknown["value"].tolist() == ["Old Twon"]
    how = outcome.crosswalk("at")["how"].tolist()
    assert how.count("match: open") == 2
    ruled = igual.Rulings().decide("at", "Church Street", "Church Street, Brannock", on="2026-05-08")
    again = match_streets(STREETS, ruled, within={"town": "town"}).apply(table)
    assert again.table["at"][:3] == [
        "Church Street, Almery",
        "Church Street, Brannock",
        "Church Street, Brannock",
    ]
    frame = match_streets(STREETS, within={"town": "town"}).apply(pa.table(table))
    assert frame.table["at"].to_pylist() == outcome.table["at"]


def test_an_entry_of_another_context_is_a_doubt() -> None:
    towns = {
        "North Quay": "Almery",
        "North Quay Bank": "Brannock",
        "Old Market": "Almery",
        "Old Mart": "Brannock",
    }
    quays = igual.ReferenceList(list(towns), attributes={"town": list(towns.values())})
    table = {
        "at": ["north quay bank", "North Quay Bnk", "North Quay Bank", "North Qay", "Old Markt", "Old Markt"],
        "town": ["Almery", "Almery", "Brannock", "Almery", "Almery", "Brannock"],
    }
    outcome = match_streets(quays, within={"town": "town"}).apply(table)
    assert outcome.table["at"][2:5] == ["North Quay Bank", "North Quay", "Old Market"]
    why = dict(zip(outcome.open["value"], outcome.open["why"], strict=True))
    for value in ("north quay bank", "North Quay Bnk"):
        assert "‘North Quay Bank’ is in the list, with another town" in why[value]
    assert {question.kind for question in outcome.questions} == {"single value"}


def test_a_kind_settles_nothing_that_is_an_entry_elsewhere() -> None:
    towns = {f"{place} Quay Bank": "Almery" for place in ("North", "Old", "Kestrel")} | {
        "North Quay": "Brannock"
    }
    quays = igual.ReferenceList(list(towns), attributes={"town": list(towns.values())})
    ruled = igual.Rulings().decide_kind("at", "word left out", "bank", yes=True, on="2026-05-08")
    table = {"at": ["North Quay", "Kestrel Quay", "North Quay"], "town": ["Almery", "Almery", "Brannock"]}
    outcome = match_streets(quays, ruled, within={"town": "town"}).apply(table)
    assert outcome.table["at"] == ["North Quay", "Kestrel Quay Bank", "North Quay"]
    assert outcome.open["value"].tolist() == ["North Quay"]
    assert "‘North Quay’ is in the list, with another town" in outcome.open["why"][0]


@given(st.data())
@examples(40)
def test_no_proposal_is_of_another_context(data: Any) -> None:
    names = [
        "Church Street",
        "Church Lane",
        "Old Street",
        "Old Mill",
        "Mill Lane",
        "KQ",
        "Kestrel Quay",
        "Quay",
    ]
    names += [f"{name} {number}" for name in names for number in "12"]
    places = data.draw(st.lists(st.sampled_from(names), min_size=2, unique=True))
    towns = [data.draw(st.sampled_from(["Almery", "Brannock", "Old Town"])) for _ in places]
    streets = igual.ReferenceList(places, attributes={"town": towns})
    asked = data.draw(
        st.lists(st.sampled_from([*names, "Chruch Street", "old mil", "k q", "Mill"]), min_size=1)
    )
    beside = [data.draw(st.sampled_from([*towns, "ALMERY", ""])) for _ in asked]
    outcome = match_streets(streets, within={"town": "town"}).apply({"at": asked, "town": beside})
    town_of = dict(zip(places, towns, strict=True))
    for value, town, clean in zip(asked, beside, outcome.table["at"], strict=True):
        fits = [name for name in places if town_of[name].casefold() == town.casefold()]
        if value in fits:
            assert clean == value
        elif clean != value:
            assert clean in fits
    known = {town.casefold() for town in towns}
    for value, proposal in zip(outcome.open["value"], outcome.open["proposal"], strict=True):
        beside_it = {
            town.casefold() for text, town in zip(asked, beside, strict=True) if text == value.strip()
        }
        assert town_of[proposal].casefold() in beside_it or not beside_it <= known


def test_a_context_that_isnt_there_is_refused() -> None:
    with pytest.raises(igual.RulebookError, match="no attribute 'twon'; did you mean 'town'"):
        match_streets(STREETS, within={"twon": "town"}).apply({"at": ["x"], "town": ["y"]})
    with pytest.raises(igual.IgualError, match="no column 'town'"):
        match_streets(STREETS, within={"town": "town"}).apply({"at": ["x"]})


TOWNS = {
    "Church Street North": "Almery",
    "Church Street South": "Brannock",
    "Harbour Road": "Almery",
    "Harbour Lane": "Brannock",
    "Mill Pond": "Brannock",
}
ROWS = [
    ("Church Street", "Almery"), ("Church Street", "Brannock"), ("Church Street", "BRANNOCK "), ("Harbour", "Almery"),
    ("Harbour", "Brannock"), ("Harbour Raod", "Almery"), ("Mill Pond", "Almery"),
]  # fmt: skip
WANTED = [
    "Church Street North", "Church Street South", "Church Street South", "Harbour Road", "Harbour Lane", "Harbour Road",
    "Mill Pond",
]  # fmt: skip


@pytest.fixture
def town(tmp_path: Path, write: Callable[[str, str], Path]) -> Path:
    write("list.csv", "value,town\n" + "".join(f"{name},{where}\n" for name, where in TOWNS.items()))
    write("t.csv", "at,town\n" + "".join(f"{at},{where}\n" for at, where in ROWS))
    write(
        "b.toml",
        'igual = 1\n[lists.l]\nfile = "list.csv"\n[[rule]]\ncolumn = "at"\ndo = "match"\nlist = "l"\n'
        'within = { town = "town" }\n',
    )
    return tmp_path


def clean(run: Run, town: Path) -> list[str]:
    """What the column becomes, when nothing is open any more."""
    assert json.loads(run("apply b.toml t.csv --out clean.csv --json").stdout)["open"] == []
    with (town / "clean.csv").open(encoding="utf-8", newline="") as file:
        return [row["at"] for row in csv.DictReader(file)]


def answer(proposal: str) -> str:
    return "accept" if proposal else "keep as it is"


@pytest.mark.parametrize("ending", ["csv", "xlsx"])
def test_a_sheet_asks_about_a_value_in_each_context(run: Run, town: Path, ending: str) -> None:
    told = json.loads(run(f"apply b.toml t.csv --out clean.csv --open open.{ending} --json").stdout)
    assert [(one["value"], one["within"], one["rows"], one["proposal"]) for one in told["open"]] == [
        ("Church Street", "Brannock", 2, "Church Street South"), ("Church Street", "Almery", 1, "Church Street North"),
        ("Harbour", "Almery", 1, "Harbour Road"), ("Harbour", "Brannock", 1, "Harbour Lane"),
    ]  # fmt: skip
    # A sheet takes the place of a sheet; piece by piece the same is asked.
    done = run(f"apply b.toml t.csv --out clean.csv --open open.{ending} --most-values 3")
    assert done.returncode == 0, done.stderr
    assert "Church Street  within " in run("apply b.toml t.csv --out clean.csv").stdout
    sheet = town / f"open.{ending}"
    if ending == "xlsx":
        book = openpyxl.load_workbook(sheet)
        lines: Sequence[Sequence[Any]] = list(book["open"].iter_rows())
        head = [cell.value for cell in lines[0]]
        for line in lines[1:]:
            line[head.index("ruling")].value = answer(line[head.index("proposal")].value or "")
        book.save(sheet)
    else:
        with sheet.open(encoding="utf-8", newline="") as file:
            rows = list(csv.DictReader(file))
        assert "no entry comes near; but ‘Mill Pond’ is in the list, with another town" in rows[-1]["why"]
        with sheet.open("w", encoding="utf-8", newline="") as file:
            writer = csv.DictWriter(file, rows[0])
            writer.writeheader()
            writer.writerows([{**row, "ruling": answer(row["proposal"])} for row in rows])
    done = run(f"review b.toml open.{ending} --by Ines")
    assert "5 values, 6 rows" in done.stdout
    assert "Church Street  within Almery" in done.stdout
    assert clean(run, town) == WANTED
    assert "5 rows as ruled before" in run(f"review b.toml open.{ending}").stdout
    (town / "odd.csv").write_text(
        "column,value,within,ruling\nat,Harbour,7,Harbour Lane\nat,Harbour, almery,Harbour Lane\n"
    )
    told = " ".join(run("review b.toml odd.csv").stdout.split())
    assert "becomes Harbour Lane; no entry has '7' beside it" in told
    assert "it was ruled 'Harbour Road' by Ines" in told
    plain = (town / "b.toml").read_text().replace("within", "# within")
    (town / "b.toml").write_text(plain)
    refused = " ".join(run("review b.toml odd.csv").stdout.split())
    assert "no rule looks at what stands beside values of column 'at'; leave 'within' empty" in refused
    (town / "b.toml").write_text(plain.replace("# within", "within"))
    assert run("check b.toml t.csv").returncode == 0
    withdrawn = "".join(run("review b.toml --withdraw Harbour").stdout for _ in range(3))
    assert re.findall(r"\((\w+)\)", withdrawn) == ["7", "Almery", "Brannock"]
    assert "there is no ruling" in run("review b.toml --withdraw Harbour").stderr


def test_a_terminal_asks_about_a_value_in_each_context(run: Run, town: Path) -> None:
    shell = Terminal(town, "review", "b.toml", "--table", "t.csv", "--by", "Ines")
    assert "Harbour  within Almery → Harbour Road" in shell.until("q stop")
    shell.type("y")
    shell.until("q stop")
    assert (town / "b.rulings.csv").read_text(encoding="utf-8").count(",Ines,") == 2
    shell.type("u")
    shell.until("q stop")
    shell.type("o")
    for value in ("Harbour  within Almery", "Harbour  within Brannock", "Church Street  within Brannock"):
        assert value in shell.until("q stop")
        shell.type("1")
    assert "Church Street  within Almery" in shell.until("q stop")
    shell.type("1")
    assert "Mill Pond  within Almery" in shell.until("q stop")
    shell.type("k")
    shell.until("5 rulings on 6 rows")
    assert shell.ended() == 0
    assert clean(run, town) == WANTED


def test_a_page_asks_about_a_value_in_each_context(run: Run, town: Path, browser: Browser) -> None:
    assert run("review b.toml --table t.csv --page open.html").returncode == 0
    with browser.open(town / "open.html") as opened:
        page = opened.page
        asked = []
        while page.get_by_role("button", name="skip").count():
            asked.append(page.locator("#card h2").inner_text())
            is_group = page.get_by_role("button", name="yes").count()
            page.keyboard.press("y" if is_group else "1" if page.locator(".picks .score").count() else "k")
        assert asked[-1] == "Mill Pond (within Almery)"
        with page.expect_download() as waiting:
            page.get_by_role("button", name="Save the sheet").click()
        waiting.value.save_as(town / "answers.csv")
        opened.refuse_trouble()
    done = run("review b.toml answers.csv --by Ines")
    assert done.returncode == 0, done.stdout + done.stderr
    assert clean(run, town) == WANTED
    assert run("apply b.toml t.csv --out clean.csv --report page.html").returncode == 0


def test_a_ruling_in_a_context_goes_before_one_for_all_rows() -> None:
    places = igual.ReferenceList(list(TOWNS), attributes={"town": list(TOWNS.values())})
    table = {
        "at": ["Church Street", "church street", "Church Street"],
        "town": ["Almery", "almery", "Brannock"],
    }
    day = "2026-05-08"
    everywhere = igual.Rulings().decide("at", "Church Street", "keep as it is", on=day)
    inside = everywhere.decide("at", "Church Street", "Church Street North", on=day, within="ALMERY")
    for rulings, wanted in (
        (everywhere, ["Church Street", "church street", "Church Street"]),
        (inside, ["Church Street North", "Church Street North", "Church Street"]),
        (inside.withdraw("at", "Church Street"), ["Church Street North", "Church Street North", "Church Street"]),
        (inside.withdraw("at", "Church Street", within="Almery"), ["Church Street", "church street", "Church Street"]),
        # An entry of another context can't be meant, whoever says so.
        (inside.decide("at", "Church Street", "Harbour Lane", on=day, within="Almery"), ["Church Street", "church street", "Church Street"]),
    ):  # fmt: skip
        assert match_streets(places, rulings, within={"town": "town"}).apply(table).table["at"] == wanted
    assert inside.table["within"].tolist() == ["", "ALMERY"]
    assert igual.Rulings(inside.rulings).of_value("at", "Church Street", "almery") is not None
    assert not inside.list_contested()
    with pytest.raises(igual.RulingError, match="'within' takes a text"):
        everywhere.decide("at", "Church Street", "Harbour Lane", within=3)  # type: ignore[arg-type]


def test_texts_may_mention_entries_of_several_lists() -> None:
    lists = {"a": igual.ReferenceList(["Harbour", "Kestrel Hill"]), "b": igual.ReferenceList(["Saltmarsh"])}
    rules = [
        igual.rules.Mention(column="t", list=name, by=["exact", "fuzzy"], otherwise="flag") for name in lists
    ]
    texts = ["near Harbor", "Kestrl Hil", "nothing here", "Saltmash", "zzz", None]
    for last in (rules[1], Match(column="t", list="b")):
        outcome = igual.Rulebook([rules[0], last], lists=lists).apply({"t": texts})
        unlisted = {(one.value, one.within, one.rows) for one in outcome.account.unlisted}
        # Texts that mention nothing aren't asked about.
        assert (
            unlisted >= {("zzz", "b", 1), ("nothing here", "b", 1)}
            if isinstance(last, Match)
            else not unlisted
        )


def test_a_column_within_itself_is_read_as_it_is() -> None:
    kinds = igual.ReferenceList(["oak", "elm"], attributes={"kind": ["oak", "tree"]})
    outcome = match_streets(kinds, within={"kind": "at"}).apply({"at": ["Oak", "Elm", "oka"]})
    assert outcome.table["at"] == ["oak", "Elm", "oka"]
    assert sorted(outcome.open["value"]) == ["Elm", "oka"]


def test_a_file_of_rulings_has_contexts_only_where_there_are_any(tmp_path: Path) -> None:
    kept = igual.Rulings.load(tmp_path / "r.csv").decide("at", "a", "b", on="2026-05-08")
    assert (tmp_path / "r.csv").read_text(encoding="utf-8").startswith("column,value,ruling,reason,by,on\n")
    kept = kept.decide("at", "a", "c", on="2026-05-08", within="Old Town")
    assert (
        (tmp_path / "r.csv")
        .read_text(encoding="utf-8")
        .startswith("column,value,ruling,reason,by,on,within\n")
    )
    assert igual.Rulings.load(tmp_path / "r.csv") == kept
    assert kept.withdraw("at", "a", within="OLD TOWN").rulings == kept.rulings[:1]


def test_each_of_several_lists_has_rulings_of_its_own(
    run: Run, tmp_path: Path, write: Callable[[str, str], Path]
) -> None:
    write("streets.csv", "value\nChurch Street\nHarbour Road\n")
    write("places.csv", "value\nChurch Square\nHarbour Place\n")
    write("t.csv", "at,type\nHarbour,street\nHarbour,place\nHarbor Rod,street\nQuay,place\n")
    rule = (
        '[[rule]]\ncolumn = "at"\ndo = "match"\nlist = "{0}s"\nwhen = {{ column = "type", equals = "{0}" }}\n'
    )
    lists = "igual = 1\n" + "".join(
        f'[lists.{name}]\nfile = "{name}.csv"\n' for name in ("streets", "places")
    )
    write("b.toml", lists + rule.format("street") + rule.format("place"))
    told = json.loads(run("apply b.toml t.csv --out clean.csv --open open.csv --json").stdout)
    assert [(one["value"], one["within"]) for one in told["open"]] == [
        ("Harbour", "streets"),
        ("Harbour", "places"),
    ]
    with (tmp_path / "open.csv").open(encoding="utf-8", newline="") as file:
        rows = list(csv.DictReader(file))
    assert [(row["value"], row["within"]) for row in rows[2:]] == [("Quay", "places")]
    write(
        "back.csv",
        "column,value,within,ruling\n"
        + "".join(f"at,{row['value']},{row['within']},{answer(row['proposal'])}\n" for row in rows)
        .replace("accept", "{}")
        .format("Harbour Road", "Harbour Place"),
    )
    done = run("review b.toml back.csv --by Ines")
    assert done.returncode == 0, done.stdout
    assert clean(run, tmp_path) == ["Harbour Road", "Harbour Place", "Harbour Road", "Quay"]
    # A ruling for all of them is followed where it can be, and no hint complains of the other list.
    (tmp_path / "b.rulings.csv").unlink()
    write("back.csv", "column,value,ruling\nat,Harbour,Harbour Place\n")
    assert run("review b.toml back.csv").returncode == 0
    told = json.loads(run("apply b.toml t.csv --out clean.csv --json").stdout)
    assert [(one["value"], one["within"]) for one in told["open"]] == [("Harbour", "streets")]
    assert (
        "'Harbour' (within streets) mean"
        in igual.Rulebook.load(tmp_path / "b.toml")
        .apply({"at": ["Harbour"], "type": ["street"]})
        .questions[0]
        .text
    )
    assert "ruling not applied" not in [hint["kind"] for hint in told["hints"]]
