"""`python -m tests.attack --seconds 3600 --seed 7`: an attack on the command line, and a table of what it found."""

from __future__ import annotations

import argparse
import itertools
import shutil
import tempfile
import time
from collections import Counter
from pathlib import Path

from tests.attack.campaign import attack, lay_out_world
from tests.attack.faults import break_runs
from tests.attack.forked import ForkServer
from tests.attack.kills import kill, lay_out_outputs
from tests.attack.references import CHECKS, find_difference


def main() -> int:
    """Attack for some time; gives the number of faults."""
    words = argparse.ArgumentParser(prog="python -m tests.attack")
    words.add_argument("--seconds", type=float, default=3600)
    words.add_argument("--seed", type=int, default=int(time.time()))
    words.add_argument("--kills", type=int, default=200, help="how many runs are stopped at a random moment")
    words.add_argument("--faults", type=int, default=400, help="in how many runs a call of the system fails")
    words.add_argument(
        "--texts", type=int, default=20_000, help="how many texts each rule is held against a reference on"
    )
    words.add_argument("--keep", type=Path, help="a folder for the files that showed a fault")
    given = words.parse_args()
    print(f"seed {given.seed}")
    tried, refused, faults = Counter[str](), Counter[str](), Counter[str]()
    server = ForkServer()
    with tempfile.TemporaryDirectory() as place:
        world = lay_out_world(Path(place) / "world")
        deadline = time.monotonic() + given.seconds
        killed = Path(place) / "with outputs"
        shutil.copytree(world, killed)
        lay_out_outputs(server, killed)
        kills = itertools.islice(kill(server, killed, Path(place), given.seed), given.kills)
        broken = itertools.islice(break_runs(server, killed, Path(place), given.seed), given.faults)
        for number, case in enumerate(
            itertools.chain(kills, broken, attack(server, world, Path(place), given.seed))
        ):
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
    for check in CHECKS:
        tried[check] = given.texts
        if difference := find_difference(check, given.seed, given.texts):
            faults[check] += 1
            print(f"{check}: {difference}")
    print(f"\n{'kind of file':<14} {'cases':>7} {'refused':>8} {'faults':>7}")
    for name, number in sorted(tried.items()):
        print(f"{name:<14} {number:>7,} {refused[name]:>8,} {faults[name]:>7,}")
    return min(sum(faults.values()), 100)


if __name__ == "__main__":
    raise SystemExit(main())
