"""Tasks for `learn`: how many are solved with so many examples, each the one that `.ask` names."""

from __future__ import annotations

import os
import sys
from collections import Counter
from collections.abc import Sequence
from typing import Any, NamedTuple

import numpy as np
import pyarrow as pa
from scipy.optimize import minimize
from tests.learning import found_tasks
from tests.learning.made_tasks import Task, held_out, tuned
from tests.learning.solving import solve

from igual.learning.inference import infer
from igual.learning.prior import BY_RULE, Weights
from igual.learning.search import find_chains
from igual.learning.weighing import Weighing


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
    for name, some in (("tuned", tuned()), ("held out", held_out()), ("found", found_tasks.TASKS)):
        if not sys.argv[1:] or name in sys.argv[1:] or sys.argv[1:] == ["-v"]:
            measure(name, some, "-v" in sys.argv)


# What one would think, and how strongly the fitted numbers are pulled there: sharper ones are surer than right.
_BEGIN, _PULL, _PULL_RULES = np.array([1.0, 0.3, 0.8, 8.0, 3.0]), 0.4, 0.2


class _Case(NamedTuple):
    """The chains that explain the first example of a task.

    Attributes:
        evidence: Against each, (chains, kinds of evidence), without what its rules cost as rules.
        rules: How often each rule is in a chain, (chains, rules).
        is_right: Which chains are right on every row, (chains,).
    """

    evidence: np.ndarray[Any, Any]
    rules: np.ndarray[Any, Any]
    is_right: np.ndarray[Any, Any]


def fit() -> None:
    """Fit what rules cost, and evidence counts, to the tuned tasks: the chance of what is meant from one example."""
    cases = [case for task in tuned() if (case := _weigh_first(task)) is not None]
    count = len(_BEGIN)

    def miss(numbers: np.ndarray[Any, Any]) -> float:
        weights, costs = np.exp(numbers[:count]) * _BEGIN, numbers[count:]
        total = 0.0
        for case in cases:
            scores = case.evidence @ weights + weights[0] * (case.rules @ costs)
            chances = np.exp(scores.min() - scores)
            total -= np.log(chances[case.is_right].sum() / chances.sum())
        pull = _PULL * np.sum(numbers[:count] ** 2) + _PULL_RULES * np.sum(costs**2)
        return float(total / len(cases) + pull)

    begin = np.zeros(count + len(BY_RULE))
    found = minimize(miss, begin, method="L-BFGS-B")
    print(f"{len(cases)} tasks: {miss(begin):.4f} before, {found.fun:.4f} after")
    print(Weights(*(np.exp(found.x[:count]) * _BEGIN).round(2).tolist()))
    print(dict(zip(BY_RULE, found.x[count:].round(2).tolist(), strict=True)))


def _weigh_first(task: Task) -> _Case | None:
    if isinstance(task.raws[0], tuple):
        return None
    raws, wanted = list(map(str, task.raws)), list(task.wanted)
    first = infer(pa.array(raws, pa.large_string()), {}).ask or 0
    order = [first, *(place for place in range(len(raws)) if place != first)]
    chains = find_chains([raws[first]], [wanted[first]])
    suited = Weighing([raws[place] for place in order], [wanted[first]]).suit(chains)
    right = np.array([list(one.values) == [wanted[place] for place in order] for one in suited], np.bool_)
    if not right.any() or right.all():
        return None
    rules = np.array(
        [[sum(step.do == do for step in one.steps) for do in BY_RULE] for one in suited], np.float64
    )
    evidence = np.array([one.evidence for one in suited])
    evidence[:, 0] -= rules @ np.array(list(BY_RULE.values()))
    return _Case(evidence, rules, right)


if __name__ == "__main__":
    if sys.argv[1:] == ["fit"]:
        fit()
        sys.exit()
    print("rows:", os.environ.get("IGUAL_LEARN_ROWS", "30"))
    tasks()
