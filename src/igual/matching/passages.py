"""Entries found in free texts with slips: passages of whole words that mean one of them."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from copy import copy
from typing import NamedTuple

import numpy as np
import pyarrow as pa

from igual.column import TEXT
from igual.decisions import Cause
from igual.matching.index import MatchIndex
from igual.matching.keys import plain, words_key
from igual.matching.kinds import settle_kinds
from igual.matching.matched import OPEN, SETTLED, UNKNOWN, Matched
from igual.matching.matcher import By, match_values
from igual.matching.reasons import Reason
from igual.matching.thresholds import Thresholds
from igual.matching.vocabulary import NUMBERS

# A word with the hyphens and apostrophes inside it, as for exact mentions.
_WORD = re.compile(r"[^\W_]+(?:['’\-‐&.][^\W_]+)*")
# Words of a text that are looked at, and by how many a passage may be longer than the longest entry.
_MOST_WORDS, _LONGER = 60, 1
_SHORT = 3


class Passage(NamedTuple):
    """Words of a text that mean an entry, or may.

    Attributes:
        start: The first word.
        size: How many words there are.
        match: The place of the passage among those that were matched.
    """

    start: int
    size: int
    match: int


class Passages:
    """Finds entries in texts by likeness.

    Args:
        index: The list.
        by: The ways to match.
        thresholds: When a likely match is accepted.
    """

    def __init__(self, index: MatchIndex, by: Sequence[By], thresholds: Thresholds) -> None:
        self._index, self._by, self._thresholds = index, by, thresholds
        self._kinds: Mapping[Cause, Reason] = {}
        keys = words_key(plain(index.spellings)).to_pylist()
        self._words = sorted({word for key in keys for word in key.split()})
        self._longest = max((key.count(" ") + 1 for key in keys), default=1) + _LONGER

    def with_kinds(self, kinds: Mapping[Cause, Reason]) -> Passages:
        """Give the same with the kinds of differences that were ruled not to matter; the index is shared."""
        ruled = copy(self)
        ruled._kinds = kinds
        return ruled

    def find(self, texts: pa.Array) -> tuple[list[list[int]], Matched]:
        """Find the entries that texts mention.

        Args:
            texts: The texts, none of them blank, (texts,).

        Returns:
            For each text the entries that are sure, in order; and what became of it: settled where there is such an
            entry, open where one may be meant, else unknown.
        """
        words = [_WORD.findall(text)[:_MOST_WORDS] for text in texts.to_pylist()]
        likely = self._mark_likely({word for some in words for word in some})
        spans: list[list[tuple[int, int]]] = [self._list_spans(some, likely) for some in words]
        passages = {
            " ".join(some[start : start + size])
            for some, those in zip(words, spans, strict=True)
            for start, size in those
        }
        written = sorted(passages)
        place_of = {text: place for place, text in enumerate(written)}
        results = match_values(pa.array(written, TEXT), self._index, self._by, self._thresholds)
        if self._kinds:
            settle_kinds(results, self._index, self._kinds)
        # Words of a free text that an entry has among others mention it no more than any other.
        for place in np.flatnonzero(results.status == OPEN).tolist():
            if any(reason.kind == "missing words" for reason in results.reasons_of(place)):
                results.status[place] = UNKNOWN
        mentioned: list[list[int]] = []
        matched = Matched.nothing(texts)
        for text, (some, those) in enumerate(zip(words, spans, strict=True)):
            chosen = [
                Passage(start, size, place_of[" ".join(some[start : start + size])]) for start, size in those
            ]
            sure = _choose(chosen, results, SETTLED)
            mentioned.append(list(dict.fromkeys(int(results.entry[one.match]) for one in sure)))
            best = sure or _choose(chosen, results, OPEN)[:1]
            if best:
                _take(matched, text, results, best[0].match, written[best[0].match], settled=bool(sure))
        return mentioned, matched

    def _mark_likely(self, words: set[str]) -> frozenset[str]:
        """The words that may stand in an entry."""
        known = {*self._words, *self._index.vocabulary.abbreviations, *NUMBERS}
        keys = dict(
            zip(sorted(words), words_key(plain(pa.array(sorted(words), TEXT))).to_pylist(), strict=True)
        )
        parts = {word: key.split() for word, key in keys.items()}
        strange = sorted(
            {part for some in parts.values() for part in some if part not in known and len(part) > _SHORT}
        )
        if strange and self._words:
            near = match_values(pa.array(strange, TEXT), MatchIndex(self._words))
            known |= {
                word for word, status in zip(strange, near.status.tolist(), strict=True) if status != UNKNOWN
            }
        return frozenset(word for word, some in parts.items() if some and all(part in known for part in some))

    def _list_spans(self, words: Sequence[str], likely: frozenset[str]) -> list[tuple[int, int]]:
        """Runs of likely words, each with its first word and length; the longest first, then from the left."""
        spans = []
        run = 0
        for end, word in enumerate(words, 1):
            run = run + 1 if word in likely else 0
            spans += [(end - size, size) for size in range(1, min(run, self._longest) + 1)]
        return sorted(spans, key=lambda span: (-span[1], span[0]))


def _choose(passages: Sequence[Passage], matched: Matched, status: int) -> list[Passage]:
    """Passages of a status that don't overlap, longer ones first, in the order of the text."""
    taken: set[int] = set()
    chosen = []
    for one in passages:
        places = range(one.start, one.start + one.size)
        if matched.status[one.match] == status and taken.isdisjoint(places):
            chosen.append(one)
            taken.update(places)
    return sorted(chosen)


def _take(matched: Matched, text: int, match: Matched, place: int, written: str, *, settled: bool) -> None:
    """Put in what became of a passage as what became of its text."""
    matched.status[text] = SETTLED if settled else OPEN
    for name in ("entry", "score", "runner_up", "runner_up_score", "how"):
        getattr(matched, name)[text] = getattr(match, name)[place]
    matched.explained[text] = (Reason("in the text", (written,)), *match.reasons_of(place))
    ranked = match.rank_candidates(place)
    entries, scores = np.array([entry for entry, _ in ranked]), np.array([score for _, score in ranked])
    matched.rankings.append((np.full(len(ranked), text), entries, scores))
