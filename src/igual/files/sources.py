"""What must hold of any file before it is read, and what is said when reading it fails."""

from __future__ import annotations

import os
import re
import warnings
from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from pathlib import Path

import pyarrow as pa

from igual.errors import IgualError, TableError, did_you_mean

_URL = re.compile(r"[A-Za-z][A-Za-z0-9+.-]+://")


def existing_file(path: str | os.PathLike[str], error: type[IgualError] = TableError) -> Path:
    """The path, if there is a regular file that may be read; else an error that names the nearest file."""
    found = Path(path)
    if _URL.match(os.fspath(path)):
        raise error(f"{path}: nothing is fetched from elsewhere; save it to a file first")
    try:
        is_there, is_folder = found.exists(), found.is_dir()
    except (OSError, ValueError) as cause:
        why = getattr(cause, "strerror", None) or "it can't be a file's name"
        raise error(f"{str(path)[:200]}: {why}") from None
    if is_folder:
        raise error(f"{path} is a folder, not a file")
    if not is_there:
        siblings = (
            sorted(p.name for p in found.parent.iterdir() if p.is_file()) if found.parent.is_dir() else []
        )
        near = did_you_mean(found.name, siblings) if siblings else ""
        raise error(f"{path}: there is no such file{near if near.startswith('; did') else ''}")
    if not found.is_file():
        raise error(f"{path} is not a regular file")
    if not os.access(found, os.R_OK):
        raise error(f"{path}: you are not allowed to read this file")
    return found


def file_within(
    folder: Path, name: str, allowed: Iterable[str | os.PathLike[str]], error: type[IgualError]
) -> Path:
    """A file that another names, if it lies in that one's folder or below, or in a folder that the caller allows.

    Args:
        folder: Where the file lies that names it.
        name: The path as it is named there.
        allowed: More folders.
        error: The class of the error.

    Returns:
        The path.

    Raises:
        IgualError: Of the given class, for a file elsewhere; symbolic links count by where they lead.
    """
    path = folder / name
    if not _URL.match(name):
        try:
            roots = [Path(root).resolve() for root in (folder, *allowed)]
            is_within = any(path.resolve().is_relative_to(root) for root in roots)
        except (OSError, ValueError, RuntimeError):
            raise error(f"{name[:200]!r} can't be a file's name") from None
        if not is_within:
            raise error(
                f"{name!r} lies outside the rulebook's folder; --allow-outside FOLDER (allow_outside=) allows that"
            )
    return existing_file(path if not _URL.match(name) else name, error)


def open_for_arrow(path: Path) -> pa.NativeFile:
    """Open a file for Arrow, whatever bytes its name has: Arrow itself takes names in UTF-8 only."""
    return pa.OSFile(os.fsencode(path))


@contextmanager
def reading(name: str, error: type[IgualError] = TableError) -> Iterator[None]:
    """Turn whatever goes wrong with reading a file into an error for the steward; its cause stays attached.

    Readers of Parquet, spreadsheets and the like raise errors of many kinds for files that are damaged or made to
    harm; a stranger's file is never a reason for a traceback.

    Args:
        name: Of the file.
        error: The class of the error that comes out.

    Yields:
        Nothing.

    Raises:
        IgualError: Of the given class.
    """
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            yield
    except (IgualError, MemoryError):
        raise
    except RecursionError as cause:
        raise error(f"{name} can't be read: it is nested too deeply") from cause
    except Exception as cause:
        why = getattr(cause, "strerror", None) or (str(cause).strip().splitlines() or [""])[0]
        raise error(f"{name} can't be read; it is damaged, or not what its name says: {why[:200]}") from cause
