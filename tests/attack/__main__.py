"""`python -m tests.attack --seconds 3600 --seed 7`: an attack on the command line, and a table of what it found."""

from __future__ import annotations

import argparse
import tempfile
import time
from collections import Counter
from pathlib import Path

from tests.attack.campaign import attack, lay_out_world
from tests.attack.forked import ForkServer


def main() -> int:
    """Attack for some time; gives the number of faults."""
    words = argparse.ArgumentParser(prog="python -m tests.attack")
    words.add_argument("--seconds", type=float, default=3600)
    words.add_argument("--seed", type=int, default=int(time.time()))
    words.add_argument("--keep", type=Path, help="a folder for the files that showed a fault")
    given = words.parse_args()
    print(f"seed {given.seed}")
    tried, refused, faults = Counter[str](), Counter[str](), Counter[str]()
    server = ForkServer()
    with tempfile.TemporaryDirectory() as place:
        world = lay_out_world(Path(place) / "world")
        deadline = time.monotonic() + given.seconds
        for number, case in enumerate(attack(server, world, Path(place), given.seed)):
            tried[case.target] += 1
            refused[case.target] += case.done.returncode == 2
            if case.fault:
                faults[case.target] += 1
                print(f"case {number}, {case.target}: igual {case.call}\n  {case.fault}", flush=True)
                if given.keep:
                    given.keep.mkdir(parents=True, exist_ok=True)
                    (given.keep / f"{given.seed}-{number}").write_bytes(case.changed)
            if time.monotonic() > deadline:
                break
    server.close()
    print(f"\n{'kind of file':<14} {'cases':>7} {'refused':>8} {'faults':>7}")
    for name, number in sorted(tried.items()):
        print(f"{name:<14} {number:>7,} {refused[name]:>8,} {faults[name]:>7,}")
    return min(sum(faults.values()), 100)


if __name__ == "__main__":
    raise SystemExit(main())
