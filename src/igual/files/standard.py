"""Standard input and output as table files."""

from __future__ import annotations

import shutil
import sys
from pathlib import Path

from igual.errors import TableError

_STARTS = (
    (b"PAR1", ".parquet"),
    (b"ARROW1", ".arrow"),
    (b"\xff\xff\xff\xff", ".arrow"),
    (b"PK\x03\x04", ".xlsx"),
    (b"\x1f\x8b", ".csv.gz"),
    (b"\x28\xb5\x2f\xfd", ".csv.zst"),
    (b"{", ".jsonl"),
)
NAME = "-"


def spool_input(folder: Path) -> Path:
    """Keep what comes from standard input in a file, since a table is read twice.

    Args:
        folder: Where to.

    Returns:
        The file; its ending tells what the first bytes look like.

    Raises:
        TableError: Where nothing comes.
    """
    if sys.stdin is None or sys.stdin.isatty():
        raise TableError("a table is expected from standard input, as in: cat trees.csv | igual survey -")
    spooled = folder / "standard input"
    with spooled.open("wb") as file:
        shutil.copyfileobj(sys.stdin.buffer, file, 1 << 20)
    with spooled.open("rb") as file:
        start = file.read(8)
    if not start:
        raise TableError("standard input is empty: a table needs at least a row of column names")
    ending = next((ending for signs, ending in _STARTS if start.lstrip().startswith(signs)), ".csv")
    return spooled.rename(spooled.with_name(f"standard input{ending}"))


def print_output(written: Path) -> None:
    """Write a file that is done to standard output."""
    sys.stdout.flush()
    with written.open("rb") as file:
        shutil.copyfileobj(file, sys.stdout.buffer, 1 << 20)
    sys.stdout.buffer.flush()
