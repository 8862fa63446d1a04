"""The rule `case`."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Literal

import pyarrow as pa

from igual.lists import Shelf
from igual.rules.base import Rule
from igual.rules.rewriters import PlainRewriter, Rewriter, Rewritten
from igual.settings import Several
from igual.text.casing import Language, Style, recased


class Case(Rule):
    """Write values in one case.

    In names, a word in mixed case that looks intended (deVries) is left. Missing values stay missing.

    Attributes:
        style: `lower`, `upper`, `sentence` (first word with a capital, the rest low), `title` (every word), `name`
            (people, firms and addresses: McDonald, O'Brien, J.R. Smith III, PO Box), or an identifier: `camel`,
            `pascal`, `snake`, `kebab`, `train`, `constant`.
        keep: Words left as they are where they stand in a value just like this (`ACPL`, `NW`).
        small: Words kept low in titles and names, except for the first and last word and, in titles, those after a
            colon (`of`, `the`), in any case.
        language: Where case is special: `tr` and `az` (dotted and dotless i), `nl` (IJ), `de` (ß becomes ẞ), `el`
            (capitals without accents). Greek final sigma is right in any case.

    Example:
        >>> from igual.rules import Case
        >>> Case(style="title", small=("of",), keep=("NW",)).on(["ALLEY OF THE NETS", "NW ring road"])
        ['Alley of The Nets', 'NW Ring Road']
    """

    do: Literal["case"] = "case"
    style: Style
    keep: Several[str] = ()
    small: Several[str] = ()
    language: Language | None = None

    def rewriter(self, shelf: Shelf) -> Rewriter:
        """Prepare the rule for work."""
        return _Rewriter(self)


class _Rewriter(PlainRewriter):
    def __init__(self, rule: Case) -> None:
        self._rule = rule

    def rewrite(self, values: pa.Array, beside: Mapping[str, pa.Array]) -> Rewritten:
        rule = self._rule
        return Rewritten(recased(values, rule.style, rule.keep, rule.small, rule.language))
