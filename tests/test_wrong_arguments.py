"""Calls from Python with words that there aren't, and with arguments of another kind: each is refused in a line."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np
import pytest

import igual
from igual.rules import Match, Spacing

VALUES = ["oak", "elm", "oak", None]
TABLE = {"a": VALUES}
RULES = [Spacing(column="a")]
LIST = igual.ReferenceList(["oak"], attributes={"code": ["1"]})
# Types are what is wrong here.
any_of: Any = igual
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
