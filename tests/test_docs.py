"""The commands and the Python of README and docs, run from a fresh demo folder in the order in which they stand."""

from __future__ import annotations

import os
import re
import subprocess
import sys
from pathlib import Path

import pytest

from igual.demo.layout import lay_out
from tests.conftest import COMMAND

ROOT = Path(__file__).parent.parent
PAGES = ("README.md", "docs/tutorial.md", "docs/deciding.md", "docs/matching.md", "docs/tables.md")
# Asking one by one needs a terminal; tests/test_review.py does that.
NEEDS_A_TERMINAL = "igual review trees.toml --table"


def steps_of(page: str) -> list[tuple[str, str]]:
    """Commands, Python and pieces of a rulebook, in order."""
    pattern = r"^    ((?:igual|cd|rm|cp) [^\n]*)$|^```(\w*)\n(.*?)^```$"
    steps = []
    for block in re.finditer(pattern, page, re.MULTILINE | re.DOTALL):
        if block[1]:
            steps.append(("shell", block[1].split("  #")[0].strip()))
        elif block[2] in ("python", ""):
            steps.append((block[2] or "rulebook", block[3]))
    return steps


@pytest.mark.parametrize("name", PAGES)
def test_what_a_page_shows_runs(name: str, tmp_path: Path) -> None:
    folder = tmp_path
    env = {**os.environ, "PATH": f"{COMMAND.parent}:{os.environ['PATH']}"}
    steps = steps_of((ROOT / name).read_text(encoding="utf-8"))
    assert steps
    if name == "docs/matching.md":
        lay_out(folder)
    for kind, step in steps:
        if kind == "rulebook":
            with (folder / "mine.toml").open("a", encoding="utf-8") as file:
                file.write(f"{step}\n")
        elif step.startswith("cd "):
            folder = folder / step.removeprefix("cd ")
        elif not step.startswith(NEEDS_A_TERMINAL):
            command = (
                ["bash", "-c", step] if kind == "shell" else [sys.executable, "-W", "ignore", "-c", step]
            )
            done = subprocess.run(
                command, cwd=folder, env=env, capture_output=True, text=True, encoding="utf-8"
            )
            finds = step.startswith(("igual check ", "igual review "))
            assert done.returncode in ((0, 1) if finds else (0,)), (step, done.stdout, done.stderr)
            assert "Traceback" not in done.stderr
