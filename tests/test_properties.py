"""What holds for any input, held against slow and obvious ways to do the same."""

from __future__ import annotations

import datetime
import re

import numpy as np
import pandas as pd
import pyarrow as pa
import pytest
from hypothesis import assume, given
from hypothesis import strategies as st

import igual
from igual.column import Column
from igual.conditions import Condition
from igual.looking.comparison import compare_columns, cross_tabulate
from igual.looking.headers import restyle_headers
from igual.rules import Blanks, Case, Characters, Label, Match, Number, Overlay, Part, Replace, Spacing
from igual.runs.preview import find_differences
from igual.text.dates import COMMON, days, written
from igual.text.identifiers import identifier_in
from igual.text.mentions import Mentions
from igual.text.reading import numbers
from tests.conftest import examples, texts

CELLS = st.lists(st.none() | st.text("ab A1.-\u00a0é", max_size=6), min_size=1, max_size=20)
BOOK = igual.Codebook({"a": "A", "b": "B"})
LIST = igual.ReferenceList(["A b", "é"], {"é": ["1"]})
STABLE = [
    Spacing(also="-"), Spacing(between_unspaced="remove"), Case(style="lower"), Case(style="upper"),
    Case(style="sentence"), Case(style="title", small=("a",)), Case(style="snake"), Characters(fold=True, form="NFC"),
    Characters(keep=("letters",)), Characters(straighten=True), Blanks(texts=("-",)),
    Replace(pairs={"a": "b"}), Label(codebook="b"), Match(list="l"),
]  # fmt: skip


@pytest.mark.parametrize("rule", STABLE, ids=lambda rule: rule.do)
@examples(60)
@given(cells=CELLS)
def test_twice_is_once(rule: Spacing, cells: list[str | None]) -> None:
    shelf = {"lists": {"l": LIST}, "codebooks": {"b": BOOK}}
    once = rule.on(cells, **shelf)  # type: ignore[arg-type]
    assert rule.on(once, **shelf) == once  # type: ignore[arg-type]


@pytest.mark.parametrize("rule", [*STABLE, Number(), Part(separator=" ", nth=2), Overlay(start=1, length=1, text="x")],
                         ids=lambda rule: rule.do)  # fmt: skip
@examples(60)
@given(cells=CELLS)
def test_every_kind_of_table_gives_the_same(rule: Spacing, cells: list[str | None]) -> None:
    shelf = {"lists": {"l": LIST}, "codebooks": {"b": BOOK}}
    plain = [None if cell is None else str(cell) for cell in rule.on(cells, **shelf)]  # type: ignore[arg-type]
    arrow = rule.on(pa.array(cells, pa.string()), **shelf).to_pylist()  # type: ignore[arg-type]
    series = rule.on(pd.Series(cells, dtype="str"), **shelf)  # type: ignore[arg-type]
    assert [None if cell is None else str(cell) for cell in arrow] == plain
    assert series.isna().tolist() == [cell is None for cell in plain]
    shown = [str(cell) for cell in series.dropna()]
    wanted = [cell for cell in plain if cell is not None]
    assert shown == wanted or list(map(float, shown)) == list(map(float, wanted))


@given(st.dates(datetime.date(1600, 1, 1), datetime.date(2400, 12, 31)), st.sampled_from(COMMON))
def test_dates_come_out_as_they_went_in(day: datetime.date, form: str) -> None:
    assume("YYYY" in form or 1969 <= day.year <= 2068)
    since = float((day - datetime.date(1970, 1, 1)).days)
    assert days(written(np.array([since]), form), form)[0] == since
    assert written(np.array([since]), "YYYY-MM-DD").to_pylist() == [day.isoformat()]


@given(st.integers(0, 9999), st.integers(0, 20), st.integers(0, 40))
def test_only_days_that_exist_are_dates(year: int, month: int, day: int) -> None:
    read = days(texts(f"{day:02d}.{month:02d}.{year:04d}"), "DD.MM.YYYY")[0]
    try:
        wanted = float((datetime.date(year, month, day) - datetime.date(1970, 1, 1)).days)
    except ValueError:
        assume(year > 0)
        assert np.isnan(read)
    else:
        assert read == wanted


