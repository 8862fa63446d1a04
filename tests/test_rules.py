"""Rules, rulebooks and what they account for."""

from __future__ import annotations

from typing import Any

import pandas as pd
import pyarrow as pa
import pytest
from hypothesis import given
from hypothesis import strategies as st

import igual
from igual.rules import Case, Label, Match, OtherText, Replace, Spacing

CONDITION = igual.Codebook({"1": "good", "2": "fair", "a": "avenue", "A": "alley"})
SPECIES = igual.ReferenceList(
    ["Norway maple", "Common oak", "Cala Brión", "Re-do", "Redo"],
    aliases={"Common oak": ["English oak", "QURO"]},
)


def outcome_of(*rules: Any, **columns: list[str | None]) -> igual.Outcome:
    return igual.Rulebook(rules, {"species": SPECIES}, {"condition": CONDITION}).apply(columns)


@pytest.mark.parametrize(
    ("rule", "raw", "wanted", "unknown"),
    [
        (Label(column="c", codebook="condition"), ["1", "9", "a", "A"], ["good", "9", "avenue", "alley"], ["9"]),
        (Label(column="c", codebook="condition", otherwise="blank"), ["9", None, " "], ["", None, " "], ["9"]),
        (Label(column="c", codebook="condition", otherwise=OtherText(text="?")), ["9", ""], ["?", ""], ["9"]),
        (Label(column="c", codebook="condition"), ["good", "Good", " 1"], ["good", "Good", " 1"], [" 1", "Good"]),
        (Match(column="c", list="species", by="exact"), ["QURO", "quro"], ["Common oak", "quro"], ["quro"]),
        (Match(column="c", list="species"), ["quro", "NORWAY-MAPLE", "cala brion"],
         ["Common oak", "Norway maple", "Cala Brión"], []),
        (Match(column="c", list="species"), ["Redo", "re-do", "REDO"], ["Redo", "re-do", "REDO"], []),
        (Match(column="c", list="species", by="folded"), ["Redo", "x"], ["Redo", "x"], ["x"]),
        (Match(column="c", list="species", otherwise="blank"), ["elm", None], ["", None], ["elm"]),
    ],
)  # fmt: skip
def test_looking_up(rule: Any, raw: list[str | None], wanted: list[str | None], unknown: list[str]) -> None:
    outcome = outcome_of(rule, c=raw)
    assert outcome.table["c"] == wanted
    assert outcome.unknown["value"].tolist() == unknown


def test_ignoring_case_is_reported_and_refused_where_it_merges() -> None:
    book = igual.Codebook({"g": "good", "f": "fair"})
    rules = [Label(column="c", codebook="b", ignore_case=True)]
    outcome = igual.Rulebook(rules, codebooks={"b": book}).apply({"c": ["G", "g"]})
    assert outcome.table["c"] == ["good", "good"]
    assert [(h.kind, h.text) for h in outcome.hints] == [
        ("merged", "rule 1 (label) matched only because ignore_case is set: 'G' (1 row) as 'good'")
    ]
    with pytest.raises(igual.RulebookError, match="codes 'a' and 'A' are the same when case is ignored"):
        outcome_of(Label(column="c", codebook="condition", ignore_case=True), c=["1"])


