"""What may be replaced: a file that stands where an output goes is only replaced by one of its own kind."""

from __future__ import annotations

import json
import os
from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import NamedTuple

from igual.decisions import COLUMNS as RULING_COLUMNS
from igual.errors import IgualError, OutputError
from igual.files.sources import to_path
from igual.files.tables import open_table_file, readable_endings
from igual.sheet_columns import KIND_SHEET, PAGE_SHEET

_PAGE_MARK = b'<meta name="generator" content="Igual">'
_RULINGS_END = ".rulings.csv"
_KNOWN: Mapping[str, frozenset[str]] = {
    "a file of rulings": frozenset(RULING_COLUMNS),
    "a sheet of open values": frozenset({"column", "value", "shown", "ruling"}),
    "a crosswalk": frozenset({"column", "raw", "clean", "how"}),
    "a trail": frozenset({"column", "raw", "clean", "steps"}),
    "a pair list": frozenset({"from", "to"}),
    "a codebook": frozenset({"code", "label"}),
    "a reference list": frozenset({"value"}),
}


class NewFile(NamedTuple):
    """An output that is about to be written.

    Attributes:
        kind: What it is, such as 'table', 'sheet', 'record', 'page' or 'SSSOM'.
        columns: The columns that it has, for a table of any kind.
        about: The columns that a sheet may be about; or the rulebook that a record is about.
    """

    kind: str
    columns: tuple[str, ...] = ()
    about: tuple[str, ...] = ()


def refuse_to_replace(path: str | os.PathLike[str], new: NewFile) -> None:
    """Check that an output replaces nothing but a file of its own kind.

    Args:
        path: Where the output goes.
        new: What it is.

    Raises:
        OutputError: Where something else is there; it says what.
    """
    target = to_path(path, OutputError)
    if not target.is_file() or not target.stat().st_size:
        return
    what = describe_file(target)
    if _is_same_kind(target, new):
        return
    raise OutputError(
        f"{path} is there already and is {what}, not a {new.kind} like the one to be written; take another name, "
        "or replace it with --force"
    )


def describe_file(path: Path) -> str:
    """Find out what a file is, by its name and its columns.

    Args:
        path: The file.

    Returns:
        Such as 'a codebook', or 'a table with the columns tree, height'.
    """
    if path.name.lower().endswith(_RULINGS_END):
        return "a file of rulings"
    if path.suffix.lower() == ".toml":
        return "a rulebook"
    names = _read_names(path)
    if names is None:
        return "another kind of file"
    what = next((what for what, needed in _KNOWN.items() if needed <= set(names)), None)
    more = ", …" if len(names) > 5 else ""
    return what or f"a table with the columns {', '.join(names[:5])}{more}"


def _read_names(path: Path) -> Sequence[str] | None:
    if path.suffix.lower() not in readable_endings():
        return None
    try:
        return tuple(open_table_file(path).names)
    except (IgualError, OSError):
        return None


def _is_same_kind(path: Path, new: NewFile) -> bool:
    if new.kind == "SSSOM":
        with path.open("rb") as file:
            return file.read(len(b"#curie_map")) == b"#curie_map"
    if new.kind == "page":
        with path.open("rb") as file:
            return _PAGE_MARK in file.read(4_096)
    if new.kind == "record":
        return _is_record_of(path, new.about)
    names = _read_names(path)
    if path.name.lower().endswith(_RULINGS_END) or names is None:
        return False
    if new.kind != "sheet":
        return names == new.columns
    # Kinds stand on a tab of their own, or in rows that have a column more.
    is_sheet = names == KIND_SHEET or set(new.columns) <= {*names} <= {*PAGE_SHEET}
    return is_sheet and _sheet_columns(path) <= set(new.about)


def _is_record_of(path: Path, rulebook: Sequence[str]) -> bool:
    try:
        record = json.loads(path.read_bytes())
        return any(file["what"] == "rulebook" and file["name"] in rulebook for file in record["inputs"])
    except (ValueError, KeyError, TypeError, RecursionError):
        return False


def _sheet_columns(path: Path) -> set[str]:
    """The columns that a sheet is about."""
    return {str(name) for name in open_table_file(path).read()["column"].to_pylist() if name}
