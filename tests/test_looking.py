"""Survey, tally, count."""

from __future__ import annotations

from typing import Any

import numpy as np
import pandas as pd
import pyarrow as pa
import pytest
from hypothesis import given
from hypothesis import strategies as st

import igual
from igual.column import Column
from igual.looking import many_columns, measures
from igual.looking.many_columns import ManyColumns
from igual.looking.oddities import find_oddities
from igual.text.arrays import has_pattern
from igual.text.blanks import LIKE_MISSING
from igual.text.folding import trimmed
from tests.conftest import examples

MISREAD = "Mühlweg".encode().decode("cp1252")


@pytest.mark.parametrize(
    ("values", "oddity", "counted", "examples"),
    [
        ([" a", "b ", "c", " "], "spaces at the ends", (2, 2), ["·a", "b·"]),
        (["a  b", "a\t\u00a0b", "a b"], "runs of spaces inside", (2, 2), ["a··b", "a→⟨no-break space⟩b"]),
        (["a\nb", "a\r\nb", "a\nb"], "line breaks", (2, 3), ["a↵b", "a↵b"]),
        (["a\tb"], "tabs", (1, 1), ["a→b"]),
        (["a\u3000b"], "odd spaces", (1, 1), ["a⟨full-width space⟩b"]),
        (
            ["a\u200bb", "a\u00adb"],
            "invisible characters",
            (2, 2),
            ["a⟨zero-width space⟩b", "a⟨soft hyphen⟩b"],
        ),
        (["a\x00b"], "control characters", (1, 1), ["a⟨control 0x00⟩b"]),
        (["Oak", "OAK", "oak", "elm"], "differ only in case", (3, 3), ["Oak | OAK | oak"]),
        (["a b", "ab", "a b"], "differ only in spacing", (2, 3), ["a·b | ab"]),
        (["Brión", "Brion"], "differ only in accents", (2, 2), ["Brión | Brion"]),
        (["St. X", "St X", "1.5", "15"], "differ only in punctuation", (2, 2), ["St.·X | St·X"]),
        (["oak", "elm", "12", "1,234.5"], "numbers among texts", None, None),
        (["oak", "elm", "ash", "12"], "numbers among texts", (1, 1), ["12"]),
        (["1", "2", "-3.5", "tall", "n/a"], "texts among numbers", (1, 1), ["tall"]),
        (["1,5", "2.5", "3.25", "tall"], "another decimal mark", (1, 1), ["1,5"]),
        (["oak, elm", "2.5", "3.25"], "another decimal mark", None, None),
        (["12 kg", "13kg", "$ 4.50"], "numbers with a unit", (3, 3), ["12·kg", "13kg", "$·4.50"]),
        (["12a", "3", "4"], "numbers with a unit", None, None),
        (["0123", "1234", "123"], "zeros lost in front", (1, 1), ["123"]),
        (["7", "12", "123"], "zeros lost in front", None, None),
        (["2024-05-31", "2024-06-01", "31/05/2024", "n/a"], "dates in another form", (1, 1), ["31/05/2024"]),
        (["oak", "elm", "ash", "31/05/2024"], "dates in another form", None, None),
        (["n/a", " N/A", "-", "?", "oak"], "looks like missing", (4, 4), ["n/a", "·N/A", "-"]),
        ([MISREAD, "Mühlweg", "a\ufffdb"], "decoded wrongly", (2, 2), [MISREAD, "a\ufffdb"]),
        (["Úžice", "Âge"], "decoded wrongly", None, None),
        (["Oаk", "Oak"], "look-alike letters", (1, 1), ["O⟨Cyrillic а⟩k"]),
        (["АВС", "ABC", "XYZ"], "look-alike letters", (1, 1), ["АВС"]),
        (["Москва", "Oak"], "look-alike letters", None, None),
        (["a", "b"], "spaces at the ends", None, None),
    ],
)
def test_oddities(
    values: list[str], oddity: str, counted: tuple[int, int] | None, examples: list[str] | None
) -> None:
    found = igual.survey({"c": values}).oddities.set_index("oddity")
    if counted is None:
        assert oddity not in found.index
    else:
        assert (found.loc[oddity, "values"], found.loc[oddity, "rows"]) == counted
        assert found.loc[oddity, "examples"] == examples


def test_survey_counts() -> None:
    table = pd.DataFrame({"t": ["a", "", " ", None, "abc", "abc"], "n": [1, 2, 2, 3, 3, 3]})
    look = igual.survey(table)
    assert look.columns.to_numpy().tolist() == [
        ["t", "text", 6, 4, 1, 2, 1, 3, "abc"], ["n", "whole numbers", 6, 3, 0, 0, 1, 1, "3"]
    ]  # fmt: skip
    assert "6 rows, 2 columns" in repr(look)
    assert "<td>abc</td>" in look._repr_html_()


def test_nothing_from_a_file_acts_on_a_page_or_terminal() -> None:
    table = {"<b>[red]": ["<script>alert(1)</script> ", "\x1b[31m", "[bold]x[/bold] "]}
    look = igual.survey(table)
    assert "<script>" not in look._repr_html_()
    assert "<b>" not in look._repr_html_()
    assert "\x1b" not in repr(look)
    assert "[bold]x[/bold]·" in repr(look)


