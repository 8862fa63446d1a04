"""The rule `replace`."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Literal

import pyarrow as pa
from pydantic import Field, model_validator

from igual.core.lists import Shelf
from igual.core.rules.base import NearMiss, Rewriter, Rewritten, Rule
from igual.core.text.folding import light_key, light_key_of
from igual.core.text.replacing import Where, finds, replaced, rewritten_in_turn


class Replace(Rule):
    """Put one text in the place of another, for as many pairs as are given.

    All pairs act at once: where several could stand at one place the longest wins, and what one pair
    has put in is not touched by another.

    pairs: the text to look for and the text to put in its place.
    where: `anywhere` in a value, the `whole` value, as a `word`, or only at the `start` or `end`.
    nth: only the n-th place where a text stands in a value, counted from 1, each text for itself.
    ignore_case: find texts in any case.
    cascade: pair after pair in the given order, each acting on what the ones before it made.

    Missing values stay missing.
    """

    do: Literal["replace"] = "replace"
    pairs: dict[str, str] = Field(min_length=1)
    where: Where = "anywhere"
    nth: int | None = Field(default=None, ge=1)
    ignore_case: bool = False
    cascade: bool = False

    @model_validator(mode="after")
    def _pairs_make_sense(self) -> Replace:
        if "" in self.pairs:
            raise ValueError("'pairs' has an empty text to look for")
        if self.ignore_case:
            seen: dict[str, str] = {}
            for sought in self.pairs:
                if (other := seen.setdefault(sought.casefold(), sought)) != sought:
                    raise ValueError(f"pairs {other!r} and {sought!r} are the same when case is ignored")
        return self

    def rewriter(self, shelf: Shelf) -> Rewriter:
        return _Rewriter(self)


class _Rewriter:
    def __init__(self, rule: Replace) -> None:
        self._rule = rule
        self.entries: Sequence[str] = tuple(rule.pairs)

    def rewrite(self, values: pa.Array, beside: Mapping[str, pa.Array]) -> Rewritten:
        rule = self._rule
        act = rewritten_in_turn if rule.cascade else replaced
        new, used = act(values, rule.pairs, rule.where, rule.nth, rule.ignore_case)
        return Rewritten(new, used=used)

    def near_misses(self, values: pa.Array, unused: Sequence[str]) -> list[NearMiss]:
        folded = {light_key_of(sought): sought for sought in reversed(unused)}
        folded.pop("", None)
        if not folded:
            return []
        hits = finds(light_key(values), folded, self._rule.where)
        return [NearMiss(place, folded[hit]) for place, hit in enumerate(hits) if hit is not None]
