"""The file of rulings: a CSV beside the rulebook, in an order that merges well, changed under a lock."""

from __future__ import annotations

import csv
import io
import os
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from datetime import date
from pathlib import Path

from igual.errors import IgualError, OutputError, RulingError
from igual.files.outputs import outputs
from igual.rulings import COLUMNS, Ruling, Rulings

_WAIT_SECONDS = 30


def rulings_file(rulebook: str | os.PathLike[str]) -> Path:
    """Where the rulings of a rulebook are kept: beside it, under its name."""
    return Path(rulebook).with_suffix(".rulings.csv")


def load_rulings(path: str | os.PathLike[str]) -> Rulings:
    """Read a file of rulings; one that isn't there has none.

    Raises:
        RulingError: That names the row (the header is row 1) of a ruling that lacks its column, value or ruling.
    """
    found = Path(path)
    if not found.exists():
        return Rulings(file=str(path))
    from igual.files.tables import read_table

    try:
        table = read_table(found).table
    except IgualError as error:
        raise RulingError(str(error)) from None
    if missing := [name for name in COLUMNS if name not in table.column_names]:
        raise RulingError(f"{found.name} has no column {missing[0]!r}; rulings have {', '.join(COLUMNS)}")
    rulings = []
    texts = [[cell or "" for cell in table[name].to_pylist()] for name in COLUMNS]
    for row, cells in enumerate(zip(*texts, strict=True), 2):
        one = Ruling(*cells)
        if not any(cells):
            continue
        for name in COLUMNS[:3]:
            if not getattr(one, name):
                raise RulingError(f"{found.name}, row {row}: the ruling has no {name}")
        if one.on and not _is_date(one.on):
            raise RulingError(
                f"{found.name}, row {row}: 'on' takes a day such as 2026-05-31; found {one.on!r}"
            )
        rulings.append(one)
    return Rulings(rulings, file=str(path))


def _is_date(text: str) -> bool:
    try:
        date.fromisoformat(text)
    except ValueError:
        return False
    return True


def record_rulings(path: str | os.PathLike[str], more: Sequence[Ruling]) -> Rulings:
    """Put rulings on disk beside those that are there by now, also by somebody else; none is lost.

    Raises:
        RulingError: When another review holds the file for too long.
    """
    return _changed(path, lambda known: known.with_more(more))


def withdraw_ruling(path: str | os.PathLike[str], one: Ruling) -> Rulings:
    """Take a ruling out again."""

    def without(known: Rulings) -> Sequence[Ruling]:
        left = list(known.rulings)
        if one in left:
            del left[len(left) - 1 - left[::-1].index(one)]
        return left

    return _changed(path, without)


def _changed(path: str | os.PathLike[str], change: Callable[[Rulings], Sequence[Ruling]]) -> Rulings:
    with locked(path):
        changed = Rulings(change(load_rulings(path)), file=str(path))
        with outputs() as staged:
            staged.place(path).write_text(_as_csv(changed.rulings), encoding="utf-8", newline="")
    return changed


@contextmanager
def locked(path: str | os.PathLike[str]) -> Iterator[None]:
    """Hold a file for oneself; the lock ends with the process, however that ends."""
    from filelock import FileLock, Timeout

    target = Path(path).resolve()
    lock = FileLock(target.with_name(f".{target.name}.lock"))
    try:
        lock.acquire(timeout=_WAIT_SECONDS)
    except Timeout:
        raise RulingError(
            f"{target.name} is being changed by another review; try again when that is done"
        ) from None
    except OSError as error:
        raise OutputError(f"{target.name} can't be changed: {error.strerror}") from None
    try:
        yield
    finally:
        lock.release()


def _as_csv(rulings: Sequence[Ruling]) -> str:
    text = io.StringIO()
    writer = csv.writer(text, lineterminator="\n")
    writer.writerow(COLUMNS)
    writer.writerows(rulings)
    return text.getvalue()
