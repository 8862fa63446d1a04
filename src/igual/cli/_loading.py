"""How commands read and write tables, and what they report about it."""

from __future__ import annotations

import logging
import tempfile
from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from pathlib import Path
from typing import Any, NamedTuple

import click
import pyarrow as pa

from igual.cli._options import TableSource
from igual.column import TEXT, Column
from igual.engines.arrow import encode_cells
from igual.errors import TableError
from igual.files.csv_cells import guarded
from igual.files.existing import NewFile, refuse_to_replace
from igual.files.formats.base import OpenedTable, ReadOptions
from igual.files.outputs import outputs
from igual.files.pages import place_page
from igual.files.several import expand_paths, open_several
from igual.files.standard import NAME, spool_input
from igual.files.streams import CountedTable, count_table
from igual.files.tables import checked_ending, is_text_ending, table_of, write_table
from igual.report.progress import show_progress
from igual.report.terminal import LOGGER, log_note
from igual.text.characters import printable
from igual.text.folding import folded_key


def open_table(table: TableSource) -> OpenedTable:
    """Open a table: a file, several as one, or what comes from standard input."""
    options = ReadOptions(table.encoding, table.sheet, table.header_row)
    paths = [str(_spool()) if path == NAME else path for path in expand_paths(table.paths)]
    with show_progress(f"opening {Path(paths[0]).name}"):
        return open_several(paths, options, with_source=table.with_source)


def _spool() -> Path:
    """Keep standard input in a file that is gone when the command is done."""
    folder = tempfile.TemporaryDirectory(prefix="igual-")
    click.get_current_context().call_on_close(folder.cleanup)
    return spool_input(Path(folder.name))


def count_file(opened: OpenedTable, groups: Sequence[Sequence[str]]) -> CountedTable:
    """Count what occurs in columns of a table file, those together that are needed together."""
    return count_places(opened, [[_find_place(opened.names, name) for name in group] for group in groups])


def _find_place(names: Sequence[str], name: str) -> int:
    if name not in names:
        raise TableError.from_missing("the table", "column", name, names)
    if names.count(name) > 1:
        raise TableError(
            f"the table has {names.count(name)} columns {name!r}, so it isn't clear which is meant"
        )
    return names.index(name)


def count_places(opened: OpenedTable, groups: Sequence[Sequence[int]]) -> CountedTable:
    """Count what occurs in columns by their positions, with a sign of life where that takes long."""
    with show_progress(f"reading {opened.name}") as on_progress:
        return count_table(opened, groups, lambda rows: on_progress(rows, None))


def find_restyled(names: Sequence[str], name: str) -> str:
    """Find a column that may have been restyled since: the one whose name has the same letters and digits."""
    if name in names:
        return name
    key, *keys = folded_key(pa.array([name, *names], pa.large_string())).to_pylist()
    same = [other for other, its_key in zip(names, keys, strict=True) if its_key == key]
    return same[0] if len(same) == 1 else name


def read_column(table: TableSource, name: str) -> tuple[OpenedTable, Column]:
    """Read a column of a table."""
    opened = open_table(table)
    return opened, count_file(opened, [[name]]).source.column(name)


def read_rows(opened: OpenedTable, name: str) -> Column:
    """Read a table file's column with its rows, where those of two tables stand side by side."""
    place = _find_place(opened.names, name)
    with show_progress(f"reading {opened.name}"):
        parts = opened.read_by(lambda way: [_in_dictionary(part.cells(place)) for part in way.parts([place])])
        chunks = [chunk for part in parts for chunk in part]
        kind = opened.schema.field(place).type
    return encode_cells(pa.chunked_array(chunks, None if chunks else kind))


def _in_dictionary(cells: pa.Array | pa.ChunkedArray) -> list[pa.Array]:
    chunks = cells.chunks if isinstance(cells, pa.ChunkedArray) else [cells]
    is_text = pa.types.is_string(cells.type) or pa.types.is_large_string(cells.type)
    return [chunk.cast(TEXT).dictionary_encode() if is_text else chunk for chunk in chunks]


class Output(NamedTuple):
    """Records that go to a file."""

    path: str | None
    new: NewFile
    records: Sequence[Mapping[str, Any]]


def write_records(
    wanted: Iterable[Output],
    inputs: Iterable[str | Path],
    page: tuple[str, str] | None = None,
    *,
    force: bool,
    escape_formulas: bool,
) -> None:
    """Write records to the files that were asked for, all or none; reasons become their kinds.

    Args:
        wanted: The records; those without a path are left out.
        inputs: What was read: none of it is written over.
        page: A page, and the file where it goes.
        force: Replace whatever is there.
        escape_formulas: Guard the cells of text outputs.
    """
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
        if page:
            place_page(staged, *page, force=force)
    if page:
        log_note(f"page to look at: {page[1]}")


def report_reading(opened: OpenedTable) -> None:
    """Report on standard error how a table was read, where that was a guess or out of the ordinary."""
    dialect = opened.dialect
    if dialect is not None:
        read = f"{opened.name}: {dialect.encoding}, cells separated by {dialect.delimiter!r}"
        logging.getLogger(LOGGER).debug("%s", printable(read))
    if dialect is not None and dialect.encoding != "utf-8" and opened.is_guessed:
        log_note(f"{opened.name} was read as {dialect.encoding}; --encoding names another")
    if twice := [name for name, times in Counter(opened.names).items() if times > 1]:
        log_note(f"{opened.name} has several columns called {', '.join(map(repr, twice))}")
    for note in opened.notes:
        log_note(note)
