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
from igual.matching.pairs import Ints
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
from igual.text.mentions import Mentioned, Mentions, Reading, has_lost_piece

_BETWEEN = "; "


class Mention(ListRule):
    """Put in the place of a free text the list entry that it mentions.

    Only whole words count, with the hyphens and apostrophes in them: `Guinea-Bissau` doesn't mention `Guinea`. The
    longest spelling at a place wins. An entry behind a word that denies it (`no moth found`) isn't mentioned: such a
    text is undecided, or open where slips are looked for. Missing values and blanks stay as they are.

    Attributes:
        list: The name of the reference list. Its aliases count as spellings of their entries.
        multiple: What becomes of a text that mentions several entries: it stays `undecided` (it is listed so, and
            treated as `otherwise` says), or gives `all` of them in the order of the list, with `; ` between.
        ignore_case: Find entries in any case.
        by: The ways to find entries, as in the rule `match`: `exact` alone, unless `folded` and `fuzzy` (entries with
            slips) are given as well. All of them are looked for in all of a text. A text in which an entry is only
            likely is open, whatever else is found in it; in a column that `into` names it leaves an empty text.
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
        lists_all = self._rule.multiple == "all"
        reading = self._mentions.read(self._key(values), with_rest=lists_all or self._passages is not None)
        mentioned, details = reading.mentioned, Details()
        denied = np.bincount(mentioned.owners, mentioned.is_denied, len(values)) > 0
        mentioned = _keep_stated(mentioned)
        is_open = np.zeros(len(values), np.bool_)
        if self._passages is not None:
            mentioned, reading, details = self._find_alike(values, reading, mentioned)
            assert details.open is not None
            is_open = details.open
        named = self._name(mentioned, len(values))
        # What may be meant otherwise, what is denied, and lists with a piece that isn't known give nothing yet.
        is_partial = _mark_partial(reading) if lists_all else np.zeros(len(values), np.bool_)
        is_unsure = is_open | is_partial | (denied & (self._passages is None))
        known = to_mask(named.is_valid()) & ~is_unsure
        without = ~known & ~is_blank(values) & ~is_open
        new = fill_unknown(values, named, known, without, self._rule.otherwise)
        if self._rule.into is not None:
            # The whole text is no entry, and would be taken for one in a column of its own.
            new = pc.if_else(pa.array(is_open), pa.scalar("", TEXT), new)
        # That a free text mentions nothing is no fault, unless the rule says so; that it mentions several is open.
        mentions_any = np.bincount(mentioned.owners, minlength=len(values)) > 0
        undecided = (
            without if self._rule.otherwise == "flag" else without & (mentions_any | denied | is_partial)
        )
        used = np.zeros(len(self.entries), np.bool_)
        used[mentioned.entries] = True
        return Rewritten(new, details._replace(unknown=undecided, used=used))

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

    def _find_alike(
        self, values: pa.Array, reading: Reading, mentioned: Mentioned
    ) -> tuple[Mentioned, Reading, Details]:
        """Look for entries with slips in what is left of texts; what is sure is mentioned, too.

        Returns:
            All mentions; the texts less what was found; and what became of texts in which something is near an entry,
            or no entry is spelled out.
        """
        assert self._passages is not None
        looked_at = np.flatnonzero(~is_blank(values))
        passages, matched, rest = self._passages.find(reading.rest.take(pa.array(looked_at)))
        matched.values = values.take(pa.array(looked_at))
        self._leave_denied(matched, looked_at, reading.mentioned)
        ruled = set()
        for number, text in enumerate(matched.values.to_pylist()):
            ruling = self._rulings.get(text)
            if ruling is not None and (entries := self._follow(ruling, matched, number)) is not None:
                passages[number] = entries
                ruled.add(int(looked_at[number]))
        # Where one entry is to be given, a ruling says which, whatever else stands in the text.
        counts = (self._rule.multiple == "all") | ~np.isin(mentioned.owners, sorted(ruled))
        alike = [
            (owner, entry) for owner, some in zip(looked_at.tolist(), passages, strict=True) for entry in some
        ]
        pairs = np.array(alike, np.int64).reshape(-1, 2)
        exact = np.stack([mentioned.owners[counts], mentioned.entries[counts]], axis=1)
        owners, entries = np.unique(np.concatenate([exact, pairs]), axis=0).T
        everything = Mentioned(owners, entries, np.zeros(len(owners), np.bool_))
        # Texts in which entries are spelled out, and nothing else is near one, need no account of likeness.
        has_exact = np.bincount(mentioned.owners, minlength=len(values))[looked_at] > 0
        is_told = ~has_exact | (matched.status != UNKNOWN)
        was_matched, is_open = np.zeros((2, len(values)), np.bool_)
        was_matched[looked_at[is_told]] = True
        is_open[looked_at] = matched.status == OPEN
        whole = np.array(values.fill_null("").to_pylist(), object)
        whole[looked_at] = rest
        # A ruling says all that is to be said of a text.
        whole[sorted(ruled)] = ""
        matched = matched.take(np.flatnonzero(is_told))
        return (
            everything,
            Reading(everything, pa.array(whole, TEXT)),
            Details(open=is_open, matched=matched, was_matched=was_matched),
        )

    def _leave_denied(self, matched: Matched, looked_at: Ints, mentioned: Mentioned) -> None:
        """Leave texts open in which a word before an entry denies it."""
        denied = np.flatnonzero(mentioned.is_denied)
        numbers = np.searchsorted(looked_at, mentioned.owners[denied])
        for number, entry in zip(numbers.tolist(), mentioned.entries[denied].tolist(), strict=True):
            matched.status[number], matched.how[number] = OPEN, How.FUZZY
            matched.entry[number], matched.runner_up[number], matched.score[number] = entry, -1, 0.5
            matched.explained[number] = (Reason("in the text", (self.entries[entry],)), Reason("denied"))

    def _follow(self, ruling: Ruling, matched: Matched, number: int) -> builtins.list[int] | None:
        """The entry that a text is ruled to mention, if it names one; None where the ruling can't be applied."""
        with contextlib.suppress(ListError):
            decision = interpret_ruling(ruling.ruling, ruling.value, self._reference.entry_of)
            entry = self._position_of.get(decision.text, -1) if decision.kind in ("entry", "alias") else -1
            matched.how[number], matched.entry[number] = How.RULING, entry
            matched.status[number] = SETTLED if entry >= 0 else UNKNOWN
            matched.explained[number] = (Reason("ruling", (ruling.author, "", ruling.reason)),)
            return [entry] if entry >= 0 else []
        return None

    def near_misses(self, values: pa.Array, unused: Sequence[str]) -> builtins.list[NearMiss]:
        """The entries that an open text mentions, of which none is certain."""
        mentioned = self._mentions.find_in(self._key(values))
        named: dict[int, builtins.list[str]] = {}
        for owner, entry in zip(mentioned.owners.tolist(), mentioned.entries.tolist(), strict=True):
            named.setdefault(owner, []).append(self.entries[entry])
        return [NearMiss(position, tuple(entries)) for position, entries in named.items()]


def _keep_stated(mentioned: Mentioned) -> Mentioned:
    """The mentions that no word before them denies."""
    is_stated = ~mentioned.is_denied
    return Mentioned(
        mentioned.owners[is_stated], mentioned.entries[is_stated], mentioned.is_denied[is_stated]
    )


def _mark_partial(reading: Reading) -> Mask:
    """Texts that list several things, of which some are found and another isn't."""
    marked = np.flatnonzero(to_mask(pc.match_substring_regex(reading.rest, r"[;|/]")))
    is_partial = np.zeros(len(reading.rest), np.bool_)
    texts = reading.rest.take(pa.array(marked)).to_pylist()
    is_partial[marked] = [has_lost_piece(text) for text in texts]
    return is_partial
