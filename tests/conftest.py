"""What tests share: small arrays, files and the command as a process."""

from __future__ import annotations

import csv
import gc
import signal
import sys
from collections.abc import Callable, Iterator, Sequence
from itertools import islice
from pathlib import Path
from typing import Any

import pyarrow as pa
import pytest
from hypothesis import settings

from igual.demo.layout import lay_out
from tests.attack.forked import Done, ForkServer
from tests.browsing import browser

__all__ = ["browser"]

# A busy machine is no failure. Each run looks at the same examples; `make test` at a quarter of those of `make test-all`.
settings.register_profile("thorough", deadline=None, derandomize=True)
settings.register_profile("quick", settings.get_profile("thorough"), max_examples=25)
settings.load_profile("quick")
# A job in the background of a script ignores interrupts, and so would all that it starts.
signal.signal(signal.SIGINT, signal.default_int_handler)

COMMAND = Path(sys.executable).parent / "igual"
Run = Callable[..., Done]


def pytest_collection_finish() -> None:
    """What was imported is here for good: it needn't be looked through time and again."""
    gc.collect()
    gc.freeze()


def limited(limit: str, *command: str) -> list[str]:
    """A command with a limit as the shell sets it, such as -f 48 for files of 48 KiB."""
    return ["bash", "-c", f'ulimit {limit}; exec "$@"', "-", *command]


def examples(count: int, **more: Any) -> settings:
    """So many examples where all are tried; fewer in a quick run."""
    return settings(max_examples=count * settings().max_examples // 100, **more)


def texts(*values: str | None) -> pa.Array:
    return pa.array(values, pa.large_string())


@pytest.fixture(scope="session")
def server() -> Iterator[ForkServer]:
    """What runs the command line in forked children."""
    started = ForkServer()
    yield started
    started.close()


@pytest.fixture
def run(tmp_path: Path, server: ForkServer) -> Run:
    """Run the command in a folder of its own; the given arguments are split at spaces."""

    def call(line: str, *more: str, folder: Path = tmp_path) -> Done:
        return server.run([*line.split(), *more], folder)

    return call


@pytest.fixture
def write(tmp_path: Path) -> Callable[[str, str | bytes], Path]:
    def put(name: str, content: str | bytes) -> Path:
        path = tmp_path / name
        path.write_bytes(content if isinstance(content, bytes) else content.encode())
        return path

    return put


@pytest.fixture
def trees(tmp_path: Path) -> Path:
    """The sample data, laid out where the command runs."""
    lay_out(tmp_path)
    return tmp_path


@pytest.fixture
def few_trees(trees: Path) -> Path:
    """The sample data with few rows, for what isn't about what becomes of them."""
    for name in ("trees.csv", "june.csv"):
        keep_rows(trees / name, 200)
    return trees


def keep_rows(path: Path, rows: int) -> None:
    """Leave a CSV its first rows."""
    with path.open(encoding="utf-8", newline="") as file:
        kept = list(islice(csv.reader(file), rows + 1))
    with path.open("w", encoding="utf-8", newline="") as file:
        csv.writer(file, lineterminator="\n").writerows(kept)


def leftovers(folder: Path, wanted: Sequence[str] = ()) -> list[str]:
    """Files that a failed run should not have left in a folder."""
    return sorted(path.name for path in folder.iterdir() if path.name not in wanted)