@pytest.mark.parametrize(
    ("words", "wanted"),
    [
        ({}, ["oak", "Oak", None, "", " \u00a0"]),
        ({"equals": "oak"}, ["oak"]),
        ({"equals": "OAK", "ignore_case": True}, ["oak", "Oak"]),
        ({"contains": "a"}, ["oak", "Oak"]),
        ({"contains": "O", "ends": "k"}, ["Oak"]),
        ({"starts": "o"}, ["oak"]),
        ({"one_of": ["oak", "elm"]}, ["oak"]),
        ({"one_of": ["OAK"], "ignore_case": True}, ["oak", "Oak"]),
        ({"blank": True}, [None, "", " \u00a0"]),
        ({"blank": False}, ["oak", "Oak"]),
        ({"equals": ""}, [""]),
        ({"contains": "x"}, []),
    ],
)
def test_conditions(words: dict[str, Any], wanted: list[str | None]) -> None:
    values = ["oak", "oak", "Oak", None, "", " \u00a0"]
    found = igual.tally(values, **words).table["value"]
    assert {None if pd.isna(v) else v for v in found} == set(wanted)
    assert igual.count(values, **words) == sum(value in wanted for value in values)


@pytest.mark.parametrize(
    "values",
    [
        ["b", "a", "b", None], ("b", "a", "b", float("nan")), np.array(["b", "a", "b", None], dtype=object),
        pd.Series(["b", "a", "b", None]), pd.Categorical(["b", "a", "b", None]), pa.array(["b", "a", "b", None]),
        pa.chunked_array([["b", "a"], ["b", None]]), pa.array(["b", "a", "b", None]).dictionary_encode(),
        pd.Index(["b", "a", "b", None]),
    ],
    ids=lambda values: type(values).__name__,
)  # fmt: skip
def test_tally_takes_any_values(values: Any) -> None:
    table = igual.tally(values).table
    assert table["rows"].tolist() == [2, 1, 1]
    assert table["share"].tolist() == [0.5, 0.25, 0.25]
    assert table["running_share"].tolist() == [0.5, 0.75, 1.0]
    assert table["value"].tolist()[:2] == ["b", "a"]
    assert igual.tally(values, sort="value").table["value"].tolist()[:2] == ["a", "b"]


@given(
    st.lists(
        st.text(max_size=4) | st.sampled_from(["a b", "a  b", "A", "a.", "\x1c", "\x85", "\ufffd", "a\u200b"])
    )
)
def test_oddities_are_sought_wherever_they_can_be(cells: list[str]) -> None:
    column = Column.from_arrow(pa.array(cells, pa.string()))
    wanted = ManyColumns([column])
    wanted.__dict__["signs"] = frozenset(range(256))
    assert find_oddities(ManyColumns([column])) == find_oddities(wanted)


ODD = st.text(" \t\u00a0aAé-.,0129$?n/", max_size=7)


@given(st.lists(st.lists(ODD, unique=True, max_size=12), min_size=1, max_size=4))
def test_pieces_of_columns_show_the_same_oddities(columns: list[list[str]]) -> None:
    encoded = [Column.from_arrow(pa.array(cells, pa.string())) for cells in columns]
    wanted = find_oddities(ManyColumns(encoded))
    assert [find_oddities(ManyColumns([column]))[0] for column in encoded] == wanted
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr("igual.pieces._TEXTS", 2)
        assert find_oddities(ManyColumns(encoded)) == wanted


NUMERIC = st.text("0012359+-.,' %€$²kg\u00a0−naNA/?", max_size=7)


@given(st.lists(NUMERIC, unique=True, min_size=1, max_size=30))
@examples(200)
def test_numbers_are_told_as_their_patterns_have_it(cells: list[str]) -> None:
    """What is plain by its first or last byte isn't held against the pattern; here all is."""
    many = ManyColumns([Column.from_arrow(pa.array(cells, pa.string()))])
    shown = trimmed(many.values)
    is_number = has_pattern(shown, many_columns._NUMBER)
    is_like_missing = [text.casefold() in LIKE_MISSING for text in shown.to_pylist()]
    assert many.is_number.tolist() == is_number.tolist()
    assert many.is_like_missing.tolist() == is_like_missing
    assert many.is_digits.tolist() == has_pattern(many.values, r"^[0-9]+$").tolist()
    # Behind a space, this sign isn't taken for one that leads.
    is_led = [cell.startswith("$") or not text.startswith("$") for cell, text in zip(cells, shown.to_pylist(), strict=True)]  # fmt: skip
    with_unit = has_pattern(shown, measures._WITH_UNIT) & is_led
    mostly = 2 * with_unit.sum() >= max((~many.blank).sum(), 1)
    assert measures.find_units(many).tolist() == (with_unit & mostly).tolist()


def test_a_tally_follows_a_codebook_or_the_columns_own_order() -> None:
    sizes = pd.Series(
        pd.Categorical(["l", "s", "l", None, "m"], categories=["s", "m", "l", "xl"], ordered=True)
    )
    assert igual.tally(sizes, sort="order").table["value"].tolist()[:3] == ["s", "m", "l"]
    assert igual.tally(sizes, sort="order").table["value"].isna().tolist() == [False, False, False, True]
    codebook = igual.Codebook({3: "good", 1: "fair", 2: "poor"})
    assert igual.tally(["1", "2", "x", "3", "y", "y"], sort="order", codebook=codebook).table[
        "value"
    ].tolist() == ["3", "1", "2", "y", "x"]
    assert igual.tally(["poor", "fair", "good"], sort="order", codebook=codebook).table["value"].tolist() == [
        "good",
        "fair",
        "poor",
    ]
