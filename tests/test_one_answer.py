"""What becomes of a value depends on it alone: not on other rows, their number or order, nor on how a table is cut."""

from __future__ import annotations

import datetime
from pathlib import Path

import pandas as pd
import polars as pl
import pyarrow as pa
import pytest
from hypothesis import given
from hypothesis import strategies as st

import igual
from igual.matching.exact_parts import find_differing_parts, list_quantities
from igual.matching.reasons import REASON_KINDS, Reason, Role
from igual.report.reasons import _SENTENCES, format_reasons
from igual.rules import Blanks, Case, Date, Match, Mention, Replace, Spacing
from tests.conftest import examples

ENTRIES = ["Norway maple", "Common oak", "Dawlish", "Kyiv", "Pier 12", "Silver birch"]
VALUES = [
    "Norwy maple", "Norway mapel", "Comon oak", "Dawlish Warren", "Kyiv Oblast", "Lviv Oblast", "Pier 21", "Pier 12",
    "silver  BIRCH", "Silver brch", "N. maple", "oak", "Common oaks", "unheard of", "",
]  # fmt: skip
BOOK = igual.Rulebook(
    [Match(column="at", list="trees"), Mention(column="text", list="trees", by=("exact", "folded", "fuzzy"))],
    lists={"trees": igual.ReferenceList(ENTRIES)},
)


def clean(values: list[str]) -> dict[str, tuple[str, str]]:
    """What each value becomes in one table."""
    table = BOOK.apply({"at": values, "text": [f"near the {value} then" for value in values]}).table
    return dict(zip(values, zip(table["at"], table["text"], strict=True), strict=True))


ALONE = {value: clean([value])[value] for value in VALUES}


@examples(80)
@given(st.lists(st.sampled_from(VALUES), min_size=1, max_size=60))
def test_any_subset_order_and_number_of_rows_gives_each_value_the_same(values: list[str]) -> None:
    assert clean(values) == {value: ALONE[value] for value in values}


@examples(40)
@given(st.lists(st.sampled_from(VALUES), min_size=1, max_size=60))
def test_a_status_and_its_reasons_depend_on_the_value_alone(values: list[str]) -> None:
    columns = ["value", "status", "proposal", "score", "why"]
    whole = igual.match(values, ENTRIES).table[columns]
    for row in whole.fillna("").to_dict("records"):
        (alone,) = igual.match([row["value"]], ENTRIES).table[columns].fillna("").to_dict("records")
        assert row == alone


@pytest.mark.parametrize("most_values", [1, 2, 5, 1000])
def test_every_engine_and_every_cut_gives_the_same(most_values: int, tmp_path: Path) -> None:
    values = [value for number, value in enumerate(VALUES[:-1]) for _ in range(1 + 7 * number % 23)]
    book = igual.Rulebook(BOOK.rules[:1], lists=BOOK.lists)
    wanted = [ALONE[value][0] for value in values]
    source, target = tmp_path / "in.csv", tmp_path / "out.csv"
    pl.DataFrame({"at": values}).write_csv(source)
    book.apply_file(source, target, most_values=most_values)
    assert pl.read_csv(target)["at"].to_list() == wanted
    assert book.apply(pl.scan_csv(source)).table.collect()["at"].to_list() == wanted
    assert book.apply(pd.DataFrame({"at": values})).table["at"].tolist() == wanted
    batches = pa.table({"at": values}).to_batches(max_chunksize=most_values)
    read = book.apply(pa.RecordBatchReader.from_batches(batches[0].schema, batches)).table.read_all()
    assert read["at"].to_pylist() == wanted
    assert [book.apply({"at": [value]}).table["at"][0] for value in values] == wanted


def test_what_a_column_is_to_be_follows_from_its_rules_alone() -> None:
    read = Date(column="at", form="DD/MM/YYYY", when={"starts": "3"})
    table = {"at": ["31/05/2026", "soon", "2/1/2026"]}
    # A later rule gives texts, whether it changes one of these rows or not: what was no day is kept.
    for replaced in ("soon", "never"):
        book = igual.Rulebook([read, Replace(column="at", pairs={replaced: "later"})])
        assert book.apply(table).table["at"] == [
            "2026-05-31",
            "later" if replaced == "soon" else "soon",
            "2/1/2026",
        ]
        assert book.apply({"at": ["2/1/2026"]}).table["at"] == ["2/1/2026"]
    # Spaces, case and blanks leave days what they are.
    for rule in (
        Spacing(column="at"),
        Case(column="at", style="lower"),
        Blanks(column="at", texts=("2026-05-31",)),
    ):
        given = igual.Rulebook([read, rule]).apply(table).table["at"]
        assert given == [None if rule.do == "blanks" else datetime.date(2026, 5, 31), None, None]
    # What takes hyphens for spaces, or away, gives texts.
    for rule, wanted in (
        (Case(column="at", style="snake"), "2026_05_31"),
        (Spacing(column="at", also="-"), "2026-05-31"),
    ):
        assert igual.Rulebook([read, rule]).apply(table).table["at"][0] == wanted


