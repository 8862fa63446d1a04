"""Rulings: what they do to a run, how they come back on sheets, and what the file of them is."""

from __future__ import annotations

import csv
from dataclasses import replace
from datetime import datetime
from pathlib import Path

import openpyxl
import pytest
from hypothesis import given
from hypothesis import strategies as st

import igual
from igual.decisions import Ruling, interpret_ruling
from igual.files.csv_cells import unguarded
from igual.files.sheets import read_sheet
from igual.rules import Match, Spacing
from igual.rulings import sort_rulings
from igual.runs.review import Answer, check_answers, draw_between_marks
from tests.conftest import Run

SPECIES = igual.ReferenceList(
    ["Norway maple", "Field maple", "Common oak", "007"],
    {"Common oak": ["English oak"]},
    {"code": ["NM", "FM", "CO", "BD"]},
)
TREES = ["Oak?", "Oak?", "Norwy mapel", "stump", "banana", " 0070", "=1+1", "Elm", None, ""]


def book_of(*rulings: Ruling, **settings: object) -> igual.Rulebook:
    rule = Match(column="tree", list="species", **settings)  # type: ignore[arg-type]
    return igual.Rulebook([rule], {"species": SPECIES}, rulings=igual.Rulings(rulings))


def ruled(value: str, ruling: str, by: str = "Ines", on: str = "2026-05-08", reason: str = "") -> Ruling:
    return Ruling("tree", value, ruling, reason, by, on)


def test_rulings_win_over_every_other_way() -> None:
    book = book_of(
        ruled("Norway maple", "Field maple"), ruled("Oak?", "English oak"), ruled("stump", "Keep as it is "),
        ruled("banana", "not in the list"), ruled("Elm", "new entry: Wych elm"), ruled("x", "alias of Field maple"),
    )  # fmt: skip
    outcome = book.apply(
        {"tree": ["Norway maple", "Oak?", "stump", "banana", "Elm", "Wych elm", "x", "field maple"]}
    )
    assert outcome.table["tree"] == [
        "Field maple", "Common oak", "stump", "banana", "Wych elm", "Wych elm", "Field maple", "Field maple",
    ]  # fmt: skip
    assert outcome.unknown[["value", "kind"]].values.tolist() == [["banana", "ruled out"]]
    assert not len(outcome.open)
    assert [hint.kind for hint in outcome.hints if hint.kind in ("unknown", "unstable", "open")] == []
    how = outcome.crosswalk("tree").set_index("raw")["how"]
    assert how["Oak?"] == "match: ruling"
    assert how["banana"] == "match: ruled out"
    assert how["field maple"] == "match: folded"


def test_what_differs_only_in_case_from_a_ruled_value_follows_it() -> None:
    rulings = (
        ruled("Oak?", "Common oak"), ruled("Stump", "keep as it is"), ruled("Banana", "not in the list"),
        ruled("norway MAPLE", "Field maple"), ruled("Elm-", "Common oak"), ruled("Elm", "Field maple"),
    )  # fmt: skip
    trees = {"tree": ["OAK ?", "stump", "BANANA", "Norway maple", "Norway Maple", "elm"]}
    outcome = book_of(*rulings).apply(trees)
    assert outcome.table["tree"][:5] == ["Common oak", "stump", "BANANA", "Norway maple", "Norway maple"]
    assert outcome.table["tree"][5] == "elm"
    assert set(outcome.unknown["kind"]) == {"ruled out", "unlisted"}
    strict = book_of(*rulings, case_sensitive=True).apply(trees)
    assert strict.table["tree"][0] == "OAK ?"


def test_what_is_not_in_the_list_becomes_what_otherwise_says() -> None:
    book = book_of(ruled("banana", "not in the list"), ruled("stump", "keep as it is"), otherwise="blank")
    assert book.apply({"tree": ["banana", "stump"]}).table["tree"] == ["", "stump"]


