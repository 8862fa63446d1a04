"""Taking times fairly on a machine that others use too."""

from __future__ import annotations

import gc
import json
import os
import subprocess
import sys
import time
from collections.abc import Callable, Mapping, Sequence
from pathlib import Path
from typing import Any, NamedTuple

import numpy as np


class Process(NamedTuple):
    """What a finished process took."""

    seconds: float
    peak_bytes: int


def best_times(
    runs: Mapping[str, Callable[[], Any]], rounds: int = 3
) -> tuple[dict[str, float], dict[str, Any]]:
    """The best time of each run, in seconds, over rounds in which all of them take turns; and their results."""
    best: dict[str, float] = {}
    results: dict[str, Any] = {}
    for _ in range(rounds):
        for name, run in runs.items():
            results.pop(name, None)
            gc.collect()
            start = time.perf_counter()
            results[name] = run()
            took = time.perf_counter() - start
            best[name] = min(took, best.get(name, took))
    return best, results


def processes(commands: Mapping[str, list[str]], rounds: int = 3) -> dict[str, Process]:
    """The best time of each command over rounds in which they take turns, and the most memory it ever held."""
    measured: dict[str, list[Process]] = {name: [] for name in commands}
    for _ in range(rounds):
        for name, command in commands.items():
            measured[name].append(_once(command))
    return {
        name: Process(min(m.seconds for m in runs), max(m.peak_bytes for m in runs))
        for name, runs in measured.items()
    }


def _once(command: list[str]) -> Process:
    # A helper of its own asks for the peak, since the system keeps one figure for all children of a process.
    helper = (
        "import json,resource,subprocess,sys,time;s=time.perf_counter();"
        "r=subprocess.run(sys.argv[1:],stdout=subprocess.DEVNULL).returncode;t=time.perf_counter()-s;"
        "print(json.dumps([r,t,resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss*1024]))"
    )
    done = subprocess.run(
        [sys.executable, "-c", helper, *command], check=True, capture_output=True, text=True
    )
    status, seconds, peak = json.loads(done.stdout)
    if status != 0:
        raise RuntimeError(f"{command[0]} ended with status {status}: {done.stderr}")
    return Process(seconds, peak)


def line(what: str, ratio: float, limit: str, holds: bool) -> None:
    """One figure with its limit."""
    print(f"  {'holds ' if holds else 'MISSED'}  {what}: {ratio:.2f} (wanted: {limit})", flush=True)
    if kept := os.environ.get("IGUAL_BENCH_LINES"):
        with Path(kept).open("a") as file:
            file.write(
                json.dumps({"what": what, "value": ratio, "wanted": limit, "holds": bool(holds)}) + "\n"
            )


def times(best: Mapping[str, float]) -> None:
    for name, seconds in best.items():
        print(f"    {name:<44} {seconds:8.3f} s")


def reliability(title: str, scores: Sequence[tuple[float, bool]]) -> None:
    """Say how many values have a score around each tenth, and how many of these are right."""
    score, right = (np.array(part) for part in zip(*scores, strict=True))
    for low in np.arange(0, 1, 0.1):
        some = (score >= low) & (score < low + 0.1 + (low > 0.85))
        if some.any():
            mean, share = score[some].mean(), right[some].mean()
            print(f"    {title}, score {low:.1f}: {some.sum():5d}, mean {mean:.3f}, right {share:.3f}")
