"""What results look like in a notebook and a terminal, and what files of pairs and checks refuse."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import pandas as pd
import pytest

import igual
from igual.rules import Label, Mention, Spacing

Write = Callable[[str, str | bytes], Path]
SPACING = '[[rule]]\ncolumn = "a"\ndo = "spacing"\n'


def test_results_print_and_show_in_notebooks() -> None:
    book = igual.Rulebook(
        [Spacing(column="a"), Label(column="a", codebook="b")], codebooks={"b": igual.Codebook({"1": "<x>"})}
    )
    outcome = book.apply(pd.DataFrame({"a": [" 1", "<b> ", None]}))
    assert "What each rule changed" in repr(outcome)
    for result in (outcome, igual.survey({"a": ["<b>"]}), igual.tally(["<b>"]), outcome.preview()):
        assert "&lt;b&gt;" in result._repr_html_()
        assert "<b>" not in result._repr_html_()
        assert repr(result).splitlines()[0]


def test_a_large_outcome_prints_little() -> None:
    outcome = igual.Rulebook(
        [Label(column="a", codebook="b")], codebooks={"b": igual.Codebook({"x": "y"})}
    ).apply({"a": [f"value {n}" for n in range(10_000)]})
    assert len(repr(outcome).splitlines()) < 40
    assert "9,985 more" in repr(outcome)
    assert outcome.effects["unknown_values"].tolist() == [10_000]


def test_pair_lists_from_files(tmp_path: Path, write: Write) -> None:
    write("pairs.csv", "from,to,why\nmapel,maple,seen\n,,\nbrich,birch,\n")
    write(
        "b.toml",
        'igual = 1\n[pairs.p]\nfile = "pairs.csv"\n[[rule]]\ncolumn = "a"\ndo = "replace"\npairs = "p"\n',
    )
    book = igual.Rulebook.load(tmp_path / "b.toml")
    assert book.apply({"a": ["mapel brich"]}).table == {"a": ["maple birch"]}
    book.save(tmp_path / "c.toml")
    assert igual.Rulebook.load(tmp_path / "c.toml") == book
    assert igual.PairList.load(tmp_path / "pairs.csv").pairs == {"mapel": "maple", "brich": "birch"}


@pytest.mark.parametrize(
    ("content", "said"),
    [
        (
            '[pairs.p]\nfile = "twice.csv"\n' + SPACING,
            "pair list 'p': twice.csv, row 3: 'x' stands in row 2 already",
        ),
        (
            '[pairs.p]\nfile = "bare.csv"\n' + SPACING,
            "pair list 'p': bare.csv, row 2: there is no text to look for",
        ),
        ("[pairs.p]\npairs = {}\n" + SPACING, "pair list 'p': a pair list needs at least one pair"),
        ('headers = "snak"\n' + SPACING, "'headers' can't be 'snak'; did you mean 'snake'?"),
        (SPACING + '[[check]]\ncolumn = "a"\n', "check 1: the word 'must' is missing"),
        (SPACING + '[[check]]\ncolumn = "a"\nmust = { column = "b", equals = "x" }', "it can't name another"),
        (
            SPACING + '[[check]]\ncolumn = "a"\nmust = { patern = "x" }',
            "unknown word 'patern'; did you mean 'pattern'?",
        ),
        (SPACING + "when = { equals = [3] }", "'equals' takes a text in quotes; found (3,)"),
        (SPACING.replace("spacing", "overlay"), "rule 1 (overlay): the word 'start' is missing"),
        (
            SPACING.replace("spacing", "mention") + 'list = "l"',
            "rule 1 (mention): no list 'l'; there are none",
        ),
    ],
)
def test_rulebooks_that_are_refused(write: Write, content: str, said: str) -> None:
    write("twice.csv", "from,to\nx,y\nx,z\n")
    write("bare.csv", "from,to\n,y\n")
    with pytest.raises(igual.RulebookError) as caught:
        igual.Rulebook.load(write("b.toml", "igual = 1\n" + content))
    assert said in str(caught.value)


def test_open_mentions_name_what_they_mention() -> None:
    book = igual.Rulebook([Mention(column="a", list="l")], {"l": igual.ReferenceList(["oak", "elm", "ash"])})
    outcome = book.apply({"a": ["oak by elm", "nothing", "ash"]})
    assert outcome.unknown[["value", "kind", "near"]].to_numpy().tolist() == [
        ["oak by elm", "undecided", "oak or elm"]
    ]
    assert outcome.table["a"] == ["", "", "ash"]
