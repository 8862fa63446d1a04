"""Queries of a stranger's rulebook: one statement that reads, and nothing else, held by the database itself."""

from __future__ import annotations

import re
import resource
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


LARGE = {
    "sqlite": [
        "with recursive c(n) as (select 1 union all select n+1 from c where n<9999) select zeroblob(16000000) as value from c",
        "with recursive c(n) as (select 1 union all select n+1 from c where n<99999) select hex(zeroblob(400000)) as value from c",
    ],
    "postgres": [
        "select repeat('x', 100000000) as value",
        "select repeat('x', 100000000) as value from generate_series(1, 50)",
        "select repeat('x', 900000) as value from generate_series(1, 100000)",
        "select repeat('x', 100000000)) as igual_rows union select 'a' from (select 'b'",
    ],
}  # fmt: skip


@pytest.mark.parametrize(("kind", "query"), [(kind, query) for kind, some in LARGE.items() for query in some])
def test_what_a_query_gives_is_bounded_in_bytes(
    kind: str, query: str, request: pytest.FixtureRequest
) -> None:
    where = "sqlite://" if kind == "sqlite" else str(request.getfixturevalue("postgres"))
    before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    with pytest.raises(igual.IgualError, match=r"too large|too much|the database says"):
        run_query(where, query)
    # In kilobytes: no cell of a hundred megabytes has come here.
    assert resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before < 700_000


def test_a_query_that_sets_the_clock_of_the_database_is_ended_by_ours(
    postgres: str,  # noqa: F811
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    monkeypatch.setattr(queries, "QUERY_SECONDS", 1)
    # As if a function under another name did both.
    monkeypatch.setattr(queries, "_HARMFUL", re.compile("(?!)."))
    for query in (
        "select set_config('statement_timeout', '0', true) as value, pg_sleep(60)",
        "select pg_sleep(0.3)::text as value, set_config('statement_timeout', '0', true) from generate_series(1, 999)",
    ):
        started = time.monotonic()
        with pytest.raises(igual.IgualError, match=r"took longer than|the database says"):
            run_query(postgres, query)
        assert time.monotonic() - started < 20


@pytest.mark.parametrize(
    "call",
    [
        "pg_terminate_backend(1)", 'pg_catalog."pg_terminate_backend" (1)', "PG_CANCEL_BACKEND(1)", "pg_read_file('x')",
        "lo_import('x')", "set_config('a', 'b', true)", "dblink('a', 'b')", "query_to_xml('select 1', true, true, '')",
        'U&"pg\\005fterminate_backend"(1)',
    ],
)  # fmt: skip
def test_functions_that_do_more_than_read_are_refused(url: str, call: str) -> None:
    with pytest.raises(igual.ListError, match="may only read"):
        run_query(url, f"select {call} as value")


@pytest.mark.parametrize(
    "given",
    ["postgresql://me:pa@ss@localhost/trees", "postgresql://me:12/secret@localhost/trees", "postgresql://me:se@cret/x@host/trees"],
)  # fmt: skip
def test_no_part_of_a_password_stands_in_an_error(given: str) -> None:
    with pytest.raises(igual.IgualError) as caught:
        run_query(given, "select 1 as value")
    assert not any(part in str(caught.value) for part in ("ss@", "secret", "se@", "cret"))
