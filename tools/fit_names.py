"""Fits what reading by words costs and says, and writes it to `fitted.py`.

Wants the packages of the benchmarks, whose names it fits to; whole kinds of names are held out, and reported by
`python -m benchmarks names`. What edits between letters cost is fitted before, by `fit_matching.py`.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import numpy.typing as npt
import pyarrow as pa
from benchmarks.names import FITTED_TO, Names, all_names
from benchmarks.slips import any_slip, is_held_out, misspelt, place_names, typing_slip
from scipy import optimize

from igual.column import TEXT
from igual.lists import ReferenceList
from igual.matching import fitted
from igual.matching.alignment import HOW_NAMES
from igual.matching.forms import Forms
from igual.matching.index import MatchIndex
from igual.matching.matched import UNKNOWN
from igual.matching.matcher import match_values
from igual.matching.pairs import Ints, find_run_starts
from igual.matching.wording import EVENTS

FITTED = Path("src/igual/matching/fitted.py")
Floats = npt.NDArray[np.float64]
ANY_SLIP, TYPING_SLIP = "places, any slip", "places, typing slips"
# How much a kind counts, for each of its values: large kinds shouldn't drown small ones.
WEIGHTS = {
    "American airports": 1.0, "airports, long names": 0.3, "languages": 3.0, "makers": 0.3, "German banks": 0.25,
    "American airports, backwards": 0.5, "German banks, backwards": 0.15, "regions": 0.5, "regions, backwards": 0.5,
    ANY_SLIP: 0.5, TYPING_SLIP: 0.9,
}  # fmt: skip
# Costs are drawn to these with so much force, so that events that are rare in the names keep a sensible cost.
USUAL = {
    "read": 0.5, "order": 0.6, "edited": 1.0, "stated": 0.3, "stem": 2.0, "cut": 1.2, "cut to two": 1.8,
    "cut to one": 2.2, "contracted": 2.0, "entry cut": 1.5,
    "extra small": 0.2, "extra left": 1.5, "extra rarity": 4.0, "extra first": 0.5, "extra aside": 1.0,
    "extra aside rarity": 2.0, "extra in brackets": 1.0,
    "missing small": 0.2, "missing left": 1.0, "missing rarity": 4.0, "missing first": 0.5, "missing aside": 1.0,
    "missing aside rarity": 2.0, "missing in brackets": 1.0,
    "inner initials": 1.5,
}  # fmt: skip
FORCE, EVIDENCE_FORCE = 2.0, 0.5
LEAST = 0.02
# These may cost less than nothing.
FREE = ("extra first", "extra last", "missing first", "missing last")
# The evidence of each event has a sign that it must keep, so that no slip makes a match surer.
AGREED = "agreed"
# Ways in which one word stands for another are rare in the names, and speak against a match by no more than this.
MOST_AGAINST = -2.0
# What is always so, and words that mean nothing, say nothing.
SILENT = ("read", "extra small", "missing small")


@dataclass(eq=False)
class Case:
    """Values that no look-up finds, and the entries to choose from."""

    names: Names

    def __post_init__(self) -> None:
        entries = ReferenceList(self.names.entries)
        self.index = MatchIndex(entries)
        values = pa.array(self.names.values, TEXT)
        left = match_values(values, self.index, ("exact", "folded")).status == UNKNOWN
        places = {spelling: place for place, spelling in enumerate(self.index.spellings.to_pylist())}
        self.truth = np.array([places.get(text, -1) for text in self.names.meant])[left]
        search = self.index.search
        self.asked = search.prepare(Forms.of(values.filter(pa.array(left))))
        self.value, self.entry, self.by_letters = search.find_all_by_words(self.asked)
        self.weight = WEIGHTS[self.names.kind]
        self.right = self.entry == self.truth[self.value]

    def read(self) -> None:
        """Reads every pair by its words, by what words cost by now."""
        wording = self.index.search.wording
        counts = self.asked.words.counts[self.value], wording.entries.counts[self.entry]
        events, says = wording.compare(self.asked.words, self.value, self.entry)
        self.events = events.tabulate(len(self.value))
        self.says = says & (np.maximum(*counts) > 1)

    def costs(self, weights: Floats) -> tuple[Floats, npt.NDArray[np.bool_]]:
        """What each pair costs, and whether its words cost less than its letters."""
        by_words = np.where(self.says, self.events @ weights, np.inf)
        return np.minimum(by_words, self.by_letters), by_words < self.by_letters


def fit_costs(cases: Sequence[Case]) -> Floats:
    """Costs under which the meant entry is likeliest among the candidates: a softmax."""
    usual = np.array([USUAL.get(name, 0.0) for name in EVENTS])
    weights = np.array([fitted.WORDS.get(name, 0.0) for name in EVENTS])
    bounds = [(0.0, 0.0) if name == AGREED else (None if name in FREE else LEAST, None) for name in EVENTS]
    for _ in range(4):
        parts = []
        for case in cases:
            cost, by_words = case.costs(weights)
            may = np.isfinite(cost)
            may &= np.isin(case.value, case.value[case.right & may])
            start, sizes = find_run_starts(case.value[may])
            owner = np.repeat(np.arange(len(start)), sizes)
            parts.append(
                (
                    case.events[may],
                    case.by_letters[may],
                    by_words[may],
                    case.right[may],
                    start,
                    owner,
                    case.weight,
                )
            )

        def unlikelihood(weights: Floats, parts: list = parts) -> tuple[float, Floats]:  # type: ignore[type-arg]
            total, slope = 0.5 * FORCE * float(((weights - usual) ** 2).sum()), FORCE * (weights - usual)
            for events, by_letters, by_words, right, start, owner, weight in parts:
                cost = np.where(by_words, events @ weights, by_letters)
                chance = _softmax(-cost, start, owner)
                total -= weight * float(np.log(chance[right]).sum())
                slope = slope - weight * (events[by_words].T @ (chance - right)[by_words])
            return total, slope

        weights = optimize.minimize(unlikelihood, weights, jac=True, method="L-BFGS-B", bounds=bounds).x
    return weights


def _softmax(logits: Floats, start: Ints, owner: Ints) -> Floats:
    most = np.maximum.reduceat(logits, start)
    weight = np.exp(logits - most[owner])
    chance: Floats = np.maximum(weight / np.add.reduceat(weight, start)[owner], 1e-12)
    return chance


def fit_evidence(cases: Sequence[Case], weights: Floats) -> Floats:
    """What events say about whether any candidate is meant: a logistic function, for the best of each value."""
    parts = []
    for case in cases:
        cost, by_words = case.costs(weights)
        order = np.lexsort((case.entry, cost, case.value))
        order = order[np.isfinite(cost[order])]
        start, sizes = find_run_starts(case.value[order])
        owner = np.repeat(np.arange(len(start)), sizes)
        best = order[start]
        total = np.add.reduceat(np.exp(-(cost[order] - cost[best][owner])), start)
        joint = cost[best] - np.log(total)
        some = by_words[best]
        known = np.c_[np.ones(some.sum()), -joint[some], case.events[best[some]]]
        parts.append((known, (1 / total)[some], case.right[best[some]], case.weight))

    def unlikelihood(numbers: Floats) -> tuple[float, Floats]:
        total, slope = 0.5 * EVIDENCE_FORCE * float((numbers**2).sum()), EVIDENCE_FORCE * numbers
        for known, share, right, weight in parts:
            any_meant = 1 / (1 + np.exp(-(known @ numbers)))
            chance = np.clip(share * any_meant, 1e-9, 1 - 1e-9)
            total -= weight * float(np.log(np.where(right, chance, 1 - chance)).sum())
            by_chance = np.where(right, 1 / chance, -1 / (1 - chance))
            slope = slope - weight * (known.T @ (by_chance * share * any_meant * (1 - any_meant)))
        return total, slope

    bounds: list[tuple[float | None, float | None]] = [(None, None), (0.0, None)]
    for name in EVENTS:
        least = 0.0 if name in SILENT else (MOST_AGAINST if name in HOW_NAMES else None)
        bounds.append((0.0, None) if name == AGREED else (least, 0.0))
    numbers: Floats = optimize.minimize(
        unlikelihood, np.zeros(len(EVENTS) + 2), jac=True, method="L-BFGS-B", bounds=bounds
    ).x
    return numbers


def write(weights: Floats, evidence: Floats) -> None:
    """Puts the numbers into `fitted.py`, and into the module that is loaded."""
    text = FITTED.read_text("utf-8")
    for name, numbers in (("WORDS", weights), ("EVIDENCE", evidence[2:])):
        table = getattr(fitted, name)
        table.clear()
        table.update({event: round(float(number), 2) for event, number in zip(EVENTS, numbers, strict=True)})
        for event in [event for event, number in table.items() if not number]:
            del table[event]
        lines = "".join(f'    "{event}": {number:.2f},\n' for event, number in table.items())
        text = re.sub(rf"(?ms)^{name} = {{\n.*?^}}\n", f"{name} = {{\n{lines}}}\n", text)
    for name, number in (("LISTED_BY_WORDS", evidence[0]), ("LISTED_PER_WORD_COST", evidence[1])):
        setattr(fitted, name, round(float(number), 2))
        text = re.sub(rf"(?m)^{name} = .*$", f"{name} = {number:.2f}", text)
    FITTED.write_text(text, "utf-8")


def misspelt_places() -> Iterator[Names]:
    """Places with slips of both kinds, but for those that are held out: names whose words are all there."""
    names = place_names(100_000)
    some = [name for name in names[:12_000] if not is_held_out(name)]
    for kind, slip, seed in ((ANY_SLIP, any_slip, 1), (TYPING_SLIP, typing_slip, 2)):
        chosen = some[seed - 1 :: 2]
        meant = dict(zip(misspelt(chosen, slip, seed), chosen, strict=True))
        yield Names(kind, list(meant), list(meant.values()), names)


def main() -> None:
    some = [names for names in all_names() if names.kind in FITTED_TO]
    some += misspelt_places()
    cases = [Case(names) for names in some]
    lacking = [Case(names.without(0.25)) for names in some]
    evidence = np.zeros(len(EVENTS) + 2)
    # From the same start each time: which words stand for each other depends on what they cost.
    fitted.WORDS.clear()
    fitted.WORDS.update(USUAL)
    for _ in range(4):
        for case in (*cases, *lacking):
            case.read()
        weights = fit_costs(cases)
        # As for letters, a quarter of the values mean nothing in the list.
        evidence = fit_evidence(lacking, weights)
        write(weights, evidence)


if __name__ == "__main__":
    main()
