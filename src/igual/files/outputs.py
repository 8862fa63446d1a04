"""Outputs are written beside their targets and renamed into place: never half a file, never over an input."""

from __future__ import annotations

import contextlib
import os
import secrets
from collections.abc import Iterable, Iterator
from pathlib import Path

from igual.errors import OutputError


class Outputs:
    """Files on their way: each is written under a passing name and takes its place at the end."""

    def __init__(self, inputs: Iterable[Path] = ()) -> None:
        self._inputs = list(inputs)
        self._passing: dict[Path, Path] = {}

    def place(self, target: str | os.PathLike[str]) -> Path:
        """An empty file to write to, which will become `target` when all outputs are done.

        Raises:
            OutputError: When the folder doesn't exist, or the target is a folder or one of the inputs.
        """
        path = Path(target).resolve()
        if path.is_dir():
            raise OutputError(f"{target} is a folder; name a file to write to")
        if path.exists() and not path.is_file():
            raise OutputError(f"{target} is not a regular file")
        if not path.parent.is_dir():
            raise OutputError(
                f"{target}: there is no folder {path.parent}; make it first, or write elsewhere"
            )
        if any(source.exists() and path.exists() and path.samefile(source) for source in self._inputs):
            raise OutputError(
                f"{target} is one of the inputs, which are never written over; take another name"
            )
        if path in self._passing:
            raise OutputError(f"{target} is named for two outputs")
        passing = path.with_name(f".{path.name}.{secrets.token_hex(4)}.part")
        passing.touch(exist_ok=False)
        self._passing[path] = passing
        return passing

    def keep(self) -> None:
        """Put all files in their places."""
        for passing in self._passing.values():
            with passing.open("rb+") as file:
                os.fsync(file.fileno())
        for target, passing in self._passing.items():
            passing.replace(target)

    def discard(self) -> None:
        """Remove the files that are on their way."""
        for passing in self._passing.values():
            with contextlib.suppress(OSError):
                passing.unlink(missing_ok=True)


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
    except BaseException:
        staged.discard()
        raise
