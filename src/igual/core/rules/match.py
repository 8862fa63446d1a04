"""The rule `match`."""

from __future__ import annotations

import contextlib
from collections.abc import Iterable, Mapping, Sequence
from copy import copy
from typing import Any, Literal

import numpy as np
import numpy.typing as npt
import pyarrow as pa
import pyarrow.compute as pc
from pydantic import Field, field_validator, model_validator

from igual.core.column import TEXT, as_mask
from igual.core.errors import ListError, RulebookError, did_you_mean
from igual.core.lists import ReferenceList, Shelf
from igual.core.matching.index import How, MatchIndex
from igual.core.matching.matcher import OPEN, SETTLED, UNKNOWN, WAYS, By, Matched, matched
from igual.core.matching.thresholds import USUAL, Thresholds
from igual.core.matching.vocabulary import Vocabulary
from igual.core.rules.base import NearMiss, Rewriter, Rewritten
from igual.core.rules.lookup import ListRule, Otherwise, given_or_otherwise, near_spellings, unknown_among
from igual.core.rulings import NEW, Decision, Ruling, decision
from igual.core.text.folding import folded_key


class Match(ListRule):
    """Put the entry of a reference list in the place of a value that means it.

    list: the name of the reference list. Its aliases count as spellings of their entries.
    by: the ways to match: `exact`; `folded`, which sets aside case, spacing, accents and punctuation (but for
        marks between digits and marks that tell things apart, as in C#); and `fuzzy`, by likeness. Exact comes
        before folded, entries before aliases, likeness last.
    settle: the least score, 0 to 1, of a match by likeness that needs nobody.
    ask: the least probability, 0 to 1, that some entry is meant, for a value to wait for a person: it is open.
    margin: how far a match that is settled by likeness must be ahead of the runner-up, 0 to 1, where the scores of
        all candidates make 1.
    give: an attribute of the list (a code, a rate) to put instead of the entry.
    case_sensitive: nothing that differs in case is settled.
    abbreviations, opposites, small_words: words to be known beside those that Igual knows: what a short form
        stands for, groups of words that exclude each other, words that may be left out.
    otherwise: what becomes of a value that isn't in the list: `flag` (keep it, and warn), `keep`, `blank`
        (an empty text), or `{ text = "…" }`. Whatever is chosen, it is listed as unknown, with its rows.

    What stewards have ruled on single values (see `Rulings`) wins over every other way to match; where the rule folds,
    values that differ from a ruled one only in case and the like follow it, unless it is to stay as it is.
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
    settle: float = Field(USUAL.settle, ge=0, le=1)
    ask: float = Field(USUAL.ask, ge=0, le=1)
    margin: float = Field(USUAL.margin, ge=0, le=1)
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

    @property
    def thresholds(self) -> Thresholds:
        return Thresholds(self.settle, self.ask, self.margin, self.case_sensitive)

    def rewriter(self, shelf: Shelf) -> Rewriter:
        return _Rewriter(self, shelf.lists[self.list])

    def ruled(self, rewriter: Rewriter, rulings: Mapping[str, Ruling]) -> Rewriter:
        return rewriter.with_rulings(rulings) if isinstance(rewriter, _Rewriter) else rewriter


class _Rewriter:
    def __init__(self, rule: Match, reference: ReferenceList) -> None:
        self._rule = rule
        self._reference = reference
        vocabulary = Vocabulary.extended(rule.opposites, rule.abbreviations, rule.small_words)
        self._index = MatchIndex(reference, vocabulary)
        self._thresholds = rule.thresholds
        self.entries: Sequence[str] = self._index.names
        self._place_of = {name: place for place, name in enumerate(self.entries)}
        self._rulings: Mapping[str, Ruling] = {}
        self._given = self._index.entries
        if rule.give is not None:
            if rule.give not in reference.attributes:
                known = did_you_mean(rule.give, reference.attributes)
                raise RulebookError(f"list {rule.list!r} has no attribute {rule.give!r}{known}")
            self._given = pa.array(reference.attributes[rule.give], TEXT)

    def with_rulings(self, rulings: Mapping[str, Ruling]) -> _Rewriter:
        """The same, with what was ruled on the values of a column; the index is shared."""
        ruled = copy(self)
        ruled._rulings = {**_new_spellings(rulings.values()), **rulings}
        return ruled

    def rewrite(self, values: pa.Array, beside: Mapping[str, pa.Array]) -> Rewritten:
        telling = unknown_among(values, np.zeros(len(values), np.bool_))
        asked = values if telling.all() else values.filter(pa.array(telling))
        decided, notes = self._decided(asked)
        found = self._matched(asked, decided)
        places = np.full(len(values), -1, np.int64)
        places[telling] = np.where(found.status == SETTLED, found.entry, -1)
        unknown, waiting = telling.copy(), telling.copy()
        unknown[telling], waiting[telling] = found.status == UNKNOWN, found.status == OPEN
        given = self._given.take(pa.array(places, mask=places < 0))
        known = places >= 0
        # What is kept, or is to be an entry, is no entry yet.
        apart = [place for place, (_, made) in decided.items() if made.kind in ("keep", "new")]
        if apart:
            at = np.zeros(len(values), np.bool_)
            at[np.flatnonzero(telling)[apart]] = True
            made = pa.array([decided[place][1].text for place in apart], TEXT)
            given, known = pc.replace_with_mask(given, pa.array(at), made), known | at
        replaced = unknown | waiting if self._rule.give is not None else unknown
        new = given_or_otherwise(values, given, known, replaced, self._rule.otherwise)
        used = np.isin(np.arange(len(self.entries)), places)
        return Rewritten(new, unknown, used, open=waiting, account=found, notes=notes)

    def _decided(self, values: pa.Array) -> tuple[dict[int, tuple[Ruling, Decision]], tuple[str, ...]]:
        """Values on which there are rulings, in order, and what is to be said of rulings that can't be applied."""
        if not self._rulings:
            return {}, ()
        decided, notes = {}, []
        some = np.flatnonzero(as_mask(pc.is_in(values, pa.array(list(self._rulings), TEXT))))
        for place, value in zip(some.tolist(), values.take(pa.array(some)).to_pylist(), strict=True):
            ruling = self._rulings[value]
            try:
                decided[place] = ruling, decision(ruling.ruling, value, self._reference.entry_of)
            except ListError:
                notes.append(
                    f"the ruling {ruling.ruling!r} on {value!r} {ruling.who} is not applied: list "
                    f"{self._rule.list!r} has no such entry (any more)"
                )
        return decided, tuple(notes)

    def _matched(self, values: pa.Array, decided: dict[int, tuple[Ruling, Decision]]) -> Matched:
        """How values are matched; rulings win over every other way, and loosely over likeness: see `_loosely`."""
        if not self._rulings:
            return matched(values, self._index, self._rule.by, self._thresholds)
        found = Matched.none_yet(values)
        left = np.setdiff1d(np.arange(len(values)), [*decided])
        found.taken_over(
            left, matched(values.take(pa.array(left)), self._index, self._rule.by, self._thresholds)
        )
        decided |= self._loosely(values, found, left)
        for place, (ruling, made) in decided.items():
            found.how[place] = How.RULING
            on = "" if values[place].as_py() == ruling.value else f" on {ruling.value!r}"
            reason = f": {ruling.reason}" if ruling.reason else ""
            found.said[place] = f"ruled {ruling.who}".strip() + on + reason
            found.status[place] = UNKNOWN if made.kind == "unlisted" else SETTLED
            found.score[place] = made.kind != "unlisted"
            found.entry[place] = self._place_of.get(made.text, -1)
        return found

    def _loosely(
        self, values: pa.Array, found: Matched, left: npt.NDArray[np.int64]
    ) -> dict[int, tuple[Ruling, Decision]]:
        """Values that differ only in case and the like from one on which there is a ruling, where the rule folds.

        What the list itself knows goes before, and a value that was to stay as it is says nothing of another.
        """
        if "folded" not in self._rule.by or self._rule.case_sensitive:
            return {}
        asked = left[np.isin(found.how[left], (How.NONE, How.FUZZY))]
        by_key: dict[str, tuple[Ruling, Decision] | None] = {}
        rulings = list(self._rulings.values())
        keys = folded_key(pa.array([one.value for one in rulings], TEXT)).to_pylist()
        for key, one in zip(keys, rulings, strict=True):
            with contextlib.suppress(ListError):
                made = decision(one.ruling, one.value, self._reference.entry_of)
                known = by_key.get(key, (one, made))
                same = known is not None and known[1] == made
                by_key[key] = (one, made) if same and made.kind != "keep" else None
        asked_keys = folded_key(values.take(pa.array(asked))).to_pylist()
        hits = zip(asked.tolist(), (by_key.get(key) if key else None for key in asked_keys), strict=True)
        return {place: hit for place, hit in hits if hit is not None}

    def near_misses(self, values: pa.Array, unused: Sequence[str]) -> list[NearMiss]:
        near = near_spellings(values, self._index.spellings.to_pylist())
        return [NearMiss(place, self._reference.entry_of[spelling]) for place, spelling in near.items()]


def _new_spellings(rulings: Iterable[Ruling]) -> dict[str, Ruling]:
    """What rulings say is to be an entry stays as it is where it is met itself."""
    new = (
        (one, decision(one.ruling, one.value, {})) for one in rulings if one.ruling.casefold().startswith(NEW)
    )
    return {made.text: one._replace(value=made.text, ruling=NEW) for one, made in new}
