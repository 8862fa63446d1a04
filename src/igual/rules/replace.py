"""The rule `replace`."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Literal

import numpy as np
import pyarrow as pa
from pydantic import Field, field_validator, model_validator

from igual.column import TEXT, Mask, to_mask
from igual.errors import RulebookError
from igual.lists import Need, Shelf
from igual.pieces import change_pieces
from igual.rules.base import EntrySource, Rule
from igual.rules.rewriters import Details, NearMiss, Note, Rewriter, Rewritten
from igual.settings import Value
from igual.text.folding import light_key
from igual.text.in_turn import ReplacingInTurn, substituted_in_turn
from igual.text.patterns import (
    LAST_PLACE,
    checked_sought,
    checked_substitution,
    find_any_pattern,
    substituted,
)
from igual.text.replacing import PLACE, Replaced, Replacing, Where, find_first

_MAX_PATTERNS = 5_000


class Replace(Rule):
    r"""Put one text in the place of another, for as many pairs as are given.

    All pairs act at once: where several could stand at one place the longest wins, and what one pair has put in is
    not touched by another.

    Missing values stay missing.

    Attributes:
        pairs: The text to look for and the text to put in its place; or the name of a pair list, which stewards
            keep in a file.
        where: `anywhere` in a value, the `whole` value, as a `word`, or only at the `start` or `end`.
        nth: Only the n-th place where a text stands in a value, counted from 1, each text for itself.
        ignore_case: Find texts in any case.
        keep_case: With `ignore_case`, write what is put in as what stood there: `OAK` → `BEECH`, `Oak` → `Beech`.
        cascade: Pair after pair in the given order, each acting on what the ones before it made.
        pattern: The texts to look for are regular expressions (RE2 syntax, which always ends), and what is put in
            may refer to their groups by \1, \2, …; several patterns need `cascade`.
        fill: Names of columns in braces in what is put in, such as `{prefix}-`, stand for what these columns hold.

    Example:
        >>> from igual.rules import Replace
        >>> Replace(pairs={"mapel": "maple"}, where="word", ignore_case=True, keep_case=True).on(["MAPEL", "mapels"])
        ['MAPLE', 'mapels']
    """

    do: Literal["replace"] = "replace"
    pairs: dict[Value, Value] | str = Field(min_length=1)
    where: Where = "anywhere"
    nth: int | None = Field(default=None, ge=1, le=LAST_PLACE)
    ignore_case: bool = False
    keep_case: bool = False
    cascade: bool = False
    pattern: bool = False
    fill: bool = False

    @field_validator("pairs")
    @classmethod
    def _pairs_look_for_something(cls, given: dict[str, str] | str) -> dict[str, str] | str:
        if "" in given and isinstance(given, dict):
            raise ValueError("'pairs' has an empty text to look for")
        return given

    @model_validator(mode="after")
    def _words_go_together(self) -> Replace:
        if self.keep_case and not self.ignore_case:
            raise ValueError("'keep_case' needs 'ignore_case'")
        if self.fill and (self.cascade or isinstance(self.pairs, str)):
            raise ValueError("'fill' takes pairs that stand in the rule, all at once")
        if self.pattern and (self.keep_case or self.fill or self.where == "word"):
            raise ValueError(
                "'pattern' can't go with 'keep_case', 'fill' or where = 'word' (write \\\\b instead)"
            )
        if isinstance(self.pairs, dict):
            self.check_pairs(self.pairs)
        return self

    def check_pairs(self, pairs: Mapping[str, str]) -> None:
        """Raise ValueError where pairs can't serve with the other words of the rule."""
        if self.pattern:
            if len(pairs) > _MAX_PATTERNS:
                raise ValueError(
                    f"a rule takes up to {_MAX_PATTERNS:,} patterns, each of which is tried in turn"
                )
            for sought, given in pairs.items():
                checked_substitution(
                    sought, given, where=self.where, nth=self.nth, ignore_case=self.ignore_case
                )
            if len(pairs) > 1 and not self.cascade:
                raise ValueError("several patterns act one after another: say cascade = true")
            return
        checked_sought(max(pairs, key=len, default=""))
        if self.ignore_case:
            seen: dict[str, str] = {}
            for sought in pairs:
                if (other := seen.setdefault(sought.casefold(), sought)) != sought:
                    raise ValueError(f"pairs {other!r} and {sought!r} are the same when case is ignored")

    @property
    def entry_source(self) -> EntrySource:
        """Where the entries come from that it looks for."""
        return EntrySource("pair list", self.pairs) if isinstance(self.pairs, str) else EntrySource("pairs")

    def written_texts(self) -> set[str]:
        """List the texts that the rule itself puts into values."""
        return set(self.pairs.values()) if isinstance(self.pairs, dict) else set()

    def reads(self) -> set[str]:
        """List the columns that the rule looks at besides its own."""
        givens = self.pairs.values() if self.fill and isinstance(self.pairs, dict) else ()
        return super().reads() | {name for given in givens for name in PLACE.findall(given)}

    def needs(self) -> list[Need]:
        """List what the rule looks up by name."""
        return [*([Need("pairs", self.pairs)] if isinstance(self.pairs, str) else []), *super().needs()]

    def rewriter(self, shelf: Shelf) -> Rewriter:
        """Prepare the rule for work."""
        if isinstance(self.pairs, dict):
            return _Rewriter(self, self.pairs)
        pairs = shelf.pairs[self.pairs].pairs
        try:
            self.check_pairs(pairs)
        except ValueError as error:
            raise RulebookError(f"pair list {self.pairs!r}: {error}") from None
        return _Rewriter(self, pairs)


