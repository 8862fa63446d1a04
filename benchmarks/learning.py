"""Tasks for `learn`: how many are solved with so many examples, each the one that `.ask` names."""

from __future__ import annotations

import os
import sys
from collections import Counter
from collections.abc import Sequence
from typing import Any

import numpy as np
import pyarrow as pa
from scipy.optimize import minimize
from tests.learning import found_tasks
from tests.learning.made_tasks import Task, held_out, tuned
from tests.learning.solving import solve

from igual.learning.inference import infer
from igual.learning.prior import WEIGHTS, Weights
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


# What one would think, and how strongly the fitted weights are pulled there: sharper ones are surer than right.
_BEGIN, _PULL = np.array([1.0, 0.3, 0.8, 8.0, 3.0]), 0.4


def fit() -> None:
    """Fit the weights of the evidence to the tuned tasks: the chance of what is meant, from the first example."""
    cases = [case for task in tuned() if (case := _weigh_first(task)) is not None]

    def miss(weights: np.ndarray[Any, Any]) -> float:
        total = 0.0
        for evidence, is_right in cases:
            scores = evidence @ np.abs(weights)
            chances = np.exp(scores.min() - scores)
            total -= np.log(chances[is_right].sum() / chances.sum())
        # What the tasks don't tell stays near what it was.
        return float(total / len(cases) + _PULL * np.sum(np.log(np.abs(weights) / _BEGIN) ** 2))

    found = minimize(miss, _BEGIN, method="Nelder-Mead", options={"maxiter": 2_000})
    print(f"{len(cases)} tasks: {miss(np.array(WEIGHTS)):.4f} before, {found.fun:.4f} after")
    print(Weights(*np.abs(found.x).round(2).tolist()))


def _weigh_first(task: Task) -> tuple[np.ndarray[Any, Any], np.ndarray[Any, Any]] | None:
    """The evidence of all chains after the first example, and which of them are right on every row."""
    if isinstance(task.raws[0], tuple):
        return None
    raws, wanted = list(map(str, task.raws)), list(task.wanted)
    first = infer(pa.array(raws, pa.large_string()), {}).ask or 0
    order = [first, *(place for place in range(len(raws)) if place != first)]
    chains = find_chains([raws[first]], [wanted[first]])
    suited = Weighing([raws[place] for place in order], [wanted[first]]).suit(chains)
    right = np.array([list(one.values) == [wanted[place] for place in order] for one in suited], np.bool_)
    return (np.array([one.evidence for one in suited]), right) if right.any() and not right.all() else None


if __name__ == "__main__":
    if sys.argv[1:] == ["fit"]:
        fit()
        sys.exit()
    print("rows:", os.environ.get("IGUAL_LEARN_ROWS", "30"))
    tasks()
