"""Crosswalk files: CSV, Parquet, and SSSOM (.sssom.tsv)."""

from __future__ import annotations

import os
from importlib.metadata import version
from pathlib import Path

from igual.errors import OutputError, TableError, error_context
from igual.files.outputs import outputs
from igual.files.sources import to_path
from igual.files.sssom import ENDING, is_sssom, read_sssom, write_sssom
from igual.files.tables import checked_ending, read_table, writable_endings, write_table
from igual.runs.crosswalk import Crosswalk


def load_crosswalk(path: str | os.PathLike[str], column: str | None = None) -> Crosswalk:
    """Read a crosswalk. column: the column it is for, where the file doesn't say."""
    file = to_path(path)
    if is_sssom(str(file)):
        return read_sssom(os.fsdecode(path), column)
    table = read_table(file)
    with error_context(file.name, TableError):
        if column is not None and "column" not in table.column_names:
            table = table.add_column(0, "column", [[column] * table.num_rows])
        return Crosswalk(table)


def crosswalk_ending(path: str | os.PathLike[str]) -> str:
    """The ending of a crosswalk that is to be written."""
    if is_sssom(str(to_path(path, OutputError))):
        return ENDING
    try:
        return checked_ending(path)
    except OutputError:
        raise OutputError(f"{path}: crosswalks end with {', '.join((*writable_endings(), ENDING))}") from None


def save_crosswalk(crosswalk: Crosswalk, path: str | os.PathLike[str]) -> None:
    """Write a crosswalk; see `Crosswalk.save`."""
    ending = crosswalk_ending(path)
    with outputs() as staged:
        write_crosswalk(crosswalk, staged.place(path), ending)


def write_crosswalk(crosswalk: Crosswalk, path: Path, ending: str) -> None:
    """Write a crosswalk as the kind of file that its ending tells."""
    if ending == ENDING:
        write_sssom(crosswalk, path, version("igual"))
    else:
        write_table(crosswalk.table, path, ending)
