"""The file of rulings: a CSV beside the rulebook, in an order that merges well, changed under a lock."""

from __future__ import annotations

import os
from collections.abc import Callable, Iterable, Iterator, Sequence
from contextlib import contextmanager
from datetime import date
from pathlib import Path

import pyarrow as pa

from igual.decisions import COLUMNS, KIND_COLUMN, NO, WITHIN_COLUMN, YES, Ruling, check_kind
from igual.errors import OutputError, RulebookError, RulingError, TableError
from igual.files.csv_cells import guarded, unguarded
from igual.files.formats.text import read_csv, write_csv
from igual.files.outputs import outputs
from igual.files.sources import existing_file, file_within, reading, to_path
from igual.rulings import Rulings
from igual.runs.review import Review

_WAIT_SECONDS = 30


def rulings_file(
    rulebook: str | os.PathLike[str], allow_outside: Iterable[str | os.PathLike[str]] = ()
) -> Path:
    """Where the rulings of a rulebook are kept: beside it, under its name.

    Args:
        rulebook: The rulebook's file.
        allow_outside: Folders beside the rulebook's own into which a link may lead.

    Returns:
        The path.

    Raises:
        RulebookError: Where it is a link that leads elsewhere.
    """
    path = to_path(rulebook)
    kept = path.parent / f"{path.stem}.rulings.csv"
    if os.path.lexists(kept):
        file_within(path.parent, kept.name, allow_outside, RulebookError)
    return kept


def load_rulings(path: str | os.PathLike[str]) -> Rulings:
    """Read a file of rulings; one that isn't there has none.

    Raises:
        RulingError: That names the row (the header is row 1) of a ruling that lacks its column, value or ruling.
    """
    file = to_path(path, RulingError)
    if not os.path.lexists(file):
        return Rulings(file=os.fsdecode(path))
    existing = existing_file(path, RulingError)
    with reading(existing.name, RulingError):
        try:
            table, _ = read_csv(existing)
        except TableError as error:
            raise RulingError(str(error)) from None
    if missing := [name for name in COLUMNS if name not in table.column_names]:
        raise RulingError(f"{existing.name} has no column {missing[0]!r}; rulings have {', '.join(COLUMNS)}")
    names = [*COLUMNS, *(name for name in (KIND_COLUMN, WITHIN_COLUMN) if name in table.column_names)]
    if twice := [name for name in names if table.column_names.count(name) > 1]:
        raise RulingError(f"{existing.name} has several columns {twice[0]!r}; leave one")
    rulings = []
    texts = [[unguarded(cell or "") for cell in table[name].to_pylist()] for name in names]
    for row, cells in enumerate(zip(*texts, strict=True), 2):
        one = Ruling(**dict(zip(names, cells, strict=True)))
        if not any(cells):
            continue
        for name in COLUMNS[:3]:
            if not getattr(one, name):
                raise RulingError(f"{existing.name}, row {row}: the ruling has no {name}")
        if one.kind:
            try:
                check_kind(one.kind, one.value)
            except RulingError as error:
                raise RulingError(f"{existing.name}, row {row}: {error}") from None
            if one.ruling not in (YES, NO):
                raise RulingError(
                    f"{existing.name}, row {row}: a kind is ruled yes or no; found {one.ruling!r}"
                )
        if one.on and not _is_date(one.on):
            raise RulingError(
                f"{existing.name}, row {row}: 'on' takes a day such as 2026-05-31; found {one.on!r}"
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


def record_review(path: str | os.PathLike[str], check: Callable[[Rulings], Review]) -> Review:
    """Check answers against the rulings that are on disk by now, and put those that are good beside them.

    Args:
        path: The file of rulings.
        check: Checks the answers, given the rulings that are known.

    Returns:
        The review, with all rulings by now.

    Raises:
        RulingError: When another review holds the file for too long.
    """
    reviews: list[Review] = []

    def add(known: Rulings) -> Sequence[Ruling]:
        reviews.append(check(known))
        return known.with_more(one.ruling for one in reviews[0].accepted)

    changed = _changed(path, add)
    return reviews[0].with_rulings(changed)


def _changed(path: str | os.PathLike[str], change: Callable[[Rulings], Sequence[Ruling]]) -> Rulings:
    with locked(path):
        known = load_rulings(path)
        changed = Rulings(change(known), file=str(path))
        if changed.rulings == known.rulings:
            return changed
        with outputs() as staged:
            place = staged.place(path)
            # Files without rulings on kinds, or in contexts, stay as they have always been.
            columns = {name: [getattr(one, name) for one in changed.rulings] for name in Ruling._fields}
            names = [name for name in Ruling._fields if name in COLUMNS or any(columns[name])]
            rows = [columns[name] for name in names]
            table = pa.table([pa.array(cells, pa.string()) for cells in rows], names=names)
            # A file of rulings is opened in spreadsheet programs, too.
            write_csv(guarded(table), place)
            if load_rulings(place).rulings != changed.rulings:
                raise RulingError(
                    f"{Path(path).name} would not read back as it is written; nothing was written"
                )
    return changed


@contextmanager
def locked(path: str | os.PathLike[str]) -> Iterator[None]:
    """Hold a file for oneself; the lock ends with the process, however that ends."""
    from filelock import FileLock, Timeout

    target = to_path(path, RulingError).resolve()
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
