"""SQL databases through SQLAlchemy: connections that only read, and what a query gives.

Credentials come with the URL or from the environment; they are never printed or kept.
"""

from __future__ import annotations

import contextlib
import os
import re
import threading
import time
from collections.abc import Callable, Iterator, Mapping
from contextlib import contextmanager
from typing import Any

from igual.errors import ListError, TableError
from igual.files.sources import existing_file
from igual.values import value_or_same

# Comments are taken or left as they stand ("*+"): to try other ends of each would take for ever.
_READS = re.compile(
    r"^(?:\s|--[^\n]*\n|/\*.*?\*/)*+(?:select|with|values|table)\b", re.IGNORECASE | re.DOTALL
)
_ENVIRONMENT = "IGUAL_DATABASE_"
MOST_ROWS = 2_000_000
# So many rows come at once, so many bytes a row may have, and so many all of them together.
_FETCHED, _MAX_ROW_BYTES, _MAX_BYTES = 200, 1 << 20, 1 << 28
QUERY_SECONDS = 60
_TOO_LONG = f"the query took longer than {QUERY_SECONDS} seconds"
_TOO_LARGE = f"the query gives a row of more than {_MAX_ROW_BYTES >> 20:,} MiB, too large for a list"
# PostgreSQL's transactions that only read don't hold functions that act on other sessions, on files, on settings or on
# text that is a query of its own. SECURITY.md says what a role must not have besides.
_HARMFUL = re.compile(
    r"\bU&|\b(?:pg_terminate_backend|pg_cancel_backend|pg_(?:read|write|ls|stat|current|rotate|reload|switch|promote"
    r"|create|drop|advisory|try_advisory|notify|logical|replication|wal|log)_\w*|pg_sleep\w*|set_config|lo_\w+|dblink\w*"
    r"|\w*_to_xml\w*|ts_stat|ts_rewrite|nextval|setval|load_extension)\b\"?\s*(?:\(|$)",
    re.IGNORECASE,
)


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
        engine = sqlalchemy.create_engine(url)
    except (sqlalchemy.exc.ArgumentError, ValueError):
        raise TableError("invalid database URL; expected for example sqlite:///trees.db") from None
    except ImportError as error:
        raise TableError(f"the database requires a driver that isn't installed: {error.name}") from None
    if "@" in (engine.url.host or "") or (engine.url.host and "@" in (engine.url.database or "")):
        # A part of the password would be taken for the host or the database, and stand in the errors of the driver.
        raise TableError("invalid database URL: write an @ or / of a user name or password as %40 or %2F")
    return engine


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
    """What a query gives, as columns of texts; it may be a stranger's, so that it can do nothing but read.

    The database itself holds it to one statement that reads, and ends it when it takes too long. What the role may
    read, the query may read.

    Args:
        url: Of the database: SQLite, or PostgreSQL by the driver psycopg.
        query: One statement; a `%` in it is a character.

    Returns:
        Column name to texts; missing is an empty text.

    Raises:
        ListError: For a query that does anything but read, takes too long, or gives too many rows or bytes.
        TableError: For what the database says.
    """
    if not _READS.match(query):
        raise ListError("a query for a list starts with select or with")
    if (harmful := _HARMFUL.search(query)) is not None:
        raise ListError(f"a query for a list may only read; {harmful[0].strip()} does more, or may")
    engine = engine_for(_with_safe_driver(url))
    read = _READERS.get(engine.dialect.name)
    if read is None:
        raise ListError(f"a list comes from SQLite or PostgreSQL; found a URL of {engine.dialect.name}")
    try:
        names, rows = read(engine, query)
    finally:
        engine.dispose()
    columns = list(zip(*rows, strict=True)) if rows else [() for _ in names]
    return {
        name: ["" if cell is None else str(value_or_same(cell)) for cell in column]
        for name, column in zip(names, columns, strict=True)
    }


def _with_safe_driver(url: str) -> str:
    """The URL with the driver that sends one statement at a time, where PostgreSQL has several drivers."""
    return re.sub(r"^postgres(ql)?(\+\w+)?://", "postgresql+psycopg://", url)


