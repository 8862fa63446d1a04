"""The rule `match`."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any, Literal

import numpy as np
import pyarrow as pa
from pydantic import Field, field_validator, model_validator

from igual.core.column import TEXT
from igual.core.errors import RulebookError, did_you_mean
from igual.core.lists import ReferenceList, Shelf
from igual.core.matching.index import MatchIndex
from igual.core.matching.matcher import OPEN, SETTLED, UNKNOWN, WAYS, By, Thresholds, matched
from igual.core.matching.vocabulary import Vocabulary
from igual.core.rules.base import NearMiss, Rewriter, Rewritten
from igual.core.rules.lookup import ListRule, Otherwise, given_or_otherwise, near_spellings, unknown_among


class Match(ListRule):
    """Put the entry of a reference list in the place of a value that means it.

    list: the name of the reference list. Its aliases count as spellings of their entries.
    by: the ways to match: `exact`; `folded`, which sets aside case, spacing, accents and punctuation (but for
        marks between digits and marks that tell things apart, as in C#); and `fuzzy`, by likeness. Exact comes
        before folded, entries before aliases, likeness last.
    settle: the least score, 0 to 1, of a match by likeness that needs nobody.
    ask: the least probability, 0 to 1, that some entry is meant, for a value to wait for a person: it is open.
    margin: how far the runner-up's score must stay behind.
    give: an attribute of the list (a code, a rate) to put instead of the entry.
    case_sensitive: nothing that differs in case is settled.
    abbreviations, opposites, small_words: words to be known beside those that Igual knows: what a short form
        stands for, groups of words that exclude each other, words that may be left out.
    otherwise: what becomes of a value that isn't in the list: `flag` (keep it, and warn), `keep`, `blank`
        (an empty text), or `{ text = "…" }`. Whatever is chosen, it is listed as unknown, with its rows.

    Missing values and blanks stay as they are. Open values stay too, until somebody rules on them; where an
    attribute is given, what becomes of them is what `otherwise` says.

    >>> import igual
    >>> from igual.rules import Match
    >>> trees = {"trees": igual.ReferenceList(["Norway maple", "Common oak"])}
    >>> Match(list="trees").on(["NORWAY-MAPLE", "Oak, comon", "banana"], lists=trees)
    ['Norway maple', 'Common oak', 'banana']
    """

    do: Literal["match"] = "match"
    by: tuple[By, ...] = WAYS
    settle: float = Field(0.9, ge=0, le=1)
    ask: float = Field(0.5, ge=0, le=1)
    margin: float = Field(0.2, ge=0, le=1)
    give: str | None = None
    case_sensitive: bool = False
    abbreviations: Mapping[str, tuple[str, ...] | str] = Field(default_factory=dict)
    opposites: tuple[tuple[str, ...], ...] = ()
    small_words: tuple[str, ...] = ()
    otherwise: Otherwise = "flag"

    @field_validator("by", mode="before")
    @classmethod
    def _one_or_several(cls, given: Any) -> Any:
        if isinstance(given, str):
            return (given,)
        if given == ():
            raise ValueError("'by' needs at least one way to match")
        return given

    @model_validator(mode="after")
    def _words_are_words(self) -> Match:
        Vocabulary.extended(self.opposites, self.abbreviations, self.small_words)
        return self

    def rewriter(self, shelf: Shelf) -> Rewriter:
        return _Rewriter(self, shelf.lists[self.list])


class _Rewriter:
    def __init__(self, rule: Match, reference: ReferenceList) -> None:
        self._rule = rule
        self._reference = reference
        vocabulary = Vocabulary.extended(rule.opposites, rule.abbreviations, rule.small_words)
        self._index = MatchIndex(reference, vocabulary)
        self._thresholds = Thresholds(rule.settle, rule.ask, rule.margin, rule.case_sensitive)
        self.entries: Sequence[str] = self._index.names
        self._given = self._index.entries
        if rule.give is not None:
            if rule.give not in reference.attributes:
                known = did_you_mean(rule.give, reference.attributes)
                raise RulebookError(f"list {rule.list!r} has no attribute {rule.give!r}{known}")
            self._given = pa.array(reference.attributes[rule.give], TEXT)

    def rewrite(self, values: pa.Array, beside: Mapping[str, pa.Array]) -> Rewritten:
        telling = unknown_among(values, np.zeros(len(values), np.bool_))
        asked = values if telling.all() else values.filter(pa.array(telling))
        found = matched(asked, self._index, self._rule.by, self._thresholds)
        places = np.full(len(values), -1, np.int64)
        places[telling] = np.where(found.status == SETTLED, found.entry, -1)
        known = places >= 0
        unknown, waiting = telling.copy(), telling.copy()
        unknown[telling], waiting[telling] = found.status == UNKNOWN, found.status == OPEN
        entries = self._given.take(pa.array(places, mask=~known))
        replaced = unknown | waiting if self._rule.give is not None else unknown
        new = given_or_otherwise(values, entries, known, replaced, self._rule.otherwise)
        used = np.isin(np.arange(len(self.entries)), places)
        return Rewritten(new, unknown, used, open=waiting, account=found)

    def near_misses(self, values: pa.Array, unused: Sequence[str]) -> list[NearMiss]:
        near = near_spellings(values, self._index.spellings.to_pylist())
        return [NearMiss(place, self._reference.entry_of[spelling]) for place, spelling in near.items()]
