"""How well chains suit all values of a column: what they take, what their results look like, where they differ."""

from __future__ import annotations

import math
from collections.abc import Sequence
from functools import lru_cache
from typing import NamedTuple

import numpy as np
import numpy.typing as npt

from igual.column import Mask
from igual.learning.prior import WEIGHTS, WORTH_A_THOUGHT, Weights
from igual.learning.search import Chain, CostedChain, Stop
from igual.learning.steps import RuleStep

Floats = npt.NDArray[np.float64]

# How many values are looked at to tell what results look like.
_LOOKED_AT = 100
# Chains are run on the values as long as there are no more than so many runs of a rule.
_MOST_RUNS, _MOST_TRIED = 400, 20


class Evidence(NamedTuple):
    """What speaks against a chain.

    Attributes:
        cost: Of its steps.
        rare: How rare the values are that its steps change: the sum of the logarithms of one in how many.
        rare_named: The same of steps that name a text of the example.
        missed: The share of the values that it doesn't take, 0 to 1.
        unlike: How much its results look otherwise than what is wanted, 0 to 1.
    """

    cost: float
    rare: float
    rare_named: float
    missed: float
    unlike: float

    def score(self, weights: Weights = WEIGHTS) -> float:
        """All of it together: less is better."""
        return sum(weight * amount for weight, amount in zip(weights, self, strict=True))


class ChainOutput(NamedTuple):
    """What a chain makes of the values of a column.

    Attributes:
        steps: The chain.
        score: What speaks against it, in one number.
        values: What it makes of each value, (values,); what it can't take stays as it is by then.
        is_taken: Which values all of its steps took, (values,).
        evidence: What speaks against it.
    """

    steps: Chain
    score: float
    values: tuple[str, ...]
    is_taken: Mask
    evidence: Evidence


class _Stage(NamedTuple):
    """What the beginning of a chain makes of the values."""

    values: tuple[str, ...]
    is_taken: Mask
    rare: float = 0.0
    rare_named: float = 0.0


class Weighing:
    """Runs chains on the values of a column; what chains begin with alike is run once.

    Args:
        values: Distinct texts, none of them blank, (values,).
        wanted: What is wanted of the first of them.
    """

    def __init__(self, values: Sequence[str], wanted: Sequence[str]) -> None:
        self._count = len(values)
        self._wanted = tuple(wanted)
        self._looks = list(dict.fromkeys(map(look_at, wanted)))
        self._runs = 0
        self._stages: dict[tuple[object, ...], _Stage] = {
            (): _Stage(tuple(values), np.ones(len(values), np.bool_))
        }

    def evaluate(self, chains: Sequence[CostedChain], stop: Stop | None = None) -> list[ChainOutput]:
        """Run chains on the values.

        Args:
            chains: The chains, cheapest first.
            stop: Whether to come back with what there is by now.

        Returns:
            Those that make of the examples what is wanted, best first.
        """
        outputs: list[ChainOutput] = []
        stop = stop or Stop()
        with stop.on_interrupt():
            self._evaluate_more(chains, stop, outputs)
        return sorted(outputs, key=lambda one: one.score)

    def _evaluate_more(self, chains: Sequence[CostedChain], stop: Stop, outputs: list[ChainOutput]) -> None:
        best = math.inf
        for chain in chains:
            is_enough = self._runs > _MOST_RUNS or chain.cost > best + WORTH_A_THOUGHT
            if is_enough or (outputs and stop.is_set):
                break
            stage = self._run(chain.steps)
            if stage.values[: len(self._wanted)] != self._wanted:
                continue
            evidence = self._judge(chain.cost, stage)
            one = ChainOutput(chain.steps, evidence.score(), stage.values, stage.is_taken, evidence)
            best = min(best, one.score)
            outputs.append(one)

    def find_broken(self, chains: Sequence[CostedChain]) -> int | None:
        """Find the first example that the chain doesn't explain which explains most; None where there is none."""
        fewest: list[int] | None = None
        for chain in chains[:_MOST_TRIED]:
            made = self._run(chain.steps).values
            broken = [place for place, target in enumerate(self._wanted) if made[place] != target]
            if fewest is None or len(broken) < len(fewest):
                fewest = broken
        return fewest[0] if fewest else None

    def _run(self, steps: Chain) -> _Stage:
        key = tuple(step.key for step in steps)
        if key not in self._stages:
            self._stages[key] = self._take(steps[-1], self._run(steps[:-1]))
        return self._stages[key]

    def _take(self, step: RuleStep, before: _Stage) -> _Stage:
        self._runs += 1
        made = step.run_on(before.values)
        values = tuple(old if new is None else new for old, new in zip(before.values, made, strict=True))
        taken = before.is_taken & np.array([bool((new or "").strip()) for new in made], np.bool_)
        touched = sum(old != new for old, new in zip(before.values, values, strict=True))
        rare = -math.log(max(touched, 1) / max(self._count, 1))
        if step.names_text:
            return _Stage(values, taken, before.rare, before.rare_named + rare)
        return _Stage(values, taken, before.rare + rare, before.rare_named)

    def _judge(self, cost: float, stage: _Stage) -> Evidence:
        """What the column says against a chain."""
        # Where an example shows that what isn't taken is to stay so, the others may stay as well.
        is_shown = not stage.is_taken[: len(self._wanted)].all()
        missed = 0.0 if is_shown else 1.0 - stage.is_taken.sum() / max(self._count, 1)
        taken = np.flatnonzero(stage.is_taken)[:_LOOKED_AT].tolist()
        unlike = 0.0
        if taken and self._looks:
            far = [
                min(4, min((look ^ wanted).bit_count() for wanted in self._looks))
                for look in (look_at(stage.values[place]) for place in taken)
            ]
            unlike = sum(far) / len(far) / 4
        return Evidence(cost, stage.rare, stage.rare_named, float(missed), unlike)


