"""Conditions that tell examples apart where no one chain explains all of them."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator, Sequence
from typing import Any, NamedTuple

from igual.conditions import Condition
from igual.learning.cutting import find_separators
from igual.learning.prior import STEP
from igual.learning.steps import cost_of_text


class Guard(NamedTuple):
    """Which values a step is for.

    Attributes:
        words: Of the condition.
        is_met: Whether a text meets it.
        cost: Of the condition.
    """

    words: tuple[tuple[str, Any], ...]
    is_met: Callable[[str], bool]
    cost: float

    def build(self) -> Condition:
        """Build the condition for a rule's `when`."""
        given = dict(self.words)
        if "not" in given:
            return Condition(not_=Condition(**dict(given["not"])))
        return Condition(**given)

    def negate(self) -> Guard:
        """The guard of all other values."""
        return Guard((("not", self.words),), lambda text: not self.is_met(text), self.cost)


_PATTERNS = (
    ("^[0-9]", 0.3), ("[0-9]", 0.2), ("[0-9]$", 0.4), (r"^[0-9]+$", 0.2), ("[A-Za-z]", 0.3), ("^[A-Z]", 0.5),
    ("^[a-z]", 0.5), ("^[A-Z0-9]+$", 0.4), ("[A-Z]$", 0.6), (r"\s.*\s", 0.6),
)  # fmt: skip


def find_guards(met: Sequence[str], others: Sequence[str]) -> Iterator[Guard]:
    """Find conditions that some texts meet and others don't, simple ones first.

    Args:
        met: Texts that are to meet it.
        others: Texts that are not.

    Yields:
        The conditions.
    """
    shared = [one for one in find_separators(met[0]) if len(one) == 1 and all(one in text for text in met)]
    for mark in shared:
        if not any(mark in text for text in others):
            yield _contains(mark)
    for pattern, cost in _PATTERNS:
        searched = re.compile(pattern)
        if all(map(searched.search, met)) and not any(map(searched.search, others)):
            yield Guard(
                (("pattern", pattern),),
                _finder(searched),
                STEP["condition"] + cost,
            )
    for word in dict.fromkeys(re.findall(r"[^\W\d_]+", met[0])):
        alone = re.compile(rf"(?<!\w){re.escape(word)}(?!\w)")
        if all(map(alone.search, met)) and not any(map(alone.search, others)):
            yield Guard(
                (("word", word),),
                _finder(alone),
                STEP["condition"] + 0.5 + 0.5 * cost_of_text(word),
            )
    lengths = {len(text) for text in met}
    if len(lengths) == 1 and not lengths & {len(text) for text in others}:
        size = lengths.pop()
        yield Guard((("length", size),), lambda text: len(text) == size, STEP["condition"] + 2.0)


def _finder(pattern: re.Pattern[str]) -> Callable[[str], bool]:
    return lambda text: pattern.search(text) is not None


def _contains(mark: str) -> Guard:
    return Guard(
        (("contains", mark),), lambda text: mark in text, STEP["condition"] + 0.2 * cost_of_text(mark)
    )
