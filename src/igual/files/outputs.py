"""Outputs are written beside their targets and renamed into place: never half a file, never over an input."""

from __future__ import annotations

import contextlib
import json
import os
import secrets
import signal
import stat
import threading
from collections.abc import Iterable, Iterator
from pathlib import Path
from typing import NamedTuple

from igual.errors import OutputError
from igual.files.sources import to_path

try:
    import fcntl
except ImportError:  # pragma: no cover  # Windows: what a killed run left there stays
    fcntl = None  # type: ignore[assignment]

_JOURNAL_START, _JOURNAL_END, _MAX_JOURNAL = ".igual-", ".journal", 1 << 20
_SIGNALS = [getattr(signal, name) for name in ("SIGINT", "SIGTERM", "SIGHUP") if hasattr(signal, name)]


class _Passing(NamedTuple):
    """A file on its way.

    Attributes:
        name: Its passing name.
        file: A descriptor of it, locked as long as its writer lives: others can tell whose writer is gone.
        folder: A descriptor of its folder, which stays the same whatever becomes of the folder's name.
    """

    name: str
    file: int
    folder: int


class Outputs:
    """Files on their way: each is written under a passing name and takes its place at the end."""

    def __init__(self, inputs: Iterable[Path] = ()) -> None:
        self._inputs = list(inputs)
        self._passing: dict[Path, _Passing] = {}
        self._descriptors: list[int] = []

    def place(self, target: str | os.PathLike[str]) -> Path:
        """An empty file to write to, which will become `target` when all outputs are done.

        It has the mode and the owner of the file that it will replace. The path leads to the file itself, not to its
        name, so that nobody who may write in the folder can have another file written.

        Raises:
            OutputError: When the folder doesn't exist, or the target is a folder, one of the inputs, or read-only.
        """
        try:
            given = to_path(target, OutputError)
            path = given.resolve()
            standing = path.stat() if path.exists() else None
        except (RuntimeError, ValueError, OSError) as error:
            why = getattr(error, "strerror", None) or "it can't be a file's name"
            raise OutputError(f"{target}: {why}") from None
        if standing is not None:
            self._refuse_target(target, path, standing)
        elif given.is_symlink():
            raise OutputError(f"{target} is a link to a file that isn't there; name the file itself")
        if not path.parent.is_dir():
            raise OutputError(
                f"{target}: there is no folder {path.parent}; make it first, or write elsewhere"
            )
        if path in self._passing:
            raise OutputError(f"{target} is named for two outputs")
        finish_interrupted(path.parent)
        _remove_abandoned(path)
        passing = self._open_passing(path)
        if standing is not None:
            os.fchmod(passing.file, stat.S_IMODE(standing.st_mode))
            with contextlib.suppress(OSError):
                # Only the superuser gives files away; others own what they replace, or keep it.
                os.fchown(passing.file, standing.st_uid, standing.st_gid)
        by_descriptor = Path(f"/proc/self/fd/{passing.file}")
        return by_descriptor if by_descriptor.exists() else path.with_name(passing.name)

    def _refuse_target(self, target: str | os.PathLike[str], path: Path, standing: os.stat_result) -> None:
        if stat.S_ISDIR(standing.st_mode):
            raise OutputError(f"{target} is a folder; name a file to write to")
        if not stat.S_ISREG(standing.st_mode):
            raise OutputError(f"{target} is not a regular file")
        if any(source.exists() and path.samefile(source) for source in self._inputs):
            raise OutputError(
                f"{target} is one of the inputs, which are never written over; take another name"
            )
        if not standing.st_mode & 0o222 or not os.access(path, os.W_OK):
            raise OutputError(f"{target} is read-only; take another name, or make it writable")

    def _open_passing(self, path: Path) -> _Passing:
        folder = os.open(path.parent, os.O_RDONLY | os.O_DIRECTORY)
        self._descriptors.append(folder)
        while True:
            # A file's name has a limit, which the target's may have reached already.
            start = os.fsencode(path.name)[:200].decode("utf-8", "ignore")
            name = f".{start}.{secrets.token_hex(4)}.part"
            # Known before it is there, so that whatever stops this run finds it to remove it.
            self._passing[path] = _Passing(name, -1, folder)
            try:
                file = os.open(name, os.O_RDWR | os.O_CREAT | os.O_EXCL | os.O_NOFOLLOW, 0o666, dir_fd=folder)
            except (OSError, ValueError) as error:
                del self._passing[path]
                if isinstance(error, OSError):
                    raise
                raise OutputError(f"{str(path)!r} can't be a file's name") from None
            self._descriptors.append(file)
            passing = self._passing[path] = _Passing(name, file, folder)
            if fcntl is not None:
                fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
            # Between the two calls another run may have taken it for abandoned.
            if _is_itself(passing):
                return passing

    def keep(self) -> None:
        """Put all files in their places; a request to stop waits until that is done.

        Where there are several a journal is written first, so that the next run puts in place what is left if this one
        is stopped on the way.
        """
        for target, passing in self._passing.items():
            os.fsync(passing.file)
            if not _is_itself(passing):
                raise OutputError(f"another program has changed {passing.name}, on its way to {target}")
        try:
            with _signals_held():
                self._rename_all()
        except KeyboardInterrupt as error:
            error.add_note("all outputs had been written")
            raise

    def _rename_all(self) -> None:
        journals = self._write_journals() if len(self._passing) > 1 else []
        done: list[Path] = []
        for target, passing in self._passing.items():
            try:
                os.replace(passing.name, target.name, src_dir_fd=passing.folder, dst_dir_fd=passing.folder)
            except OSError as error:
                if not done:
                    _remove_journals(journals)
                    raise
                left = [one for one in self._passing if one not in done]
                # What is left on its way is for the next run.
                self._passing = {}
                raise OutputError(
                    f"could not put all outputs in place: {error.strerror or error}; written: "
                    f"{', '.join(one.name for one in done)}; not yet: {', '.join(one.name for one in left)}. The next "
                    "run that writes or reads there finishes it"
                ) from error
            done.append(target)
        _remove_journals(journals)

    def _write_journals(self) -> list[tuple[int, str]]:
        """Write into each folder which files are to be renamed there; folder and name of each."""
        by_folder: dict[Path, list[tuple[Path, _Passing]]] = {}
        for target, passing in self._passing.items():
            by_folder.setdefault(target.parent, []).append((target, passing))
        journals: list[tuple[int, str]] = []
        for renames in by_folder.values():
            folder = renames[0][1].folder
            name = f"{_JOURNAL_START}{secrets.token_hex(4)}{_JOURNAL_END}"
            content = json.dumps([[passing.name, target.name] for target, passing in renames])
            flags = os.O_RDWR | os.O_CREAT | os.O_EXCL | os.O_NOFOLLOW
            journals.append((folder, name))
            try:
                file = os.open(f"{name}.new", flags, 0o600, dir_fd=folder)
                self._descriptors.append(file)
                if fcntl is not None:
                    fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
                os.write(file, os.fsencode(content))
                os.fsync(file)
                os.replace(f"{name}.new", name, src_dir_fd=folder, dst_dir_fd=folder)
                os.fsync(folder)
            except OSError:
                _remove_journals([(folder, f"{name}.new"), *journals])
                raise
        return journals

    def discard(self) -> None:
        """Remove the files that are on their way."""
        for passing in self._passing.values():
            with contextlib.suppress(OSError):
                os.unlink(passing.name, dir_fd=passing.folder)

    def release(self) -> None:
        """Let go of the locks."""
        while self._descriptors:
            os.close(self._descriptors.pop())


