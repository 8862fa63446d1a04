"""The commands and the Python of README and docs, run from a fresh demo folder in the order in which they stand."""

from __future__ import annotations

import inspect
import json
import os
import re
import shlex
import shutil
import subprocess
import sys
from pathlib import Path
from typing import Any

import click
import pytest

from igual.cli import igual as igual_command
from igual.demo.layout import lay_out
from tests.attack.forked import Done, ForkServer
from tests.conftest import COMMAND, Run, keep_rows

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


@pytest.fixture(scope="module")
def demo(tmp_path_factory: pytest.TempPathFactory, server: ForkServer) -> Path:
    """What `igual demo` makes, with a third of its rows."""
    folder = tmp_path_factory.mktemp("demo")
    assert server.run(["demo"], folder).returncode == 0
    keep_rows(folder / "igual-demo" / "trees.csv", 700)
    return folder / "igual-demo"


@pytest.mark.parametrize("name", PAGES)
def test_what_a_page_shows_runs(name: str, tmp_path: Path, server: ForkServer, demo: Path) -> None:
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
        elif step.startswith("igual demo"):
            shutil.copytree(demo, folder / (step.split()[2:] or [demo.name])[0])
        elif not step.startswith(NEEDS_A_TERMINAL):
            done: Done | subprocess.CompletedProcess[str]
            if kind == "shell" and step.startswith("igual "):
                done = server.run(shlex.split(step)[1:], folder)
            else:
                command = (
                    ["bash", "-c", step] if kind == "shell" else [sys.executable, "-W", "ignore", "-c", step]
                )
                done = subprocess.run(
                    command, cwd=folder, env=env, capture_output=True, text=True, encoding="utf-8"
                )
            finds = step.startswith(("igual check ", "igual review "))
            assert done.returncode in ((0, 1) if finds else (0,)), (step, done.stdout, done.stderr)
            assert "Traceback" not in done.stderr


def test_the_table_of_exit_statuses_is_that_of_the_commands() -> None:
    page = (ROOT / "docs" / "command-line.md").read_text(encoding="utf-8")
    told = {
        name: bool(one.strip())
        for name, one in re.findall(r"^\| `(\w+)` \|[^|]+\|([^|]*)\|$", page, re.MULTILINE)
    }
    commands = {
        name: igual_command.get_command(click.Context(igual_command), name)
        for name in igual_command.list_commands(click.Context(igual_command))
    }
    # A command that can end with 1 gives a number back.
    gives = {
        name: inspect.unwrap(command.callback).__annotations__["return"] == "int"  # type: ignore[union-attr, arg-type]
        for name, command in commands.items()
    }
    assert told == gives


def test_help_fits_a_narrow_terminal_and_has_an_example() -> None:
    for name in igual_command.list_commands(click.Context(igual_command)):
        done = subprocess.run(
            [COMMAND, name, "--help"],
            capture_output=True,
            text=True,
            env={**os.environ, "COLUMNS": "80"},
            check=True,
        )
        assert max(map(len, done.stdout.splitlines())) <= 80, name
        examples = re.search(r"^  Examples?:  (igual .*(?:\n {13}igual .*)*)\n\n", done.stdout, re.MULTILINE)
        assert examples is not None, name
        assert "--quiet" in done.stdout
    completed = subprocess.run(
        [COMMAND],
        capture_output=True,
        text=True,
        env={**os.environ, "_IGUAL_COMPLETE": "bash_source"},
        check=True,
    )
    assert "_igual_completion" in completed.stdout


def test_the_site_has_no_broken_links_and_fetches_nothing(tmp_path: Path) -> None:
    pytest.importorskip("mkdocs", reason="MkDocs builds the site")
    if not (ROOT / "src").is_dir():
        pytest.skip("the pages link to sources, which only a checkout has")
    subprocess.run([sys.executable, ROOT / "tools" / "make_site.py", tmp_path / "site"], check=True)
    pages = list((tmp_path / "site").glob("*.html"))
    assert len(pages) >= 13
    for page in pages:
        text = page.read_text(encoding="utf-8")
        assert not re.findall(r'(?:src="|<link[^>]*href=")(?:https?:)?//', text), page.name


JSON_CALLS = {
    "survey": "survey trees.csv", "tally": "tally trees.csv -c species", "apply": "apply trees.toml trees.csv --preview 1",
    "learn": "learn trees.csv -c planted -e 27/10/1974 1974", "draft": "draft trees.csv -l species.csv --out drafted.toml",
    "match": "match trees.csv -c species -l species.csv", "lookalikes": "lookalikes trees.csv -c contractor",
    "review": "review trees.toml ruled.csv --look", "check": "check trees.toml june.csv --since walk.csv",
    "crosswalk": "crosswalk walk.csv june.csv", "lists": "lists species.csv newer.csv --rulebook trees.toml --list species",
}  # fmt: skip


def test_json_has_the_keys_that_the_reference_names(run: Run, few_trees: Path) -> None:
    told = (ROOT / "docs" / "reference.md").read_text(encoding="utf-8").split("## What `--json` prints")[1]
    keys: dict[str, dict[str, Any]] = {
        command: {
            key: names.split(", ") if names else None
            for key, names in re.findall(r"`(\w+)`(?: \(([^)]*)\))?", line)
        }
        for command, line in re.findall(r"^- `igual (\w+)`: (.*)$", told, re.MULTILINE)
    }
    assert keys.keys() == JSON_CALLS.keys()
    (few_trees / "newer.csv").write_text(
        (few_trees / "species.csv").read_text(encoding="utf-8") + "Sea buckthorn,,,\n", encoding="utf-8"
    )
    assert run("apply trees.toml trees.csv --crosswalk walk.csv").returncode == 0
    for command, call in JSON_CALLS.items():
        found = json.loads(run(f"{call} --json").stdout)
        assert set(found) == set(keys[command]), command
        for key, names in keys[command].items():
            for record in (found[key] or [])[:3] if names else ():
                assert set(record) <= set(names), f"{command}: {key}"
                assert len(set(record) ^ set(names)) <= 2, f"{command}: {key}"
