"""Outputs under faults: at every call of the system that may fail, and where others may write in the same folder."""

from __future__ import annotations

import errno
import itertools
import os
import subprocess
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import pytest

import igual
from igual.errors import OutputError
from igual.files.outputs import finish_interrupted, outputs
from igual.rules import Spacing
from tests.attack.forked import Done
from tests.conftest import COMMAND

Run = Callable[..., Done]
NAMES = ("clean.csv", "walk.csv", "run.html")
CALLS = ("open", "write", "fsync", "replace", "unlink", "close", "fchmod")


def lay_out(folder: Path) -> None:
    for name in NAMES:
        (folder / name).write_text("old")


def write_all(folder: Path) -> None:
    with outputs() as staged:
        for name in NAMES:
            staged.place(folder / name).write_text("new")


def read_all(folder: Path) -> list[str]:
    return [(folder / name).read_text() for name in NAMES]


@pytest.fixture
def fail_at(monkeypatch: pytest.MonkeyPatch) -> Iterator[Callable[[str, int], list[int]]]:
    """Let the n-th call of a function of the system fail; the number of calls is counted."""

    def fail(name: str, number: int) -> list[int]:
        real, count = getattr(os, name), [0]

        def call(*given: Any, **more: Any) -> Any:
            count[0] += 1
            if count[0] == number:
                if name == "close":
                    real(*given, **more)
                raise OSError(errno.EIO, "Input/output error")
            return real(*given, **more)

        monkeypatch.setattr(os, name, call)
        return count

    yield fail
    monkeypatch.undo()


@pytest.mark.parametrize("name", CALLS)
def test_a_fault_at_any_call_leaves_all_old_or_all_new_or_says_what_is_written(
    name: str, fail_at: Callable[[str, int], list[int]], tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    for number in itertools.count(1):
        folder = tmp_path / str(number)
        folder.mkdir()
        lay_out(folder)
        with monkeypatch.context():
            count = fail_at(name, number)
            message = ""
            try:
                write_all(folder)
            except (OutputError, OSError) as error:
                message = str(error)
            monkeypatch.undo()
        state = read_all(folder)
        if "nothing was written" in message:
            assert state == ["old"] * 3, (number, message)
        elif "not yet" in message:
            assert set(state) == {"old", "new"}
            assert all(named in message for named in NAMES)
        finish_interrupted(folder)
        state = read_all(folder)
        assert len(set(state)) == 1, (number, state, message)
        # A later run goes through and leaves nothing over.
        write_all(folder)
        assert read_all(folder) == ["new"] * 3
        assert sorted(path.name for path in folder.iterdir() if path.suffix in (".part", ".new")) == []
        if count[0] < number:
            break
        assert number < 200


@pytest.mark.parametrize("number", [1, 2, 3, 4, 5])
def test_a_run_that_is_killed_while_renaming_is_finished_by_the_next(number: int, tmp_path: Path) -> None:
    lay_out(tmp_path)
    child = os.fork()
    if child == 0:
        real, count = os.replace, [0]

        def die(*given: Any, **more: Any) -> None:
            count[0] += 1
            if count[0] == number:
                os._exit(9)
            real(*given, **more)

        os.replace = die
        write_all(tmp_path)
        os._exit(0)
    os.waitpid(child, 0)
    # Whatever reads or writes there next finds all of one run.
    igual.Rulebook([Spacing(column="a")]).apply_file(make_table(tmp_path), tmp_path / "other.csv")
    state = read_all(tmp_path)
    assert set(state) == ({"old"} if number == 1 else {"new"})
    assert not list(tmp_path.glob(".igual-*.journal"))


def make_table(folder: Path) -> Path:
    path = folder / "t.csv"
    path.write_text("a\nx \n")
    return path


def test_a_file_that_was_swapped_for_a_link_is_not_written_through(tmp_path: Path) -> None:
    precious = tmp_path / "precious.txt"
    precious.write_text("keep me")
    with pytest.raises(OutputError, match=r"another program has changed"), outputs() as staged:
        place = staged.place(tmp_path / "o.csv")
        (passing,) = tmp_path.glob(".o.csv.*.part")
        passing.unlink()
        passing.symlink_to(precious)
        place.write_text("a\n")
    assert precious.read_text() == "keep me"
    assert not (tmp_path / "o.csv").exists()


def test_a_journal_of_strangers_moves_nothing_out_of_its_folder(tmp_path: Path) -> None:
    inner = tmp_path / "inner"
    inner.mkdir()
    (tmp_path / "precious.csv").write_text("keep me")
    (inner / ".x.part").write_text("bad")
    (inner / ".igual-00000000.journal").write_text('[[".x.part", "../precious.csv"], ["x", "y"], 5]')
    finish_interrupted(inner)
    assert (tmp_path / "precious.csv").read_text() == "keep me"
    (inner / ".igual-00000001.journal").symlink_to(tmp_path / "precious.csv")
    finish_interrupted(inner)
    assert (tmp_path / "precious.csv").read_text() == "keep me"


def test_a_link_to_nothing_is_no_output(run: Run, tmp_path: Path) -> None:
    make_table(tmp_path)
    (tmp_path / "b.toml").write_text('igual = 1\n\n[[rule]]\ncolumn = "a"\ndo = "spacing"\n')
    (tmp_path / "out.csv").symlink_to(tmp_path / "elsewhere.csv")
    done = run("apply b.toml t.csv --out out.csv")
    assert (done.returncode, "is a link to a file that isn't there" in done.stderr) == (2, True)
    assert not (tmp_path / "elsewhere.csv").exists()


def test_where_only_standard_output_fails_that_is_said(tmp_path: Path) -> None:
    if not Path("/dev/full").exists():
        pytest.skip("there is no /dev/full")
    make_table(tmp_path)
    (tmp_path / "b.toml").write_text('igual = 1\n\n[[rule]]\ncolumn = "a"\ndo = "spacing"\n')
    with open("/dev/full", "w", encoding="utf-8") as full:
        call = [str(COMMAND), *"apply b.toml t.csv --out out.csv".split()]
        done = subprocess.run(call, cwd=tmp_path, stdout=full, stderr=subprocess.PIPE, text=True)
    assert done.returncode == 2
    assert "standard output" in done.stderr
    assert "nothing was written" not in done.stderr
    assert (tmp_path / "out.csv").read_text() == "a\nx\n"
