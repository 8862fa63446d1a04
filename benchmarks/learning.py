"""Tasks for `learn`: how many are solved with so many examples, each the one that `.ask` names."""

from __future__ import annotations

import os
import sys
from collections import Counter
from collections.abc import Sequence

import numpy as np
from tests.learning import found_tasks
from tests.learning.made_tasks import Task, held_out, tuned
from tests.learning.solving import solve


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


if __name__ == "__main__":
    print("rows:", os.environ.get("IGUAL_LEARN_ROWS", "30"))
    tasks()
