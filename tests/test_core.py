"""The core by itself: columns of distinct values, trails, surveys; no files, no tables of any kind."""

from __future__ import annotations

import numpy as np
import pyarrow as pa
import pytest
from hypothesis import given
from hypothesis import strategies as st
from rich.text import Text

from igual.column import Column, count_rows
from igual.conditions import Condition
from igual.distinct import find_distinct
from igual.engines import open_table
from igual.errors import NearestWord, did_you_mean
from igual.lists import Codebook, ReferenceList
from igual.looking.many_columns import ManyColumns
from igual.looking.oddities import find_oddities
from igual.looking.survey import survey_columns
from igual.looking.tally import count_rows_meeting, tally_column
from igual.report.looking_views import survey_view, tally_view
from igual.report.run_views import outcome_view, preview_view
from igual.report.tables import Cell, _cell, _Rows
from igual.report.terminal import as_text
from igual.rules import (
    Band,
    Bands,
    Blanks,
    Case,
    Characters,
    Date,
    Extract,
    Label,
    Match,
    Mention,
    Number,
    Overlay,
    Part,
    Replace,
    Rule,
    Spacing,
)  # fmt: skip
from igual.runs.account import Account
from igual.runs.hints import find_hints
from igual.runs.preview import make_preview
from igual.runs.rulebook import Rulebook
from igual.text.arrays import changed_where, differs, has_pattern
from igual.text.filtering import reread
from igual.text.replacing import find_first
from tests.conftest import examples, texts

CELLS = st.lists(st.none() | st.text(max_size=6), max_size=12)


@pytest.mark.parametrize(
    ("array", "values", "codes"),
    [
        (pa.array(["b", "a", "b"]), ["b", "a"], [0, 1, 0]),
        (pa.array(["b", None, "b", None]), ["b", None], [0, 1, 0, 1]),
        (pa.array([], pa.string()), [], []),
        (pa.chunked_array([], pa.string()), [], []),
        (pa.chunked_array([["b"], [], ["a", "b"]]), ["b", "a"], [0, 1, 0]),
        (pa.chunked_array([pa.array(["b"]).dictionary_encode(), pa.array(["a", "b"]).dictionary_encode()]),
         ["b", "a"], [0, 1, 0]),
        (pa.DictionaryArray.from_arrays(pa.array([0, 2, None, 1]), pa.array(["x", "y", "x", "unused"])),
         ["x", "y", None], [0, 0, 2, 1]),
        (pa.DictionaryArray.from_arrays(pa.array([0, 1]), pa.array([None, "x"])), [None, "x"], [0, 1]),
        (pa.array(["x"], pa.large_string()), ["x"], [0]),
    ],
)  # fmt: skip
def test_columns_hold_distinct_values(array: pa.Array, values: list[str | None], codes: list[int]) -> None:
    column = Column.from_arrow(array)
    assert (column.values.to_pylist(), column.codes.tolist()) == (values, codes)
    assert column.counts.tolist() == [codes.count(place) for place in range(len(values))]
    assert column.decode(column.values, pa.string()).to_pylist() == array.to_pylist()


@given(CELLS)
def test_encoding_and_decoding_is_no_change(cells: list[str | None]) -> None:
    for array in (pa.array(cells, pa.string()), pa.array(cells, pa.string()).dictionary_encode()):
        column = Column.from_arrow(array)
        assert column.decode(column.values).to_pylist() == cells
        assert column.counts.sum() == column.rows == len(cells)
        assert len(set(column.values.to_pylist())) == len(column.values)


def test_merging_and_counting() -> None:
    values, places = find_distinct(texts("a", "b", "a", None))
    assert values.to_pylist() == ["a", "b", None]
    assert places is not None
    assert count_rows(places, np.array([1, 2, 3, 4]), 3).tolist() == [4, 2, 4]
    assert find_distinct(texts("a", "b"))[1] is None


def test_what_differs_and_what_is_touched() -> None:
    assert differs(texts("a", None, "b", None, "c"), texts("a", None, None, "x", "C")).tolist() == [
        False, False, True, True, True
    ]  # fmt: skip
    seen: list[int] = []

    def shouted(some: pa.Array) -> pa.Array:
        seen.append(len(some))
        return pa.compute.ascii_upper(some)

    values = texts("ab", "c", None, "a")
    assert changed_where(values, has_pattern(values, "a"), shouted).to_pylist() == ["AB", "c", None, "A"]
    assert changed_where(values, has_pattern(values, "z"), shouted) is values
    assert seen == [2]


def test_finding_the_nearest_word() -> None:
    assert NearestWord(["species", "site"]).find("SPECIS") == "species"
    assert NearestWord([" a ", "b"]).find("a") == " a "
    assert NearestWord(["species"]).find("zzz") is None
    assert did_you_mean("zzz", [str(n) for n in range(20)], most=3) == "; there are: 0, 1, 2 and 17 more"
    assert did_you_mean("zzz", ["a ", ""]) == "; there are: 'a ', ''"
    assert did_you_mean("zzz", []) == "; there are none"


def test_the_first_of_some_texts_is_found_where_it_may_stand() -> None:
    assert find_first(texts("xab", "ab.", "b", None), ["ab"], "word").to_pylist() == [None, "ab", None, None]
    assert find_first(texts("ab", "abc"), ["ab"], "whole").to_pylist() == ["ab", None]
    assert find_first(texts("ab", "cab"), ["ab"], "start").to_pylist() == ["ab", None]