def test_every_value_can_be_followed() -> None:
    outcome = outcome_of(
        Spacing(columns=["s", "c"]),
        Replace(column="s", pairs={"MAPEL": "MAPLE"}),
        Match(column="s", list="species", into="entry"),
        Case(column="s", style="lower"),
        s=[" NORWAY  MAPEL", None, "QURO", " NORWAY  MAPEL"],
        c=["1", "1 ", "2", "2"],
    )
    assert outcome.table["s"] == ["norway maple", None, "quro", "norway maple"]
    assert outcome.table["entry"] == ["Norway maple", None, "Common oak", "Norway maple"]
    assert [step[0:4] for step in outcome.follow("entry", " NORWAY  MAPEL")] == [
        (1, "spacing", " NORWAY  MAPEL", "NORWAY MAPEL"),
        (2, "replace", "NORWAY MAPEL", "NORWAY MAPLE"),
        (3, "match", "NORWAY MAPLE", "Norway maple"),
    ]
    assert outcome.follow("s", None)[0].after is None
    first = outcome.trail.iloc[0]
    assert (first["column"], first["rows"], first["rules"]) == ("s", 2, "1, 2, 4")
    assert first["steps"].endswith("→ 2 replace: NORWAY MAPLE → 4 case: norway maple")
    assert outcome.crosswalk("c").to_dict("list") == {
        "raw": ["1", "1 ", "2"], "clean": ["1", "1", "2"], "rows": [1, 1, 2], "how": ["", "spacing", ""]
    }  # fmt: skip
    effects = outcome.effects[(outcome.effects["rule"] == 1) & (outcome.effects["column"] == "s")]
    assert effects[["values", "rows"]].to_numpy().tolist() == [[1, 2]]
    with pytest.raises(igual.TableError, match="no value 'QUR0'; did you mean 'QURO'"):
        outcome.follow("s", "QUR0")
    with pytest.raises(igual.TableError, match="no rule works on a column 'entri'; did you mean 'entry'"):
        outcome.crosswalk("entri")


def hints(*rules: Any, **columns: list[str | None]) -> list[str]:
    return [hint.text for hint in outcome_of(*rules, **columns).hints]


def test_a_rule_without_effect_is_said_aloud_with_near_misses() -> None:
    rule = Replace(column="c", pairs={"mapel": "maple", "Brion": "x"}, where="word")
    assert hints(rule, c=["MAPEL tree", "MAPEL tree", "Brión", "oak"]) == [
        "rule 1 (replace) changed nothing in 'c'; near misses: "
        "'MAPEL tree' (2 rows) for 'mapel', 'Brión' (1 row) for 'Brion'"
    ]
    assert hints(Replace(column="c", pairs={"elm": "x"}, where="whole"), c=[" elm"])[0].endswith(
        "near misses: '·elm' (1 row) for 'elm'"
    )
    assert hints(Spacing(columns=["c", "d"]), c=["a"], d=["b"]) == [
        "rule 1 (spacing) changed nothing in 'c' and 'd'"
    ]
    assert hints(Spacing(columns=["c", "d"]), c=["a "], d=["b"]) == []


def test_pairs_and_entries_that_serve_for_nothing_are_listed() -> None:
    outcome = outcome_of(
        Replace(column="c", pairs={"1": "2", "B": "x"}), Label(column="c", codebook="condition"), c=["1", "b"]
    )
    assert outcome.hints[0].text == "rule 1 (replace) found nowhere: 'B' (near miss: 'b', 1 row)"
    assert outcome.unused[["rule", "of", "entry"]].to_numpy().tolist() == [
        [1, "pairs", "B"], [2, "codebook condition", "1"], [2, "codebook condition", "a"],
        [2, "codebook condition", "A"],
    ]  # fmt: skip


def test_unknown_values_are_hints_only_where_flagged_but_always_listed() -> None:
    for otherwise, flagged in (("flag", True), ("keep", False), ("blank", False)):
        outcome = outcome_of(Label(column="c", codebook="condition", otherwise=otherwise), c=["9", "9", "1 "])  # type: ignore[arg-type]
        assert outcome.unknown[["value", "rows", "near"]].fillna("").to_numpy().tolist() == [
            ["9", 2, ""], ["1 ", 1, "1"]
        ]  # fmt: skip
        assert any(hint.kind == "unknown" for hint in outcome.hints) is flagged


def test_instability_is_a_hint() -> None:
    assert hints(Replace(column="c", pairs={"a": "aa"}), c=["a"]) == [
        "rule 1 (replace) would change its own output again: 'aa' → 'aaaa'"
    ]
    again = hints(Case(column="c", style="lower"), Label(column="c", codebook="condition"), c=["1", "GOOD"])
    assert again == []
    shouting = Replace(column="c", pairs={"oak": "OAK"})
    assert hints(Case(column="c", style="lower"), shouting, c=["Oak"]) == []
    moved = [Replace(column="c", pairs={"x": "1"}), Replace(column="c", pairs={"good": "x"})]
    assert hints(*moved, c=["x", "good"]) == [
        "rule 1 (replace): this rulebook applied to its own output would change 1 value of column 'c' again, "
        "from here on: 'x' → '1'"
    ]


