"""Fits the numbers that scores rest on, and writes them to `fitted.py` and the figure of how reliable they are.

Wants `../shared/data` (misspellings and the words that were meant) and the packages of the benchmarks; says so
when they are absent. A part of every set is held out: what is reported was not fitted to.
`--report` only reports, and draws the figure.
"""

from __future__ import annotations

import csv
import re
import sys
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import numpy.typing as npt
import pyarrow as pa
from benchmarks.measure import reliability as print_reliability
from benchmarks.slips import any_slip, is_held_out, misspelt, place_names, typing_slip
from scipy import optimize

from igual.column import TEXT
from igual.lists import ReferenceList
from igual.matching import fitted
from igual.matching.edit_kinds import EDIT_KINDS
from igual.matching.edits import Edits
from igual.matching.forms import Forms
from igual.matching.index import MatchIndex
from igual.matching.letter_model import LetterModel
from igual.matching.pairs import Ints
from igual.matching.scoring import BY_LETTERS, Candidates, ScoreParameters, chances, weigh_letters

DATA = Path("../shared/data")
FITTED = Path("src/igual/matching/fitted.py")
FIGURE = Path("docs/screenshots/reliability.png")
Floats = npt.NDArray[np.float64]
BESIDE = ("SOUNDS", "CONSONANTS", "SURFACE")
# How much a set counts, for each of its values.
WEIGHTS = {"misspelt words": 1.0, "places, any slip": 0.2, "places, typing slips": 0.5}
NEAREST = 30
# Lists of so many entries are fitted to as well as the whole ones.
SHORT_LISTS = (30, 300, 3_000)
# Costs are drawn to these, so that kinds that are rare in the sets keep a sensible cost.
USUAL = {
    "extra last s": 3.0,
    "missing last s": 3.0,
    "extra doubled": 2.0,
    "missing doubled": 2.0,
    "first": 1.0,
    "last": 1.0,
    "swapped": 2.8,
    "moved": 4.5,
    "exchanged": 4.5,
}


@dataclass(eq=False)
class Case:
    """Values, what they mean, and the entries to choose from."""

    name: str
    values: Sequence[str]
    meant: Sequence[str]
    entries: Sequence[str]

    def __post_init__(self) -> None:
        self.index = MatchIndex(ReferenceList(self.entries))
        places = {spelling: place for place, spelling in enumerate(self.index.spellings.to_pylist())}
        self.truth = np.array([places.get(text, -1) for text in self.meant])
        self.held_out = np.array([is_held_out(text) for text in self.meant])
        self.asked = self.index.search.prepare(Forms.of(pa.array(self.values, TEXT)))


def cases() -> list[Case]:
    with (DATA / "typos-dev.csv").open(encoding="utf-8") as file:
        rows = list(csv.DictReader(file))
    words = (DATA / "words.txt").read_text("utf-8").split()
    names = place_names(100_000)
    some = [names[place] for place in np.random.default_rng(2).choice(len(names), 8000, replace=False)]
    return [
        Case("misspelt words", [row["raw"] for row in rows], [row["true"] for row in rows], words),
        Case("places, any slip", misspelt(some[:4000], any_slip, 1), some[:4000], names),
        Case("places, typing slips", misspelt(some[4000:], typing_slip, 2), some[4000:], names),
    ]


def chosen(case: Case) -> tuple[Candidates, Floats]:
    """The nearest candidates of every value, by the costs there are, and what is added beside the edits."""
    found = case.index.search.find_all_by_letters(case.asked, NEAREST)
    return found, case.index.search.distances_beside_edits(case.asked, found)


def counted(case: Case, found: Candidates, beside: Floats, costs: Mapping[str, float]) -> Floats:
    """What each candidate's cost is the weighted sum of: edits of each kind, sounds, consonants, dress."""
    edits = Edits(costs)
    values, entries = edits.values(case.asked.forms.letters), edits.entries(case.index.search.forms.letters)
    features: Floats = np.c_[edits.counts(values, entries, found.value, found.spelling), beside].astype(
        np.float64
    )
    return features