@given(st.text("0123456789+-−. ", max_size=8))
def test_plain_numbers_and_no_others_are_read(text: str) -> None:
    bare = text.strip()
    read = numbers(texts(text))[0]
    if re.fullmatch(r"[+\-−]?\d+(\.\d+)?", bare, re.ASCII):
        assert read == float(bare.replace("−", "-"))
    else:
        assert np.isnan(read)


@given(
    st.lists(st.sampled_from(["a", "b", "a b", "b a c", "c"]), unique=True),
    st.lists(st.sampled_from("abc"), max_size=7),
)
def test_mentions_are_the_longest_from_left_to_right(entries: list[str], words: list[str]) -> None:
    found: list[int] = []
    at = 0
    while at < len(words):
        here = [e for e in entries if words[at : at + len(e.split())] == e.split()]
        longest = max(here, key=len, default="")
        if longest and entries.index(longest) not in found:
            found.append(entries.index(longest))
        at += len(longest.split()) or 1
    mentions = Mentions({entry: place for place, entry in enumerate(entries)})
    assert mentions.find_in(texts(" ".join(words))).entries.tolist() == found


@given(CELLS, st.integers(1, 4))
def test_the_nth_gap_is_the_nth(cells: list[str | None], nth: int) -> None:
    for cell, made in zip(
        cells, Spacing(nth=nth, inner="none", ends="both", odd="keep").on(cells), strict=True
    ):
        if cell is not None:
            words = re.split(" +", cell.strip(" "))
            gaps = re.findall(" +", cell.strip(" "))
            wanted = "".join(
                w + ("" if n == nth else g)
                for n, (w, g) in enumerate(zip(words, [*gaps, ""], strict=True), 1)
            )
            assert made == wanted


@given(CELLS, CELLS)
def test_comparing_counts_every_row(before: list[str | None], after: list[str | None]) -> None:
    old, new = (
        Column.from_arrow(pa.array(before, pa.string())),
        Column.from_arrow(pa.array(after, pa.string())),
    )
    compared = compare_columns(old, new)
    assert sum(one.rows_before for one in compared) == len(before)
    assert sum(one.rows_after for one in compared) == len(after)
    assert {one.value for one in compared if one.status == "vanished"} == set(before) - set(after)
    assert {one.value for one in compared if one.status == "appeared"} <= set(after) - set(before)


@given(
    st.lists(
        st.tuples(st.sampled_from(["x", "y", None]), st.sampled_from("ab"), st.sampled_from("pq")),
        max_size=20,
    )
)
def test_a_cross_table_adds_up(rows: list[tuple[str | None, str, str]]) -> None:
    columns = [Column.from_arrow(pa.array([row[at] for row in rows], pa.string())) for at in range(3)]
    found = cross_tabulate(columns[0], columns[1:], Condition().mask(columns[0].values))
    for value, counts in zip(found.values, found.rows.tolist(), strict=True):
        for heading, count in zip(found.headings, counts, strict=False):
            assert count == sum(row == (value, *heading) for row in rows)
    assert found.rows.sum() == len(rows)


@given(
    st.lists(st.text("aB _1", max_size=4), max_size=8), st.sampled_from(["snake", "camel", "title", "lower"])
)
def test_headers_never_collide(names: list[str], style: str) -> None:
    renamed = restyle_headers(names, style)  # type: ignore[arg-type]
    assert len({one.clean for one in renamed}) == len(names)
    assert [one.raw for one in renamed] == names
    assert all(one.clean for one in renamed)


@given(
    st.lists(st.text("aBcD12 _-'.é", max_size=9), max_size=6),
    st.sampled_from(["camel", "pascal", "snake", "kebab", "train", "constant"]),
)
def test_quick_and_careful_identifiers_agree(cells: list[str], style: str) -> None:
    one = identifier_in(style, ())  # type: ignore[arg-type]
    wanted = cells
    for _ in range(4):
        # A rule leaves its own output alone.
        wanted = [one(cell) for cell in wanted]
    assert Case(style=style).on(cells) == wanted  # type: ignore[arg-type]


@given(st.text(max_size=12), st.text(max_size=12))
def test_differences_put_together_are_the_texts(before: str, after: str) -> None:
    stretches = find_differences(before, after)
    assert "".join(one for one, _ in stretches) == before
    assert "".join(other for _, other in stretches) == after
