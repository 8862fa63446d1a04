"""Calls from Python with words that there aren't, and with arguments of another kind: each is refused in a line."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import pandas as pd
import polars as pl
import pyarrow as pa
import pytest

import igual
from igual.rules import Match, Spacing

VALUES = ["oak", "elm", "oak", None]
TABLE = {"a": VALUES}
RULES = [Spacing(column="a")]
LIST = igual.ReferenceList(["oak"], attributes={"code": ["1"]})
FAR = pa.struct([("x", pa.timestamp("s"))])
# Types are what is wrong here.
any_of: Any = igual
any_rule: Any = igual.rules
decide: Any = igual.Rulings().decide
decide_kind: Any = igual.Rulings().decide_kind
CALLS: list[tuple[Callable[[], Any], str]] = [
    (lambda: any_of.tally(VALUES, sort="row"), "'sort' can't be 'row'; did you mean 'rows'?"),
    (lambda: any_of.tally(VALUES, sort=["rows"]), "'sort' can't be ['rows']"),
    (lambda: any_of.tally(VALUES, of="letters"), "'of' can't be 'letters'; there are: words, characters"),
    (lambda: any_of.tally(VALUES, top="3"), "'top' takes a whole number from 1 on; found '3'"),
    (lambda: any_of.tally(VALUES, top=1.5), "'top' takes a whole number from 1 on; found 1.5"),
    (lambda: igual.tally(VALUES, top=-1), "'top' takes a whole number from 1 on; found -1"),
    (lambda: any_of.tally(VALUES, top=True), "'top' takes a whole number from 1 on; found True"),
    (lambda: any_of.tally(VALUES, sort="order", codebook=5), "a codebook takes a mapping"),
    (lambda: any_of.restyle_headers(TABLE, "snak"), "'style' can't be 'snak'; did you mean 'snake'?"),
    (lambda: any_of.restyle_headers(TABLE, None), "'style' can't be None"),
    (lambda: any_of.restyle_headers(TABLE, keep="ID"), "'keep' takes a list of texts; found 'ID'"),
    (lambda: any_of.restyle_headers(TABLE, keep=[5]), "'keep.0' takes a text in quotes; found 5"),
    (lambda: igual.cross_table(VALUES, {}), "'by' has no column"),
    (lambda: any_of.match(VALUES, LIST, give=5), "'give' takes a text in quotes; found 5"),
    (lambda: any_of.match(VALUES, LIST, give=["code"]), "'give' takes a text in quotes"),
    (lambda: any_of.lookalikes(VALUES, weaker="no"), "'weaker' takes True or False; found 'no'"),
    (lambda: any_of.learn(TABLE, {"oak": "Oak"}, columns=5), "'columns' takes one column, or several; found 5"),
    (lambda: any_of.review(RULES), "'outcome' takes what a rulebook made of a table"),
    (lambda: any_of.MatchIndex(LIST, abbreviations=["st"]), "'abbreviations' takes a mapping"),
    (lambda: any_of.MatchIndex(LIST, abbreviations={"st": 5}), "'abbreviations' takes a word, or several; found 5"),
    (lambda: any_of.MatchIndex(LIST, abbreviations={5: "st"}), "5 is not a word"),
    (lambda: any_of.MatchIndex(LIST, opposites=5), "'opposites' takes a list; found 5"),
    (lambda: any_of.MatchIndex(LIST, opposites=[5]), "give groups of two or more words"),
    (lambda: any_of.MatchIndex(LIST, opposites=[["old", 5]]), "5 is not a word"),
    (lambda: any_of.MatchIndex(LIST, small_words="the"), "'small_words' takes a list; found 'the'"),
    (lambda: any_of.MatchIndex(LIST, small_words=[5]), "5 is not a word"),
    (lambda: any_of.ReferenceList(["oak"], attributes={"code": [["x"]]}), "attribute 'code' takes texts; found ['x']"),
    (lambda: any_of.Codebook({"a": "x"}, special=5), "'special' takes a list of meanings; found 5"),
    (lambda: any_of.Codebook({"a": "x"}, special=["ab"]), "'special' takes a list of meanings; found 'ab'"),
    (lambda: any_of.Rulebook(5), "'rules' takes a list of rules"),
    (lambda: any_of.Rulebook(RULES[0]), "'rules' takes a list of rules"),
    (lambda: any_of.Rulebook(RULES, checks=[5]), "'checks' takes a list of checks"),
    (lambda: any_of.Rulebook(RULES, headers="snak"), "'headers' can't be 'snak'; did you mean 'snake'?"),
    (lambda: any_of.Rulebook(RULES, rulings=5), "'rulings' takes the rulings of a rulebook; found 5"),
    (lambda: any_of.Rulings(5), "'rulings' takes a list of rulings; found 5"),
    (lambda: any_of.Rulings(["oak"]), "'rulings' takes a list of rulings; found 'oak'"),
    (lambda: igual.Rulebook(RULES).apply(TABLE).crosswalk(any_of), "no rule works on a column <module 'igual'"),
    (lambda: igual.Rulebook(RULES).apply(TABLE).follow("a", any_of.rules), "'raw' takes a value; found <module 'igual.rules'"),
    (lambda: decide("a", 5, "oak"), "'value' takes a text; found 5"),
    (lambda: decide("a", "oka", None), "'ruling' takes a text; found None"),
    (lambda: decide("a", "oka", "oak", by=5), "'by' takes a text; found 5"),
    (lambda: decide("a", "oka", "oak", on=5), "'on' takes a day such as 2026-05-31; found 5"),
    (lambda: decide_kind("a", 5, "any", yes=True), "'kind' takes a text; found 5"),
    (lambda: decide_kind("a", "initials", 5, yes=True), "'words' takes a text; found 5"),
    # A text that says no would count as a yes.
    (lambda: decide_kind("a", "initials", "any", yes="no"), "'yes' takes True or False; found 'no'"),
    (lambda: any_of.Crosswalk({"column": ["a"]}), "'table' takes an Arrow table; found {'column': ['a']}"),
    # What spells itself in many lines, or can't, is told in one.
    (lambda: any_of.tally(VALUES, contains=pd.Series(VALUES)), "'contains' takes a text in quotes; found 0    oak 1    elm"),
    (lambda: any_of.restyle_headers(TABLE, pa.array(VALUES)), "'style' can't be <pyarrow.lib.StringArray object at"),
    (lambda: igual.ReferenceList(pa.array([{"x": 1 << 60}], FAR)), "entry 1 of a reference list is blank or not a text: StructScalar"),
    (lambda: igual.learn({"a\nb": VALUES, "c": VALUES}, {"oak": "x"}, columns="x"), "the table has no column 'x'; there are: 'a\\nb', c"),
    (lambda: any_of.learn(TABLE, {"oak": "x"}, columns=pd.Series(["a"])), "'columns' takes one column, or several; found 0"),
    (lambda: any_of.learn(TABLE, {"oak": "x"}, columns=[pd.Series(["a"])]), "'columns' takes names of columns"),
    (lambda: any_of.learn(TABLE, {"oak": "x"}, into=pd.Series(["b"])), "'into' takes the name of a new column"),
    (lambda: igual.learn(TABLE, ""), "the table has no column ''"),
    (lambda: any_of.Rulebook(RULES).apply(TABLE, only=pd.Series(["a"])), "there is no rule 0    a dtype: str: the rulebook has 1"),
    (lambda: any_rule.Spacing(column="a", columns=pl.Series(["a"], dtype=pl.Categorical)), "give 'column' or 'columns', not both"),
    (lambda: any_rule.Match(list="l", by=pl.Series(["exact"])), "'by' can't be"),
    (lambda: igual.cross_table(VALUES, pl.LazyFrame(TABLE)), "column 'a' must be in memory here"),
    (lambda: igual.survey(pl.LazyFrame({"a": pl.Series([[1], {}], dtype=pl.Object)})), "column 'a' has objects of Python, which a LazyFrame can't count"),
    (lambda: any_of.Database("sqlite://").tally(5, "a"), "the database has no table 5"),
]  # fmt: skip


@pytest.mark.parametrize(("call", "said"), CALLS, ids=range(len(CALLS)))
def test_wrong_arguments_are_refused_in_a_line(call: Callable[[], Any], said: str) -> None:
    with pytest.raises(igual.IgualError) as caught:
        call()
    assert said in str(caught.value)
    assert "\n" not in str(caught.value)


def test_plain_lists_and_numbers_are_taken_for_what_they_stand_for() -> None:
    numbers: Any = {"code": [1]}
    assert igual.match(["oak"], igual.ReferenceList(["oak"], attributes=numbers), give="code").table[
        "given"
    ].tolist() == ["1"]
    codebook: Any = {"elm": "Elm", "oak": "Oak"}
    assert igual.tally(VALUES, sort="order", codebook=codebook).table["value"].tolist()[:2] == ["elm", "oak"]
    most: Any = np.int64(1)
    assert igual.tally(VALUES, top=most).rest == 2
    number: Any = 5
    assert igual.Rulebook(RULES).apply({"a": [5, 6]}).follow("a", number)[0].after == "5"
    entries: Any = {"l": ["Oak"]}
    assert igual.Rulebook([Match(column="a", list="l")], lists=entries).apply(TABLE).table["a"][0] == "Oak"


BOOK = igual.Rulebook(RULES)
PATHS: dict[str, Callable[[Any, Path], Any]] = {
    "a rulebook": lambda path, _: igual.Rulebook.load(path),
    "a list": lambda path, _: igual.ReferenceList.load(path),
    "a codebook": lambda path, _: igual.Codebook.load(path),
    "a pair list": lambda path, _: igual.PairList.load(path),
    "rulings": lambda path, _: igual.Rulings.load(path),
    "a crosswalk": lambda path, _: igual.Crosswalk.load(path),
    "a table": lambda path, folder: BOOK.apply_file(path, folder / "o.csv"),
    "a clean table": lambda path, folder: BOOK.apply_file(folder / "t.csv", path),
    "a saved rulebook": lambda path, _: BOOK.save(path),
    "a sheet": lambda path, _: BOOK.apply(TABLE).save_open(path),
    "a saved crosswalk": lambda path, _: BOOK.apply(TABLE).crosswalks.save(path),
    "a page": lambda path, _: igual.survey(TABLE).report(path),
    "a vocabulary": lambda path, _: LIST.save_skos(path),
}


@pytest.mark.parametrize("name", PATHS)
def test_what_is_no_path_is_refused(tmp_path: Path, name: str) -> None:
    (tmp_path / "t.csv").write_text("a,b\nx,1\n")
    for given in (5, None, 3.5, True, {}, object()):
        with pytest.raises(igual.IgualError, match=r"expected the (path|table)"):
            PATHS[name](given, tmp_path)
    assert [path.name for path in tmp_path.iterdir()] == ["t.csv"]


def test_no_table_at_all_is_refused(tmp_path: Path) -> None:
    with pytest.raises(igual.IgualError, match="expected the table's file, or several; found none"):
        BOOK.apply_file([], tmp_path / "o.csv")
    with pytest.raises(igual.IgualError, match=r"expected the path of a file; found 5 \(int\)"):
        BOOK.apply_file([tmp_path / "t.csv", 5], tmp_path / "o.csv")  # type: ignore[list-item]
