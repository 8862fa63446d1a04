"""The sample files, laid out where a steward can play with them."""

from __future__ import annotations

from importlib import resources
from pathlib import Path
from typing import NamedTuple

from igual.errors import OutputError
from igual.files.outputs import outputs

FILES = {
    "trees.csv": "the raw register: 2,000 trees, three crews, three habits",
    "trees.toml": "the rulebook",
    "june.csv": "the register's next month: 400 trees more, with spellings nobody has seen before",
    "ruled.csv": "the sheet of what was open in the first month, as a steward filled it in",
    "species.csv": "reference list of species, with botanical names and other aliases",
    "districts.csv": "reference list of districts",
    "contractors.csv": "reference list of contractors",
    "misspellings.csv": "pair list of misspellings and what was meant",
    "condition.csv": "codebook of the condition of a tree: the codes of all three crews",
    "site.csv": "codebook of the site: a and A mean different things",
}


class LaidOut(NamedTuple):
    """Where the sample lies, and which files there were the reader's own and stayed as they were."""

    folder: Path
    kept: tuple[str, ...]


def lay_out(folder: Path) -> LaidOut:
    """Write the sample files; those that are there already, perhaps changed by the reader, stay."""
    if folder.exists() and not folder.is_dir():
        raise OutputError(f"{folder} is a file; name a folder for the sample")
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise OutputError(f"could not make the folder {folder}: {error.strerror}") from None
    kept = []
    with outputs() as staged:
        for name in FILES:
            content = resources.files("igual.demo").joinpath("data", name).read_bytes()
            if not (folder / name).exists():
                staged.place(folder / name).write_bytes(content)
            elif (folder / name).read_bytes() != content:
                kept.append(name)
    return LaidOut(folder, tuple(kept))
