"""Column names in one style, with collisions resolved and reported."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import pyarrow as pa

from igual.core.column import TEXT
from igual.core.text.casing import Style, recased
from igual.core.text.spacing import SpacingWords, respaced


class Renamed(NamedTuple):
    """One column name before and after; collided: it would have been another's, and got a number."""

    raw: str
    clean: str
    collided: bool


def clean_headers(names: Sequence[str], style: Style, keep: Sequence[str] = ()) -> list[Renamed]:
    """Names in a style, each different from all others: the second `tree` becomes `tree_2`, an empty one `column`.

    >>> [renamed.clean for renamed in clean_headers(["Tree ID", "tree-id", ""], "snake")]
    ['tree_id', 'tree_id_2', 'column']
    """
    spaced = respaced(pa.array(names, TEXT), SpacingWords())
    wanted = [text or "column" for text in recased(spaced, style, keep, ()).to_pylist()]
    joint = {"kebab": "-", "train": "-", "camel": "", "pascal": "", "snake": "_", "constant": "_"}.get(
        style, " "
    )
    taken: set[str] = set()
    renamed = []
    for raw, name in zip(names, wanted, strict=True):
        clean, number = name, 1
        while clean in taken or (clean != name and clean in wanted):
            number += 1
            clean = f"{name}{joint}{number}"
        taken.add(clean)
        renamed.append(Renamed(raw, clean, clean != name))
    return renamed
