"""SQLite, and a PostgreSQL that the tests start for themselves: values are read, rows stay where they are."""

from __future__ import annotations

import csv
import os
import shutil
import subprocess
import tempfile
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest
from sqlalchemy import create_engine, text

import igual
from igual.demo.layout import lay_out


def programs() -> Path | None:
    found = sorted(Path("/usr/lib/postgresql").glob("*/bin/initdb"))
    where = str(found[-1]) if found else shutil.which("initdb")
    return Path(where).parent if where else None


@pytest.fixture(scope="session")
def postgres() -> Iterator[str]:
    """The URL of a PostgreSQL of our own, without a network, in a folder that goes with it."""
    folder = programs()
    if folder is None:
        pytest.skip("PostgreSQL isn't installed (on Debian `make test` installs it, given the right)")
    # Not in pytest's own folder: another run of pytest closes that to all but its user.
    place = Path(tempfile.mkdtemp(prefix="igual-postgres-"))
    # Its server refuses to run as root.
    user = ["runuser", "-u", "postgres", "--"] if os.getuid() == 0 else []
    if user:
        shutil.chown(place, "postgres", "postgres")
    data, socket = place / "data", place

    def call(program: str, *words: str) -> None:
        done = subprocess.run(
            [*user, str(folder / program), *words], capture_output=True, text=True, cwd=place
        )
        assert done.returncode == 0, done.stdout + done.stderr

    call("initdb", "-D", str(data), "-A", "trust", "-U", "steward", "--no-sync", "-E", "UTF8", "--locale=C")
    call(
        "pg_ctl",
        "-D",
        str(data),
        "-w",
        "-l",
        str(place / "log"),
        "-o",
        f"-k {socket} -c listen_addresses=''",
        "start",
    )
    try:
        yield f"postgresql+psycopg://steward:s3cret@/postgres?host={socket}"
    finally:
        call("pg_ctl", "-D", str(data), "-m", "immediate", "stop")
        shutil.rmtree(place, ignore_errors=True)


@pytest.fixture(params=["sqlite", "postgres"])
def url(request: pytest.FixtureRequest, tmp_path: Path) -> str:
    """A database with the register of the sample data in it."""
    found = (
        f"sqlite:///{tmp_path / 'trees.db'}"
        if request.param == "sqlite"
        else request.getfixturevalue("postgres")
    )
    with (lay_out(tmp_path / "demo").folder / "trees.csv").open(encoding="utf-8", newline="") as file:
        rows = list(csv.DictReader(file))
    engine = create_engine(found)
    with engine.begin() as connection:
        for name in ("trees", "walk"):
            connection.execute(text(f"drop table if exists {name}"))
        connection.execute(
            text(f"create table trees ({', '.join(f'{name} text' for name in rows[0])}, crown float)")
        )
        marks = ", ".join(f":{name}" for name in rows[0])
        connection.execute(text(f"insert into trees ({', '.join(rows[0])}) values ({marks})"), rows)
        connection.execute(text("update trees set species = null, crown = 2.5 where tree = '00001'"))
    engine.dispose()
    return str(found)


def test_rules_are_applied_where_the_rows_are(url: str, tmp_path: Path) -> None:
    book = igual.Rulebook.load(tmp_path / "demo" / "trees.toml")
    with igual.Database(url) as database:
        outcome = database.apply(book, "trees", crosswalk="walk")
    assert outcome.table is None
    table = igual.Rulebook.load(tmp_path / "demo" / "trees.toml").apply(rows_of(url))
    effects = ["rule", "column", "values", "rows", "unknown_rows", "open_values"]
    assert outcome.effects[effects].values.tolist() == table.effects[effects].values.tolist()
    clean = table.table["species"]
    engine = create_engine(url)
    with engine.connect() as connection:
        joined = connection.execute(
            text(
                "select walk.clean, count(*) from trees join walk on walk.\"column\" = 'species' "
                "and walk.raw = trees.species group by walk.clean"
            )
        ).fetchall()
    engine.dispose()
    assert dict(joined) == {value: clean.count(value) for value in set(clean) - {None}}


def rows_of(url: str) -> dict[str, list[str | None]]:
    engine = create_engine(url)
    with engine.connect() as connection:
        found = connection.execute(text("select * from trees order by tree"))
        names, rows = list(found.keys()), found.fetchall()
    engine.dispose()
    columns = dict(zip(names, map(list, zip(*rows, strict=True)), strict=True))
    return {name: cells for name, cells in columns.items() if name != "crown"}


