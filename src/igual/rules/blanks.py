"""The rule `blanks`."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Literal

import pyarrow as pa
import pyarrow.compute as pc

from igual.column import TEXT
from igual.engines import OutputType
from igual.lists import Shelf
from igual.rules.base import Rule
from igual.rules.rewriters import PlainRewriter, Rewriter, Rewritten
from igual.settings import Several
from igual.text.blanks import is_blank
from igual.text.folding import casefold, trimmed


class Blanks(Rule):
    """Make texts that mean "there is no value" missing, or fill what is missing.

    Attributes:
        texts: The texts that mean it, such as `n/a` or `-`; spaces at their ends don't matter. Empty texts and
            those of nothing but spaces always mean it.
        ignore_case: Find the texts in any case.
        fill: A text for all that is missing; without it they are missing: empty in a text table, None or NA
            elsewhere.

    Example:
        >>> from igual.rules import Blanks
        >>> Blanks(texts=("n/a", "-")).on(["N/A", "oak", " "])
        [None, 'oak', None]
    """

    do: Literal["blanks"] = "blanks"
    texts: Several[str] = ()
    ignore_case: bool = True
    fill: str | None = None

    def output(self, shelf: Shelf, before: OutputType) -> OutputType:
        """Tell what its results are to be in the clean table, where the column was to be something before."""
        # Labels, numbers and days with fewer rows are still that.
        return before if self.fill is None else OutputType()

    def rewriter(self, shelf: Shelf) -> Rewriter:
        """Prepare the rule for work."""
        return _Rewriter(self)


class _Rewriter(PlainRewriter):
    def __init__(self, rule: Blanks) -> None:
        self._key = casefold if rule.ignore_case else trimmed
        self._texts = self._key(trimmed(pa.array(rule.texts, TEXT)))
        self._fill = pa.scalar(rule.fill, TEXT)

    def rewrite(self, values: pa.Array, beside: Mapping[str, pa.Array]) -> Rewritten:
        named = pc.is_in(self._key(trimmed(values)), self._texts)
        return Rewritten(pc.if_else(pc.or_(named, pa.array(is_blank(values))), self._fill, values))
