"""Outputs are written beside their targets and renamed into place: never half a file, never over an input."""

from __future__ import annotations

import contextlib
import os
import secrets
import signal
import stat
import threading
from collections.abc import Iterable, Iterator
from pathlib import Path

from igual.errors import OutputError
from igual.files.sources import to_path

try:
    import fcntl
except ImportError:  # pragma: no cover  # Windows: what a killed run left there stays
    fcntl = None  # type: ignore[assignment]

_SIGNALS = [getattr(signal, name) for name in ("SIGINT", "SIGTERM", "SIGHUP") if hasattr(signal, name)]


class Outputs:
    """Files on their way: each is written under a passing name and takes its place at the end."""

    def __init__(self, inputs: Iterable[Path] = ()) -> None:
        self._inputs = list(inputs)
        self._passing: dict[Path, Path] = {}
        # A passing file is locked as long as its writer lives, so that others can tell whose writer is gone.
        self._locks: list[int] = []

    def place(self, target: str | os.PathLike[str]) -> Path:
        """An empty file to write to, which will become `target` when all outputs are done.

        It has the mode and the owner of the file that it will replace.

        Raises:
            OutputError: When the folder doesn't exist, or the target is a folder, one of the inputs, or read-only.
        """
        try:
            path = to_path(target, OutputError).resolve()
            standing = path.stat() if path.exists() else None
        except (RuntimeError, ValueError, OSError) as error:
            why = getattr(error, "strerror", None) or "it can't be a file's name"
            raise OutputError(f"{target}: {why}") from None
        if standing is not None:
            self._refuse_target(target, path, standing)
        if not path.parent.is_dir():
            raise OutputError(
                f"{target}: there is no folder {path.parent}; make it first, or write elsewhere"
            )
        if path in self._passing:
            raise OutputError(f"{target} is named for two outputs")
        _remove_abandoned(path)
        passing = self._open_passing(path)
        if standing is not None:
            passing.chmod(stat.S_IMODE(standing.st_mode))
            with contextlib.suppress(OSError):
                # Only the superuser gives files away; others own what they replace, or keep it.
                os.chown(passing, standing.st_uid, standing.st_gid)
        return passing

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

    def _open_passing(self, path: Path) -> Path:
        while True:
            # A file's name has a limit, which the target's may have reached already.
            start = os.fsencode(path.name)[:200].decode("utf-8", "ignore")
            passing = path.with_name(f".{start}.{secrets.token_hex(4)}.part")
            # Known before it is there, so that whatever stops this run finds it to remove it.
            self._passing[path] = passing
            try:
                file = os.open(passing, os.O_RDWR | os.O_CREAT | os.O_EXCL, 0o666)
            except (OSError, ValueError) as error:
                del self._passing[path]
                if isinstance(error, OSError):
                    raise
                raise OutputError(f"{str(path)!r} can't be a file's name") from None
            self._locks.append(file)
            if fcntl is not None:
                fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
            # Between the two calls another run may have taken it for abandoned.
            if passing.exists():
                return passing

    def keep(self) -> None:
        """Put all files in their places; a request to stop waits until that is done."""
        for passing in self._passing.values():
            with passing.open("rb+") as file:
                os.fsync(file.fileno())
        try:
            with _signals_held():
                for target, passing in self._passing.items():
                    passing.replace(target)
        except KeyboardInterrupt as error:
            error.add_note("all outputs had been written")
            raise

    def discard(self) -> None:
        """Remove the files that are on their way."""
        for passing in self._passing.values():
            with contextlib.suppress(OSError):
                passing.unlink(missing_ok=True)

    def release(self) -> None:
        """Let go of the locks."""
        while self._locks:
            os.close(self._locks.pop())


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
