"""Columns by pattern: `*` for all text columns, `height*` for those whose names begin so."""

from __future__ import annotations

from collections.abc import Sequence
from fnmatch import fnmatchcase

from igual.errors import RulebookError, error_context
from igual.rules.base import Rule


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


def fit_rules(rules: Sequence[Rule], names: Sequence[str], texts: Sequence[str]) -> list[Rule]:
    """Put the columns that patterns mean into rules.

    Args:
        rules: The rules, in order.
        names: The table's columns.
        texts: Those of them that hold texts: patterns mean these, and columns that rules before made.

    Returns:
        The rules.

    Raises:
        RulebookError: Where a pattern fits no column, or a rule with `into` has one that fits several.
    """
    made: list[str] = []
    fitted = []
    for number, rule in enumerate(rules, 1):
        if any(is_pattern(name) and name not in names for name in rule.columns):
            with error_context(f"rule {number} ({rule.do})", RulebookError):
                # Names that are there are columns whatever they hold; only patterns choose among texts.
                known = [name for name in rule.columns if not is_pattern(name) or name in names]
                columns = tuple(expand_names(rule.columns, [*known, *texts, *made]))
                if rule.into is not None and len(columns) > 1:
                    raise RulebookError(
                        f"'into' takes the result of one column; {rule.columns[0]!r} fits {len(columns)}"
                    )
            one = columns[0] if len(columns) == 1 else None
            rule = rule.model_copy(update={"columns": columns, "column": one})
        made += rule.targets
        fitted.append(rule)
    return fitted
