"""The rule `spacing`."""

from __future__ import annotations

from collections.abc import Mapping
from typing import ClassVar, Literal

import pyarrow as pa
from pydantic import Field, model_validator

from igual.engines import OutputType
from igual.lists import Shelf
from igual.rules.base import Rule
from igual.rules.rewriters import PlainRewriter, Rewriter, Rewritten
from igual.text.patterns import LAST_PLACE
from igual.text.spacing import Become, Ends, Inner, SpacingSettings, respaced


class Spacing(Rule):
    """Put spaces right: at the ends, in inner runs, line breaks, tabs, odd and zero-width spaces.

    Missing values stay missing. A column that holds nothing but numbers once its spaces are gone stays text.

    Attributes:
        ends: Take spaces off at `both` ends, `left`, `right`, or `keep` them.
        inner: Runs of spaces inside become `one`, `none`, or are kept (`keep`).
        breaks: A line break, with the spaces round it, becomes a `space`, or is taken out (`remove`: this glues
            words), or kept (`keep`).
        tabs: Tabs, and odd spaces (no-break, full-width, thin …), become a `space`, or are removed or kept.
        odd: Odd spaces (no-break, full-width, thin …) become a `space`, or are removed or kept.
        zero_width: `remove` zero-width spaces, or `keep` them. Joiners between letters that join always stay.
        between_unspaced: `remove` spaces between characters of scripts that are written without (Chinese, Japanese,
            Thai …), or `keep` them; spaces beside other scripts stay.
        also: Other characters that act as spacing, such as `_`: their runs and ends are treated likewise.
        nth: Put only the n-th gap inside right, from 1, and keep the others.
        gaps: Which gaps `nth` counts: `all`, or only `double` ones, of two spaces and more.

    Example:
        >>> from igual.rules import Spacing
        >>> Spacing(also="_").on([" Norway  maple", "__a___b_", None])
        ['Norway maple', 'a_b', None]
    """

    only_respaces: ClassVar[bool] = True

    do: Literal["spacing"] = "spacing"
    ends: Ends = "both"
    inner: Inner = "one"
    breaks: Become = "space"
    tabs: Become = "space"
    odd: Become = "space"
    zero_width: Literal["remove", "keep"] = "remove"
    between_unspaced: Literal["keep", "remove"] = "keep"
    also: str = ""
    nth: int | None = Field(default=None, ge=1, le=LAST_PLACE)
    gaps: Literal["all", "double"] = "all"

    @model_validator(mode="after")
    def _nth_has_gaps(self) -> Spacing:
        if self.nth is not None and self.inner == "keep":
            raise ValueError("'nth' needs inner = 'one' or 'none': what is to become of the n-th gap?")
        return self

    def output(self, shelf: Shelf, before: OutputType) -> OutputType:
        """Tell what its results are to be in the clean table, where the column was to be something before."""
        # Numbers and days hold no spaces, though they may hold what is taken for one; labels may hold some.
        return OutputType() if self.also else before._replace(order=None)

    def rewriter(self, shelf: Shelf) -> Rewriter:
        """Prepare the rule for work."""
        return _Rewriter(self)


class _Rewriter(PlainRewriter):
    def __init__(self, rule: Spacing) -> None:
        given = {word: getattr(rule, word) for word in SpacingSettings.__dataclass_fields__}
        self._words = SpacingSettings(**given)

    def rewrite(self, values: pa.Array, beside: Mapping[str, pa.Array]) -> Rewritten:
        return Rewritten(respaced(values, self._words))
