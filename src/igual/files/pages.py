"""Pages: written whole or not at all, over nothing but a page that Igual wrote."""

from __future__ import annotations

import os
from collections.abc import Iterable
from pathlib import Path

from igual.errors import OutputError
from igual.files.existing import NewFile, refuse_to_replace
from igual.files.outputs import Outputs, outputs
from igual.files.sources import to_path

PAGE = NewFile("page")
_ENDINGS = (".html", ".htm")


def page_ending(path: str | os.PathLike[str]) -> str:
    """The ending of a page.

    Raises:
        OutputError: For another ending.
    """
    ending = to_path(path, OutputError).suffix.lower()
    if ending not in _ENDINGS:
        raise OutputError(f"{path}: a page ends with .html")
    return ending


def write_page(html: str, path: Path) -> None:
    """Write a page where it goes; bytes of files' names that are no characters are written as their numbers."""
    path.write_text(html, encoding="utf-8", errors="backslashreplace", newline="")


def save_page(
    html: str, path: str | os.PathLike[str], inputs: Iterable[Path] = (), *, force: bool = False
) -> None:
    """Save a page.

    Args:
        html: The page.
        path: The file (.html).
        inputs: What was read: none of it is written over.
        force: Replace whatever is there.

    Raises:
        OutputError: For another ending, where something else is there, or where the file can't be written.
    """
    with outputs(inputs) as staged:
        place_page(staged, html, path, force=force)


def place_page(staged: Outputs, html: str, path: str | os.PathLike[str], *, force: bool = False) -> None:
    """Let a page wait with other outputs to be put in place; see `save_page`."""
    page_ending(path)
    place = staged.place(path)
    if not force:
        refuse_to_replace(path, PAGE)
    write_page(html, place)