_MARKS = {
    mark: place
    for place, marks in enumerate((".", ",", "-", "/", "()[]", ":;", "_#@&=|+*'\""))
    for mark in marks
}


@lru_cache(maxsize=50_000)
def look_at(text: str) -> int:
    """What a text looks like, as bits: the kinds of characters that it holds, begins and ends with."""
    if not text:
        return 0
    first, last = text[0], text[-1]
    flags = (
        any(map(str.isdigit, text)), any(map(str.isupper, text)), any(map(str.islower, text)), " " in text,
        first.isupper(), first.isdigit(), last.isdigit(), last.isalpha(), not first.isalnum(), not last.isalnum(),
        text.count(" ") > 1,
    )  # fmt: skip
    bits = sum(flag << place for place, flag in enumerate(flags))
    for character in text:
        if (place := _MARKS.get(character)) is not None:
            bits |= 1 << (len(flags) + place)
    return bits


class Belief(NamedTuple):
    """Chains that come to the same on all values.

    Attributes:
        best: The simplest of them.
        share: How likely they are what is meant, 0 to 1.
    """

    best: ChainOutput
    share: float


def weigh(outputs: Sequence[ChainOutput], most: int = 40) -> list[Belief]:
    """Bring chains together that come to the same, and share belief among them.

    Args:
        outputs: Chains, best first.
        most: How many different outcomes to keep.

    Returns:
        Beliefs, most likely first; those that are worth a thought.
    """
    if not outputs:
        return []
    groups: dict[tuple[str, ...], list[ChainOutput]] = {}
    for one in outputs:
        groups.setdefault(one.values, []).append(one)
    least = outputs[0].score
    masses = [sum(math.exp(least - one.score) for one in group) for group in groups.values()]
    total = sum(masses)
    beliefs = [Belief(group[0], mass / total) for group, mass in zip(groups.values(), masses, strict=True)]
    beliefs.sort(key=lambda one: (-one.share, one.best.score))
    floor = beliefs[0].share * math.exp(-WORTH_A_THOUGHT)
    return [one for one in beliefs if one.share >= floor][:most]


def measure_doubt(beliefs: Sequence[Belief], count: int) -> Floats:
    """How much beliefs differ on each value: the chance that two of them disagree, (values,)."""
    doubt = np.zeros(count)
    if len(beliefs) < 2:
        return doubt
    total = sum(one.share for one in beliefs)
    columns = [(one.best.values, one.share / total) for one in beliefs]
    for place in range(count):
        masses: dict[str, float] = {}
        for values, share in columns:
            masses[values[place]] = masses.get(values[place], 0.0) + share
        doubt[place] = 1.0 - sum(mass * mass for mass in masses.values())
    return doubt
