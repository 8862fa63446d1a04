"""Queries of a stranger's rulebook: one statement that reads, and nothing else, held by the database itself."""

from __future__ import annotations

import sqlite3
import time
from pathlib import Path

import pytest
from sqlalchemy import create_engine, text

import igual
from igual.files import queries
from igual.files.queries import run_query
from tests.test_databases import postgres  # noqa: F401

BAD = [
    "select 1 as value; commit; create table stolen (x text)",
    "select 1 as value; drop table trees",
    "select value into stolen from trees",
    "with gone as (delete from trees returning value) select value from gone",
    "with x as (insert into trees values ('x') returning value) select value from x",
    "select set_config('transaction_read_only', 'off', false) as value; delete from trees",
    "create table stolen (x text)",
    "copy trees to program 'touch stolen'",
    "/* select */ delete from trees",
    # Ends of comments that would be looked for in 2^60 ways.
    "/**/" * 60 + "delete from trees",
]


def rows_of(url: str) -> list[str]:
    engine = create_engine(url)
    with engine.connect() as connection:
        found = [row[0] for row in connection.execute(text("select value from trees order by value"))]
    engine.dispose()
    return found


@pytest.fixture(params=["sqlite", "postgres"])
def url(request: pytest.FixtureRequest, tmp_path: Path) -> str:
    found = f"sqlite:///{tmp_path / 't.db'}"
    found = found if request.param == "sqlite" else str(request.getfixturevalue("postgres"))
    engine = create_engine(found)
    with engine.begin() as connection:
        for name in ("trees", "stolen"):
            connection.execute(text(f"drop table if exists {name}"))
        connection.execute(text("create table trees (value text)"))
        connection.execute(text("insert into trees values ('oak'), ('5 % elm')"))
    engine.dispose()
    return found


@pytest.mark.parametrize("query", BAD)
def test_whatever_does_more_than_read_is_refused(url: str, query: str) -> None:
    with pytest.raises(igual.IgualError):
        run_query(url, query)
    assert rows_of(url) == ["5 % elm", "oak"]
    with pytest.raises(igual.IgualError):
        run_query(url, "select * from stolen")


def test_a_percent_sign_is_a_character(url: str) -> None:
    found = run_query(
        url, "-- 5 %s\n select value from trees where value like '%\u0025 elm' or value = '%(x)s'"
    )
    assert found == {"value": ["5 % elm"]}


def test_a_query_without_end_is_ended(url: str, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(queries, "QUERY_SECONDS", 1)
    endless = "with recursive n(value) as (select 1 union all select value + 1 from n) select value from n where value < 0"
    started = time.monotonic()
    with pytest.raises(igual.IgualError, match=r"took longer than|statement timeout"):
        run_query(url, endless)
    assert time.monotonic() - started < 30


def test_sqlite_opens_no_other_file(tmp_path: Path) -> None:
    sqlite3.connect(tmp_path / "other.db").close()
    with pytest.raises(igual.ListError, match="there is no such file"):
        run_query(f"sqlite:///{tmp_path / 'none.db'}", "select 1 as value")
    assert not (tmp_path / "none.db").exists()
    for query in (
        f"attach '{tmp_path / 'other.db'}' as o",
        "select load_extension('x') as value",
        "select zeroblob(1000000000) as value",
    ):
        with pytest.raises(igual.IgualError):
            run_query("sqlite://", query)
