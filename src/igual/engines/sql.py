"""SQL databases: rules applied to what a table holds, while its rows stay where they are."""

from __future__ import annotations

import warnings
from collections.abc import Sequence
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from igual.column import Column, Counts
from igual.conditions import Condition
from igual.engines import Source
from igual.engines.combinations import CountedColumns
from igual.errors import TableError
from igual.files.queries import engine_for, reading, translate_errors, url_of
from igual.looking.tally import Tally, tally_column
from igual.runs.outcome import Outcome
from igual.runs.rulebook import Rulebook
from igual.text.cells import READABLE, ReadCells, read_objects

_AT_A_TIME = 5_000


class Database:
    """A SQL database, reached through SQLAlchemy (the extra `sql`).

    Args:
        url: As SQLAlchemy writes it, such as sqlite:///trees.db or postgresql+psycopg://host/trees; a password may
            be in it, or in the environment as the database's driver wants it. It is never printed, recorded or put
            into an error.

    Raises:
        TableError: Where the URL isn't one or its driver isn't installed.

    Example:
        >>> import igual
        >>> igual.Database("sqlite://")
        <igual.Database sqlite>
    """

    def __init__(self, url: str) -> None:
        self._engine = engine_for(url)

    @classmethod
    def named(cls, name: str) -> Database:
        """The database whose URL stands in the environment: IGUAL_DATABASE_TREES for 'trees'."""
        return cls(url_of(name))

    def __repr__(self) -> str:
        return f"<igual.Database {self._engine.dialect.name}>"

    def __enter__(self) -> Database:
        return self

    def __exit__(self, *_: object) -> None:
        self.close()

    def close(self) -> None:
        """Close the connections."""
        self._engine.dispose()

    def tally(self, table: str, column: str) -> Tally:
        """Distinct values of a column and how many rows have each, counted in the database."""
        return tally_column(self._columns(table, [column])[column], Condition())

    def apply(self, book: Rulebook, table: str, *, crosswalk: str | None = None) -> Outcome:
        """Apply a rulebook to a table's distinct values; no row leaves the database.

        Columns that rules read together are counted as the combinations that occur.

        Args:
            book: The rulebook.
            table: The name of the table.
            crosswalk: Write raw and clean values, rows and how to a new table of this name, for a join in the database.

        Returns:
            An `Outcome` whose `table` is None.

        Raises:
            TableError: For a table or column that isn't there, a column of bytes and the like, or a crosswalk's
                table that is there already.
        """
        names = table_columns(self._engine, table)
        book = book.fit(names, names)
        columns: dict[int, Column] = {}
        for group in book.group_columns(book.source_columns(names)):
            columns |= {names.index(name): one for name, one in self._columns(table, group).items()}
        account = book.run(Source(None, CountedColumns(names, columns)))
        if crosswalk is not None:
            write_new_table(self._engine, crosswalk, account.crosswalk.table)
        return Outcome(account, None)

    def _columns(self, table: str, names: Sequence[str]) -> dict[str, Column]:
        """Columns whose rows are the combinations that occur, each for as many rows as have it."""
        known = table_columns(self._engine, table)
        for name in names:
            if name not in known:
                raise TableError.from_missing(f"table {table!r}", "column", name, known)
        cells, rows = combinations(self._engine, table, names)
        columns: dict[str, Any] = {}
        for name, column in zip(names, cells, strict=True):
            encoded = Column.from_arrow(column.values)
            columns[name] = Column(encoded.values, encoded.codes, rows, column.kind)
        return columns


def table_columns(engine: Any, table: str) -> list[str]:
    """The columns of a table. Raises TableError where it isn't there."""
    import sqlalchemy

    with translate_errors(sqlalchemy), warnings.catch_warnings():
        # Of columns of types that it doesn't know the names are enough.
        warnings.simplefilter("ignore", sqlalchemy.exc.SAWarning)
        inspector = sqlalchemy.inspect(engine)
        names = [*inspector.get_table_names(), *inspector.get_view_names()]
        if table not in names:
            raise TableError.from_missing("the database", "table", table, names)
        return [column["name"] for column in inspector.get_columns(table)]


def combinations(engine: Any, table: str, columns: Sequence[str]) -> tuple[list[ReadCells], Counts]:
    """The distinct combinations of columns, and how many rows have each; counted in the database."""
    import sqlalchemy

    source = sqlalchemy.table(table, *(sqlalchemy.column(name) for name in columns))
    asked = [source.c[name] for name in columns]
    query = sqlalchemy.select(*asked, sqlalchemy.func.count()).group_by(*asked)
    with reading(engine) as connection:
        rows = connection.execute(query).fetchall()
    cells = list(zip(*rows, strict=True)) if rows else [()] * (len(columns) + 1)
    read = [_read_cells(name, column) for name, column in zip(columns, cells, strict=False)]
    counts = np.array(cells[-1], np.int64)
    # The database gives them in any order.
    sorted_ = pa.table([one.values for one in read], names=list(map(str, range(len(read)))))
    order = pc.sort_indices(sorted_, [(name, "ascending") for name in sorted_.column_names])
    return [one._replace(values=one.values.take(order)) for one in read], counts[order.to_numpy()]


def _read_cells(name: str, cells: Sequence[Any]) -> ReadCells:
    """The cells of a column as values, missing ones among them."""
    is_there = np.array([cell is not None for cell in cells], np.bool_)
    values, kind = read_objects([cell for cell in cells if cell is not None])
    if kind not in READABLE:
        raise TableError(f"column {name!r} holds {kind}, which has no values that rules could read")
    places = pa.array(np.cumsum(is_there) - 1, mask=~is_there)
    return ReadCells(values.take(places), kind)


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
    with translate_errors(sqlalchemy):
        if sqlalchemy.inspect(engine).has_table(name):
            raise TableError(
                f"the database has a table {name!r} already, which is not written over; take another name"
            )
        with engine.begin() as connection:
            table.create(connection)
            for at in range(0, made.num_rows, _AT_A_TIME):
                connection.execute(table.insert(), made.slice(at, _AT_A_TIME).to_pylist())
