"""A first rulebook, drafted from what a table shows."""

from __future__ import annotations

import json
from collections.abc import Callable
from pathlib import Path

import pandas as pd
import pytest

import igual
from tests.attack.forked import Done

Run = Callable[..., Done]
SPECIES = igual.ReferenceList(["Norway maple", "Common oak", "Field maple", "Silver birch"])


def test_rules_come_in_the_order_of_work_with_their_why() -> None:
    table = {
        "tree": ["Norway maple ", "Common oak", "norwy maple", "Field  maple", "n/a"],
        "planted": ["31/05/2024", "1/6/2024", "02/06/2024", "3/6/2024", "?"],
        "height": ["1,5", "2,75", "12,0", "3", "n/a"],
    }
    draft = igual.draft(table, lists={"species": SPECIES})
    assert [(rule.do, rule.columns) for rule in draft.rules] == [
        ("spacing", ("tree",)), ("blanks", ("tree",)), ("match", ("tree",)), ("blanks", ("planted",)), ("date", ("planted",)),
        ("blanks", ("height",)), ("replace", ("height",)), ("number", ("height",)),
    ]  # fmt: skip
    assert all(rule.note for rule in draft.rules)
    clean = draft.rulebook.apply(table).table
    assert clean["tree"] == ["Norway maple", "Common oak", "Norway maple", "Field maple", None]
    assert clean["height"] == [1.5, 2.75, 12.0, 3.0, None]
    again = draft.rulebook.apply(clean).table
    assert again == clean


def test_what_is_uncertain_is_left_to_the_steward() -> None:
    ambiguous = igual.draft({"day": ["01/02/2024", "03/04/2024"] * 5})
    assert ambiguous.rules == []
    (rule,) = ambiguous.uncertain
    assert "MM/DD/YYYY fits as well: which is meant?" in (rule.note or "")
    maybe = igual.draft({"a": ["oak", "elm", "unknown"] * 3})
    assert [rule.do for rule in maybe.uncertain] == ["blanks"]
    with pytest.raises(igual.RulebookError, match="nothing to draft"):
        _ = maybe.rulebook
    alike = igual.draft({"street": ["Harbour Road"] * 30 + ["Harbuor Road"]})
    assert [rule.do for rule in alike.uncertain] == ["replace"]
    assert alike.pairs["street"].pairs == {"Harbuor Road": "Harbour Road"}


def test_one_case_where_most_rows_have_it() -> None:
    draft = igual.draft({"tree": ["common oak"] * 8 + ["COMMON OAK", "Common Oak"]})
    assert [(rule.do, getattr(rule, "style", None)) for rule in draft.rules] == [("case", "lower")]
    assert "not COMMON OAK, Common Oak" in (draft.rules[0].note or "").replace("·", " ")


def test_two_forms_of_dates_become_two_rules() -> None:
    table = {"day": ["31/05/2024", "01/06/2024", "2024-06-02", "3.6.2024", "04/06/2024"] * 9}
    draft = igual.draft({"day": [day for day in table["day"] if "." not in day]})
    assert [(rule.do, rule.when is not None) for rule in draft.rules] == [("date", True)]
    two = igual.draft({"day": [day for day in table["day"] if "-" not in day]})
    assert [getattr(rule, "form", "") for rule in two.rules] == ["DD/MM/YYYY", "DD.MM.YYYY"]
    clean = two.rulebook.apply({"day": ["31/05/2024", "3.6.2024"]}).table["day"]
    assert [str(day) for day in clean] == ["2024-05-31", "2024-06-03"]
    three = igual.draft(table)
    assert three.rules == []


def test_two_decimal_marks_become_one() -> None:
    table = {"h": ["1,5", "2.5", "3,25", "4.75", "5"] * 4}
    draft = igual.draft(table)
    assert [rule.do for rule in draft.rules] == ["replace", "number"]
    assert draft.rulebook.apply(table).table["h"][:5] == [1.5, 2.5, 3.25, 4.75, 5.0]


