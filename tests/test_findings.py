"""Findings: what still needs something at the end, in one order, and what is new since an earlier run."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import pandas as pd
import polars as pl
import pyarrow as pa
import pytest

import igual
from igual.rules import Case, Date, Label, Match, Number, Part, Replace, Spacing
from igual.runs.due_questions import digest_plan, find_outdated, write_made_for
from igual.runs.findings import compare_crosswalks, list_findings
from tests.conftest import Run
from tests.test_cli import Write

SHELF: dict[str, Any] = {
    "codebooks": {"c": igual.Codebook({"1": "Common oak"})},
    "lists": {"l": igual.ReferenceList(["Common oak", "Field elm"])},
}


def kinds_of(rules: list[Any], table: dict[str, list[Any]]) -> list[tuple[int, str, list[str | None]]]:
    account = igual.Rulebook(rules, **SHELF).apply(table).account
    rows = len(next(iter(table.values())))
    return [
        (one.by.number, one.kind, [value.value for value in one.values])
        for one in list_findings(account, rows)
    ]


def test_a_later_rule_retires_a_finding_of_an_earlier_one() -> None:
    rules = [Label(column="a", codebook="c"), Match(column="a", list="l")]
    assert kinds_of(rules, {"a": ["1", "Field elm", "field ELM"]}) == []
    left = kinds_of(rules, {"a": ["1", "Field elm", "unheard of"]})
    assert left == [(1, "unlabelled", ["unheard of"]), (2, "unlisted", ["unheard of"])]
    # Open in one list, and settled by the next.
    two = [Match(column="a", list="near"), Match(column="a", list="l")]
    book = igual.Rulebook(two, lists={**SHELF["lists"], "near": igual.ReferenceList(["Field elms North"])})
    outcome = book.apply({"a": ["Field elm"]})
    assert (len(outcome.open), outcome.questions, [hint.kind for hint in outcome.hints]) == (
        0,
        [],
        ["no effect"],
    )


def test_a_default_retires_no_finding() -> None:
    rules = [Label(column="a", codebook="c", otherwise={"text": "Field elm"}), Match(column="a", list="l")]
    assert kinds_of(rules, {"a": ["1", "7"]}) == [(1, "unlabelled", ["7"])]
    blank = [Label(column="a", codebook="c", otherwise="blank"), Match(column="a", list="l")]
    assert kinds_of(blank, {"a": ["1", "7"]}) == [(1, "unlabelled", ["7"])]
    # A rule that never looked at the value says nothing of it.
    apart = [
        Label(column="a", codebook="c"),
        Match(column="a", list="l", when={"column": "b", "equals": "x"}),
    ]
    assert kinds_of(apart, {"a": ["Field elm", "Field elm"], "b": ["x", "y"]}) == [
        (1, "unlabelled", ["Field elm"])
    ]


def test_a_value_that_the_next_rule_reads_is_no_finding() -> None:
    rules = [Date(column="a", form="DD.MM.YYYY"), Date(column="a", form="YYYY-MM-DD")]
    assert kinds_of(rules[:1], {"a": ["31.05.2026", "2026-05-31"]}) == [(1, "unread", ["2026-05-31"])]


def test_fewer_parts_than_columns_are_no_warning() -> None:
    rule = Part(column="p", separator="/", into=("x", "y"))
    assert igual.Rulebook([rule]).apply({"p": ["a/b", "a", ""] * 99}).hints == []
    (hint, _) = igual.Rulebook([rule]).apply({"p": ["a/b", "a", "a/b/c"]}).hints
    assert hint.text == "rule 1 (part) found other parts than it asks for in 1 value of 'x' (1 row): 'a/b/c'"


HINTED = igual.Rulebook(
    [
        Spacing(column="a"), Case(column="a", style="title"), Number(column="n"), Replace(column="a", pairs={"Zz": "y", "Q": "r"}),
        Match(column="a", list="l", into="m"), Label(column="a", codebook="c", into="k", ignore_case=True),
    ],
    **SHELF,
)  # fmt: skip


def test_hints_come_in_one_order_in_every_engine(tmp_path: Path) -> None:
    rows = {
        "a": ["zz top", "Q tip", " field elms", "feild elm", "b", "a", "common oaks", "b"],
        "n": ["x", "1", "y", "y", "2", "z", "3", "4"],
    }
    source = tmp_path / "t.parquet"
    pl.DataFrame(rows).write_parquet(source)
    table = pa.table(rows)
    given = [
        rows, pd.DataFrame(rows), pl.DataFrame(rows), table, pl.DataFrame(rows).lazy(), pl.scan_parquet(source),
        pl.DataFrame(rows).reverse().lazy(), pl.DataFrame(rows).reverse(),
        pa.RecordBatchReader.from_batches(table.schema, table.to_batches(max_chunksize=3)),
    ]  # fmt: skip
    texts = [[hint.text for hint in HINTED.apply(one).hints] for one in given]
    assert len(texts[0]) > 4
    assert all(one == texts[0] for one in texts)


def crosswalk_of(rules: list[Any], table: dict[str, list[Any]]) -> igual.Crosswalk:
    return igual.Rulebook(rules, **SHELF).apply(table).account.crosswalk


def test_a_value_in_another_context_is_neither_new_nor_gone() -> None:
    rule = Replace(column="a", pairs={"x": "y"}, when={"column": "b", "equals": "1"})
    before, now = (
        crosswalk_of([rule], {"a": ["x", "z", "old"], "b": ["1", "1", "1"]}),
        crosswalk_of([rule], {"a": ["x", "z", "new"], "b": ["2", "1", "1"]}),
    )
    (compared,) = compare_crosswalks(before, now)
    assert ([one.value for one in compared.new], [one.value for one in compared.vanished]) == (
        ["new"],
        ["old"],
    )


@pytest.mark.parametrize("rows", [40, 8_000])
def test_identifiers_of_another_month_are_not_listed_as_new_and_gone(rows: int) -> None:
    before, now = (
        crosswalk_of([Spacing(column="id")], {"id": [f" {month}-{number}" for number in range(rows)]})
        for month in ("may", "june")
    )
    (compared,) = compare_crosswalks(before, now)
    assert compared.are_identifiers == (rows > 50)
    assert len(compared.new) == len(compared.vanished) == (0 if compared.are_identifiers else rows)


def test_check_passes_where_a_later_rule_has_found_all(run: Run, write: Write) -> None:
    write("c.csv", "code,label\n1,Common oak\n")
    write("l.csv", "value\nCommon oak\nField elm\n")
    rules = '[[rule]]\ncolumn = "a"\ndo = "label"\ncodebook = "c"\n\n[[rule]]\ncolumn = "a"\ndo = "match"\nlist = "l"\n'
    write(
        "r.toml",
        f'igual = 1\n\n[codebooks]\nc = {{ file = "c.csv" }}\n\n[lists]\nl = {{ file = "l.csv" }}\n\n{rules}',
    )
    write("t.csv", "a\n1\nField elm\n")
    done = run("check r.toml t.csv")
    assert (done.returncode, done.stdout.strip()) == (0, "t.csv: in order, 2 rows")


def test_a_page_is_not_called_outdated_where_a_pattern_names_the_columns(tmp_path: Path) -> None:
    near = {"l": igual.ReferenceList(["Kites Quest", "Kite Quest"])}
    book = igual.Rulebook([Match(columns=("*",), list="l")], lists=near)
    account = book.apply({"a": ["Kite Qest"], "b": ["Kit Quest"], "c": [5]}).account
    made_for = write_made_for(digest_plan(account.plan))
    assert find_outdated(made_for, book.plan) == []
    assert find_outdated(made_for, account.plan) == []
    changed = igual.Rulebook([Match(columns=("*",), list="l", settle=0.9)], lists=near)
    assert find_outdated(made_for, changed.plan) == ["the rules"]
