"""Column names in one style, with collisions resolved and reported."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import pyarrow as pa

from igual.column import TEXT
from igual.text.casing import Style, recased
from igual.text.spacing import SpacingSettings, respaced


class RestyledHeader(NamedTuple):
    """One column name before and after.

    Attributes:
        raw: The name before.
        clean: The name in the style.
        collided: Whether it would have been another's, and got a number.
    """

    raw: str
    clean: str
    collided: bool


def restyle_headers(names: Sequence[str], style: Style, keep: Sequence[str] = ()) -> list[RestyledHeader]:
    """Names in a style, each different from all others: the second `tree` becomes `tree_2`, an empty one `column`.

    Example:
        >>> [header.clean for header in restyle_headers(["Tree ID", "tree-id", ""], "snake")]
        ['tree_id', 'tree_id_2', 'column']
    """
    spaced = respaced(pa.array(names, TEXT), SpacingSettings())
    wanted = [text or "column" for text in recased(spaced, style, keep, ()).to_pylist()]
    joint = {"kebab": "-", "train": "-", "camel": "", "pascal": "", "snake": "_", "constant": "_"}.get(
        style, " "
    )
    taken: set[str] = set()
    restyled = []
    for raw, name in zip(names, wanted, strict=True):
        clean, number = name, 1
        while clean in taken or (clean != name and clean in wanted):
            number += 1
            clean = f"{name}{joint}{number}"
        taken.add(clean)
        restyled.append(RestyledHeader(raw, clean, clean != name))
    return restyled