def test_an_attribute_is_given_for_what_is_ruled_an_entry() -> None:
    book = book_of(ruled("Oak?", "Common oak"), give="code")
    assert book.apply({"tree": ["Oak?", "Field maple"]}).table["tree"] == ["CO", "FM"]


def test_a_ruling_that_the_list_no_longer_knows_is_said_and_not_applied() -> None:
    outcome = book_of(ruled("Oak?", "Turkey oak"), ruled("nowhere", "Gean")).apply({"tree": ["Oak?"]})
    assert outcome.table["tree"] == ["Oak?"]
    said = [hint.text for hint in outcome.hints if hint.kind == "ruling not applied"]
    assert said == [
        "rule 1 (match): the ruling 'Turkey oak' on 'Oak?' by Ines on 2026-05-08 is not applied: "
        "list 'species' has no such entry (any more)"
    ]


def test_the_last_ruling_counts_and_those_of_one_day_by_two_people_are_said() -> None:
    rulings = igual.Rulings(
        [ruled("a", "Common oak", on="2026-05-09"), ruled("a", "Field maple", on="2026-05-01"),
         ruled("b", "Common oak", by="Ana"), ruled("b", "Field maple", by="Ben")]
    )  # fmt: skip
    assert rulings.of_column("tree")["a"].ruling == "Common oak"
    assert [(one.by, other.by) for one, other in rulings.list_contested()] == [("Ana", "Ben")]


@pytest.mark.parametrize(
    ("said", "kind", "text"),
    [
        ("English oak", "entry", "Common oak"),
        (" Common oak ", "entry", "Common oak"),
        ("KEEP AS IT IS", "keep", "v"),
        ("not in the list", "unlisted", "v"),
        ("new entry", "new", "v"),
        ("New entry:  Wych elm", "new", "Wych elm"),
        ("new entry: Common oak", "entry", "Common oak"),
        ("alias of English oak", "alias", "Common oak"),
    ],
)
def test_what_a_ruling_means(said: str, kind: str, text: str) -> None:
    assert interpret_ruling(said, "v", SPECIES.entry_of) == (kind, text)


@pytest.mark.parametrize(
    ("said", "why"),
    [
        ("Comon oak", "'Comon oak' is not an entry of the list"),
        ("alias of Elm", "'Elm' is not an entry of the list"),
        ("new entry:", "needs the spelling"),
    ],
)
def test_what_a_ruling_can_not_mean(said: str, why: str) -> None:
    with pytest.raises(igual.ListError, match=why):
        interpret_ruling(said, "v", SPECIES.entry_of)


def test_a_list_that_has_a_word_as_an_entry_means_the_entry() -> None:
    assert interpret_ruling("new entry", "v", {"new entry": "new entry"}).kind == "entry"


def test_rulings_from_python_are_on_disk_at_once(tmp_path: Path) -> None:
    path = tmp_path / "trees.rulings.csv"
    rulings = igual.Rulings.load(path)
    assert len(rulings.table) == 0
    rulings = rulings.decide("tree", "stump", "keep as it is", "a stump, really", by="Ines", on="2026-05-08")
    rulings = rulings.decide("tree", "Oak?", "Common oak", by="Ben", on="2026-05-07")
    assert path.read_text() == (
        "column,value,ruling,reason,by,on\n"
        "tree,Oak?,Common oak,,Ben,2026-05-07\n"
        'tree,stump,keep as it is,"a stump, really",Ines,2026-05-08\n'
    )
    assert igual.Rulings.load(path).rulings == rulings.rulings
    assert list(rulings.withdraw("tree", "stump").table["value"]) == ["Oak?"]
    assert "stump" not in path.read_text()
    with pytest.raises(igual.RulingError, match="there is no ruling on 'elm'"):
        rulings.withdraw("tree", "elm")
    for words, said in ((("", "v", "r"), "needs a column"), (("c", "v", " "), "what is ruled")):
        with pytest.raises(igual.RulingError, match=said):
            rulings.decide(*words)
    with pytest.raises(igual.RulingError, match="takes a day such as 2026-05-31; found 'May'"):
        rulings.decide("c", "v", "r", on="May")


