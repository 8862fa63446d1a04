"""Matching: for each value a status, a proposal, a score, a runner-up, and why."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from functools import cached_property
from typing import Literal

import numpy as np
import numpy.typing as npt
import pyarrow as pa
import pyarrow.compute as pc

from igual.core.column import Mask
from igual.core.matching.chunks import Tell, by_chunks
from igual.core.matching.compared import Compared
from igual.core.matching.doubts import SHORT, doubts, lost_words, may_be_doubted
from igual.core.matching.index import BY_INITIALS, BY_LETTERS, How, LookUp, MatchIndex
from igual.core.matching.reasons import reasons
from igual.core.matching.scoring import Floats
from igual.core.matching.texts import Ints
from igual.core.matching.thresholds import USUAL, Thresholds
from igual.core.matching.wording import MOST_WORDS

By = Literal["exact", "folded", "fuzzy"]
Status = Literal["settled", "open", "unknown"]
WAYS: tuple[By, ...] = ("exact", "folded", "fuzzy")
SETTLED, OPEN, UNKNOWN = range(3)
STATUSES: tuple[Status, ...] = ("settled", "open", "unknown")
# How many entries are proposed for a value, the best among them.
RANKS = 5
# A score as it is shown, and compared with the thresholds: the same on every machine.
_DECIMALS = 4
_LEAST = 0.001


@dataclass(eq=False)
class Matched:
    """What became of distinct values, (values,) each.

    values: the values. status: SETTLED, OPEN or UNKNOWN. entry: the place of the entry proposed, -1 for none.
    score: its score. runner_up, runner_up_score: the same of the next. how: the way that found it, a `How`.
    said: what is to be said of single values. rankings: of values with several candidates all of these, in parts:
    places of values, entries and scores, by value and most likely first.
    """

    values: pa.Array
    status: npt.NDArray[np.int8]
    entry: Ints
    score: Floats
    runner_up: Ints
    runner_up_score: Floats
    how: npt.NDArray[np.int8]
    said: dict[int, str] = field(default_factory=dict)
    rankings: list[tuple[Ints, Ints, Floats]] = field(default_factory=list)

    @classmethod
    def none_yet(cls, values: pa.Array) -> Matched:
        size = len(values)
        status, how = np.full(size, UNKNOWN, np.int8), np.full(size, How.NONE, np.int8)
        return cls(values, status, np.full(size, -1), np.zeros(size), np.full(size, -1), np.zeros(size), how)

    @property
    def why(self) -> list[str]:
        return [self.said.get(place) or _WHY[how] for place, how in enumerate(self.how.tolist())]

    @cached_property
    def _rankings(self) -> tuple[Ints, Ints, Floats]:
        parts = self.rankings or [(np.zeros(0, np.int64), np.zeros(0, np.int64), np.zeros(0))]
        value, entry, score = (np.concatenate(column) for column in zip(*parts, strict=True))
        order = np.argsort(value, kind="stable")
        return value[order], entry[order], score[order]

    def ranked(self, place: int) -> list[tuple[int, float]]:
        """A value's candidates, most likely first and up to RANKS of them: entries and scores."""
        if self.entry[place] < 0:
            return []
        values, entries, scores = self._rankings
        start, end = np.searchsorted(values, [place, place + 1]).tolist()
        end = min(end, start + RANKS)
        several = list(zip(entries[start:end].tolist(), scores[start:end].tolist(), strict=True))
        return several or [(int(self.entry[place]), float(self.score[place]))]

    def taken_over(self, places: Ints, part: Matched) -> None:
        """Put what became of some of the values."""
        for name in ("status", "entry", "score", "runner_up", "runner_up_score", "how"):
            getattr(self, name)[places] = getattr(part, name)
        said = places[np.fromiter(part.said, np.int64, len(part.said))]
        self.said.update(zip(said.tolist(), part.said.values(), strict=True))
        self.rankings += [(places[value], entry, score) for value, entry, score in part.rankings]


_WHY = {
    How.NONE: "no entry comes near",
    How.EXACT: "the same",
    How.FOLDED: "only case, accents, spaces or punctuation differ",
    How.ALIAS: "an alias",
    How.ALIAS_FOLDED: "an alias, but for case, accents, spaces or punctuation",
    How.TWO_LETTERS: "an accented letter written as two",
    How.RULING: "a ruling",
}
_SCORES = {
    How.EXACT: 1.0,
    How.FOLDED: 0.999,
    How.ALIAS: 0.999,
    How.ALIAS_FOLDED: 0.998,
    How.TWO_LETTERS: 0.98,
}


