"""Columns by name or pattern: `*` for all text columns, `height*` for those whose names begin so."""

from __future__ import annotations

from collections.abc import Sequence
from fnmatch import fnmatchcase

from igual.errors import RulebookError


def is_pattern(name: str) -> bool:
    """Whether a name may stand for several columns."""
    return "*" in name or "?" in name


def expand_names(wanted: Sequence[str], names: Sequence[str]) -> list[str]:
    """The columns that names and patterns mean, in the order of what is wanted; a name that is there is no pattern.

    Args:
        wanted: Names, and patterns with * for anything and ? for one character.
        names: The columns that there are.

    Returns:
        The columns, each once.

    Raises:
        RulebookError: Where a pattern fits none; a name that isn't there is left for who reads it.

    Example:
        >>> expand_names(["h*", "site"], ["site", "height", "habit"])
        ['height', 'habit', 'site']
    """
    expanded: dict[str, None] = {}
    for one in wanted:
        fitting = [name for name in names if fnmatchcase(name, one)] if one not in names else [one]
        if not fitting and is_pattern(one):
            raise RulebookError(f"no column fits {one!r}; there are {', '.join(map(repr, names[:8]))}")
        expanded |= dict.fromkeys(fitting or [one])
    return list(expanded)