@pytest.mark.parametrize(
    ("content", "said"),
    [
        ("column,value\n", "has no column 'ruling'"),
        ("column,value,ruling,reason,by,on\ntree,,Oak,,,\n", "row 2: the ruling has no value"),
        ("column,value,ruling,reason,by,on\ntree,a,Oak,,,\ntree,b,Oak,,,8.5.26\n", "row 3: 'on' takes a day"),
        ("column,value,ruling,reason,by,on\ntree,a\n", "row 2: 2 cells found, 6 expected"),
    ],
)
def test_files_of_rulings_that_are_refused(tmp_path: Path, content: str, said: str) -> None:
    path = tmp_path / "r.csv"
    path.write_text(content)
    with pytest.raises(igual.RulingError, match=said):
        igual.Rulings.load(path)
    with pytest.raises(igual.RulingError):
        igual.Rulings(file=str(path)).decide("tree", "c", "Oak")
    assert path.read_text() == content


@given(
    st.lists(
        st.tuples(*[st.text(max_size=3)] * 3, st.dates().map(str)), unique_by=lambda row: (row[:2], row[3])
    )
)
def test_rulings_made_apart_merge_into_one_order(rows: list[tuple[str, str, str, str]]) -> None:
    rulings = [Ruling(column, value, ruling, "", "", on) for column, value, ruling, on in rows]
    assert sort_rulings([*sort_rulings(rulings[::2]), *sort_rulings(rulings[1::2])]) == sort_rulings(rulings)


@given(st.text(min_size=1))
def test_a_value_between_marks_is_never_a_formula(value: str) -> None:
    assert draw_between_marks(value).startswith("‹")
    assert unguarded("'" + value) in (value, "'" + value)


# Sheets.


def filled(path: Path, answers: dict[str, str], **change: object) -> Path:
    """A sheet with rulings put in by value, as a steward would; cells may be changed on the way."""
    if path.suffix == ".xlsx":
        sheet = openpyxl.load_workbook(path)
        page = sheet.worksheets[0]
        head = [cell.value for cell in page[1]]
        for row in page.iter_rows(min_row=2):
            value = row[head.index("value")].value
            row[head.index("ruling")].value = answers.get(str(value))
            if value in change:
                row[head.index("value")].value = change[str(value)]
        sheet.save(path)
        return path
    with path.open(encoding="utf-8", newline="") as file:
        rows = list(csv.DictReader(file, delimiter="\t" if path.suffix == ".tsv" else ","))
    for row in rows:
        row["ruling"] = answers.get(row["value"], "")
    with path.open("w", encoding="utf-8", newline="") as file:
        writer = csv.DictWriter(file, rows[0], delimiter="\t" if path.suffix == ".tsv" else ";")
        writer.writeheader()
        writer.writerows(reversed(rows))
        file.write(writer.writer.dialect.delimiter.join([""] * 10) + "\n")
    return path


ANSWERS = {
    "Oak?": "Common oak", "stump": "keep as it is", "banana": "not in the list", "Elm": "new entry",
    " 0070": "007", "=1+1": "keep as it is", "'=1+1": "keep as it is",
}  # fmt: skip


@pytest.mark.parametrize("ending", [".csv", ".tsv", ".xlsx"])
def test_open_values_go_out_and_come_back(tmp_path: Path, ending: str) -> None:
    path = tmp_path / f"open{ending}"
    book = book_of()
    outcome = book.apply({"tree": TREES})
    outcome.save_open(path)
    first = path.read_bytes()
    outcome.save_open(tmp_path / f"again{ending}")
    assert (tmp_path / f"again{ending}").read_bytes() == first
    assert [answer.ruling for answer in read_sheet(path)] == [""] * 6
    review = igual.Rulings().review(filled(path, ANSWERS), book, by="Ines", on="2026-05-08")
    assert review.refused.empty, review.refused
    assert sorted(review.taken["value"]) == [" 0070", "=1+1", "Elm", "Oak?", "banana", "stump"]
    assert review.taken.set_index("value").loc["Oak?", "rows"] == 2
    assert "Rulings taken: 6 values, 7 rows" in repr(review)
    assert "Oak?" in review._repr_html_()
    later = replace(book, rulings=review.rulings).apply({"tree": TREES})
    assert later.table["tree"][0] == "Common oak"
    assert later.open.empty
    assert later.unknown["value"].tolist() == ["banana"]


