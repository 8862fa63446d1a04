"""Runs in which a call of the system fails: outputs are all old or all new, and what is said of them is true."""

from __future__ import annotations

import errno
import re
import shutil
from collections.abc import Iterator
from pathlib import Path
from random import Random

from tests.attack.campaign import Case
from tests.attack.forked import FILE_SIZE, Done, ForkServer
from tests.attack.kills import CALLS, CHANGED_IN_PLACE, OUTPUTS

_FUNCTIONS = ("open", "write", "fsync", "replace", "unlink", "close", "fchmod", FILE_SIZE)
_ERRORS = (errno.EIO, errno.ENOSPC, errno.EACCES, errno.EDQUOT)
# Most faults are to fall among the calls that a run makes, which are no more than these by far.
_LAST_CALLS = (6, 12, 24)
# Two runs differ in when a record was made.
_TIME = re.compile(rb'"at": "[^"]*"')
_SIZES = (0, 100, 5_000, 100_000, 700_000)


def break_runs(server: ForkServer, world: Path, place: Path, seed: int) -> Iterator[Case]:
    """Let calls of the system fail, without end.

    Args:
        server: What runs the calls.
        world: The folder of `lay_out_world`, with what `lay_out_outputs` adds, whose outputs are made old here.
        place: A folder to work in.
        seed: The same seed gives the same calls and faults.

    Yields:
        Every case.
    """
    random = Random(seed)
    for name in OUTPUTS:
        (world / name).write_bytes(b"old\n")
    wanted = {call: _run_clean(server, world, place, call) for call in CALLS}
    while True:
        call, name = random.choice(CALLS), random.choice(_FUNCTIONS)
        number = (
            random.choice(_SIZES) if name == FILE_SIZE else random.randrange(1, random.choice(_LAST_CALLS))
        )
        folder = _copy(world, place)
        before = _read(folder)
        done = server.run(call.split(), folder, fault=(name, number, random.choice(_ERRORS)))
        fault = _find_fault(done, before, _read(folder), wanted[call])
        if not fault:
            fault = _run_again(server, folder, call, wanted[call])
        yield Case("fault", f"{call} ({name}, {number})", b"", done, fault)


def _copy(world: Path, place: Path) -> Path:
    folder = place / "broken"
    shutil.rmtree(folder, ignore_errors=True)
    shutil.copytree(world, folder)
    return folder


def _read(folder: Path) -> dict[str, bytes]:
    return {
        path.name: _TIME.sub(b"", path.read_bytes()) for path in folder.iterdir() if path.suffix != ".lock"
    }


def _run_clean(server: ForkServer, world: Path, place: Path, call: str) -> dict[str, bytes]:
    """What a run without a fault leaves."""
    folder = _copy(world, place)
    done = server.run(call.split(), folder)
    assert done.returncode in (0, 1), done.stderr
    return _read(folder)


def _find_fault(done: Done, before: dict[str, bytes], now: dict[str, bytes], wanted: dict[str, bytes]) -> str:
    if "Traceback" in done.stderr or "unforeseen" in done.stderr:
        return f"traceback: {done.stderr[-3000:]}"
    if done.returncode not in (0, 1, 2):
        return f"exit status {done.returncode}"
    changed = [name for name in before if now.get(name) != before[name]]
    if odd := [name for name in changed if name not in (*OUTPUTS, *CHANGED_IN_PLACE)]:
        return f"changed {odd[0]}"
    if half := [name for name in changed if now.get(name) != wanted.get(name)]:
        return f"{half[0]} is neither as before nor as it is to be"
    due = [name for name in before if wanted.get(name) != before[name]]
    if done.returncode == 2 and "nothing was written" in done.stderr and changed:
        return f"said that nothing was written, and wrote {changed[0]}: {done.stderr}"
    if done.returncode != 2 and changed != due:
        return f"ended well, and did not write {sorted({*due} - {*changed})[0]}"
    has_said = "not yet" in done.stderr or "had been written" in done.stderr
    if changed and changed != due and not has_said:
        return f"wrote {changed[0]} and not {sorted({*due} - {*changed})[0]}, without a word: {done.stderr}"
    return ""


def _run_again(server: ForkServer, folder: Path, call: str, wanted: dict[str, bytes]) -> str:
    """Whether the next run of the same call puts all right."""
    again = server.run(call.split(), folder)
    if again.returncode not in (0, 1):
        return f"the next run failed: {again.stderr[-300:]}"
    now = _read(folder)
    if left := [name for name in now if name not in wanted]:
        return f"the next run left {left[0]}"
    if wrong := [name for name, content in wanted.items() if now[name] != content]:
        return f"the next run left {wrong[0]} wrong"
    return ""
