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
from igual.matching.vocabulary import FILLERS, NUMBERS
from igual.matching.words import MOST_WORDS
from igual.text.mentions import FOUND_MARK

# A word with the hyphens and apostrophes inside it, as for exact mentions.
_WORD = re.compile(r"[^\W_]+(?:['’\-‐&.][^\W_]+)*")
# Between words of one passage stands none of these.
_BREAK = re.compile(rf"[;|/\t\r\n{FOUND_MARK}]")
# By how many words a passage may be longer than the longest entry, and how many it has at most: longer ones are
# compared by their beginnings anyway.
_LONGER, _MAX_WORDS = 1, MOST_WORDS
_SHORT = 3


class _Word(NamedTuple):
    """A word of a text, and where it begins and ends."""

    text: str
    start: int
    stop: int


class Passage(NamedTuple):
    """Words of a text that mean an entry, or may.

    Attributes:
        words: The words, in order.
        text: The words, with one space between them.
    """

    words: Sequence[_Word]
    text: str


class PassagesFound(NamedTuple):
    """What was found in texts by likeness.

    Attributes:
        mentioned: For each text the entries that are sure, in order.
        matched: What became of each text: open where an entry may be meant, else settled where one is sure, or unknown.
        rest: The texts with a mark in the place of each passage that is sure, (texts,).
    """

    mentioned: list[list[int]]
    matched: Matched
    rest: list[str]


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
        longest = max((key.count(" ") + 1 for key in keys), default=1)
        self._longest = min(longest + _LONGER, _MAX_WORDS)

    def with_kinds(self, kinds: Mapping[Cause, Reason]) -> Passages:
        """Give the same with the kinds of differences that were ruled not to matter; the index is shared."""
        ruled = copy(self)
        ruled._kinds = kinds
        return ruled

    def find(self, texts: pa.Array) -> PassagesFound:
        """Find the entries that texts mention.

        Args:
            texts: The texts, (texts,).

        Returns:
            What was found.
        """
        written = texts.to_pylist()
        words = [_split_words(text) for text in written]
        likely = self._mark_likely({word.text for runs in words for run in runs for word in run})
        passages = [
            [passage for run in runs for passage in self._list_passages(run, likely)] for runs in words
        ]
        spelled = sorted({passage.text for some in passages for passage in some})
        place_of = {text: place for place, text in enumerate(spelled)}
        results = match_values(pa.array(spelled, TEXT), self._index, self._by, self._thresholds)
        if self._kinds:
            settle_kinds(results, self._index, self._kinds)
        # Words of a free text that an entry has among others mention it no more than any other.
        for place in np.flatnonzero(results.status == OPEN).tolist():
            if any(reason.kind == "missing words" for reason in results.reasons_of(place)):
                results.status[place] = UNKNOWN
        found = PassagesFound([], Matched.nothing(texts), [])
        for text, some in enumerate(passages):
            sure, unsure = _choose(some, results, place_of)
            entries = [int(results.entry[place_of[passage.text]]) for passage in sure]
            found.mentioned.append(list(dict.fromkeys(entries)))
            found.rest.append(_put_marks(written[text], sure))
            if best := (unsure or sure)[:1]:
                place = place_of[best[0].text]
                _take(found.matched, text, results, place, spelled[place], settled=not unsure)
        return found

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

    def _list_passages(self, words: Sequence[_Word], likely: frozenset[str]) -> list[Passage]:
        """Runs of likely words; none of nothing but fillers."""
        passages = []
        run = 0
        for end, word in enumerate(words, 1):
            run = run + 1 if word.text in likely else 0
            for size in range(1, min(run, self._longest) + 1):
                chosen = words[end - size : end]
                if not all(one.text.lower() in FILLERS for one in chosen):
                    passages.append(Passage(chosen, " ".join(one.text for one in chosen)))
        return passages


def _split_words(text: str) -> list[list[_Word]]:
    """The words of a text, with those apart between which a passage can't go on."""
    runs: list[list[_Word]] = []
    reach = 0
    for found in _WORD.finditer(text):
        if not runs or _BREAK.search(text, reach, found.start()):
            runs.append([])
        runs[-1].append(_Word(found[0], found.start(), found.end()))
        reach = found.end()
    return runs


def _choose(
    passages: Sequence[Passage], matched: Matched, place_of: Mapping[str, int]
) -> tuple[list[Passage], list[Passage]]:
    """Passages that don't overlap: the settled ones, then the open ones beside them, each in the order of the text."""
    by_size = sorted(passages, key=lambda passage: (-len(passage.words), passage.words[0].start))
    taken: set[int] = set()
    chosen: tuple[list[Passage], list[Passage]] = ([], [])
    for status, of_status in zip((SETTLED, OPEN), chosen, strict=True):
        for passage in by_size:
            starts = {word.start for word in passage.words}
            if matched.status[place_of[passage.text]] == status and taken.isdisjoint(starts):
                of_status.append(passage)
                taken |= starts
        of_status.sort(key=lambda passage: passage.words[0].start)
    return chosen


def _put_marks(text: str, passages: Sequence[Passage]) -> str:
    for passage in reversed(passages):
        text = text[: passage.words[0].start] + FOUND_MARK + text[passage.words[-1].stop :]
    return text


def _take(matched: Matched, text: int, match: Matched, place: int, written: str, *, settled: bool) -> None:
    """Put in what became of a passage as what became of its text."""
    matched.status[text] = SETTLED if settled else OPEN
    for name in ("entry", "score", "runner_up", "runner_up_score", "how"):
        getattr(matched, name)[text] = getattr(match, name)[place]
    matched.explained[text] = (Reason("in the text", (written,)), *match.reasons_of(place))
    ranked = match.rank_candidates(place)
    entries, scores = np.array([entry for entry, _ in ranked]), np.array([score for _, score in ranked])
    matched.rankings.append((np.full(len(ranked), text), entries, scores))
