"""What tests share: small arrays, files and the command as a process."""

from __future__ import annotations

import os
import subprocess
import sys
from collections.abc import Callable, Sequence
from pathlib import Path

import pyarrow as pa
import pytest
from hypothesis import settings

from igual.demo.layout import lay_out

# A busy machine is no failure, and each run looks at the same examples.
settings.register_profile("igual", deadline=None, derandomize=True)
settings.load_profile("igual")

COMMAND = Path(sys.executable).parent / "igual"
Run = Callable[..., subprocess.CompletedProcess[str]]


def texts(*values: str | None) -> pa.Array:
    return pa.array(values, pa.large_string())


@pytest.fixture
def run(tmp_path: Path) -> Run:
    """Run the command in a folder of its own; the given arguments are split at spaces."""

    def call(line: str, *more: str, folder: Path = tmp_path) -> subprocess.CompletedProcess[str]:
        env = {**os.environ, "PYTHONIOENCODING": "utf-8"}
        return subprocess.run(
            [COMMAND, *line.split(), *more],
            cwd=folder,
            capture_output=True,
            text=True,
            encoding="utf-8",
            env=env,
        )

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


def leftovers(folder: Path, wanted: Sequence[str] = ()) -> list[str]:
    """Files that a failed run should not have left in a folder."""
    return sorted(path.name for path in folder.iterdir() if path.name not in wanted)
