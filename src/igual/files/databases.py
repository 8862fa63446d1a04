"""SQL databases through SQLAlchemy: what a query gives, distinct values with their rows, and tables written back.

Credentials come with the URL or from the environment; they are never printed or kept.
"""

from __future__ import annotations

import os
import re
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from typing import Any

import pyarrow as pa

from igual.core.errors import ListError, TableError, did_you_mean

_READS = re.compile(r"^\s*(?:--[^\n]*\n\s*)*(?:select|with|values|table)\b", re.IGNORECASE)
_ENVIRONMENT = "IGUAL_DATABASE_"
_MOST_ROWS = 10_000_000
_AT_A_TIME = 5_000


def url_of(name: str) -> str:
    """The URL of a database that a rulebook names: the environment says it, and so the reader of the rulebook does.

    Raises ListError where IGUAL_DATABASE_ and the name in capitals is not set.
    """
    variable = _ENVIRONMENT + re.sub(r"\W", "_", name).upper()
    url = os.environ.get(variable)
    if not url:
        raise ListError(f"database {name!r}: set {variable} to its URL, such as sqlite:///trees.db")
    return url


def engine_for(url: str) -> Any:
    """A SQLAlchemy engine. Raises TableError, without the URL, where it can't be made."""
    try:
        import sqlalchemy
    except ImportError:
        raise TableError("databases want the extra 'sql': pip install 'igual[sql]'") from None
    try:
        return sqlalchemy.create_engine(url)
    except (sqlalchemy.exc.ArgumentError, ValueError):
        raise TableError("the URL of the database isn't one: it looks like sqlite:///trees.db") from None
    except ImportError as error:
        raise TableError(f"the database wants a driver that isn't installed: {error.name}") from None


@contextmanager
def reading(engine: Any) -> Iterator[Any]:
    """A connection that only reads; whatever was done is rolled back."""
    import sqlalchemy

    with _said(sqlalchemy), engine.connect() as connection:
        if engine.dialect.name == "postgresql":
            connection.execute(sqlalchemy.text("set transaction read only"))
        elif engine.dialect.name == "sqlite":
            connection.execute(sqlalchemy.text("pragma query_only = on"))
        try:
            yield connection
        finally:
            connection.rollback()
            if engine.dialect.name == "sqlite":
                connection.execute(sqlalchemy.text("pragma query_only = off"))


@contextmanager
def _said(sqlalchemy: Any) -> Iterator[None]:
    """What a database says, in one line and without the statement."""
    try:
        yield
    except sqlalchemy.exc.SQLAlchemyError as error:
        said = str(getattr(error, "orig", None) or error).strip().splitlines()
        raise TableError(f"the database says: {said[0] if said else type(error).__name__}") from None


def queried(url: str, query: str) -> dict[str, list[str]]:
    """What a query gives, as columns of texts. Raises ListError for one that does anything but read."""
    if not _READS.match(query):
        raise ListError("a query for a list starts with select or with")
    engine = engine_for(url)
    try:
        with reading(engine) as connection:
            found = connection.exec_driver_sql(query)
            names = list(found.keys())
            rows = found.fetchmany(_MOST_ROWS)
    finally:
        engine.dispose()
    columns = list(zip(*rows, strict=True)) if rows else [() for _ in names]
    return {
        name: ["" if cell is None else str(cell) for cell in column]
        for name, column in zip(names, columns, strict=True)
    }


def table_columns(engine: Any, table: str) -> list[str]:
    """The columns of a table. Raises TableError where it isn't there."""
    import sqlalchemy

    with _said(sqlalchemy):
        inspector = sqlalchemy.inspect(engine)
        names = [*inspector.get_table_names(), *inspector.get_view_names()]
        if table not in names:
            raise TableError(f"the database has no table {table!r}{did_you_mean(table, names)}")
        return [column["name"] for column in inspector.get_columns(table)]


def combinations(engine: Any, table: str, columns: Sequence[str]) -> tuple[list[pa.Array], pa.Array]:
    """The distinct combinations of columns as texts, and how many rows have each; counted in the database."""
    import sqlalchemy

    source = sqlalchemy.table(table, *(sqlalchemy.column(name) for name in columns))
    asked = [source.c[name] for name in columns]
    query = sqlalchemy.select(*asked, sqlalchemy.func.count()).group_by(*asked)
    with reading(engine) as connection:
        rows = connection.execute(query).fetchall()
    cells = list(zip(*rows, strict=True)) if rows else [()] * (len(columns) + 1)
    for name, column in zip(columns, cells, strict=False):
        other = next((cell for cell in column if cell is not None and not isinstance(cell, str)), None)
        if other is not None:
            raise TableError(f"column {name!r} holds no texts but {type(other).__name__}s; cast it in a view")
    # The database gives them in any order.
    order = sorted(
        range(len(rows)), key=lambda place: tuple((cell is None, cell or "") for cell in rows[place][:-1])
    )
    texts = [pa.array([column[place] for place in order], pa.large_string()) for column in cells[:-1]]
    return texts, pa.array([cells[-1][place] for place in order], pa.int64())


def write_new_table(engine: Any, name: str, made: pa.Table) -> None:
    """Write a table that isn't there yet, whole or not at all. Raises TableError where it is there."""
    import sqlalchemy

    kinds = {
        column.name: sqlalchemy.BigInteger() if pa.types.is_integer(column.type) else sqlalchemy.Text()
        for column in made.schema
    }
    table = sqlalchemy.Table(
        name, sqlalchemy.MetaData(), *(sqlalchemy.Column(n, kind) for n, kind in kinds.items())
    )
    with _said(sqlalchemy):
        if sqlalchemy.inspect(engine).has_table(name):
            raise TableError(
                f"the database has a table {name!r} already, which is not written over; take another name"
            )
        with engine.begin() as connection:
            table.create(connection)
            for at in range(0, made.num_rows, _AT_A_TIME):
                connection.execute(table.insert(), made.slice(at, _AT_A_TIME).to_pylist())
