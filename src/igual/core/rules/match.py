"""The rule `match`."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import Any, Literal

import numpy as np
import pyarrow as pa
from pydantic import field_validator

from igual.core.column import TEXT
from igual.core.lists import ReferenceList, Shelf
from igual.core.rules.base import NearMiss, Rewriter, Rewritten
from igual.core.rules.lookup import (
    ListRule,
    Otherwise,
    Spellings,
    given_or_otherwise,
    near_spellings,
    unknown_among,
)
from igual.core.text.arrays import as_it_is
from igual.core.text.folding import folded_key

By = Literal["exact", "folded"]


class Match(ListRule):
    """Put the entry of a reference list in the place of a value that means it.

    list: the name of the reference list. Its aliases count as spellings of their entries.
    by: the ways to match, tried in this order: `exact`, and `folded`, which sets aside case, spacing,
        accents and punctuation (but for marks between digits and marks that tell things apart, as in C#).
        Exact always comes first; where two entries share a folded spelling, neither is chosen.
    otherwise: what becomes of a value that isn't in the list: `flag` (keep it, and warn), `keep`, `blank`
        (an empty text), or `{ text = "…" }`. Whatever is chosen, it is listed as unknown, with its rows.

    Missing values and blanks stay as they are.

    >>> import igual
    >>> from igual.rules import Match
    >>> Match(list="trees").on(["NORWAY-MAPLE", "oak"], lists={"trees": igual.ReferenceList(["Norway maple"])})
    ['Norway maple', 'oak']
    """

    do: Literal["match"] = "match"
    by: tuple[By, ...] = ("exact", "folded")
    otherwise: Otherwise = "flag"

    @field_validator("by", mode="before")
    @classmethod
    def _one_or_several(cls, given: Any) -> Any:
        if isinstance(given, str):
            return (given,)
        if given == ():
            raise ValueError("'by' needs at least one way to match")
        return given

    def rewriter(self, shelf: Shelf) -> Rewriter:
        return _Rewriter(self, shelf.lists[self.list])


class _Rewriter:
    def __init__(self, rule: Match, reference: ReferenceList) -> None:
        self._rule = rule
        self.entries: Sequence[str] = tuple(reference.values)
        self._values = pa.array(self.entries, TEXT)
        position = {entry: place for place, entry in enumerate(self.entries)}
        self._spellings = tuple(reference.entry_of)
        self._entry_of = reference.entry_of
        spellings = pa.array(self._spellings, TEXT)
        places = [position[entry] for entry in reference.entry_of.values()]
        keys: list[tuple[By, Callable[[pa.Array], pa.Array]]] = [("exact", as_it_is), ("folded", folded_key)]
        self._ways = [(key, Spellings(key(spellings), places)) for way, key in keys if way in rule.by]

    def rewrite(self, values: pa.Array, beside: Mapping[str, pa.Array]) -> Rewritten:
        places = np.full(len(values), -1, np.int64)
        for key, spellings in self._ways:
            missed = places < 0
            if missed.all():
                places = spellings.look_up(key(values))
            elif missed.any():
                places[missed] = spellings.look_up(key(values.filter(pa.array(missed))))
        known = places >= 0
        entries = self._values.take(pa.array(places, mask=~known))
        unknown = unknown_among(values, known)
        new = given_or_otherwise(values, entries, known, unknown, self._rule.otherwise)
        return Rewritten(new, unknown, np.isin(np.arange(len(self.entries)), places))

    def near_misses(self, values: pa.Array, unused: Sequence[str]) -> list[NearMiss]:
        near = near_spellings(values, self._spellings)
        return [NearMiss(place, self._entry_of[spelling]) for place, spelling in near.items()]
