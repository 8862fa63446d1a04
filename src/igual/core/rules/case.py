"""The rule `case`."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Literal

import pyarrow as pa

from igual.core.lists import Shelf
from igual.core.rules.base import PlainRewriter, Rewriter, Rewritten, Rule
from igual.core.text.casing import Style, recased


class Case(Rule):
    """Write values in one case.

    style: `lower`, `upper`, `sentence` (first word with a capital, the rest low) or `title` (every word).
    keep: words left as they are where they stand in a value just like this (`ACPL`, `NW`).
    small: words kept low in titles, but for the first and last word (`of`, `the`), in any case.

    Missing values stay missing.
    """

    do: Literal["case"] = "case"
    style: Style
    keep: tuple[str, ...] = ()
    small: tuple[str, ...] = ()

    def rewriter(self, shelf: Shelf) -> Rewriter:
        return _Rewriter(self)


class _Rewriter(PlainRewriter):
    def __init__(self, rule: Case) -> None:
        self._rule = rule

    def rewrite(self, values: pa.Array, beside: Mapping[str, pa.Array]) -> Rewritten:
        return Rewritten(recased(values, self._rule.style, self._rule.keep, self._rule.small))
