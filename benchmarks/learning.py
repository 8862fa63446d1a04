"""Tasks for `learn`: how many are solved with so many examples, each the one that `.ask` names."""

from __future__ import annotations

import os
import sys
from collections import Counter
from collections.abc import Sequence
from typing import Any, NamedTuple, cast

import numpy as np
import pyarrow as pa
from scipy.optimize import minimize

from benchmarks.learn_tasks import found, fresh
from benchmarks.learn_tasks.made import Task, held_out, tuned
from benchmarks.learn_tasks.solving import solve
from igual.learning.inference import infer
from igual.learning.prior import STEP, WEIGHTS, Weights
from igual.learning.search import find_chains
from igual.learning.weighing import ChainOutput, Weighing


def measure(name: str, tasks: Sequence[Task], verbose: bool = False) -> None:
    """Print the shares that are solved, and the times."""
    seconds: list[float] = []
    counts: Counter[int | None] = Counter()
    sure = 0
    for task in tasks:
        solved = solve(task)
        counts[solved.examples] += 1
        sure += solved.was_sure
        seconds += solved.seconds
        if verbose and (solved.examples != 1 or solved.was_sure):
            shown = f"{task.kind}: {task.raws[0]!r} → {task.wanted[0]!r}"
            print(
                f"{solved.examples!s:5} {'SURE' if solved.was_sure else '    '} {max(solved.seconds):.2f} {shown}"
            )
    shares = np.cumsum([counts[number] / len(tasks) for number in (1, 2, 3)]).round(3)
    wrong = sure / len(tasks)
    print(
        f"{name}: {len(tasks)} tasks, solved within 1, 2, 3 examples: {shares}; wrong and sure: {wrong:.3f}"
    )
    p50, p95 = np.percentile(seconds, [50, 95])
    print(f"  seconds a call: median {p50:.2f}, 95th percentile {p95:.2f}, longest {max(seconds):.2f}")


def tasks() -> None:
    """All tasks; columns of 1,500 rows by IGUAL_LEARN_ROWS=1500."""
    sets = {"tuned": tuned(), "held out": held_out(), "found": found.TASKS, "fresh": fresh.TASKS}
    for name, some in sets.items():
        if not sys.argv[1:] or name in sys.argv[1:] or sys.argv[1:] == ["-v"]:
            measure(name, some, "-v" in sys.argv)


# How strongly the numbers are pulled towards those that are there: the evidence's by their logarithm, and what steps
# cost. Sharper ones are surer than right.
_PULL, _PULLS_OF_STEPS, _PARTS = 0.4, (0.01, 0.02, 0.05), 6


class _Cost(float):
    """What a step costs, that knows by which number of `STEP`."""

    kind: str

    @classmethod
    def of(cls, kind: str, cost: float) -> _Cost:
        """A cost of a kind of steps."""
        made = cls(cost)
        made.kind = kind
        return made

    def __add__(self, other: float) -> _Cost:
        return _Cost.of(self.kind, float(self) + other)

    __radd__ = __add__

    def __sub__(self, other: float) -> _Cost:
        return self + -other


class _Case(NamedTuple):
    """The chains that explain the first example of a task.

    Attributes:
        evidence: Against each, (chains, kinds of evidence).
        kinds: How often each kind of step is in a chain, (chains, kinds of steps).
        is_right: Which chains are right on every row, (chains,).
    """

    evidence: np.ndarray[Any, Any]
    kinds: np.ndarray[Any, Any]
    is_right: np.ndarray[Any, Any]


def _miss(cases: Sequence[_Case], numbers: np.ndarray[Any, Any]) -> float:
    """How unlikely what is meant is on average, as the logarithm."""
    count = len(WEIGHTS)
    weights, costs = np.exp(numbers[:count]) * np.array(WEIGHTS), numbers[count:]
    total = 0.0
    for case in cases:
        scores = case.evidence @ weights + weights[0] * (case.kinds @ costs)
        chances = np.exp(scores.min() - scores)
        total -= np.log(chances[case.is_right].sum() / chances.sum())
    return float(total / len(cases))


def _fit(cases: Sequence[_Case], pull: float) -> np.ndarray[Any, Any]:
    count = len(WEIGHTS)

    def miss(numbers: np.ndarray[Any, Any]) -> float:
        pulls = _PULL * np.sum(numbers[:count] ** 2) + pull * np.sum(numbers[count:] ** 2)
        return _miss(cases, numbers) + float(pulls)

    found: np.ndarray[Any, Any] = minimize(miss, np.zeros(count + len(STEP)), method="L-BFGS-B").x
    return found


def fit() -> None:
    """Fit what steps cost, and evidence counts, to tasks: the chance of what is meant from one example.

    How far the numbers may go from those that are there is chosen by what is best for tasks left out of the fit.
    """
    STEP.update({kind: _Cost.of(kind, cost) for kind, cost in STEP.items()})
    some = [*tuned(), *found.TASKS]
    cases = [case for task in some if (case := _weigh_first(task)) is not None]
    print(f"{len(cases)} tasks: {_miss(cases, np.zeros(len(WEIGHTS) + len(STEP))):.4f} before")
    left_out = {}
    for pull in _PULLS_OF_STEPS:
        misses = []
        for part in range(_PARTS):
            others = [case for place, case in enumerate(cases) if place % _PARTS != part]
            misses.append(_miss(cases[part::_PARTS], _fit(others, pull)))
        left_out[pull] = float(np.mean(misses))
        print(f"pull {pull}: {left_out[pull]:.4f} for tasks left out")
    numbers = _fit(cases, min(left_out, key=lambda pull: left_out[pull]))
    print(f"{_miss(cases, numbers):.4f} after")
    count = len(WEIGHTS)
    print(Weights(*(np.exp(numbers[:count]) * np.array(WEIGHTS)).round(2).tolist()))
    print(
        {
            kind: round(cost + more, 2)
            for (kind, cost), more in zip(STEP.items(), numbers[count:], strict=True)
        }
    )


def _weigh_first(task: Task) -> _Case | None:
    if isinstance(task.raws[0], tuple):
        return None
    raws, wanted = list(map(str, task.raws)), list(task.wanted)
    first = infer(pa.array(raws, pa.large_string()), {}).ask or 0
    order = [first, *(place for place in range(len(raws)) if place != first)]
    chains = find_chains([raws[first]], [wanted[first]])
    outputs = Weighing([raws[place] for place in order], [wanted[first]]).evaluate(chains)
    right = np.array([list(one.values) == [wanted[place] for place in order] for one in outputs], np.bool_)
    if not right.any() or right.all():
        return None
    kinds = np.array([[_count(one, kind) for kind in STEP] for one in outputs], np.float64)
    return _Case(np.array([one.evidence for one in outputs]), kinds, right)


def _count(one: ChainOutput, kind: str) -> int:
    return sum(cast("_Cost", step.cost).kind == kind for step in one.steps)


if __name__ == "__main__":
    if sys.argv[1:] == ["fit"]:
        fit()
        sys.exit()
    print("rows:", os.environ.get("IGUAL_LEARN_ROWS", "30"))
    tasks()
