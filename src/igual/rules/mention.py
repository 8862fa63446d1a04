"""The rule `mention`."""

from __future__ import annotations

import builtins
import contextlib
from collections.abc import Mapping, Sequence
from copy import copy
from typing import ClassVar, Literal

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from igual.column import TEXT, Mask, to_mask
from igual.decisions import Ruling, interpret_ruling
from igual.errors import ListError
from igual.lists import ReferenceList, Shelf
from igual.matching.index import MatchIndex
from igual.matching.kinds import explain_kinds
from igual.matching.lookups import How
from igual.matching.matched import OPEN, SETTLED, UNKNOWN, Matched
from igual.matching.matcher import By
from igual.matching.passages import Passages
from igual.matching.reasons import Reason
from igual.matching.thresholds import DEFAULTS
from igual.rules.kinds import UNDECIDED, ValueKind
from igual.rules.lookup import ListRule, Otherwise, fill_unknown
from igual.rules.rewriters import Details, NearMiss, Rewriter, Rewritten
from igual.rulings import Rulings
from igual.settings import Several
from igual.text.arrays import as_it_is
from igual.text.blanks import is_blank
from igual.text.folding import casefold
from igual.text.mentions import Mentioned, Mentions

_BETWEEN = "; "


class Mention(ListRule):
    """Put in the place of a free text the list entry that it mentions.

    Only whole words count, with the hyphens and apostrophes in them: `Guinea-Bissau` doesn't mention `Guinea`. The
    longest spelling at a place wins. Missing values and blanks stay as they are.

    Attributes:
        list: The name of the reference list. Its aliases count as spellings of their entries.
        multiple: What becomes of a text that mentions several entries: it stays `undecided` (it is listed so, and
            treated as `otherwise` says), or gives `all` of them in the order of the list, with `; ` between.
        ignore_case: Find entries in any case.
        by: The ways to find entries, as in the rule `match`: `exact` alone, unless `folded` and `fuzzy` (entries with
            slips) are given as well. A text in which an entry is only likely is open. Texts in which an entry is found
            exactly aren't searched for others.
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
    by: Several[By] | By = ("exact",)
    otherwise: Otherwise = "blank"

    @property
    def takes_rulings(self) -> bool:
        """Whether stewards can rule on its values: where it leaves texts open."""
        return "fuzzy" in self.ways

    @property
    def ways(self) -> tuple[By, ...]:
        """The ways of `by`, however many were given."""
        return (self.by,) if isinstance(self.by, str) else tuple(self.by)

    def with_rulings(self, rewriter: Rewriter, rulings: Rulings, column: str) -> Rewriter:
        """Give the prepared rule what was ruled on the texts of a column."""
        if not isinstance(rewriter, _Rewriter) or not self.takes_rulings:
            return rewriter
        return rewriter.with_rulings(rulings.of_column(column), rulings.of_kinds(column))

    def rewriter(self, shelf: Shelf) -> Rewriter:
        """Prepare the rule for work."""
        return _Rewriter(self, shelf.lists[self.list])


class _Rewriter:
    def __init__(self, rule: Mention, reference: ReferenceList) -> None:
        self._rule = rule
        self._reference = reference
        self._rulings: Mapping[str, Ruling] = {}
        self._passages: Passages | None = None
        if set(rule.ways) - {"exact"}:
            self._passages = Passages(MatchIndex(reference), rule.ways, DEFAULTS)
        # Passages of all texts are matched together.
        self.works_in_pieces = self._passages is None
        self._key = casefold if rule.ignore_case else as_it_is
        self.entries: Sequence[str] = tuple(reference.values)
        self._entries = pa.array(self.entries, TEXT)
        position = self._position_of = {entry: place for place, entry in enumerate(self.entries)}
        spellings = self._key(pa.array(reference.entry_of.keys(), TEXT)).to_pylist()
        entry_idx = [position[entry] for entry in reference.entry_of.values()]
        # An entry's own spelling comes before aliases that case makes equal to it.
        self._mentions = Mentions(dict(reversed(builtins.list(zip(spellings, entry_idx, strict=True)))))

    def with_rulings(
        self, rulings: Mapping[str, Ruling], of_kinds: Mapping[tuple[str, str], Ruling]
    ) -> _Rewriter:
        """Give the same with what was ruled on the texts of a column."""
        ruled = copy(self)
        ruled._rulings = rulings
        if self._passages is not None:
            ruled._passages = self._passages.with_kinds(explain_kinds(of_kinds))
        return ruled

    def rewrite(self, values: pa.Array, beside: Mapping[str, pa.Array]) -> Rewritten:
        mentioned = self._mentions.find_in(self._key(values))
        mentioned, matched, was_matched = self._find_alike(values, mentioned)
        is_open = np.zeros(len(values), np.bool_)
        if matched is not None:
            is_open[was_matched] = matched.status == OPEN
        named = self._name(mentioned, len(values))
        known = to_mask(named.is_valid())
        without = ~known & ~is_blank(values) & ~is_open
        new = fill_unknown(values, named, known, without, self._rule.otherwise)
        # That a free text mentions nothing is no fault, unless the rule says so; that it mentions several is open.
        mentions_any = np.bincount(mentioned.owners, minlength=len(values)) > 0
        undecided = without if self._rule.otherwise == "flag" else without & mentions_any
        used = np.zeros(len(self.entries), np.bool_)
        used[mentioned.entries] = True
        if matched is None:
            return Rewritten(new, Details(undecided, used))
        details = Details(undecided, used, open=is_open, matched=matched, was_matched=was_matched)
        return Rewritten(new, details)

    def _name(self, mentioned: Mentioned, size: int) -> pa.Array:
        """What each text becomes, missing where it mentions none, or several that aren't all meant, (size,)."""
        counts = np.bincount(mentioned.owners, minlength=size)
        ends = np.cumsum(counts)
        has_one = counts == 1
        first = mentioned.entries.take(ends - 1, mode="clip") if len(mentioned.entries) else ends
        named = self._entries.take(pa.array(first, mask=~has_one))
        if self._rule.multiple != "all" or not (counts > 1).any():
            return named
        order = np.lexsort((mentioned.entries, mentioned.owners))
        names = self._entries.take(pa.array(mentioned.entries[order]))
        offsets = np.append(0, ends)
        joined = pc.binary_join(
            pa.LargeListArray.from_arrays(pa.array(offsets), names), pa.scalar(_BETWEEN, TEXT)
        )
        return pc.if_else(pa.array(counts > 1), joined, named)

    def _find_alike(self, values: pa.Array, mentioned: Mentioned) -> tuple[Mentioned, Matched | None, Mask]:
        """Look for entries with slips where none was found as it is spelled; what is sure is mentioned, too."""
        left = ~is_blank(values) & (np.bincount(mentioned.owners, minlength=len(values)) == 0)
        if self._passages is None:
            return mentioned, None, left
        passages, matched = self._passages.find(values.filter(pa.array(left)))
        for number, text in enumerate(matched.values.to_pylist()):
            ruling = self._rulings.get(text)
            if ruling is not None:
                passages[number] = self._follow(ruling, matched, number) or passages[number]
        owners = np.repeat(np.flatnonzero(left), [len(entries) for entries in passages])
        entries = np.array([entry for some in passages for entry in some], np.int64)
        order = np.argsort(owners := np.append(mentioned.owners, owners), kind="stable")
        return Mentioned(owners[order], np.append(mentioned.entries, entries)[order]), matched, left

    def _follow(self, ruling: Ruling, matched: Matched, number: int) -> builtins.list[int]:
        """The entry that a text is ruled to mention; no entry where the ruling names none."""
        with contextlib.suppress(ListError):
            decision = interpret_ruling(ruling.ruling, ruling.value, self._reference.entry_of)
            entry = self._position_of.get(decision.text, -1) if decision.kind in ("entry", "alias") else -1
            matched.how[number], matched.entry[number] = How.RULING, entry
            matched.status[number] = SETTLED if entry >= 0 else UNKNOWN
            matched.explained[number] = (Reason("ruling", (ruling.author, "", ruling.reason)),)
            return [entry] if entry >= 0 else []
        return []

    def near_misses(self, values: pa.Array, unused: Sequence[str]) -> builtins.list[NearMiss]:
        """The entries that an open text mentions, of which none is certain."""
        mentioned = self._mentions.find_in(self._key(values))
        named: dict[int, builtins.list[str]] = {}
        for owner, entry in zip(mentioned.owners.tolist(), mentioned.entries.tolist(), strict=True):
            named.setdefault(owner, []).append(self.entries[entry])
        return [NearMiss(position, tuple(entries)) for position, entries in named.items()]
