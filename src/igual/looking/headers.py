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


# In the order in which they are preferred.
_STYLES: tuple[Style, ...] = (
    "snake",
    "kebab",
    "camel",
    "pascal",
    "constant",
    "sentence",
    "title",
    "lower",
    "upper",
)
_MOST = 0.5


def find_header_style(names: Sequence[str]) -> Style | None:
    """Find the style that most column names have, where not all have it.

    Args:
        names: The names, (columns,).

    Returns:
        The style; None where all names are of one style, or none is that of at least half of them.

    Example:
        >>> find_header_style(["tree_id", "planted_on", "Height M"]), find_header_style(["tree_id", "site"])
        ('snake', None)
    """
    counts = {
        style: sum(header.raw == header.clean for header in restyle_headers(names, style))
        for style in _STYLES
    }
    best = max(_STYLES, key=counts.__getitem__)
    return best if _MOST * len(names) <= counts[best] < len(names) else None


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