def _read_from_sqlite(engine: Any, query: str) -> tuple[list[str], list[Any]]:
    """Rows from SQLite, whose authorizer lets nothing happen but reading.

    SQLite's own `execute` takes one statement.
    """
    import sqlite3

    import sqlalchemy

    place = engine.url.database
    if place and place != ":memory:" and not place.startswith("file:"):
        existing_file(place, ListError)
    allowed = {sqlite3.SQLITE_SELECT, sqlite3.SQLITE_READ, sqlite3.SQLITE_FUNCTION, sqlite3.SQLITE_RECURSIVE}
    deadline = time.monotonic() + QUERY_SECONDS

    def authorize(action: int, *about: str | None) -> int:
        is_harmless = action in allowed and "load_extension" not in about
        return sqlite3.SQLITE_OK if is_harmless else sqlite3.SQLITE_DENY

    with translate_errors(sqlalchemy), engine.connect() as connection:
        raw = connection.connection.dbapi_connection
        raw.setlimit(sqlite3.SQLITE_LIMIT_LENGTH, _MAX_ROW_BYTES)
        raw.set_authorizer(authorize)
        # SQLite asks it every so many steps, also in a query without end, and so interrupts are seen too.
        raw.set_progress_handler(lambda: time.monotonic() > deadline, 10_000)
        try:
            cursor = raw.execute(query)
            rows = _fetch(cursor, deadline)
            return [column[0] for column in cursor.description], rows
        except sqlite3.Error as error:
            if time.monotonic() > deadline:
                raise ListError(_TOO_LONG) from None
            if "too big" in str(error):
                raise ListError(_TOO_LARGE) from None
            if "not authorized" in str(error):
                raise ListError("a query for a list may only read; this one does more") from None
            raise TableError(f"the database says: {error}") from None
        finally:
            raw.set_progress_handler(None, 0)
            raw.set_authorizer(None)


def _read_from_postgresql(engine: Any, query: str) -> tuple[list[str], list[Any]]:
    """Rows from PostgreSQL by a cursor on the server: it takes one query, in a transaction that only reads."""
    import sqlalchemy

    deadline = time.monotonic() + QUERY_SECONDS
    with translate_errors(sqlalchemy), engine.connect() as connection:
        connection.execute(sqlalchemy.text("set transaction read only"))
        connection.execute(sqlalchemy.text(f"set local statement_timeout = {1000 * QUERY_SECONDS}"))
        raw = connection.connection.dbapi_connection
        # It must be a whole query by itself, before it is put into another.
        parsed = raw.pgconn.prepare(b"igual", query.encode())
        if parsed.error_message:
            raise TableError(
                f"the database says: {parsed.error_message.decode(errors='replace').splitlines()[0]}"
            )
        # A query may set the database's own clock anew, so that ours ends it; each fetch is a statement of its own.
        clock = threading.Timer(QUERY_SECONDS, raw.cancel)
        clock.daemon = True
        clock.start()
        # A cursor on the server is declared by the extended protocol, which refuses a second statement; without
        # parameters the driver leaves every % alone.
        streaming = connection.execution_options(
            stream_results=True, max_row_buffer=_FETCHED, no_parameters=True
        )
        try:
            result = streaming.exec_driver_sql(_bound_rows(query))
            with contextlib.closing(result):
                return list(result.keys()), _fetch(result, deadline)
        except sqlalchemy.exc.SQLAlchemyError as error:
            if time.monotonic() > deadline:
                raise ListError(_TOO_LONG) from None
            if "division by zero" in str(error):
                raise ListError(_TOO_LARGE) from None
            raise
        finally:
            clock.cancel()
            with contextlib.suppress(sqlalchemy.exc.SQLAlchemyError):
                connection.rollback()


def _bound_rows(query: str) -> str:
    """The query, ended by an error of the database where a row is too large, before the row is sent."""
    bare = query.rstrip().rstrip(";")
    size = "octet_length(igual_rows::text)"
    # The query stands alone in its brackets: it was parsed by itself.
    rows = f"(\n{bare}\n) as igual_rows"
    fails = f"case when {size} > {_MAX_ROW_BYTES} then 1 / (0 * {size}) = 1 else true end"
    return f"select igual_rows.* from {rows} where {fails}"  # noqa: S608


def _fetch(cursor: Any, deadline: float) -> list[Any]:
    rows: list[Any] = []
    size = 0
    while some := cursor.fetchmany(_FETCHED):
        rows += some
        size += sum(len(cell) for row in some for cell in row if isinstance(cell, str | bytes))
        if len(rows) > MOST_ROWS:
            raise ListError(f"the query gives more than {MOST_ROWS:,} rows, too many for a list")
        if size > _MAX_BYTES:
            raise ListError(f"the query gives more than {_MAX_BYTES >> 20:,} MiB, too much for a list")
        if time.monotonic() > deadline:
            raise ListError(_TOO_LONG)
    return rows


_READERS: Mapping[str, Callable[[Any, str], tuple[list[str], list[Any]]]] = {
    "sqlite": _read_from_sqlite,
    "postgresql": _read_from_postgresql,
}
