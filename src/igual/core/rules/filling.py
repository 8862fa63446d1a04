"""The rules `compose` and `blanks`."""

from __future__ import annotations

import re
from collections.abc import Mapping
from typing import Any, Literal

import pyarrow as pa
import pyarrow.compute as pc
from pydantic import model_validator

from igual.core.column import TEXT
from igual.core.conditions import is_blank
from igual.core.lists import Shelf
from igual.core.rules.base import PlainRewriter, Rewriter, Rewritten, Rule
from igual.core.text.folding import casefold, trimmed

_PLACE = re.compile(r"\{([^{}]*)\}")


class Compose(Rule):
    """Make one text out of several columns.

    template: a text with the names of columns in braces, such as `{street} {number}, {district}`.
    into: the new column.

    Where a part is missing or blank it is left out, together with the text before it (for the first part: the
    text after it). Where all parts are, the result is missing.

    >>> import igual
    >>> book = igual.Rulebook([igual.rules.Compose(template="{street} {number}", into="address")])
    >>> book.apply({"street": ["Mill Street", "Quay"], "number": ["3", None]}).table["address"]
    ['Mill Street 3', 'Quay']
    """

    do: Literal["compose"] = "compose"
    template: str

    @model_validator(mode="before")
    @classmethod
    def _columns_from_template(cls, given: Any) -> Any:
        if not isinstance(given, dict) or not isinstance(given.get("template"), str):
            return given
        names = _PLACE.findall(given["template"])
        if not names or "" in names:
            raise ValueError("'template' needs names of columns in braces, such as {street} {number}")
        if given.get("column") not in (None, names[0]):
            raise ValueError("'column' isn't needed: the template names the columns")
        return {**given, "column": names[0]}

    @model_validator(mode="after")
    def _goes_somewhere(self) -> Compose:
        if self.into is None:
            raise ValueError("the word 'into' is missing: the new column")
        return self

    def reads(self) -> set[str]:
        return super().reads() | set(_PLACE.findall(self.template)) - set(self.columns)

    def words(self) -> dict[str, Any]:
        return {word: given for word, given in super().words().items() if word != "column"}

    def rewriter(self, shelf: Shelf) -> Rewriter:
        return _Composing(self)


class _Composing(PlainRewriter):
    def __init__(self, rule: Compose) -> None:
        self._own = rule.columns[0]
        # Texts stand at even places, names of columns at odd ones.
        self._pieces = _PLACE.split(rule.template)

    def rewrite(self, values: pa.Array, beside: Mapping[str, pa.Array]) -> Rewritten:
        nothing = pa.scalar("", TEXT)
        texts, names = self._pieces[0::2], self._pieces[1::2]
        made = pa.array([""] * len(values), TEXT)
        begun = pa.array([False] * len(values), pa.bool_())
        for before, name in zip(texts, names, strict=False):
            part = values if name == self._own else beside[name]
            there = pc.invert(pa.array(is_blank(part)))
            glue = pc.if_else(begun, pa.scalar(before, TEXT), nothing) if before is not texts[0] else nothing
            lead = pc.if_else(there, glue, nothing)
            made = pc.binary_join_element_wise(made, lead, pc.if_else(there, part, nothing), nothing)
            begun = pc.or_(begun, there)
        made = pc.binary_join_element_wise(
            pa.scalar(texts[0], TEXT), made, pa.scalar(texts[-1], TEXT), nothing
        )
        return Rewritten(pc.if_else(begun, made, pa.scalar(None, TEXT)))


class Blanks(Rule):
    """Make texts that mean "there is no value" missing, or fill what is missing.

    texts: the texts that mean it, such as `n/a` or `-`; spaces at their ends don't matter. Empty texts and
        those of nothing but spaces always mean it.
    ignore_case: find the texts in any case.
    fill: a text for all that is missing; without it they are missing: empty in a text table, None or NA elsewhere.

    >>> from igual.rules import Blanks
    >>> Blanks(texts=("n/a", "-")).on(["N/A", "oak", " "])
    [None, 'oak', None]
    """

    do: Literal["blanks"] = "blanks"
    texts: tuple[str, ...] = ()
    ignore_case: bool = True
    fill: str | None = None

    def rewriter(self, shelf: Shelf) -> Rewriter:
        return _Blanking(self)


class _Blanking(PlainRewriter):
    def __init__(self, rule: Blanks) -> None:
        self._key = casefold if rule.ignore_case else trimmed
        self._texts = self._key(trimmed(pa.array(rule.texts, TEXT)))
        self._fill = pa.scalar(rule.fill, TEXT)

    def rewrite(self, values: pa.Array, beside: Mapping[str, pa.Array]) -> Rewritten:
        named = pc.is_in(self._key(trimmed(values)), self._texts)
        return Rewritten(pc.if_else(pc.or_(named, pa.array(is_blank(values))), self._fill, values))
