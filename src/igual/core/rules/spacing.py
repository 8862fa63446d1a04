"""The rule `spacing`."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Literal

import pyarrow as pa

from igual.core.lists import Shelf
from igual.core.rules.base import PlainRewriter, Rewriter, Rewritten, Rule
from igual.core.text.spacing import Breaks, Ends, Inner, respaced


class Spacing(Rule):
    """Put spaces right: at the ends, in inner runs, line breaks, tabs, odd and zero-width spaces.

    Tabs and odd spaces (no-break, full-width, thin …) become plain spaces; zero-width ones vanish, but for
    joiners between letters of scripts that join.

    ends: take spaces off at `both` ends, `left`, `right`, or `keep` them.
    inner: runs of spaces inside become `one`, `none`, or are kept (`keep`).
    breaks: a line break, with the spaces round it, becomes a `space`, or is taken out (`remove`: this glues
        words), or kept (`keep`).
    also: other characters that act as spacing, such as `_`: their runs and ends are treated likewise.

    Missing values stay missing.
    """

    do: Literal["spacing"] = "spacing"
    ends: Ends = "both"
    inner: Inner = "one"
    breaks: Breaks = "space"
    also: str = ""

    def rewriter(self, shelf: Shelf) -> Rewriter:
        return _Rewriter(self)


class _Rewriter(PlainRewriter):
    def __init__(self, rule: Spacing) -> None:
        self._rule = rule

    def rewrite(self, values: pa.Array, beside: Mapping[str, pa.Array]) -> Rewritten:
        rule = self._rule
        return Rewritten(respaced(values, rule.ends, rule.inner, rule.breaks, rule.also))