def test_a_workbook_helps_the_steward_and_never_computes(tmp_path: Path) -> None:
    book_of().apply({"tree": [*TREES, "@cmd", "+1", "-1", "oak\x0b"]}).save_open(tmp_path / "open.xlsx")
    book = openpyxl.load_workbook(tmp_path / "open.xlsx")
    page, choices = book.worksheets
    assert [cell.value for cell in page[1]] == [
        "column", "value", "shown", "rows", "proposal", "score", "why", "runners-up", "ruling", "reason",
    ]  # fmt: skip
    assert page.freeze_panes == "C2"
    assert page.auto_filter.ref.startswith("A1:J")
    assert choices.sheet_state == "hidden"
    assert not [cell for row in page.iter_rows() for cell in row if cell.data_type == "f"]
    values = {cell.value: cell for cell in page["B"]}
    assert values["=1+1"].data_type == values["@cmd"].data_type == "s"
    assert {cell.value for cell in page["C"]} >= {"‹·0070›", "‹=1+1›"}
    first = page.data_validations.dataValidation[0]
    assert (first.type, str(first.sqref)) == ("list", f"I2:I{page.max_row}")
    assert first.formula1 == "OFFSET(choices!$A2:$D2,0,0,1,COUNTA(choices!$A2:$D2))"
    # Spreadsheet programs take no more than 65,534 of these in a sheet.
    assert len(page.data_validations.dataValidation) == 1
    offered = [cell.value for cell in choices[2] if cell.value]
    assert offered[0] == "Common oak"
    assert offered[-3:] == ["keep as it is", "not in the list", "new entry"]