@pytest.mark.parametrize(
    ("make", "said"),
    [
        (lambda: Spacing(column="a", ends="bth"), "'ends' can't be 'bth'; did you mean 'both'?"),  # type: ignore[arg-type]
        (lambda: Case(column="a"), "the word 'style' is missing"),  # type: ignore[call-arg]
        (lambda: Replace(column="a", pairs={"": "x"}), "'pairs' has an empty text to look for"),
        (lambda: Replace(column="a", pairs={"a": "x", "A": "y"}, ignore_case=True), "pairs 'a' and 'A' are the same"),
        (lambda: Spacing(columns=["a", "b"], into="c"), "'into' takes the result of one column"),
        (lambda: Spacing(columns=["a", "a"]), "'columns' names a column twice"),
        (lambda: Spacing(column="a", into="a"), "'into' names the column itself"),
        (lambda: igual.Rulebook([]), "needs at least one rule"),
        (lambda: igual.Rulebook([Spacing()]), "rule 1 (spacing): 'column' is missing"),
        (lambda: outcome_of(Match(column="a", list="specis"), a=["x"]), "no list 'specis'; did you mean 'species'?"),
        (lambda: outcome_of(Spacing(column="treee"), tree=["x"]), "no column 'treee'; did you mean 'tree'?"),
        (lambda: outcome_of(Spacing(column="a", into="b"), a=["x"], b=["y"]), "would write over the column 'b'"),
        (lambda: igual.Codebook({"1": " "}), "code '1' has no label"),
        (lambda: igual.ReferenceList(["a", "a"]), "entry 'a' stands twice"),
        (lambda: igual.ReferenceList(["a"], {"c": ["x"]}), "aliases are given for 'c', which is not an entry"),
        (lambda: igual.tally(["a"], one_of=[[]]), "'one_of.0' takes a text in quotes; found ()"),  # type: ignore[list-item]
        (lambda: igual.tally("abc"), "expected the values of one column"),
        (lambda: igual.survey(5), "can't take a table of type int"),
    ],
)  # fmt: skip
def test_what_is_refused(make: Any, said: str) -> None:
    with pytest.raises(igual.IgualError) as caught:
        make()
    assert said in str(caught.value)


VALUES = st.lists(st.none() | st.text("aA \u00a0é-1", max_size=4), min_size=1, max_size=30)


@given(VALUES)
def test_rows_always_add_up(values: list[str | None]) -> None:
    outcome = outcome_of(
        Spacing(column="c"),
        Case(column="c", style="title"),
        Replace(column="c", pairs={"A": "1", "1": "2"}),
        Label(column="c", codebook="condition", otherwise="blank"),
        c=values,
    )
    assert outcome.trail["rows"].sum() == len(values)
    walk = {
        (None if pd.isna(raw) else raw): clean
        for raw, clean in outcome.crosswalk("c")[["raw", "clean"]].values
    }
    assert [None if pd.isna(walk[v]) else walk[v] for v in values] == outcome.table["c"]
    changed = sum(rows for rows, rules in outcome.trail[["rows", "rules"]].values if rules)
    assert all(effect <= changed for effect in outcome.effects["rows"])
    for value in set(values):
        assert outcome.follow("c", value)[-1].after == walk[value] or pd.isna(walk[value])


