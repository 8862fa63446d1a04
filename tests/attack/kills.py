"""Runs that are stopped at a random moment: inputs and earlier outputs stay whole, and no ruling is lost."""

from __future__ import annotations

import csv
import shutil
import signal
from collections.abc import Iterator, Sequence
from pathlib import Path
from random import Random

from tests.attack.campaign import Case
from tests.attack.forked import Done, ForkServer

_SIGNALS = (signal.SIGKILL, signal.SIGTERM, signal.SIGINT, signal.SIGHUP)
_ROWS = 20_000
CALLS = (
    "apply trees.toml many.csv --out out.csv --trail trail.csv --crosswalk walk.csv --open open.xlsx --record r.json --force",
    "apply trees.toml many.csv --out out.parquet --crosswalk walk.sssom.tsv --force",
    "review trees.toml open.csv --overrule",
    "review trees.toml --add-to-lists",
    "lookalikes trees.csv -c street --pairs p.csv --out groups.csv --force",
)
OUTPUTS = (
    "out.csv", "trail.csv", "walk.csv", "open.xlsx", "r.json", "out.parquet", "walk.sssom.tsv", "p.csv", "groups.csv",
)  # fmt: skip
CHANGED_IN_PLACE = ("trees.rulings.csv", "species.csv", "districts.csv", "contractors.csv")


def lay_out_outputs(server: ForkServer, world: Path) -> None:
    """Add a larger table to a world, and the outputs of earlier runs; and rulings to be taken."""
    header, *rows = (world / "trees.csv").read_text(encoding="utf-8").splitlines(keepends=True)
    (world / "many.csv").write_text(header + "".join(rows * (_ROWS // len(rows))), encoding="utf-8")
    for call in (CALLS[0], CALLS[1], CALLS[4]):
        done = server.run(call.split(), world)
        assert done.returncode == 0, done.stderr
    with (world / "open.csv").open(encoding="utf-8", newline="") as file:
        sheet = list(csv.DictReader(file))
    for row in sheet:
        row["ruling"] = row["proposal"] or "not in the list"
    with (world / "open.csv").open("w", encoding="utf-8", newline="") as file:
        writer = csv.DictWriter(file, list(sheet[0]), lineterminator="\n")
        writer.writeheader()
        writer.writerows(sheet)


def kill(server: ForkServer, world: Path, place: Path, seed: int) -> Iterator[Case]:
    """Stop runs at random moments, without end.

    Args:
        server: What runs the calls.
        world: The folder of `lay_out_world`, with what `lay_out_outputs` adds.
        place: A folder to work in.
        seed: The same seed gives the same calls, signals and delays.

    Yields:
        Every case.
    """
    random = Random(seed)
    while True:
        call, number = random.choice(CALLS), random.choice(_SIGNALS)
        folder = place / "killed"
        shutil.rmtree(folder, ignore_errors=True)
        shutil.copytree(world, folder)
        before = {path.name: path.read_bytes() for path in folder.iterdir()}
        done = server.run(
            call.split(), folder, kill=(number, random.random() * random.choice((0.2, 0.6, 1.2)))
        )
        fault = _find_fault(done, folder, before, number)
        if not fault:
            again = server.run(call.split(), folder)
            left = [path.name for path in folder.iterdir() if path.suffix == ".part"]
            if again.returncode not in (0, 1):
                fault = f"the next run failed: {again.stderr[-200:]}"
            elif left:
                fault = f"the next run left {left[0]}"
        yield Case("kill", f"{call} (signal {number})", b"", done, fault)


def _find_fault(done: Done, folder: Path, before: dict[str, bytes], number: int) -> str:
    if "Traceback" in done.stderr or "unforeseen" in done.stderr:
        return f"traceback: {done.stderr[-3000:]}"
    if done.returncode not in (0, 1, 130, -number):
        return f"exit status {done.returncode}"
    now = {path.name: path.read_bytes() for path in folder.iterdir()}
    for name, content in before.items():
        if name in OUTPUTS:
            if not now[name] or (name.endswith(".csv") and not now[name].endswith(b"\n")):
                return f"half a file: {name}"
        elif name in CHANGED_IN_PLACE:
            if (
                lost := set(_read_rows(content))
                - set(_read_rows(now[name]))
                - _with_aliases(content, now[name])
            ):
                return f"{name} lost {sorted(lost)[0]}"
        elif not name.endswith((".lock", ".part")) and now.get(name) != content:
            return f"changed {name}"
    if number != signal.SIGKILL and (left := [name for name in now if name.endswith(".part")]):
        return f"left {left[0]}"
    said = "all outputs had been written" in done.stderr
    if done.returncode == 130 and "nothing was written" in done.stderr and now != before and not said:
        changed = [name for name in now if now[name] != before.get(name) and not name.endswith(".lock")]
        return f"said that nothing was written, and wrote {changed[0]}" if changed else ""
    return ""


def _read_rows(content: bytes) -> Sequence[tuple[str, ...]]:
    return [tuple(row) for row in csv.reader(content.decode().splitlines())]


def _with_aliases(before: bytes, now: bytes) -> set[tuple[str, ...]]:
    """Rows of a list that were given aliases: their entry is still there."""
    entries = {row[0] for row in _read_rows(now) if row}
    return {row for row in _read_rows(before) if row and row[0] in entries and len(row) < 6}
