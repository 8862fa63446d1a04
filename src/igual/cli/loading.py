"""How commands read tables and rulebooks, and what they say about it."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping, Sequence
from pathlib import Path
from typing import Any

import click
import pyarrow as pa

from igual.core.column import Column
from igual.core.errors import RulebookError, TableError, did_you_mean, said_of
from igual.core.outcome import Outcome
from igual.core.rulebook import SHELVES, Rulebook
from igual.engines import text_column
from igual.engines.arrow_tables import ArrowEngine
from igual.files.outputs import outputs
from igual.files.rulebooks import load_rulebook
from igual.files.tables import TableFile, checked_ending, column_names, read_table, table_of, write_table
from igual.report.progress import waiting


def loaded(path: str, encoding: str | None, categorical: Collection[str] = ()) -> TableFile:
    with waiting(f"reading {Path(path).name}"):
        return read_table(path, encoding, categorical)


def columns_named(table: pa.Table, wanted: Sequence[str]) -> list[int]:
    """The places of the wanted columns; all of them when none is named."""
    names = table.column_names
    for name in wanted:
        if name not in names:
            raise TableError(f"the table has no column {name!r}{did_you_mean(name, names)}")
        if names.count(name) > 1:
            raise TableError(
                f"the table has {names.count(name)} columns {name!r}, so it isn't clear which is meant"
            )
    return [names.index(name) for name in wanted] or list(range(len(names)))


def column_of(path: str, name: str, encoding: str | None) -> tuple[TableFile, Column]:
    """A table file, and the texts of one of its columns."""
    source = loaded(path, encoding, [name])
    columns_named(source.table, [name])
    return source, text_column(ArrowEngine(), source.table, name)


def written(
    wanted: Iterable[tuple[str | None, Sequence[Mapping[str, Any]], Sequence[str]]],
    inputs: Iterable[str | Path],
) -> None:
    """Write records to the files that were asked for, all or none."""
    asked = [(path, checked_ending(path), records, columns) for path, records, columns in wanted if path]
    with outputs(map(Path, inputs)) as staged:
        for path, ending, records, columns in asked:
            write_table(table_of(records, columns), staged.place(path), ending)


def said_of_reading(source: TableFile) -> None:
    """Say on standard error how a text table was read, where that was a guess or out of the ordinary."""
    dialect = source.dialect
    if dialect is not None and dialect.encoding != "utf-8":
        click.echo(f"{source.path.name} was read as {dialect.encoding}; --encoding names another", err=True)
    names = source.table.column_names
    if twice := [name for name in dict.fromkeys(names) if names.count(name) > 1]:
        click.echo(f"{source.path.name} has several columns called {', '.join(map(repr, twice))}", err=True)


def applied(
    rulebook: str, table: str, encoding: str | None, only: int | None = None
) -> tuple[Rulebook, TableFile, Outcome]:
    """Apply a rulebook file to a table file."""
    whole = load_rulebook(rulebook, Rulebook)
    for one, other in whole.rulings.contested():
        click.echo(
            f"{one.column}: {one.value!r} was ruled {one.ruling!r} by {one.by} and {other.ruling!r} by {other.by} "
            f"on {one.on}; the latter counts: see {whole.rulings.file}",
            err=True,
        )
    book = whole.up_to(only)
    names = column_names(table, encoding)
    with said_of(Path(rulebook).name, RulebookError):
        needed = book.source_columns(names)
    source = loaded(table, encoding, needed)
    engine = ArrowEngine()
    with waiting("applying the rules"), said_of(Path(rulebook).name, RulebookError):
        outcome = book.run(engine.names(source.table), lambda name: text_column(engine, source.table, name))
    return whole, source, outcome


def today() -> str:
    """The day, as rulings are dated."""
    from datetime import date

    return date.today().isoformat()


def user() -> str:
    """Who works here, as far as the computer knows."""
    import getpass

    try:
        return getpass.getuser()
    except (OSError, KeyError):
        return ""


def book_files(rulebook: str, book: Rulebook) -> list[Path]:
    """The files that make up a rulebook: itself, its lists, codebooks and pair lists."""
    entries = [entry for shelf in SHELVES for entry in getattr(book, shelf).values()]
    entries += [book.rulings] if book.rulings.rulings else []
    return [Path(rulebook), *(Path(entry.file) for entry in entries if entry.file is not None)]
