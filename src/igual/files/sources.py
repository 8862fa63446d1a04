"""What must hold of any file before it is read."""

from __future__ import annotations

import os
from pathlib import Path

from igual.errors import IgualError, TableError, did_you_mean


def existing_file(path: str | os.PathLike[str], error: type[IgualError] = TableError) -> Path:
    """The path, if there is a regular file that may be read; else an error that names the nearest file."""
    found = Path(path)
    if found.is_dir():
        raise error(f"{path} is a folder, not a file")
    if not found.exists():
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
