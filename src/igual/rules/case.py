"""The rule `case`."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Literal

import pyarrow as pa
import pyarrow.compute as pc

from igual.engines import OutputType
from igual.lists import Shelf
from igual.rules.base import Rule
from igual.rules.rewriters import PlainRewriter, Rewriter, Rewritten
from igual.settings import Several
from igual.text.arrays import has_pattern
from igual.text.casing import Language, Style, recased
from igual.text.identifiers import IDENTIFIER_STYLES
from igual.text.packed import unpack

# Letters beyond those that every case writes as one: Latin but for ß, İ, ĸ and ŉ, Greek without dialytika, Cyrillic.
_RARE = (
    r"[^\x00-\x7f\x{c0}-\x{de}\x{e0}-\x{12f}\x{131}-\x{137}\x{139}-\x{148}\x{14a}-\x{17f}"
    r"\x{386}-\x{38f}\x{391}-\x{3a9}\x{3ac}-\x{3af}\x{3b1}-\x{3c9}\x{400}-\x{45f}]"
)
# Two capitals, or a digit and a capital, beside each other in an identifier.
_HUMPS, _MAX_AGAIN = r"[\p{Lu}0-9]\p{Lu}", 64


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

    def output(self, shelf: Shelf, before: OutputType) -> OutputType:
        """Tell what its results are to be in the clean table, where the column was to be something before."""
        # Identifiers lose points and hyphens; otherwise numbers and days are the same in every case. Labels may not be.
        return OutputType() if self.style in IDENTIFIER_STYLES else before._replace(order=None)

    def rewriter(self, shelf: Shelf) -> Rewriter:
        """Prepare the rule for work."""
        return _Rewriter(self)


class _Rewriter(PlainRewriter):
    def __init__(self, rule: Case) -> None:
        self._rule = rule

    def rewrite(self, values: pa.Array, beside: Mapping[str, pa.Array]) -> Rewritten:
        made = self._recase(values)
        # A few letters become several, and single letters beside each other one word: what is written then is recased
        # again, so that the rule leaves its own output alone.
        has_humps = self._rule.style in ("camel", "pascal")
        for _ in range(_MAX_AGAIN):
            if not has_humps and unpack(made).is_ascii:
                break
            unsure = has_pattern(made, f"{_RARE}|{_HUMPS}" if has_humps else _RARE)
            again = made.filter(pa.array(unsure))
            recased_again = self._recase(again)
            if recased_again.equals(again):
                break
            made = pc.replace_with_mask(made, pa.array(unsure), recased_again)
        return Rewritten(made)

    def _recase(self, values: pa.Array) -> pa.Array:
        rule = self._rule
        return recased(values, rule.style, rule.keep, rule.small, rule.language)
