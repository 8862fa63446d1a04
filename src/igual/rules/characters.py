"""The rule `characters`."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Literal

import pyarrow as pa
from pydantic import model_validator

from igual.lists import Shelf
from igual.rules.base import Rule
from igual.rules.rewriters import PlainRewriter, Rewriter, Rewritten
from igual.settings import Several
from igual.text.characters import Form
from igual.text.filtering import Kind, filtered, in_form, repaired, straightened
from igual.text.folding import without_accents


class Characters(Rule):
    """Keep or drop kinds of characters, and make characters plain.

    Kinds are `digits`, `letters`, `punctuation`, `symbols`, `marks` (accents once decomposed), `spaces`, `control`
    and `invisible` (zero-width and the like), as Unicode's general categories have them, but for the tab, which
    parts words: it counts among `spaces`, and not among `control`, where line breaks are.

    What is asked for happens in the order: repair, form, straighten, fold, keep or drop. Missing stays missing.

    Attributes:
        keep: Only these kinds stay.
        drop: These kinds go. Give one of them.
        stated: Further characters that stay with `keep`, or go with `drop`.
        repair: Put right texts whose UTF-8 was decoded as Windows-1252 or Latin-1, where that can be undone.
        form: A Unicode form, `NFC`, `NFD`, `NFKC` or `NFKD`.
        straighten: Curled quotes and long dashes become plain ones.
        fold: Letters lose their accents, also those that don't decompose (ø, ł, đ, æ, ß).

    Example:
        >>> from igual.rules import Characters
        >>> Characters(keep=("digits",), stated="-").on(["tel. 555-01"])
        ['555-01']
    """

    do: Literal["characters"] = "characters"
    keep: Several[Kind] = ()
    drop: Several[Kind] = ()
    stated: str = ""
    repair: bool = False
    form: Form | None = None
    straighten: bool = False
    fold: bool = False

    @model_validator(mode="after")
    def _needs_a_word(self) -> Characters:
        if self.keep and self.drop:
            raise ValueError("give 'keep' or 'drop', not both")
        if not (
            self.keep or self.drop or self.stated or self.repair or self.form or self.straighten or self.fold
        ):
            raise ValueError("there is nothing to do: give 'keep', 'drop', 'form', 'fold', …")
        return self

    def rewriter(self, shelf: Shelf) -> Rewriter:
        """Prepare the rule for work."""
        return _Rewriter(self)


class _Rewriter(PlainRewriter):
    def __init__(self, rule: Characters) -> None:
        self._rule = rule

    def rewrite(self, values: pa.Array, beside: Mapping[str, pa.Array]) -> Rewritten:
        rule = self._rule
        if rule.repair:
            values = repaired(values)
        if rule.form:
            values = in_form(values, rule.form)
        if rule.straighten:
            values = straightened(values)
        if rule.fold:
            values = without_accents(values)
        if rule.keep or rule.drop or rule.stated:
            values = filtered(values, rule.keep, rule.drop, rule.stated)
        return Rewritten(values)
