"""How many examples it takes to solve a task, each the one that `.ask` names."""

from __future__ import annotations

import time
from typing import Any, NamedTuple

import igual
from benchmarks.learn_tasks.made import Task


class Solved(NamedTuple):
    """How a task went.

    Attributes:
        examples: With how many examples every row was right; None: it wasn't.
        was_sure: Whether it asked for nothing more though a row was wrong.
        seconds: How long each call took.
    """

    examples: int | None
    was_sure: bool
    seconds: tuple[float, ...]


def solve(task: Task, most: int = 3) -> Solved:
    """Give a task one example after another."""
    given: Any = list(task.raws)
    if isinstance(given[0], tuple):
        given = {f"c{place}": list(cells) for place, cells in enumerate(zip(*given, strict=True))}
    wanted: list[str | None] = [None] * len(task.raws)
    ask = igual.learn(given, wanted).ask
    seconds = []
    examples, was_sure = None, False
    for number in range(1, most + 1):
        if ask is None:
            break
        wanted[ask] = task.wanted[ask]
        start = time.perf_counter()
        found = igual.learn(given, wanted)
        seconds.append(time.perf_counter() - start)
        is_right = [text or "" for text in found.values] == list(task.wanted)
        examples = (examples or number) if is_right else None
        ask = found.ask
        was_sure = ask is None and not is_right
    return Solved(examples, was_sure, tuple(seconds))
