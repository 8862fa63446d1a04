"""The rule `mention`."""

from __future__ import annotations

import builtins
from collections.abc import Mapping, Sequence
from typing import ClassVar, Literal

import numpy as np
import pyarrow as pa

from igual.column import TEXT
from igual.conditions import is_blank
from igual.lists import ReferenceList, Shelf
from igual.rules.base import NearMiss, Rewriter, Rewritten
from igual.rules.kinds import UNDECIDED, ValueKind
from igual.rules.lookup import ListRule, Otherwise, fill_unknown
from igual.text.arrays import as_it_is
from igual.text.folding import casefold
from igual.text.mentions import Mentions

_BETWEEN = "; "


class Mention(ListRule):
    """Put in the place of a free text the list entry that it mentions.

    Only whole words count, with the hyphens and apostrophes in them: `Guinea-Bissau` doesn't mention `Guinea`. The
    longest spelling at a place wins. Missing values and blanks stay as they are.

    Attributes:
        list: The name of the reference list. Its aliases count as spellings of their entries.
        multiple: What becomes of a text that mentions several entries: it stays `undecided` (it is listed so, and
            treated as `otherwise` says), or gives `all` of them, with `; ` between.
        ignore_case: Find entries in any case.
        otherwise: What becomes of a text that mentions none: `blank` (an empty text), `keep`, `{ text = "…" }`, or
            `flag` (keep it, list it as undecided, and warn).

    Example:
        >>> import igual
        >>> from igual.rules import Mention
        >>> land = igual.ReferenceList(["Guinea", "Guinea-Bissau", "Niger"])
        >>> Mention(list="land").on(["to Guinea-Bissau", "Nigeria"], lists={"land": land})
        ['Guinea-Bissau', '']
    """

    unknown_kind: ClassVar[ValueKind] = UNDECIDED

    do: Literal["mention"] = "mention"
    multiple: Literal["undecided", "all"] = "undecided"
    ignore_case: bool = False
    otherwise: Otherwise = "blank"

    def rewriter(self, shelf: Shelf) -> Rewriter:
        """Prepare the rule for work."""
        return _Rewriter(self, shelf.lists[self.list])


class _Rewriter:
    def __init__(self, rule: Mention, reference: ReferenceList) -> None:
        self._rule = rule
        self._key = casefold if rule.ignore_case else as_it_is
        self.entries: Sequence[str] = tuple(reference.values)
        position = {entry: place for place, entry in enumerate(self.entries)}
        spellings = self._key(pa.array(reference.entry_of.keys(), TEXT)).to_pylist()
        entry_idx = [position[entry] for entry in reference.entry_of.values()]
        # An entry's own spelling comes before aliases that case makes equal to it.
        self._mentions = Mentions(dict(reversed(builtins.list(zip(spellings, entry_idx, strict=True)))))

    def rewrite(self, values: pa.Array, beside: Mapping[str, pa.Array]) -> Rewritten:
        mentions = self._mentions.find_in(self._key(values).to_pylist())
        joined = self._rule.multiple == "all"
        entries = self.entries
        texts = [
            entries[entry_idx[0]]
            if len(entry_idx) == 1
            else _BETWEEN.join(entries[place] for place in entry_idx)
            if entry_idx and joined
            else None
            for entry_idx in mentions
        ]
        named = pa.array(texts, TEXT)
        known = named.is_valid().to_numpy(zero_copy_only=False)
        without = ~known & ~is_blank(values)
        new = fill_unknown(values, named, known, without, self._rule.otherwise)
        # That a free text mentions nothing is no fault, unless the rule says so; that it mentions several is open.
        mentions_any = np.array([bool(entry_idx) for entry_idx in mentions], np.bool_)
        undecided = without if self._rule.otherwise == "flag" else without & mentions_any
        used = np.zeros(len(self.entries), np.bool_)
        used[[place for entry_idx in mentions for place in entry_idx]] = True
        return Rewritten(new, undecided, used)

    def near_misses(self, values: pa.Array, unused: Sequence[str]) -> builtins.list[NearMiss]:
        """The entries that an open text mentions, of which none is certain."""
        mentions = self._mentions.find_in(self._key(values).to_pylist())
        return [
            NearMiss(position, tuple(self.entries[entry] for entry in mentioned))
            for position, mentioned in enumerate(mentions)
            if mentioned
        ]
