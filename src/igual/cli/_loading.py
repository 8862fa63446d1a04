"""How commands read tables and rulebooks, and what they report about it."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping, Sequence
from pathlib import Path
from typing import Any, NamedTuple

import pyarrow as pa

from igual.column import Column
from igual.engines import Source
from igual.engines.arrow import ArrowEngine
from igual.errors import RulebookError, TableError, error_context
from igual.files.csv_cells import guarded
from igual.files.existing import NewFile, refuse_to_replace
from igual.files.formats.base import TableFile
from igual.files.outputs import outputs
from igual.files.rulebooks import load_rulebook
from igual.files.tables import (
    checked_ending,
    is_text_ending,
    open_table_file,
    read_table,
    table_of,
    write_table,
)
from igual.report.progress import show_progress
from igual.report.terminal import show_line
from igual.report.wording import quote_value
from igual.runs.account import Account
from igual.runs.rulebook import Rulebook, find_shelf_files
from igual.text.folding import folded_key


def load_table(path: str, encoding: str | None, categorical: Collection[str] = ()) -> TableFile:
    """Read a table file, with a sign of life where that takes long."""
    with show_progress(f"reading {Path(path).name}"):
        return read_table(path, encoding, categorical)


def find_columns(table: pa.Table, wanted: Sequence[str]) -> list[int]:
    """Find the positions of the wanted columns; all of them when none is named."""
    names = table.column_names
    for name in wanted:
        if name not in names:
            raise TableError.from_missing("the table", "column", name, names)
        if names.count(name) > 1:
            raise TableError(
                f"the table has {names.count(name)} columns {name!r}, so it isn't clear which is meant"
            )
    return [names.index(name) for name in wanted] or list(range(len(names)))


def find_restyled(table: pa.Table, name: str) -> str:
    """Find a column that may have been restyled since: the one whose name has the same letters and digits."""
    names = table.column_names
    if name in names:
        return name
    key, *keys = folded_key(pa.array([name, *names], pa.large_string())).to_pylist()
    same = [other for other, its_key in zip(names, keys, strict=True) if its_key == key]
    return same[0] if len(same) == 1 else name


def read_column(path: str, name: str, encoding: str | None) -> tuple[TableFile, Column]:
    """Read a table file, and the texts of one of its columns."""
    source = load_table(path, encoding, [name])
    find_columns(source.table, [name])
    return source, Source(source.table, ArrowEngine()).column(name)


class Output(NamedTuple):
    """Records that go to a file."""

    path: str | None
    new: NewFile
    records: Sequence[Mapping[str, Any]]


def write_records(
    wanted: Iterable[Output], inputs: Iterable[str | Path], *, force: bool, escape_formulas: bool
) -> None:
    """Write records to the files that were asked for, all or none; reasons become their kinds."""
    named = [(output, checked_ending(output.path)) for output in wanted if output.path]
    with outputs(map(Path, inputs)) as staged:
        for output, ending in named:
            path = output.path or ""
            place = staged.place(path)
            if not force:
                refuse_to_replace(path, output.new)
            flat = [
                record | {"reasons": "; ".join(reason["kind"] for reason in record["reasons"])}
                if "reasons" in record
                else record
                for record in map(dict, output.records)
            ]
            made = table_of(flat, output.new.columns)
            write_table(guarded(made) if escape_formulas and is_text_ending(ending) else made, place, ending)


def report_reading(source: TableFile) -> None:
    """Report on standard error how a text table was read, where that was a guess or out of the ordinary."""
    dialect = source.dialect
    if dialect is not None and dialect.encoding != "utf-8" and source.is_guessed:
        show_line(f"{source.path.name} was read as {dialect.encoding}; --encoding names another", err=True)
    names = source.table.column_names
    if twice := [name for name in dict.fromkeys(names) if names.count(name) > 1]:
        show_line(f"{source.path.name} has several columns called {', '.join(map(repr, twice))}", err=True)


def apply_files(
    rulebook: str, table: str, encoding: str | None, allowed: Sequence[str], only: int | None = None
) -> tuple[Rulebook, TableFile, Account]:
    """Apply a rulebook file to a table file."""
    whole = load_rulebook(rulebook, allowed)
    for one, other in whole.rulings.list_contested():
        show_line(
            f"{quote_value(one.column)}: {quote_value(one.value)} was ruled {quote_value(one.ruling)} by {one.by} and "
            f"{quote_value(other.ruling)} by {other.by} on {one.on}; the latter counts: see {whole.rulings.file}",
            err=True,
        )
    book = whole.with_first_rules(only)
    with show_progress(f"reading {Path(table).name}"):
        opened = open_table_file(table, encoding)
        with error_context(Path(rulebook).name, RulebookError):
            needed = book.source_columns(opened.names)
        source = opened.read(needed)
    with show_progress("applying the rules"), error_context(Path(rulebook).name, RulebookError):
        account = book.run(Source(source.table, ArrowEngine()))
    return whole, source, account


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
    """The files that make up a rulebook: itself, its lists, codebooks, pair lists and rulings."""
    rulings = [book.rulings.file] if book.rulings.rulings and book.rulings.file else []
    return [Path(path) for path in (rulebook, *find_shelf_files(book), *rulings)]
