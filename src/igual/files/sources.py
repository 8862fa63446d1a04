"""What must hold of any file before it is read, and what is said when reading it fails."""

from __future__ import annotations

import gzip
import io
import os
import re
import warnings
from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import IO, Any

import pyarrow as pa

from igual.errors import IgualError, TableError, did_you_mean

_URL = re.compile(r"[A-Za-z][A-Za-z0-9+.-]+://")


def to_path(given: str | os.PathLike[str], error: type[IgualError] = TableError) -> Path:
    """What was given for a file's path, if it can be one."""
    try:
        return Path(os.fsdecode(given))
    except TypeError:
        raise error(f"expected the path of a file; found {given!r:.40} ({type(given).__name__})") from None


def _finish_outputs(folder: Path) -> None:
    """Put in place what a run that was stopped has left in a folder, before anything there is read."""
    from igual.files.outputs import finish_interrupted

    finish_interrupted(folder)


def existing_file(path: str | os.PathLike[str], error: type[IgualError] = TableError) -> Path:
    """The path, if there is a regular file that may be read; else an error that names the nearest file."""
    file = to_path(path, error)
    if _URL.match(os.fspath(path) if isinstance(path, str) else str(file)):
        raise error(f"{path}: nothing is fetched from elsewhere; save it to a file first")
    try:
        is_there, is_folder = file.exists(), file.is_dir()
    except (OSError, ValueError) as cause:
        why = getattr(cause, "strerror", None) or "it can't be a file's name"
        raise error(f"{str(path)[:200]}: {why}") from None
    if is_folder:
        raise error(f"{file} is a folder, not a file")
    _finish_outputs(file.parent)
    if not is_there and not file.exists():
        siblings = (
            sorted(p.name for p in file.parent.iterdir() if p.is_file()) if file.parent.is_dir() else []
        )
        near = did_you_mean(file.name, siblings) if siblings else ""
        missing = error(f"{path}: there is no such file{near if near.startswith('; did') else ''}")
        missing.name, missing.available = str(path), tuple(siblings)
        raise missing
    if not file.is_file():
        raise error(f"{path} is not a regular file")
    if not os.access(file, os.R_OK):
        raise error(f"{path}: you are not allowed to read this file")
    return file


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


PACKINGS = {".gz": "gzip", ".zst": "zstd"}
# A stranger's file may unpack to any size: one that does to more than this, and so many times its own, is refused.
_MOST_UNPACKED, _MOST_TIMES = 1 << 30, 400


class PackedFile:
    """A compressed file that is read as what it holds.

    Args:
        path: The file; its ending tells how it is compressed.
    """

    def __init__(self, path: Path) -> None:
        self.path = path
        self.name = path.name
        self.suffix = Path(path.stem).suffix

    def open(
        self,
        mode: str = "rb",
        encoding: str | None = None,
        errors: str | None = None,
        newline: str | None = None,
    ) -> Any:
        """Open what it holds, as `Path.open` does.

        Raises:
            TableError: While it is read, where it is damaged, cut off or unpacks without end.
        """
        raw = io.BufferedReader(_Unpacking(self.path), 1 << 20)
        return raw if encoding is None else io.TextIOWrapper(raw, encoding, errors, newline)


class _Unpacking(io.RawIOBase):
    def __init__(self, path: Path) -> None:
        self._path = path
        self._stream = pa.CompressedInputStream(open_for_arrow(path), PACKINGS[path.suffix.lower()])
        self._given, self._packed = 0, path.stat().st_size

    def readable(self) -> bool:
        return True

    def readinto(self, buffer: Any) -> int:
        try:
            data = self._stream.read(len(buffer))
        except (OSError, pa.ArrowInvalid) as error:
            why = str(error).splitlines()[0]
            raise TableError(
                f"{self._path.name} can't be unpacked; it is damaged or cut off: {why}"
            ) from None
        self._given += len(data)
        if self._given > max(_MOST_UNPACKED, _MOST_TIMES * self._packed):
            raise TableError(
                f"{self._path.name} unpacks to more than {_MOST_TIMES} times its size; unpack it yourself if you "
                "trust it"
            )
        buffer[: len(data)] = data
        return len(data)

    def close(self) -> None:
        self._stream.close()
        super().close()


# What text tables are read from.
Readable = Path | PackedFile


def path_of(source: Readable) -> Path:
    """The path of a file, compressed or not."""
    return source.path if isinstance(source, PackedFile) else source


def readable(path: Path) -> Readable:
    """Give a file, or what it holds where its ending says that it is compressed."""
    return PackedFile(path) if path.suffix.lower() in PACKINGS else path


@contextmanager
def packing(file: IO[bytes], ending: str) -> Iterator[IO[bytes]]:
    """Compress what is written to a file as its ending has it; the same bytes for the same content, always.

    Args:
        file: Where to.
        ending: The ending of its final name.

    Yields:
        The file to write to.
    """
    kind = PACKINGS.get(Path(f"x{ending}").suffix.lower())
    if kind == "gzip":
        with gzip.GzipFile("", "wb", 6, file, mtime=0) as packed:
            yield packed  # type: ignore[misc]
    elif kind == "zstd":
        with pa.CompressedOutputStream(pa.PythonFile(file, "w"), "zstd") as packed:
            yield packed
    else:
        yield file


class NeedsParserError(Exception):
    """A text table has quotes where they don't quote a cell, so that only a parser tells its rows apart."""


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
    except (IgualError, MemoryError, NeedsParserError):
        raise
    except RecursionError as cause:
        raise error(f"{name} can't be read: it is nested too deeply") from cause
    except Exception as cause:
        why = getattr(cause, "strerror", None) or (str(cause).strip().splitlines() or [""])[0]
        raise error(f"{name} can't be read; it is damaged, or not what its name says: {why[:200]}") from cause