class _Rewriter:
    def __init__(self, rule: Replace, pairs: Mapping[str, str]) -> None:
        self._rule = rule
        self._pairs = pairs
        self._replacing = self._prepare(pairs)
        # What a later pair has changed again is counted over all values.
        self.works_in_pieces = not rule.cascade
        self.entries: Sequence[str] = tuple(pairs)

    def rewrite(self, values: pa.Array, beside: Mapping[str, pa.Array]) -> Rewritten:
        rule = self._rule
        if rule.pattern:
            result = substituted_in_turn(values, self._pairs, self._substitute, self._find_any)
        else:
            fill = {**beside, **dict.fromkeys(rule.columns, values)} if rule.fill else None
            result = self._replacing.replace(values, fill)
        return Rewritten(result.values, Details(used=result.used, notes=_note_changed_again(result)))

    def _substitute(self, values: pa.Array, sought: str, given: str) -> pa.Array:
        rule = self._rule

        def change(some: pa.Array) -> pa.Array:
            return substituted(
                some, sought, given, where=rule.where, nth=rule.nth, ignore_case=rule.ignore_case
            )

        return change_pieces(values, change)

    def _find_any(self, values: pa.Array, patterns: Sequence[str]) -> Mask:
        return find_any_pattern(values, patterns, self._rule.where, self._rule.ignore_case)

    def _prepare(self, pairs: Mapping[str, str]) -> Replacing:
        rule = self._rule
        kind = ReplacingInTurn if rule.cascade else Replacing
        return kind(pairs, rule.where, rule.nth, rule.ignore_case, rule.keep_case)

    def near_misses(self, values: pa.Array, unused: Sequence[str]) -> list[NearMiss]:
        if self._rule.pattern:
            return []
        keys = light_key(pa.array(unused, TEXT)).to_pylist()
        folded = dict(zip(reversed(keys), reversed(unused), strict=True))
        folded.pop("", None)
        if not folded:
            return []
        hits = find_first(light_key(values), folded, self._rule.where)
        positions = np.flatnonzero(to_mask(hits.is_valid())).tolist()
        return [
            NearMiss(position, (folded[hit],))
            for position, hit in zip(positions, hits.drop_null().to_pylist(), strict=True)
        ]


def _note_changed_again(result: Replaced) -> tuple[Note, ...]:
    return tuple(
        Note("changed again", (earlier, later, str(values)))
        for earlier, later, values in result.changed_again
    )
