"""Which rules there are: all that stand in a module of `igual.rules`, found without being listed anywhere."""

from __future__ import annotations

import importlib
import pkgutil
from collections.abc import Mapping
from functools import cache
from typing import Any

from pydantic_core import PydanticUndefined

from igual import rules as package
from igual.rules.base import Rule


@cache
def find_rules() -> Mapping[str, type[Rule]]:
    """Find all rules that there are.

    Returns:
        What a rulebook's `do` says to the rule: first those that come with Igual, in the order in which people work,
        then others by name.
    """
    for module in pkgutil.iter_modules(package.__path__):
        importlib.import_module(f"{package.__name__}.{module.name}")
    by_do = {do: rule for rule in _subclasses(Rule) if (do := _do_word(rule)) is not None}
    order = [*(_do_word(rule) for rule in package.IN_ORDER), *sorted(by_do)]
    return {do: by_do[do] for do in dict.fromkeys(order) if do is not None}


def _subclasses(kind: type[Rule]) -> list[type[Rule]]:
    classes = []
    for child in kind.__subclasses__():
        if child.__module__.startswith(f"{package.__name__}."):
            classes += [child, *_subclasses(child)]
    return classes


def _do_word(rule: type[Rule]) -> str | None:
    """What a rulebook's `do` says for a rule; None for what several rules share."""
    default: Any = rule.model_fields["do"].default
    return None if default is PydanticUndefined else str(default)