def matched(
    values: pa.Array,
    index: MatchIndex,
    by: Sequence[By] = WAYS,
    thresholds: Thresholds | None = None,
    tell: Tell | None = None,
) -> Matched:
    """Match distinct values that aren't blank, (values,), in the ways of `by`; `tell` hears of progress."""
    thresholds = thresholds or USUAL
    found = Matched.none_yet(values)
    left = np.ones(len(values), np.bool_)
    for step in index.look_ups(by):
        if left.any():
            _looked_up(found, index, step, left, thresholds.case_sensitive)
    if "fuzzy" in by and left.any():

        def one(chunk: Ints) -> Matched:
            return liken(values.take(pa.array(chunk)), index, thresholds)

        index.make_ready()
        lengths = pc.utf8_length(values).to_numpy(zero_copy_only=False).astype(np.int64)
        for chunk, likened in by_chunks(np.flatnonzero(left), lengths[left], one, tell):
            found.taken_over(chunk, likened)
    return found


def _looked_up(found: Matched, index: MatchIndex, step: LookUp, left: Mask, case_sensitive: bool) -> None:
    """Settle what a look-up finds, and leave open what it finds twice; both are no longer `left`."""
    places = np.flatnonzero(left)
    keys = step.key(found.values if left.all() else found.values.take(pa.array(places)))
    entry = step.spellings.look_up(keys)
    hit = entry >= 0
    taken = places[hit]
    found.status[taken], found.how[taken], found.score[taken] = SETTLED, step.how, _SCORES[step.how]
    found.entry[taken] = entry[hit]
    left[taken] = False
    if case_sensitive and step.how not in (How.EXACT, How.ALIAS):
        texts = found.values.take(pa.array(taken)).to_pylist()
        for place, text in zip(taken.tolist(), texts, strict=True):
            if _cases_differ(text, index.names[found.entry[place]]):
                found.status[place] = OPEN
                found.said[place] = f"{_WHY[step.how]}; but this list tells cases apart"
    if step.spellings.contested:
        rivalled = step.spellings.is_contested(keys)
        for place, key in zip(
            places[rivalled].tolist(), keys.filter(pa.array(rivalled)).to_pylist(), strict=True
        ):
            entries = sorted(step.spellings.contested[key], key=index.names.__getitem__)
            score = round(1 / len(entries), _DECIMALS)
            found.rankings.append(
                (np.full(len(entries), place), np.array(entries), np.full(len(entries), score))
            )
            found.entry[place], found.runner_up[place] = entries[:2]
            found.score[place] = found.runner_up_score[place] = score
            found.how[place], found.status[place], left[place] = step.how, OPEN, False
            names = " and ".join(index.names[rival] for rival in entries[:3])
            found.said[place] = f"{len(entries)} entries are spelled so, case and marks aside: {names}"


