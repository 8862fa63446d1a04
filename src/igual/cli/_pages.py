"""How commands write pages."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Mapping
from pathlib import Path

from igual.files.pages import save_page
from igual.files.run_records import digest
from igual.report.pages.parts import Page
from igual.report.pages.rendering import render_page
from igual.report.pages.run_page import ReadFile
from igual.report.terminal import log_note
from igual.runs.rulebook import Rulebook

Files = Mapping[str, Iterable[str | Path]]


def count_rulings(book: Rulebook) -> dict[str, int]:
    """Count who has ruled how often, the most first."""
    return dict(Counter(one.by for one in book.rulings.rulings).most_common())


def list_read(inputs: Files) -> list[ReadFile]:
    """List the files that were read, with their digests."""
    return [
        ReadFile(what, Path(path).name, digest(Path(path)))
        for what, paths in inputs.items()
        for path in paths
    ]


def write_report(page: Page, path: str, inputs: Files, *, force: bool) -> None:
    """Write a page to a file, and say so.

    Args:
        page: The page.
        path: The file.
        inputs: What was read: none of it is written over.
        force: Replace whatever is there.
    """
    read = [Path(one) for paths in inputs.values() for one in paths]
    save_page(render_page(page), path, read, force=force)
    log_note(f"page to look at: {path}")
