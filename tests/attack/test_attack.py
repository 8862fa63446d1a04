"""A short part of the attack, always the same; `make attack` runs an hour of others."""

from __future__ import annotations

import shutil
import warnings
from itertools import islice
from pathlib import Path
from random import Random

import pyarrow as pa
import pyarrow.parquet as pq
import pytest

from tests.attack.campaign import Case, _spell, attack, find_fault, lay_out_world
from tests.attack.faults import break_runs
from tests.attack.forked import ForkServer
from tests.attack.kills import kill, lay_out_outputs
from tests.attack.long_lists import CALLS as LONG_CALLS
from tests.attack.long_lists import lay_out_long
from tests.attack.python_calls import find_python_fault
from tests.attack.references import CHECKS, find_difference
from tests.attack.splits import find_split_fault

_CASES, _KILLS, _FAULTS, _TEXTS, _PYTHON_CALLS, _SPLITS, _LONG_CALLS = 40, 6, 10, 400, 300, 20, 5


@pytest.fixture(scope="module")
def world(tmp_path_factory: pytest.TempPathFactory) -> Path:
    return lay_out_world(tmp_path_factory.mktemp("world") / "world")


def faults(cases: list[Case]) -> list[str]:
    return [f"{case.target}: igual {case.call}: {case.fault}" for case in cases if case.fault]


def test_changed_files_are_read_or_refused(server: ForkServer, world: Path, tmp_path: Path) -> None:
    assert faults([*islice(attack(server, world, tmp_path, seed=20_261), _CASES)]) == []


def test_runs_that_are_stopped_lose_nothing(server: ForkServer, world: Path, tmp_path: Path) -> None:
    killed = tmp_path / "with outputs"
    shutil.copytree(world, killed)
    lay_out_outputs(server, killed)
    assert faults([*islice(kill(server, killed, tmp_path, seed=20_262), _KILLS)]) == []
    assert faults([*islice(break_runs(server, killed, tmp_path, seed=20_266), _FAULTS)]) == []


def test_rows_come_out_the_same_alone_and_in_every_engine() -> None:
    found = [find_split_fault(Random(f"20267 {number}")) for number in range(_SPLITS)]
    assert [fault for fault in found if fault] == []


def test_calls_on_long_files_end_in_time(server: ForkServer, tmp_path: Path) -> None:
    lay_out_long(Random(20_265), world := tmp_path / "world", "names", 1_000)
    for call in Random(20_265).sample(LONG_CALLS, _LONG_CALLS):
        folder = tmp_path / "case"
        shutil.copytree(world, folder)
        before = {path.name: path.read_bytes() for path in folder.iterdir()}
        assert find_fault(call, server.run(call.split(), folder, seconds=60), folder, before) == ""
        shutil.rmtree(folder)


def test_times_that_python_does_not_have_are_compared_as_numbers(tmp_path: Path) -> None:
    seconds, place = pa.timestamp("s"), tmp_path / "t.parquet"
    cells = pa.array([{"at": [1 << 40, None]}, None, {"at": [0]}], pa.struct({"at": pa.list_(seconds)}))
    parts = [pa.chunked_array([cells[:1]]), pa.chunked_array([cells[1:]])]
    pq.write_table(pa.table({"cells": cells}), place)
    assert _spell(*parts) == _spell(pq.read_table(place)["cells"])
    assert _spell(*reversed(parts)) != _spell(*parts)


def test_calls_from_python_end_well_or_are_refused() -> None:
    # One after another in this process: `attack_python` starts one for them.
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        found = [find_python_fault(Random(f"20264 {number}")) for number in range(_PYTHON_CALLS)]
    assert [fault for fault in found if fault] == []


@pytest.mark.parametrize("check", CHECKS)
def test_rules_do_what_their_slow_references_do(check: str) -> None:
    assert find_difference(check, 20_263, _TEXTS) == ""