def test_new_columns_come_in_the_order_of_their_rules_in_every_engine(tmp_path: Path) -> None:
    table = {"a": ["ab", "cd"], "b": ["q", "r"]}
    rules = [
        Replace(column="b", pairs={"q": "Q"}), Case(column="a", style="upper", into="first"),
        Case(column="b", style="lower", into="second"),
    ]  # fmt: skip
    book, wanted = igual.Rulebook(rules), ["a", "b", "first", "second"]
    assert [*book.apply(table).table] == wanted
    assert book.apply(pl.LazyFrame(table)).table.collect().columns == wanted
    batches = pa.table(table).to_batches()
    reader = pa.RecordBatchReader.from_batches(batches[0].schema, batches)
    assert book.apply(reader).table.read_all().column_names == wanted
    pl.DataFrame(table).write_csv(tmp_path / "t.csv")
    book.apply_file(tmp_path / "t.csv", tmp_path / "o.csv")
    assert (tmp_path / "o.csv").read_text().splitlines()[0] == ",".join(wanted)


def test_a_value_as_frequent_as_its_entry_is_a_hint_and_no_doubt() -> None:
    book = igual.Rulebook([Match(column="at", list="trees")], lists={"trees": igual.ReferenceList(ENTRIES)})
    often = book.apply({"at": ["Norwy maple"] * 12 + ["Norway maple"] * 10 + ["Comon oak"] * 50})
    assert often.table["at"][:22] == ["Norway maple"] * 22
    (hint,) = (hint for hint in often.hints if hint.kind == "as frequent")
    assert hint.text == (
        "rule 1 (match): 12 rows of column 'at' have 'Norwy maple', and 10 rows its entry 'Norway maple': it may be "
        "an entry of its own"
    )


@pytest.mark.parametrize(
    ("value", "entry"),
    [
        ("0.5 mg", "0.05 mg"), ("Aspirin 0.5 mg", "Aspirin 5 mg"), ("−5 °C", "5 °C"), ("–5 °C", "5 °C"), ("-5", "5"),
        ("CD4 count <5", "CD4 count >5"), ("CD4 count <= 5", "CD4 count 5"), ("dose 5 mg", "dose 5 mg/ml"),
        ("第三中学", "第四中学"), ("バス", "パス"), ("ガラスバス", "ガラスパス"), ("दिल्लि", "दिल्ली"), ("Route +5", "Route -5"),
        ("Model 1½", "Model 1"), ("Pier 1.2", "Pier 1-2"), ("Kanal ±5", "Kanal 5"), ("plot 5.0", "plot 5.00"),
        ("กา", "กี"), ("Pier three", "Pier 4"), ("ポスト", "ホスト"),
    ],
)  # fmt: skip
def test_quantities_and_marks_that_differ_are_never_settled(value: str, entry: str) -> None:
    (row,) = igual.match([value], [entry]).table.to_dict("records")
    assert row["status"] != "settled"
    # Nor by a yes to whatever else is between the two.
    (question, *_) = [*igual.match([value], [entry]).questions, None]
    assert question is None or question.cause is None
    assert igual.lookalikes([value] * 9 + [entry]).pairs == {}


@pytest.mark.parametrize(
    ("value", "entry"),
    [("Asprin 0,5 mg", "Aspirin 0.5 mg"), ("Peir three", "Pier 3"), ("Route 07 Nroth", "Route 7 North"),
     ("Mülller Strasse", "Müller Straße"), ("Гагарна", "Гагарина"), ("Norwy (maple)", "Norway maple")],
)  # fmt: skip
def test_what_agrees_in_quantities_is_settled_as_before(value: str, entry: str) -> None:
    assert find_differing_parts(value, entry) == []
    assert igual.match([value], [entry]).table["status"].tolist() == ["settled"]


def test_quantities_are_read_with_signs_and_decimals() -> None:
    read = {
        text: list_quantities(text)
        for text in ["A-5", "pH > 7", "5-7 m", "x−1", ".5", "1,234.50", "no. 007", "=> 3"]
    }
    assert read == {
        "A-5": ("5",), "pH > 7": (">7",), "5-7 m": ("5", "7"), "x−1": ("1",), ".5": ("0.5",), "1,234.50": ("1.234.50",),
        "no. 007": ("7",), "=> 3": ("≥3",),
    }  # fmt: skip


def test_every_kind_of_reason_has_a_role_and_a_sentence() -> None:
    assert set(_SENTENCES) == set(REASON_KINDS)
    for kind, known in REASON_KINDS.items():
        if known.role == Role.DOUBT:
            reasons = (Reason("same words"), Reason(kind, ("12", "7", "9")))
            assert format_reasons(reasons).startswith("the same words; but ")
    with pytest.raises(KeyError):
        _ = Reason("made up").role


def test_a_text_that_is_cut_is_not_called_the_same() -> None:
    words = " ".join(f"word{chr(97 + number)}" for number in range(20))
    why = igual.match([f"{words} one"], [f"{words} two"]).table["why"][0]
    assert "the same words, as far as they are compared" in why
    assert "too long to compare whole" in why