@pytest.mark.parametrize(
    ("text", "wanted"),
    [
        ("MÃ¼hlweg", "Mühlweg"),
        ("Ð\x9cÐ¾Ñ\x81ÐºÐ²Ð°", "Москва"),
        ("Mühlweg", None),
        ("Úžice", None),
        ("oak", None),
    ],
)
def test_rereading_what_was_decoded_wrongly(text: str, wanted: str | None) -> None:
    assert reread(text) == wanted


RULES: list[Rule] = [
    Spacing(column="c", also="-_"),
    Spacing(column="c", ends="keep", inner="none", breaks="remove"),
    Case(column="c", style="title", small=("of",), keep=("NW",)),
    Case(column="c", style="sentence"),
    Replace(column="c", pairs={"a": "b", "é": "e", ".": "", "  ": " "}, ignore_case=True),
    Replace(column="c", pairs={"a": "b", "b": "a"}, cascade=True, nth=2, where="word"),
    Replace(column="c", pairs={"a": ""}, where="whole"),
    Label(column="c", codebook="codes", otherwise="blank"),
    Match(column="c", list="entries", otherwise="keep"),
    Case(column="c", style="name", small=("a",)),
    Case(column="c", style="snake"),
    Case(column="c", style="upper", language="tr"),
    Spacing(column="c", nth=2, gaps="double", between_unspaced="remove"),
    Characters(
        column="c", drop=("digits", "invisible"), fold=True, form="NFKC", straighten=True, repair=True
    ),
    Replace(column="c", pairs={"a*": "x", "[b-d]": r"\0"}, pattern=True, cascade=True),
    Overlay(column="c", start=-2, length=1, text="--"),
    Part(column="c", separator=" ", nth=-2),
    Part(column="c", separator="a", into=("x", "y")),
    Extract(column="c", pattern=r"(\d)+", nth=2, into="x"),
    Extract(column="c", pieces=Condition(length=(1, 3)), nth=-1),
    Mention(column="c", list="entries", multiple="all"),
    Blanks(column="c", texts=("-",), fill="?"),
    Bands(column="c", bands=(Band(label="a", below=0), Band(label="b", at_least=0))),
    Number(column="c", decimal=",", grouping="."),
    Date(column="c", form="YYYYMMDD"),
    Label(column="c", codebook="codes", when=Condition(not_=Condition(blank=True))),
]


def account_of(rule: Rule, cells: list[str | None]) -> Account:
    """What a rule alone does to a column of these cells."""
    book = Rulebook(
        [rule],
        {"entries": ReferenceList(["A", "b"], {"A": ["é"]})},
        {"codes": Codebook({"a": "A", " ": "x"})},
    )
    return book.run(open_table(pa.table({"c": pa.array(cells, pa.string())})))


@pytest.mark.parametrize("rule", RULES, ids=lambda rule: rule.do)
@examples(60)
@given(cells=CELLS)
def test_no_rule_fails_on_any_text(rule: Rule, cells: list[str | None]) -> None:
    account = account_of(rule, cells)
    column = Column.from_arrow(pa.array(cells, pa.string()))
    for target in rule.targets or ("c",):
        trail = account.trails[target]
        assert len(trail.clean) == len(column.values)
        assert trail.rows.sum() == len(cells)
    assert sum(unknown.rows for unknown in account.unknown) <= len(cells)


@pytest.mark.parametrize("rule", RULES, ids=lambda rule: rule.do)
@examples(20)
@given(cells=CELLS)
def test_what_a_rule_did_to_any_text_can_be_shown(rule: Rule, cells: list[str | None]) -> None:
    account = account_of(rule, cells)
    shown = as_text(
        outcome_view(account, find_hints(account)), preview_view(make_preview(account.stages, 3).rules)
    )
    assert shown.splitlines()[0] == "What each rule changed"


@examples(60)
@given(CELLS)
def test_a_survey_takes_any_text(cells: list[str | None]) -> None:
    column = Column.from_arrow(pa.array(cells, pa.string()))
    look = survey_columns([("c", column)])
    assert look.surveyed[0].missing == cells.count(None)
    for oddity in find_oddities(ManyColumns([column]))[0]:
        assert 0 < oddity.values <= oddity.rows <= len(cells)
        assert 0 < len(oddity.examples) <= 3
    shown = as_text(survey_view(look), tally_view(tally_column(column, Condition()), top=3))
    assert not {c for c in shown if ord(c) < 32} - {"\n"}
    assert count_rows_meeting(column, Condition(blank=True)) + count_rows_meeting(
        column, Condition(blank=False)
    ) == len(cells)


ROW = st.tuples(
    st.none() | st.text(max_size=9), st.integers(0, 9_999), st.text("ab é木\n ", max_size=30).map(Text)
)


@examples(60)
@given(st.lists(ROW, max_size=6), st.integers(8, 90))
def test_lines_drawn_together_are_as_those_drawn_apart(rows: list[tuple[Cell, ...]], width: int) -> None:
    view = _Rows(("a", "rows#", "b"), [[_cell(cell) for cell in row] for row in rows])
    assert as_text(view, width=width) == as_text(view._lay_out(view._rows), width=width)


def test_a_tally_sums_up_the_rest() -> None:
    column = Column.from_arrow(pa.array(["a"] * 5 + ["b"] * 3 + ["c", "d", None]))
    lines = as_text(tally_view(tally_column(column, Condition()), "letters", top=2)).rstrip().splitlines()
    assert lines[0] == "letters: 5 distinct values, 11 of 11 rows"
    assert lines[-1].split() == ["3", "other", "values", "3", "27.3", "%", "100.0", "%"]
