"""SQL databases through SQLAlchemy: connections that only read, and what a query gives.

Credentials come with the URL or from the environment; they are never printed or kept.
"""

from __future__ import annotations

import os
import re
from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any

from igual.errors import ListError, TableError

_READS = re.compile(r"^\s*(?:--[^\n]*\n\s*)*(?:select|with|values|table)\b", re.IGNORECASE)
_ENVIRONMENT = "IGUAL_DATABASE_"
_MOST_ROWS = 10_000_000


def url_of(name: str) -> str:
    """The URL of a database that a rulebook names: the environment says it, and so the reader of the rulebook does.

    Raises:
        ListError: Where IGUAL_DATABASE_ and the name in capitals is not set.
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
        raise TableError("databases require the extra 'sql': pip install 'igual[sql]'") from None
    try:
        return sqlalchemy.create_engine(url)
    except (sqlalchemy.exc.ArgumentError, ValueError):
        raise TableError("invalid database URL; expected for example sqlite:///trees.db") from None
    except ImportError as error:
        raise TableError(f"the database requires a driver that isn't installed: {error.name}") from None


@contextmanager
def reading(engine: Any) -> Iterator[Any]:
    """A connection that only reads; whatever was done is rolled back."""
    import sqlalchemy

    with translate_errors(sqlalchemy), engine.connect() as connection:
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
def translate_errors(sqlalchemy: Any) -> Iterator[None]:
    """What a database says, in one line and without the statement."""
    try:
        yield
    except sqlalchemy.exc.SQLAlchemyError as error:
        said = str(getattr(error, "orig", None) or error).strip().splitlines()
        raise TableError(f"the database says: {said[0] if said else type(error).__name__}") from None


def run_query(url: str, query: str) -> dict[str, list[str]]:
    """What a query gives, as columns of texts. Raises ListError for one that does anything but read."""
    if not _READS.match(query):
        raise ListError("a query for a list starts with select or with")
    engine = engine_for(url)
    try:
        with reading(engine) as connection:
            found = connection.exec_driver_sql(query)
            names = list(found.keys())
            rows = found.fetchmany(_MOST_ROWS + 1)
            if len(rows) > _MOST_ROWS:
                raise ListError(f"the query gives more than {_MOST_ROWS:,} rows, too many for a list")
    finally:
        engine.dispose()
    columns = list(zip(*rows, strict=True)) if rows else [() for _ in names]
    return {
        name: ["" if cell is None else str(cell) for cell in column]
        for name, column in zip(names, columns, strict=True)
    }