def test_a_workbook_has_no_more_rows_than_a_spreadsheet_holds(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("igual.files.sheets.MOST_ROWS", 3)
    outcome = book_of().apply({"tree": TREES})
    with pytest.raises(igual.OutputError, match=r"a spreadsheet holds 3 rows; write the sheet as \.csv"):
        outcome.save_open(tmp_path / "open.xlsx")
    assert not [*tmp_path.iterdir()]
    outcome.save_open(tmp_path / "open.csv")


def test_a_table_that_is_taken_for_a_sheet_is_told_apart(run: Run, tmp_path: Path) -> None:
    (tmp_path / "trees.csv").write_text("id,tree\n1,oak\n")
    (tmp_path / "b.toml").write_text("igual = 1\n")
    refused = run("review b.toml trees.csv")
    assert refused.returncode == 2
    assert (
        "trees.csv is no sheet of open values, which has the columns column, value, ruling" in refused.stderr
    )
    assert "--table" in refused.stderr


def test_what_a_spreadsheet_did_to_values_is_put_right_or_said(tmp_path: Path) -> None:
    path = tmp_path / "open.xlsx"
    book = book_of()
    book.apply({"tree": ["0071", "TRUE", " stump", "1e5", "banana", "2024-05-01 x"]}).save_open(path)
    changed = {
        "0071": 71,
        "TRUE": True,
        " stump": "stump",
        "1e5": 100000.0,
        "banana": "bananas",
        "2024-05-01 x": datetime(2024, 5, 1),
    }
    answers = dict.fromkeys(changed, "keep as it is")
    review = igual.Rulings().review(filled(path, answers, **changed), book)
    assert sorted(review.taken["value"]) == [" stump", "0071", "1e5", "2024-05-01 x", "TRUE", "banana"]
    said = {one.ruling.value: one.note for one in review.accepted}
    assert said["0071"] == "the value had been changed from '0071' to '71'; taken as '0071'"
    sheet = openpyxl.Workbook()
    for line in (
        ["Column", "VALUE ", "ruling"],
        ["tree", 71, "keep as it is"],
        [None] * 3,
        ["tree", "=A1", "007"],
    ):
        sheet.active.append(line)
    sheet.save(path)
    review = igual.Rulings().review(path, book)
    assert review.refused[["row", "why"]].values.tolist() == [
        [2, "the value was turned into a number (71); write it as a text"], [4, "there is no value"],
    ]  # fmt: skip


def answered(*rows: tuple[str, str, str]) -> list[Answer]:
    return [Answer(place, *row[:2], ruling=row[2], rows=3) for place, row in enumerate(rows, 2)]


def test_every_row_of_a_sheet_is_judged_and_good_ones_are_taken() -> None:
    book = book_of(ruled("known", "Common oak"), ruled("other", "Common oak", reason="the leaf"))
    found = check_answers(
        answered(
            ("tree", "a", "Common oak"), ("tree", "a", "English oak"),
            ("tree", "b", "Common oak"), ("tree", "b", "Field maple"), ("tree", "b", "Common oak"),
            ("tree", "c", "Comon oak"), ("tre", "d", "Common oak"), ("tree", "", "Common oak"),
            ("tree", "known", "English oak"), ("tree", "other", "Field maple"), ("tree", "e", ""),
        ),
        book, "Ben", "2026-06-01",
    )  # fmt: skip
    assert [one.ruling for one in found.accepted] == [ruled("a", "Common oak", "Ben", "2026-06-01")]
    contradiction = (
        "it is ruled otherwise in another row ('Common oak' in row 4, 'Field maple' in row 5, 'Common oak' in row 6); "
        "none is taken"
    )
    assert [(one.row, one.why) for one in found.rejected] == [
        *((row, contradiction) for row in (4, 5, 6)),
        (7, "list 'species': 'Comon oak' is not an entry of the list; did you mean 'Common oak'?"),
        (8, "no rule of the rulebook matches a column 'tre'; did you mean 'tree'?"),
        (9, "there is no value"),
        (
            11,
            "it was ruled 'Common oak' by Ines on 2026-05-08 (the leaf); overrule that if this one is to count",
        ),
    ]
    assert (found.unanswered, found.known) == (1, 1)
    again = check_answers(
        answered(("tree", "other", "Field maple")), book, "Ben", "2026-06-01", overrule=True
    )
    both = answered(("tree", "other", "Common oak"), ("tree", "other", "Field maple"))
    contradicting = check_answers(both, book, "Ben", "2026-06-01", overrule=True)
    assert ([one.row for one in contradicting.rejected], contradicting.accepted) == ([2, 3], [])
    assert again.accepted[0].before == ruled("other", "Common oak", reason="the leaf")


def test_a_value_that_is_not_the_one_that_went_out_is_refused() -> None:
    answer = Answer(2, "tree", "oak", draw_between_marks("elm\u200b"), ruling="Common oak")
    found = check_answers([answer], book_of(), "", "")
    assert found.rejected[0].why.startswith("the value 'oak' isn't the one that went out, ‹elm")


def test_rulings_are_by_the_column_that_is_written() -> None:
    rules = [Spacing(column="raw"), Match(column="raw", list="species", into="tree")]
    book = igual.Rulebook(rules, {"species": SPECIES}, rulings=igual.Rulings([ruled("Oak?", "Common oak")]))
    outcome = book.apply({"raw": [" Oak?"]})
    assert outcome.table == {"raw": ["Oak?"], "tree": ["Common oak"]}
    assert book.matched_columns() == ["tree"]


def test_lookalikes_make_rulings() -> None:
    sheet = igual.lookalikes(["Norway maple"] * 3 + ["Norway mapel"]).rulings("tree")
    one = sheet.iloc[0]
    assert igual.Rulings().decide(one["column"], one["value"], one["ruling"], one["reason"], on="2026-05-08")
