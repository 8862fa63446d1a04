"""The Python face of SQL databases: rules applied to what a table holds, while its rows stay where they are."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np

from igual.core.column import Column
from igual.core.conditions import Condition
from igual.core.errors import TableError, did_you_mean
from igual.core.rulebook import Rulebook, columns_together
from igual.core.tally import tally as tally_of
from igual.files.databases import combinations, engine_for, table_columns, url_of, write_new_table
from igual.outcomes import Outcome
from igual.results import Tally

__all__ = ["Database"]


class Database:
    """A SQL database, reached through SQLAlchemy (the extra `sql`).

    url: as SQLAlchemy writes it, such as sqlite:///trees.db or postgresql+psycopg://host/trees; a password may be in
    it, or in the environment as the database's driver wants it. It is never printed, recorded or put into an error.

    Raises TableError where the URL isn't one or its driver isn't installed.

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
        self._engine.dispose()

    def tally(self, table: str, column: str) -> Tally:
        """Distinct values of a column and how many rows have each, counted in the database."""
        return Tally(tally_of(self._columns(table, [column])[column], Condition()))

    def apply(self, book: Rulebook, table: str, *, crosswalk: str | None = None) -> Outcome:
        """Apply a rulebook to a table's distinct values; no row leaves the database.

        crosswalk: write raw and clean values, rows and how to a new table of this name, for a join in the database.

        Gives an `Outcome` whose `table` is None. Columns that rules read together are counted as the combinations that
        occur. Raises TableError for a table or column that isn't there, a column that holds no texts, or a
        crosswalk's table that is there already.
        """
        names = table_columns(self._engine, table)
        columns: dict[str, Column] = {}
        for group in columns_together(book, book.source_columns(names)):
            columns |= self._columns(table, group)
        found = book.run(names, columns.__getitem__)
        if crosswalk is not None:
            write_new_table(self._engine, crosswalk, found.crosswalks.table)
        return Outcome(found, None)

    def _columns(self, table: str, names: Sequence[str]) -> dict[str, Column]:
        """Columns whose rows are the combinations that occur, each for as many rows as have it."""
        known = table_columns(self._engine, table)
        for name in names:
            if name not in known:
                raise TableError(f"table {table!r} has no column {name!r}{did_you_mean(name, known)}")
        texts, rows = combinations(self._engine, table, names)
        weights = rows.to_numpy(zero_copy_only=False).astype(np.int64)
        columns: dict[str, Any] = {}
        for name, column in zip(names, texts, strict=True):
            encoded = Column.from_arrow(column)
            columns[name] = Column(encoded.values, encoded.codes, weights)
        return columns