@pytest.mark.parametrize("dtype", ["str", object, "category", "string", pd.ArrowDtype(pa.string())])
def test_pandas_columns_keep_their_kind(dtype: Any) -> None:
    frame = pd.DataFrame({"n": [1, 2, 3, 4], "c": pd.Series([" a", None, "a", "B"], dtype=dtype)})
    frame.index = [3, 1, 4, 1]
    before = frame.copy(deep=True)
    table = (
        igual.Rulebook([Spacing(column="c"), Case(column="c", style="upper", into="d")]).apply(frame).table
    )
    assert table["c"].tolist()[0::2] == ["a", "a"]
    assert table["d"].tolist()[0::2] == ["A", "A"]
    assert table["c"].isna().tolist() == [False, True, False, False]
    assert str(table["c"].dtype) == str(frame["c"].dtype)
    assert table.index.tolist() == [3, 1, 4, 1]
    assert list(table.columns) == ["n", "c", "d"]
    pd.testing.assert_frame_equal(frame, before)


def test_missing_values_stay_the_ones_they_were() -> None:
    given_cells = ["a ", None, float("nan"), pd.NA]
    table = (
        igual.Rulebook([Spacing(column="c")])
        .apply(pd.DataFrame({"c": pd.Series(given_cells, dtype=object)}))
        .table
    )
    assert table["c"].tolist()[1] is None
    assert table["c"].tolist()[3] is pd.NA


@pytest.mark.parametrize("kind", [pa.string(), pa.large_string(), pa.dictionary(pa.int8(), pa.string())])
def test_arrow_columns_keep_their_type(kind: pa.DataType) -> None:
    column = pa.chunked_array([pa.array(["a ", None]).cast(kind), pa.array(["a", "b", "a"]).cast(kind)])
    table = igual.Rulebook([Spacing(column="c")]).apply(pa.table({"c": column, "n": [1, 2, 3, 4, 5]})).table
    assert table["c"].to_pylist() == ["a", None, "a", "b", "a"]
    assert pa.types.is_dictionary(table["c"].type) == pa.types.is_dictionary(kind)


@pytest.mark.parametrize(
    ("table", "said"),
    [
        (pd.DataFrame({"c": [["x"], "y"]}), "column 'c' is list"),
        (pd.DataFrame({"c": [1 + 2j]}), "column 'c' is complex"),
        (pd.DataFrame({"c": pd.Categorical([pd.Interval(1, 2)])}), "column 'c' is Interval"),
        (pa.table({"c": [[1]]}), "column 'c' is list<item: int64>"),
        (pa.table({"c": [b"a"]}), "column 'c' is binary"),
        (pd.DataFrame([["a", "b"]], columns=["c", "c"]), "the table has 2 columns 'c'"),
        ({"c": ["a"], "d": []}, "the columns differ in length: 'c' 1, 'd' 0"),
    ],
)
def test_tables_that_are_refused(table: Any, said: str) -> None:
    with pytest.raises(igual.IgualError) as caught:
        igual.Rulebook([Spacing(column="c")]).apply(table)
    assert said in str(caught.value)


@pytest.mark.parametrize(
    "table",
    [pd.DataFrame({"c": []}), pa.table({"c": pa.array([], pa.string())}), {"c": []}, {"c": [None, None]}],
)
def test_empty_tables_are_no_trouble(table: Any) -> None:
    outcome = igual.Rulebook([Spacing(column="c"), Match(column="c", list="l")], {"l": SPECIES}).apply(table)
    assert len(outcome.table["c"]) == len(table["c"])
    assert outcome.effects["rows"].sum() == 0
    assert igual.survey(table).columns["distinct"].tolist() == [0]
    assert "changed nothing" in repr(outcome)


def test_the_nth_match_is_found_whatever_else_the_values_hold() -> None:
    # Marks are set between matches, of a character that no value holds.
    odd = "".join(
        map(chr, [*range(1, 32), *range(0xE000, 0xF900), *range(0xF0000, 0xF0100), 0x10FFFD, 0x10FFFF])
    )
    second = Replace(pairs={"a+": "b"}, pattern=True, nth=2)
    assert second.on([f"{odd}a aa"]) == [f"{odd}a b"]
    assert igual.rules.Extract(pattern="(a+)", nth=2).on([f"{odd}a aa"]) == ["aa"]