def fit_costs(sets: Sequence[Case]) -> dict[str, float]:
    """Costs under which what was meant is likeliest among the candidates: a softmax, and edits chosen anew."""
    names = (*EDIT_KINDS, *BESIDE)
    usual = np.array([USUAL.get(name, 0.5 if name in BESIDE else 4.0) for name in names])
    costs = usual.copy()
    prepared = [chosen(case) for case in sets]
    for _ in range(5):
        parts = []
        for case, (found, beside) in zip(sets, prepared, strict=True):
            features = counted(case, found, beside, dict(zip(names, costs, strict=True)))
            right = found.spelling == case.truth[found.value]
            has = np.isin(found.value, found.value[right]) & ~case.held_out[found.value]
            value = found.value[has]
            start = np.flatnonzero(np.concatenate([[True], value[1:] != value[:-1]]))
            owner = np.repeat(np.arange(len(start)), np.diff(np.concatenate([start, [len(value)]])))
            parts.append((features[has], right[has], start, owner, WEIGHTS[case.name]))

        def unlikelihood(costs: Floats, parts: list = parts) -> tuple[float, Floats]:  # type: ignore[type-arg]
            total, slope = 0.5 * float(((costs - usual) ** 2).sum()), costs - usual
            for features, right, start, owner, weight in parts:
                chance = softmax(-(features @ costs), start, owner)
                total -= weight * float(np.log(chance[right]).sum())
                slope = slope - weight * (features.T @ (chance - right))
            return total, slope

        bounds = [(0.05, None)] * len(names)
        costs = optimize.minimize(unlikelihood, costs, jac=True, method="L-BFGS-B", bounds=bounds).x
    return {name: round(float(cost), 2) for name, cost in zip(names, costs, strict=True)}


def softmax(logits: Floats, start: Ints, owner: Ints) -> Floats:
    most = np.maximum.reduceat(logits, start)
    weight = np.exp(logits - most[owner])
    chance: Floats = np.maximum(weight / np.add.reduceat(weight, start)[owner], 1e-300)
    return chance