@pytest.mark.parametrize(
    "table",
    [
        {"a": ["oak", "elm"], "b": ["1", "2"]}, {"a": []}, {"a": [None, None]}, {"n": [1, 2, 3]}, {"day": ["2024-05-31"]},
        {"id": ["007", "010"]},
    ],
)  # fmt: skip
def test_a_clean_table_drafts_nothing(table: dict[str, list[object]]) -> None:
    draft = igual.draft(table)
    assert (draft.drafted, dict(draft.codes)) == ([], {})
    assert repr(draft) == "Nothing needs a rule."


def test_a_draft_on_disk_runs_at_once(run: Run, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.chdir(tmp_path)
    rows = [f"{'Oaks ' if n % 2 else 'Elms'},{'ab'[n % 2]},{'a' if n % 3 else 'b'}" for n in range(30)]
    Path("t.csv").write_text("tree,site code,site-code\n" + "\n".join(rows) + "\n")
    shown = run("draft t.csv")
    assert shown.returncode == 0
    assert "Nothing was written: --out RULEBOOK does that." in shown.stdout
    done = run("draft t.csv --out mine.toml --json")
    written = json.loads(done.stdout)["written"]
    assert written == ["mine.toml", "mine.site_code.codes.csv", "mine.site_code_2.codes.csv"]
    assert Path(written[1]).read_text().splitlines()[0] == "code,label"
    assert '# codebook = "site_code"' in Path("mine.toml").read_text()
    assert run("apply mine.toml t.csv --out clean.csv").returncode == 0
    assert pd.read_csv("clean.csv")["tree"].unique().tolist() == ["Elms", "Oaks"]
    # Once labels are filled in, the commented rules are a rulebook as well.
    for path in written[1:]:
        lines = Path(path).read_text().splitlines()
        Path(path).write_text("\n".join([lines[0], *(f"{line}label {line[0]}" for line in lines[1:])]) + "\n")
    text = Path("mine.toml").read_text()
    Path("all.toml").write_text(
        "\n".join(
            line.removeprefix("# ") if line.startswith(("# [", "# c", "# d", "# f", "# n")) else line
            for line in text.splitlines()
        )
    )
    assert run("apply all.toml t.csv --out all.csv").returncode == 0, run(
        "apply all.toml t.csv --out all.csv"
    ).stderr
    again = run("draft t.csv --out mine.toml")
    assert again.returncode == 2
    assert "mine.toml is there already; a draft overwrites nothing" in again.stderr
    Path("clean2.csv").write_text("a\nx\n")
    nothing = run("draft clean2.csv --out other.toml")
    assert (nothing.returncode, Path("other.toml").exists()) == (1, False)


def test_a_header_style_is_left_to_the_steward(tmp_path: Path) -> None:
    draft = igual.draft({"tree_id": ["a "], "planted_on": ["b"], "Height M": ["c"]})
    assert draft.headers == "snake"
    draft.save(tmp_path / "mine.toml")
    text = (tmp_path / "mine.toml").read_text()
    assert '# headers = "snake"' in text
    (tmp_path / "all.toml").write_text(text.replace("# headers", "headers"))
    assert igual.Rulebook.load(tmp_path / "all.toml").headers == "snake"


def test_hostile_values_stay_texts_in_a_draft(tmp_path: Path) -> None:
    table = {'a"]\n[[rule]]\ndo = "x': ["=cmd ", 'oak\n"""', "\x1b[31m ", "oak"] * 9}
    draft = igual.draft(table)
    draft.save(tmp_path / "mine.toml")
    assert igual.Rulebook.load(tmp_path / "mine.toml").rules == draft.rulebook.rules


def test_the_demo_is_drafted_nearly_whole(trees: Path) -> None:
    raw = pd.read_csv(trees / "trees.csv", dtype=str, keep_default_na=False)
    lists = {
        name: igual.ReferenceList.load(trees / f"{name}.csv")
        for name in ("species", "districts", "contractors")
    }
    codebooks = {name: igual.Codebook.load(trees / f"{name}.csv") for name in ("condition", "site")}
    draft = igual.draft(raw, lists=lists, codebooks=codebooks)
    mine = draft.rulebook.apply(raw).table
    book = igual.Rulebook.load(trees / "trees.toml")
    own = igual.Rulebook(book.rules, book.lists, book.codebooks, book.pairs).apply(raw).table
    changed = right = 0
    for column in ("species", "condition", "site", "district", "street", "contractor", "planted"):
        wanted = own["firm" if column == "contractor" else column].astype(object).astype(str)
        before, after = raw[column].astype(str), mine[column].astype(object).astype(str)
        touched = wanted != before
        changed += int(touched.sum())
        right += int((touched & (after == wanted)).sum())
    assert right >= 0.85 * changed
    assert igual.draft(mine, lists=lists, codebooks=codebooks).rules == []


def test_numbers_with_units_and_codes_that_lost_zeros() -> None:
    table = {
        "height": ["12 cm", "7 cm", "30 CM", "5", "110 cm"] * 6,
        "price": ["€ 5,20", "€7,00", "€ 12"] * 10,
        "code": ["00417", "20417", "417", "01200", "31111", "90210"] * 5,
        "mixed": ["3 m", "20 cm", "5 m"] * 10,
        "several widths": ["01", "001", "1", "22", "333"] * 6,
    }
    draft = igual.draft(table)
    assert [(rule.do, rule.columns[0]) for rule in draft.rules] == [
        ("number", "height"), ("replace", "price"), ("number", "price"), ("pad", "code"),
    ]  # fmt: skip
    assert [(rule.do, rule.columns[0]) for rule in draft.uncertain] == [
        ("number", "mixed"),
        ("pad", "several widths"),
    ]
    clean = draft.rulebook.apply(table).table
    assert clean["height"][:5] == [12, 7, 30, 5, 110]
    assert clean["price"][:3] == [5.2, 7.0, 12.0]
    assert clean["code"][:3] == ["00417", "20417", "00417"]
    assert draft.rulebook.apply(clean).table == clean
    assert draft.drafted[0].examples[0] == ("12 cm", "12")
    assert "12 cm → 12" in repr(draft)


def test_numbers_with_groups_of_digits() -> None:
    table = {
        "eu": ["1.234,5", "12.000,00", "7,25", "310", "1.000.000"] * 6,
        "us": ["1,234.5", "45.5", "10,000.00", "7", "2,000,000"] * 6,
        "spaced": ["1 234,5", "12 000", "7", "8,5", "9"] * 6,
        "unclear": ["1.234,5", "1.234", "2.500", "7,5", "8"] * 6,
    }
    draft = igual.draft(table)
    clean = draft.rulebook.apply(table).table
    assert clean["eu"][:5] == [1234.5, 12000, 7.25, 310, 1_000_000]
    assert clean["us"][:5] == [1234.5, 45.5, 10000, 7, 2_000_000]
    assert clean["spaced"][:5] == [1234.5, 12000, 7, 8.5, 9]
    assert clean["unclear"] == table["unclear"]
    assert {rule.columns[0] for rule in draft.uncertain} == {"unclear"}
    assert draft.rulebook.apply(clean).table == clean


def test_a_word_like_the_others_may_be_a_value() -> None:
    places = igual.draft(
        {
            "place": ["Nan", "Krabi", "Trang", "Saltby", "n/a"] * 4,
            "code": ["NAN", "SUV", "AKL", "ZRH", "?"] * 4,
        }
    )
    assert [(rule.columns[0], getattr(rule, "texts", ())) for rule in places.rules] == [
        ("place", ("n/a",)),
        ("code", ("?",)),
    ]
    assert [(rule.columns[0], getattr(rule, "texts", ())) for rule in places.uncertain] == [
        ("place", ("nan",)),
        ("code", ("nan",)),
    ]
    (surely,) = igual.draft({"place": ["nan", "Krabi", "Trang", "Saltby", "Vessel"] * 4}).rules
    assert getattr(surely, "texts", ()) == ("nan",)


def test_the_draft_finds_most_of_what_the_demo_changes(trees: Path) -> None:
    raw = pd.read_csv(trees / "trees.csv", dtype=str, keep_default_na=False)
    lists = {
        name: igual.ReferenceList.load(trees / f"{name}.csv")
        for name in ("species", "districts", "contractors")
    }
    codebooks = {name: igual.Codebook.load(trees / f"{name}.csv") for name in ("condition", "site")}
    own = igual.Rulebook.load(trees / "trees.toml").apply(raw).table
    made = igual.draft(raw, lists=lists, codebooks=codebooks).rulebook.apply(raw).table
    changed = agreed = 0
    for name in raw:
        texts = [
            table[name].astype(object).where(table[name].notna(), "").astype(str) for table in (own, made)
        ]
        changed += int((texts[0] != raw[name]).sum())
        agreed += int(((texts[0] != raw[name]) & (texts[0] == texts[1])).sum())
        # The demo matches firms into a column of their own, and writes streets as names; the draft only respaces them.
        aim = own["firm"].astype(object).fillna("") if name == "contractor" else texts[0]
        differing = (texts[1] != raw[name]) & (texts[1] != aim)
        if name == "street":
            differing &= texts[1].str.casefold() != texts[0].str.casefold()
        assert not differing.any(), name
    assert agreed / changed >= 0.8


def test_what_is_in_force_changes_no_value_that_a_list_or_codebook_knows() -> None:
    people = igual.ReferenceList(["MacGregor", "O'Neill", "Van Dyke", "Smith"])
    table = {"name": ["MacGregor"] * 5 + ["Smith"] * 30 + ["smith", "JONES"] + ["Unlisted Person"] * 60}
    draft = igual.draft(table, lists={"people": people})
    assert draft.rules == []
    assert next((rule.do, rule.columns) for rule in draft.uncertain) == ("case", ("name",))
    assert all("MacGregor" not in pairs.pairs for pairs in draft.pairs.values())


def test_lists_and_codebooks_come_before_what_else_a_column_may_need() -> None:
    codes = {"codes": igual.Codebook({"a1": "one", "B2": "two", "c3": "three"})}
    table = {"code": ["a1", "B2", "c3", "c3"] * 30 + ["C3"]}
    draft = igual.draft(table, codebooks=codes)
    assert [rule.do for rule in draft.rules] == ["label"]
    # Two that know as much of a column: which is meant is asked.
    two = igual.draft(
        {"code": ["a1", "B2"] * 9}, codebooks={**codes, "others": igual.Codebook({"a1": "x", "B2": "y"})}
    )
    assert two.rules == []
    assert [rule.do for rule in two.uncertain] == ["label"]


def test_lists_and_codebooks_that_are_not_used_are_named_with_the_reason() -> None:
    table = {"k": ["2.0", "1.0", "3.0"] * 12, "c": ["A1", "B2", "a1", "x"] * 9}
    draft = igual.draft(
        table,
        codebooks={
            "numbers": igual.Codebook({"1": "one", "2": "two", "3": "three"}),
            "codes": igual.Codebook({"A1": "one", "B2": "two"}),
        },
        lists={"elsewhere": igual.ReferenceList(["Norway maple"])},
    )
    assert [(one.name, one.column, one.near) for one in draft.not_used] == [
        ("elsewhere", "", ""), ("numbers", "k", draft.not_used[1].near), ("codes", "c", "A1"),
    ]  # fmt: skip
    assert (draft.not_used[1].value, draft.not_used[1].near) in {("2.0", "2"), ("1.0", "1"), ("3.0", "3")}
    shown = " ".join(str(draft).split())
    assert "codebook 'numbers' is not used: it knows no value of any column ('" in shown
    assert (
        "codebook 'codes' is not used: it knows 50 % of the rows of column 'c', and 80 % are needed" in shown
    )


def test_dates_in_words_are_no_spellings_of_each_other() -> None:
    table = {"on": ["12. September 2024", "12 septembre 2024", "3. Mai 2024", "3 mai 2024"] * 9 + ["no date"]}
    draft = igual.draft(table)
    assert (draft.rules, dict(draft.pairs)) == ([], {})