def folder_of(place: Path) -> Path:
    """Find the folder of a file that is on its way, where there is room for passing files beside it.

    Args:
        place: The path that `Outputs.place` gave, or any other.

    Returns:
        The folder.
    """
    return Path(os.path.realpath(place)).parent


def _is_itself(passing: _Passing) -> bool:
    """Whether the passing name still leads to the file that was opened."""
    try:
        named = os.stat(passing.name, dir_fd=passing.folder, follow_symlinks=False)
    except OSError:
        return False
    return os.path.samestat(named, os.fstat(passing.file))


def _remove_journals(journals: Iterable[tuple[int, str]]) -> None:
    for folder, name in journals:
        with contextlib.suppress(OSError):
            os.unlink(name, dir_fd=folder)


def finish_interrupted(folder: Path) -> None:
    """Put in place what a run that was stopped has left on its way in a folder, all parts of which were written.

    Args:
        folder: The folder.
    """
    if fcntl is None:  # pragma: no cover
        return
    with contextlib.suppress(OSError), os.scandir(folder) as entries:
        names = [entry.name for entry in entries]
        for name in names:
            if name.startswith(_JOURNAL_START) and name.endswith(_JOURNAL_END):
                # What isn't a journal of ours is left alone.
                with contextlib.suppress(OSError, ValueError, TypeError, AttributeError):
                    _finish(folder, name)