def with_some_unlisted(case: Case) -> Case:
    """The same, with a quarter of the values meaning no entry: what they meant is gone, or they are such entries."""
    meant = sorted(set(case.meant))
    random = np.random.default_rng(11)
    gone = {meant[place] for place in random.choice(len(meant), len(meant) // 8, replace=False)}
    wanted = set(meant)
    spare = [text for text in case.entries if text not in wanted]
    others = [spare[place] for place in random.choice(len(spare), len(case.values) // 6, replace=False)]
    gone |= set(others)
    left = [text for text in case.entries if text not in gone]
    return Case(case.name, [*case.values, *others], [*case.meant, *others], left)


def shortened(case: Case, entries: int, values: int = 2_000) -> Case:
    """The same values, and others like them that mean nothing, with a list of no more than so many entries."""
    random = np.random.default_rng(entries)
    meant = sorted(set(case.meant))
    listed = {
        meant[place] for place in random.choice(len(meant), min(entries, len(meant) // 2), replace=False)
    }
    some = [(value, name) for value, name in zip(case.values, case.meant, strict=True) if name in listed]
    strange = [
        (value, name) for value, name in zip(case.values, case.meant, strict=True) if name not in listed
    ]
    again = sorted(listed) * (values // max(len(listed), 1) + 1)
    slip = any_slip if "any" in case.name else typing_slip
    some += list(zip(misspelt(again, slip, entries), again, strict=True))
    some = list(dict(some[:values]).items())
    unlisted = [strange[place] for place in random.choice(len(strange), len(some) // 4)]
    unlisted += [(name, name) for _, name in unlisted]
    both = dict([*some, *unlisted])
    spare = sorted(set(case.entries) - set(meant))
    more = max(entries - len(listed), 0)
    listed |= {spare[place] for place in random.choice(len(spare), min(more, len(spare)), replace=False)}
    return Case(case.name, list(both), list(both.values()), sorted(listed))


def fit_score(sets: Sequence[Case]) -> dict[str, float]:
    """The numbers that turn costs into probabilities, on values of which some mean no entry."""
    parts = []
    for case in sets:
        oddness = LetterModel(case.index.search.forms.letters).oddness(case.asked.forms.letters)
        found = case.index.search.find(case.asked)[0]
        endings = case.index.search.count_endings(case.asked, found)
        search, asked = case.index.search, case.asked
        letters = search.wording.count_distinguishing_letters(asked.words, asked.forms.letters.lengths)
        parts.append((case, found, ~case.held_out, oddness, endings, letters))

    def unlikelihood(numbers: Floats) -> float:
        total = 0.0
        for case, found, use, odd, endings, letters in parts:
            by = ScoreParameters._make([*numbers, fitted.LISTED_PER_WORD_COST])
            evidence = weigh_letters(letters, odd, np.full(len(odd), case.index.search.crowding), by)[
                found.value
            ]
            evidence = evidence + by.listed_per_ending * endings
            evidence = np.where(found.reading == BY_LETTERS, evidence, found.evidence)
            likely, any_meant = chances(found._replace(evidence=evidence), len(use), by)
            right = found.spelling == case.truth[found.value]
            known = np.bincount(found.value[right], likely[right], len(use))
            has = np.bincount(found.value[right], minlength=len(use)) > 0
            chance = np.where(has, known, np.where(case.truth < 0, 1 - any_meant, 1))
            total -= float(np.log(np.maximum(chance[use], 1e-9)).mean())
        return total

    best = optimize.minimize(
        unlikelihood, np.array(ScoreParameters()[:-1]), method="Nelder-Mead", options={"maxiter": 800}
    ).x
    return {
        name.upper(): round(float(number), 2)
        for name, number in zip(ScoreParameters._fields, best, strict=False)
    }


def report(sets: Sequence[Case], held_out: bool) -> list[tuple[float, bool]]:
    """Prints how often the first and the first three are right, and gives each best score and whether it is right."""
    scores = []
    for case in sets:
        found, chance, _ = case.index.search.find(case.asked)
        order = np.lexsort((found.spelling, -chance, found.value))
        value = found.value[order]
        start = np.flatnonzero(np.concatenate([[True], value[1:] != value[:-1]]))
        rank = np.arange(len(value)) - np.repeat(start, np.diff(np.concatenate([start, [len(value)]])))
        right = found.spelling[order] == case.truth[value]
        best = np.full(len(case.values), 99)
        np.minimum.at(best, value[right], rank[right])
        some = (case.held_out == held_out) & (case.truth >= 0)
        print(
            f"  {case.name}: first {(best < 1)[some].mean():.4f}, first three {(best < 3)[some].mean():.4f}"
        )
        use = (case.held_out == held_out)[value] & (rank == 0)
        scores += list(zip(chance[order][use].tolist(), right[use].tolist(), strict=True))
    return scores


def reliability(scores: Sequence[tuple[float, bool]]) -> None:
    """Prints how often scores of a kind are right, and draws it."""
    print_reliability("all sets", scores)
    score, right = (np.array(part) for part in zip(*scores, strict=True))
    drawn(score, right)
    for bar in (0.8, 0.9, 0.95, 0.98):
        print(f"  from {bar}: {(score >= bar).mean():.3f} of values, right {right[score >= bar].mean():.4f}")


def drawn(score: Floats, right: Floats) -> None:
    import matplotlib

    matplotlib.use("Agg")
    from matplotlib import pyplot

    figure, (curve, many) = pyplot.subplots(
        2, 1, figsize=(8, 7), height_ratios=(4, 1), sharex=True, layout="constrained"
    )
    middles, shares, sizes = [], [], []
    for low in np.arange(0, 1, 0.1):
        some = (score >= low) & (score < low + 0.1 + (low > 0.85))
        middles.append(score[some].mean())
        shares.append(right[some].mean())
        sizes.append(int(some.sum()))
    curve.plot([0, 1], [0, 1], color="#b0b7c3", linestyle="--", label="as it should be")
    curve.plot(middles, shares, color="#1f6f8b", marker="o", label="held-out values")
    curve.set(ylabel="share that is right", ylim=(0, 1), title="What a score means")
    curve.legend(frameon=False)
    many.bar(middles, sizes, width=0.08, color="#1f6f8b")
    many.set(xlabel="score", ylabel="values", xlim=(0, 1))
    figure.savefig(FIGURE, dpi=110, metadata={"Software": None})


def written(numbers: Mapping[str, float]) -> None:
    """Puts the numbers into `fitted.py`, and into the module that is loaded."""
    text = FITTED.read_text("utf-8")
    for name, number in numbers.items():
        if name in fitted.EDITS:
            fitted.EDITS[name] = number
            text = re.sub(rf'("{re.escape(name)}": )[\d.]+', rf"\g<1>{number:.2f}", text)
        else:
            setattr(fitted, name, number)
            text = re.sub(rf"(?m)^{name} = .*$", f"{name} = {number:.2f}", text)
    FITTED.write_text(text, "utf-8")


def all_cases() -> list[Case]:
    """Long lists and short ones, each with values that mean nothing in it."""
    whole = cases()
    short = [shortened(case, entries) for case in whole for entries in SHORT_LISTS]
    return [*(with_some_unlisted(case) for case in whole), *short]


def main() -> None:
    if not (DATA / "typos-dev.csv").exists():
        sys.exit(f"{DATA} isn't there: nothing to fit to")
    if "--report" not in sys.argv:
        written(fit_costs(cases()))
        written(fit_score(all_cases()))
    sets = cases()
    for held_out in (False, True):
        print("held out" if held_out else "fitted to")
        report(sets, held_out)
    print("with a quarter unlisted, held out")
    reliability(report([with_some_unlisted(case) for case in sets], True))


if __name__ == "__main__":
    main()