def test_columns_that_rules_read_together_are_counted_together(url: str) -> None:
    rule = igual.rules.Replace(
        column="species", pairs={"oak": "OAK"}, when=igual.rules.Condition(column="site", equals="p")
    )
    other = igual.rules.Spacing(column="district")
    with igual.Database(url) as database:
        outcome = database.apply(igual.Rulebook([rule, other]), "trees")
    expected = igual.Rulebook([rule, other]).apply(rows_of(url))
    assert outcome.effects["rows"].tolist() == expected.effects["rows"].tolist()
    key = ["raw", "given"]
    found, wanted = (
        one.crosswalk("species").sort_values(key).reset_index(drop=True) for one in (outcome, expected)
    )
    assert found.equals(wanted)


def test_a_column_is_tallied_in_the_database(url: str) -> None:
    with igual.Database(url) as database:
        found = database.tally("trees", "site").table
        assert found["rows"].sum() == 2_000
        assert repr(database) in ("<igual.Database sqlite>", "<igual.Database postgresql>")
        refused: list[tuple[Callable[[], object], str]] = [
            (
                lambda: database.tally("tree", "site"),
                "the database has no table 'tree'; did you mean 'trees'?",
            ),
            (
                lambda: database.tally("trees", "sites"),
                "table 'trees' has no column 'sites'; did you mean 'site'?",
            ),
        ]
        for call, said in refused:
            with pytest.raises(igual.TableError, match=said.replace("?", r"\?")):
                call()
        crowns = database.tally("trees", "crown").table
        assert crowns["rows"].sum() == 2_000
        assert crowns["value"].dropna().str.fullmatch(r"\d+(\.\d+)?").all()
        book = igual.Rulebook([igual.rules.Spacing(column="site")])
        database.apply(book, "trees", crosswalk="walk")
        with pytest.raises(igual.TableError, match="has a table 'walk' already, which is not written over"):
            database.apply(book, "trees", crosswalk="walk")


def test_names_are_quoted_and_queries_only_read(url: str) -> None:
    engine = create_engine(url)
    odd = 'odd "name"; drop table trees --'
    quoted = '"' + odd.replace('"', '""') + '"'
    with engine.begin() as connection:
        connection.execute(text(f"drop table if exists {quoted}"))
        connection.execute(text(f'create table {quoted} ("sel\'ect" text)'))
        connection.execute(text(f"insert into {quoted} values ('a '), (null)"))
    engine.dispose()
    with igual.Database(url) as database:
        outcome = database.apply(igual.Rulebook([igual.rules.Spacing(column="sel'ect")]), odd)
    assert outcome.crosswalk("sel'ect")["clean"].fillna("-").tolist() == ["a", "-"]
    writing = "with gone as (delete from trees returning 1) select '1' as value"
    with pytest.raises(igual.IgualError, match="the database says"):
        igual.ReferenceList.from_sql(url, writing)
    assert len(rows_of(url)["site"]) == 2_000


def test_the_url_comes_from_the_environment(url: str, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("IGUAL_DATABASE_PORT", url)
    with igual.Database.named("port") as database:
        assert "s3cret" not in repr(database)
        assert len(database.tally("trees", "site").table) > 5


def test_columns_of_any_type_are_values_or_refused_in_a_line(postgres: str) -> None:
    cells = {
        "uuid": "'00c0ffee-0000-0000-0000-000000000001'", "numeric": "1.50", "boolean": "true", "timestamp": "'2024-05-31 10:00:00.500'",
        "xml": "'<a/>'", "point": "'(1,2)'", "interval": "'2 days'", "bytea": "'x'",
    }  # fmt: skip
    engine = create_engine(postgres)
    with engine.begin() as connection:
        connection.execute(text("drop table if exists kinds"))
        columns = ", ".join(f'"{kind}" {kind}' for kind in cells)
        connection.execute(text(f"create table kinds ({columns})"))
        connection.exec_driver_sql(f"insert into kinds values ({', '.join(cells.values())})")
    engine.dispose()
    wanted = {
        "uuid": "00c0ffee-0000-0000-0000-000000000001", "numeric": "1.5", "boolean": "true", "timestamp": "2024-05-31T10:00:00.5",
    }  # fmt: skip
    with igual.Database(postgres) as database:
        for kind in cells:
            if kind in wanted:
                assert database.tally("kinds", kind).table["value"].tolist() == [wanted[kind]]
                listed = igual.ReferenceList.from_sql(postgres, f'select "{kind}" as value from kinds')
                assert listed.values == (wanted[kind],)
            else:
                with pytest.raises(
                    igual.TableError, match=r"no values that rules could read|the database says"
                ):
                    database.tally("kinds", kind)
