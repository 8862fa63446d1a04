"""Rules whose columns are patterns, put to the columns of a table."""

from __future__ import annotations

from collections.abc import Sequence

from igual.errors import RulebookError, error_context
from igual.rules.base import Rule
from igual.text.wildcards import expand_names, is_pattern


def have_patterns(rules: Sequence[Rule], names: Sequence[str]) -> bool:
    """Whether any of the rules' columns is a pattern, where the table has such columns."""
    return any(is_pattern(name) and name not in names for rule in rules for name in rule.columns)


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
        if have_patterns([rule], names):
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