def _finish(folder: Path, name: str) -> None:
    place = os.open(folder, os.O_RDONLY | os.O_DIRECTORY)
    try:
        journal = os.open(name, os.O_RDWR | os.O_NOFOLLOW, dir_fd=place)
        try:
            # A run that is still at it holds the lock; nobody else's journal is followed.
            fcntl.flock(journal, fcntl.LOCK_EX | fcntl.LOCK_NB)
            if os.fstat(journal).st_uid != os.geteuid():
                return
            for passing, target in json.loads(os.read(journal, _MAX_JOURNAL)):
                is_own = passing.startswith(".") and passing.endswith(".part") and "/" not in passing + target
                # What isn't there was put in place by the run itself.
                with contextlib.suppress(FileNotFoundError):
                    if is_own and stat.S_ISREG(os.stat(passing, dir_fd=place, follow_symlinks=False).st_mode):
                        os.replace(passing, target, src_dir_fd=place, dst_dir_fd=place)
        finally:
            os.close(journal)
        os.unlink(name, dir_fd=place)
    finally:
        os.close(place)


@contextlib.contextmanager
def _signals_held() -> Iterator[None]:
    """Let requests to stop wait until the end, and then take effect.

    To block them for a thread isn't enough: any other thread of the process may get them.
    """
    if threading.current_thread() is not threading.main_thread():
        # Python handles signals in the main thread only, and this isn't the one they stop.
        yield
        return
    came: list[int] = []
    handlers = {number: signal.getsignal(number) for number in _SIGNALS}
    held = {number: handler for number, handler in handlers.items() if handler not in (signal.SIG_IGN, None)}
    for number in held:
        signal.signal(number, lambda number, _: came.append(number))
    try:
        yield
    finally:
        for number, handler in held.items():
            signal.signal(number, handler)
    if came:
        signal.raise_signal(came[0])


def _remove_abandoned(path: Path) -> None:
    """Remove what runs that were killed have left of a file: what no living process holds."""
    if fcntl is None:  # pragma: no cover
        return
    for left in path.parent.glob(f".{_escape_glob(path.name)}.????????.part"):
        with contextlib.suppress(OSError):
            file = os.open(left, os.O_RDWR | os.O_NOFOLLOW)
            try:
                fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
                left.unlink()
            finally:
                os.close(file)


def _escape_glob(name: str) -> str:
    import glob

    return glob.escape(os.fsencode(name)[:200].decode("utf-8", "ignore"))


@contextlib.contextmanager
def outputs(inputs: Iterable[Path] = ()) -> Iterator[Outputs]:
    """Write several files so that either all of them appear, or none and nothing is left over."""
    staged = Outputs(inputs)
    try:
        yield staged
        staged.keep()
    except OSError as error:
        staged.discard()
        why = error.strerror or str(error)
        raise OutputError(
            f"could not write: {why}; nothing was written, and what was there is as before"
        ) from error
    except BaseException as error:
        staged.discard()
        if isinstance(error, KeyboardInterrupt) and not getattr(error, "__notes__", ()):
            error.add_note("nothing was written")
        raise
    finally:
        staged.release()