def liken(values: pa.Array, index: MatchIndex, thresholds: Thresholds) -> Matched:
    """Match values by likeness alone."""
    found = Matched.none_yet(values)
    compared = Compared.of(values)
    asked = index.asked(compared)
    near, likely, any_meant = index.candidates(asked)
    # An entry is as likely as its spellings together; its likeliest spelling says why.
    order = np.lexsort((near.spelling, -likely, near.value))
    value, spelling, chance = near.value[order], near.spelling[order], likely[order]
    pair, first, back = np.unique(
        value << 32 | index.owners[spelling], return_index=True, return_inverse=True
    )
    joint = np.minimum(np.bincount(back, chance, len(pair)), 1).astype(np.float64).round(_DECIMALS)
    entry, owner = pair & 0xFFFFFFFF, pair >> 32
    ranking = np.lexsort((index.ranks[entry], -joint, owner))
    ranking = ranking[joint[ranking] >= _LEAST]
    ranked = owner[ranking]
    first_of_value = np.concatenate([[True], ranked[1:] != ranked[:-1]])[: len(ranking)]
    starts = np.flatnonzero(first_of_value)
    sizes = np.diff(np.concatenate([starts, [len(ranking)]]))
    places = ranked[starts]
    found.entry[places], found.score[places] = entry[ranking[starts]], joint[ranking[starts]]
    seconds = starts[sizes > 1] + 1
    found.runner_up[ranked[seconds]], found.runner_up_score[ranked[seconds]] = (
        entry[ranking[seconds]],
        joint[ranking[seconds]],
    )
    found.rankings.append((ranked, entry[ranking], joint[ranking]))
    best = ranking[starts]
    chosen = spelling[first[best]]
    reading = near.reading[order][first[best]]
    worth = any_meant[places] >= thresholds.ask
    said = values.to_pylist()
    why = reasons(index, asked, said, places, chosen, reading)
    score, runner_up = found.score[places], found.runner_up_score[places]
    ahead = ((score - runner_up) / any_meant[places]).round(_DECIMALS) >= thresholds.margin
    sure = (score >= thresholds.settle) & ahead
    rivalled = np.where(2 * runner_up >= score, "another entry is as near", "another entry comes near")
    against = _against(index, compared, said, places, chosen, reading, worth, thresholds.case_sensitive)
    found.how[places] = How.FUZZY
    for number in np.flatnonzero(~sure | ~worth).tolist():
        if not worth[number]:
            why[number] = f"no entry comes near enough; the nearest: {why[number]}"
        elif number not in against:
            why[number] = f"{why[number]}; {'not sure enough' if ahead[number] else rivalled[number]}"
    for number, texts in against.items():
        why[number] = f"{why[number]}; but {', '.join(texts)}"
    found.said = dict(zip(places.tolist(), why, strict=True))
    doubted = np.zeros(len(places), np.bool_)
    doubted[list(against)] = True
    found.status[places] = np.where(worth, np.where(sure & ~doubted, SETTLED, OPEN), UNKNOWN)
    return found


def _against(
    index: MatchIndex,
    values: Compared,
    said: Sequence[str],
    places: Ints,
    chosen: Ints,
    reading: npt.NDArray[np.int8],
    worth: Mask,
    case_sensitive: bool,
) -> dict[int, list[str]]:
    """What speaks against settling matches that are worth asking about, by their number."""
    found: dict[int, list[str]] = {}
    entries = index.compared
    short = np.minimum(values.letters.lengths[places], entries.letters.lengths[chosen]) <= SHORT
    short &= reading == BY_LETTERS
    same = pc.equal(values.spelled.take(pa.array(places)), entries.spelled.take(pa.array(chosen)))
    same_letters = same.to_numpy(zero_copy_only=False)
    mine, theirs = values.worded.take(pa.array(places)), entries.worded.take(pa.array(chosen))
    looked_at = may_be_doubted(mine, theirs, index.vocabulary)
    spaces = [pc.count_substring(words, " ").to_numpy(zero_copy_only=False) for words in (mine, theirs)]
    long = values.begun[places] | entries.begun[chosen] | (np.maximum(*spaces) >= MOST_WORDS)
    asked = looked_at | short | long | case_sensitive | (reading == BY_INITIALS)
    places_asked = np.flatnonzero(worth & asked)
    texts_asked = [words.take(pa.array(places_asked)).to_pylist() for words in (mine, theirs)]
    for number, value, entry in zip(places_asked.tolist(), *texts_asked, strict=True):
        if long[number]:
            found[number] = ["the text is too long to compare whole"]
            continue
        if same_letters[number] and not case_sensitive:
            continue
        texts: list[str] = []
        if looked_at[number]:
            words = value.split(), entry.split()
            texts += doubts(*words, index.vocabulary)
            if not texts and (lost := lost_words(*words, index.vocabulary)):
                texts.append(f"{' and '.join(f'‘{word}’' for word in lost)} may matter")
        if short[number] and not same_letters[number] and not texts:
            texts.append("the text is very short")
        if reading[number] == BY_INITIALS:
            texts.append("initials may stand for something else")
        if case_sensitive and _cases_differ(said[places[number]], index.spelled(int(chosen[number]))):
            texts.append("this list tells cases apart")
        if texts:
            found[number] = texts
    return found


def _letters_of(text: str) -> str:
    return "".join(character for character in text if character.isalpha())


def _cases_differ(value: str, entry: str) -> bool:
    """Whether two texts are spelled in different cases, as far as their letters tell."""
    mine, theirs = _letters_of(value), _letters_of(entry)
    return mine != theirs and (mine.casefold() == theirs.casefold() or mine.isupper() != theirs.isupper())
