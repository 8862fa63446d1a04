"""The rule `mention`."""

from __future__ import annotations

import builtins
from collections.abc import Mapping, Sequence
from typing import Literal

import numpy as np
import pyarrow as pa

from igual.core.column import TEXT
from igual.core.conditions import is_blank
from igual.core.lists import ReferenceList, Shelf
from igual.core.rules.base import NearMiss, Rewriter, Rewritten
from igual.core.rules.lookup import ListRule, Otherwise, given_or_otherwise
from igual.core.text.arrays import as_it_is
from igual.core.text.folding import casefold
from igual.core.text.mentions import Mentions

_BETWEEN = "; "


class Mention(ListRule):
    """Put in the place of a free text the list entry that it mentions.

    list: the name of the reference list. Its aliases count as spellings of their entries.
    several: what becomes of a text that mentions several entries: it stays `open` (it is listed as undecided,
        and treated as `otherwise` says), or gives `all` of them, with `; ` between.
    ignore_case: find entries in any case.
    otherwise: what becomes of a text that mentions none: `blank` (an empty text), `keep`, `{ text = "…" }`, or
        `flag` (keep it, list it as undecided, and warn).

    Only whole words count, with the hyphens and apostrophes in them: `Guinea-Bissau` doesn't mention `Guinea`. The
    longest spelling at a place wins. Missing values and blanks stay as they are.

    >>> import igual
    >>> from igual.rules import Mention
    >>> land = igual.ReferenceList(["Guinea", "Guinea-Bissau", "Niger"])
    >>> Mention(list="land").on(["to Guinea-Bissau", "Nigeria"], lists={"land": land})
    ['Guinea-Bissau', '']
    """

    do: Literal["mention"] = "mention"
    several: Literal["open", "all"] = "open"
    ignore_case: bool = False
    otherwise: Otherwise = "blank"

    def rewriter(self, shelf: Shelf) -> Rewriter:
        return _Rewriter(self, shelf.lists[self.list])


class _Rewriter:
    def __init__(self, rule: Mention, reference: ReferenceList) -> None:
        self._rule = rule
        self._key = casefold if rule.ignore_case else as_it_is
        self.entries: Sequence[str] = tuple(reference.values)
        position = {entry: place for place, entry in enumerate(self.entries)}
        spellings = self._key(pa.array(reference.entry_of.keys(), TEXT)).to_pylist()
        places = [position[entry] for entry in reference.entry_of.values()]
        # An entry's own spelling comes before aliases that case makes equal to it.
        self._mentions = Mentions(dict(reversed(builtins.list(zip(spellings, places, strict=True)))))

    def rewrite(self, values: pa.Array, beside: Mapping[str, pa.Array]) -> Rewritten:
        found = self._mentions.found_in(self._key(values).to_pylist())
        joined = self._rule.several == "all"
        entries = self.entries
        texts = [
            entries[places[0]]
            if len(places) == 1
            else _BETWEEN.join(entries[place] for place in places)
            if places and joined
            else None
            for places in found
        ]
        given = pa.array(texts, TEXT)
        known = given.is_valid().to_numpy(zero_copy_only=False)
        without = ~known & ~is_blank(values)
        new = given_or_otherwise(values, given, known, without, self._rule.otherwise)
        # That a free text mentions nothing is no fault, unless the rule says so; that it mentions several is open.
        mentions = np.array([bool(places) for places in found], np.bool_)
        undecided = without if self._rule.otherwise == "flag" else without & mentions
        used = np.zeros(len(self.entries), np.bool_)
        used[[place for places in found for place in places]] = True
        return Rewritten(new, undecided, used)

    def near_misses(self, values: pa.Array, unused: Sequence[str]) -> builtins.list[NearMiss]:
        """The entries that an open text mentions, of which none is certain."""
        found = self._mentions.found_in(self._key(values).to_pylist())
        named = (
            (place, " or ".join(self.entries[entry] for entry in places))
            for place, places in enumerate(found)
        )
        return [NearMiss(place, entries) for place, entries in named if entries]
