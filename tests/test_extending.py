"""The examples of docs/extending.md: each is one file, and works without touching any other."""

from __future__ import annotations

import os
import re
import shutil
import subprocess
import sys
from pathlib import Path

import pytest

ROOT = Path(__file__).parent.parent


@pytest.fixture(scope="module")
def extended(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The sources, with the files of the page in their places."""
    folder = tmp_path_factory.mktemp("extended")
    shutil.copytree(ROOT / "src", folder / "src")
    (folder / "tests").mkdir()
    page = (ROOT / "docs" / "extending.md").read_text(encoding="utf-8")
    files = re.findall(
        r"^`((?:src|tests)/[\w/]+\.py)`:\n\n```python\n(.*?)```", page, re.DOTALL | re.MULTILINE
    )
    assert [name for name, _ in files] == [
        "src/igual/rules/untag.py", "tests/test_rule_untag.py", "src/igual/files/formats/keyed.py",
        "src/igual/cli/columns.py",
    ]  # fmt: skip
    for name, content in files:
        assert not (folder / name).exists()
        (folder / name).write_text(content, encoding="utf-8")
    return folder


def run_in(folder: Path, *command: str) -> str:
    env = {**os.environ, "PYTHONPATH": str(folder / "src"), "PYTHONIOENCODING": "utf-8"}
    done = subprocess.run(
        [sys.executable, *command], cwd=folder, env=env, capture_output=True, text=True, encoding="utf-8"
    )
    assert done.returncode == 0, done.stdout + done.stderr
    return done.stdout


def igual_in(folder: Path, line: str) -> str:
    code = f"import sys, igual.cli; sys.argv = {['igual', *line.split()]!r}; igual.cli.main()"
    return run_in(folder, "-c", code)


def test_the_rule(extended: Path) -> None:
    tested = ("tests/test_rule_untag.py", "src/igual/rules/untag.py")
    assert "3 passed" in run_in(extended, "-m", "pytest", "-q", "--doctest-modules", *tested)
    assert "untag" in igual_in(extended, "rules")
    assert "What stands before the tag." in igual_in(extended, "rules untag")


def test_the_format_and_the_command(extended: Path) -> None:
    (extended / "t.keyed").write_text("tree=T-1/X\nsite=a\n\ntree=T-2/K\nsite=b\n")
    (extended / "b.toml").write_text('igual = 1\n[[rule]]\ncolumn = "tree"\ndo = "untag"\n')
    assert igual_in(extended, "columns t.keyed") == "tree\nsite\n"
    assert "columns" in igual_in(extended, "--help")
    igual_in(extended, "apply b.toml t.keyed --out clean.keyed")
    assert (extended / "clean.keyed").read_text() == "tree=T-1\nsite=a\n\ntree=T-2\nsite=b\n"


def test_the_examples_are_in_order(extended: Path) -> None:
    files = [
        str(path) for path in extended.rglob("*.py") if path.name in ("untag.py", "keyed.py", "columns.py")
    ]
    run_in(extended, "-m", "ruff", "check", "--config", str(ROOT / "pyproject.toml"), *files)
