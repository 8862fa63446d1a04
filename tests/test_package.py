"""What holds of the project as a whole: layers, public names, the wheel, the sample data, the docs."""

from __future__ import annotations

import ast
import functools
import importlib
import pkgutil
import re
import subprocess
import sys
import zipfile
from pathlib import Path

import pytest

import igual
from igual.demo.layout import FILES

ROOT = Path(__file__).parent.parent
SOURCE = ROOT / "src" / "igual"
# From the ground up: a module imports from its own floor and from those below it.
FLOORS = (
    ("errors", "values", "threads", "pieces", "hashing", "distinct", "column", "settings", "display"),
    ("text", "lists"),
    ("conditions", "decisions", "rulings", "sheet_columns"),
    ("matching",),
    ("engines",),
    ("rules",),
    ("looking",),
    ("runs",),
    ("learning",),
    ("report",),
    ("engines.sql", "engines.readers", "engines.spark", "files"),
    ("api", "starting", ""),
    ("cli", "demo", "__main__"),
)
# What may go up: results show themselves, value classes load and save, and types that only a type checker reads.
UPWARDS = {
    ("display", "report.display"), ("display", "report.frames"), ("display", "report.pages.writing"), ("display", "files.pages"), ("display", "report.figures"),
    ("lists.codebook", "files.lists"), ("lists.pair_list", "files.lists"), ("lists.reference_list", "files.lists"),
    ("lists.reference_list", "files.skos"),
    ("rulings", "files.rulings"), ("rulings", "files.sheets"), ("rulings", "runs.review"), ("rulings", "runs.rulebook"),
    ("runs.crosswalk", "files.crosswalks"), ("runs.draft", "files.drafts"), ("runs.outcome", "files.sheets"), ("runs.review_page", "files.pages"),
    ("runs.review_page", "files.sheets"), ("runs.review_page", "report.pages.deciding_page"), ("runs.rulebook", "files.rulebooks"),
    ("runs.rulebook", "files.applying"), ("runs.rulebook", "files.formats.base"),
    ("engines.base", "engines.readers"), ("engines.base", "engines.spark"),
}  # fmt: skip
CORE = FLOORS[:9]


def floor(module: str) -> int:
    for number, names in reversed(list(enumerate(FLOORS))):
        if any(module == name or (name and module.startswith(f"{name}.")) for name in names):
            return number
    raise AssertionError(f"{module} is on no floor")


@functools.cache
def nodes_of(path: Path) -> list[ast.AST]:
    return list(ast.walk(ast.parse(path.read_text(encoding="utf-8"))))


@functools.cache
def imports_of(path: Path) -> set[str]:
    """Every module that a file imports, in whatever form and wherever it stands."""
    found: set[str] = set()
    for node in nodes_of(path):
        if isinstance(node, ast.Import):
            found |= {alias.name for alias in node.names}
        elif isinstance(node, ast.ImportFrom):
            assert node.level == 0, f"{path}: imports say the whole name"
            module = node.module or ""
            submodules = {f"{module}.{alias.name}" for alias in node.names}
            files = {name for name in submodules if (SOURCE.parent / f"{name.replace('.', '/')}.py").exists()}
            packages = {name for name in submodules if (SOURCE.parent / name.replace(".", "/")).is_dir()}
            found |= files | packages or {module}
    return found


MODULES = {
    ".".join(path.relative_to(SOURCE).with_suffix("").parts).removesuffix("__init__").rstrip("."): path
    for path in sorted(SOURCE.rglob("*.py"))
}


def test_imports_run_downwards() -> None:
    for module, name in [(module, name) for module, path in MODULES.items() for name in imports_of(path)]:
        target, package, told = (
            name.removeprefix("igual."),
            name.partition(".")[0],
            f"{module} imports {name}",
        )
        if name.startswith("igual.") and module != "":
            assert floor(target) <= floor(module) or (module, target) in UPWARDS, told
        if floor(module) < len(CORE):
            assert package not in {"click", "rich", "pathlib", "sys"}, told
            if package == "pandas" and not module.startswith("engines"):
                assert f"    import {name}" in MODULES[module].read_text(encoding="utf-8"), told
    for module, target in UPWARDS:
        assert f"igual.{target}" in imports_of(MODULES[module]), f"{module} no longer imports {target}"


def test_each_public_class_is_defined_once() -> None:
    where: dict[str, list[str]] = {}
    for module, path in MODULES.items():
        for node in nodes_of(path):
            if isinstance(node, ast.ClassDef) and not node.name.startswith("_"):
                where.setdefault(node.name, []).append(module)
    assert {name: modules for name, modules in where.items() if len(modules) > 1} == {}


def test_public_names() -> None:
    assert sorted(igual.__all__) == [
        "Applied", "Codebook", "Crosswalk", "Database", "Draft", "IgualError", "IgualWarning", "Learned", "ListError", "Lookalikes",
        "MatchIndex", "Matches", "Outcome", "OutputError", "PairList", "Question", "ReferenceList", "Review", "ReviewPage", "Rulebook",
        "RulebookError", "RulingError", "Rulings", "Survey", "TableError", "Tally", "__version__", "compare",
        "compare_lists", "count", "cross_table", "date_forms", "draft", "learn", "lookalikes", "match", "restyle_headers", "review", "rules",
        "survey", "tally",
    ]  # fmt: skip
    for name in igual.__all__:
        assert getattr(igual, name) is not None
    assert igual.__version__.count(".") == 2
    with pytest.raises(AttributeError, match="no attribute 'servey'"):
        igual.servey  # noqa: B018


def test_every_module_and_public_function_says_what_it_is() -> None:
    for found in pkgutil.walk_packages([str(SOURCE)], "igual."):
        assert importlib.import_module(found.name).__doc__, found.name
    for name in set(igual.__all__) - {"__version__"}:
        assert getattr(igual, name).__doc__, name


@pytest.mark.parametrize(
    ("call", "unwanted"),
    [
        ("--help", {"numpy", "pandas", "pyarrow", "pydantic", "rich", "scipy", "matplotlib"}),
        ("survey t.csv", {"pandas", "pydantic", "scipy", "matplotlib", "igual.rules", "igual.runs"}),
    ],
)
def test_the_command_line_starts_without_what_it_does_not_need(
    tmp_path: Path, call: str, unwanted: set[str]
) -> None:
    (tmp_path / "t.csv").write_text("a,b\nx,1\nx ,2\n", encoding="utf-8")
    loaded = (
        f"import sys; sys.argv = ['igual', *{call.split()}]\nfrom igual.cli import main\ntry: main()\n"
        f"except SystemExit: pass\nprint(sorted({unwanted} & sys.modules.keys()))"
    )
    done = subprocess.run(
        [sys.executable, "-c", loaded], cwd=tmp_path, capture_output=True, text=True, check=True
    )
    assert done.stdout.splitlines()[-1] == "[]"


def test_the_sample_data_comes_out_the_same(tmp_path: Path) -> None:
    subprocess.run([sys.executable, ROOT / "tools" / "make_demo_data.py", tmp_path], check=True)
    made = sorted(path.name for path in tmp_path.iterdir())
    assert made == sorted(set(FILES) - {"trees.toml"})
    for name in made:
        assert (tmp_path / name).read_bytes() == (SOURCE / "demo" / "data" / name).read_bytes()


@pytest.mark.parametrize("example", sorted((ROOT / "examples").glob("*.py")), ids=lambda path: path.name)
def test_examples_run(example: Path, tmp_path: Path) -> None:
    done = subprocess.run([sys.executable, example], cwd=tmp_path, capture_output=True, text=True)
    assert (done.returncode, done.stderr) == (0, "")
    assert done.stdout


def test_the_readme_example_runs_and_shows_what_comes_out(tmp_path: Path) -> None:
    readme = (ROOT / "README.md").read_text(encoding="utf-8")
    (code,) = re.findall(r"```python\n(.*?)```", readme, re.DOTALL)
    (rulebook,) = re.findall(r"```toml\n(.*?)```", readme, re.DOTALL)
    (tmp_path / "readme.toml").write_text(rulebook, encoding="utf-8")
    done = subprocess.run([sys.executable, "-c", code], cwd=tmp_path, capture_output=True, text=True)
    assert done.stderr == ""
    assert f"```text\n{done.stdout}```" in readme
    names: dict[str, object] = {}
    exec(compile(code, "readme", "exec"), names)
    assert igual.Rulebook.load(tmp_path / "readme.toml") == names["book"]


def test_the_reference_is_current(tmp_path: Path) -> None:
    made = tmp_path / "reference.md"
    subprocess.run([sys.executable, ROOT / "tools" / "make_reference.py", made], check=True)
    assert made.read_text(encoding="utf-8") == (ROOT / "docs" / "reference.md").read_text(encoding="utf-8")


def test_links_in_the_docs_lead_somewhere() -> None:
    for page in [ROOT / "README.md", *(ROOT / "docs").glob("*.md")]:
        for target in re.findall(r"\]\(([^)#:]+)(?:#[^)]*)?\)", page.read_text(encoding="utf-8")):
            assert (page.parent / target).exists(), f"{page.name}: {target}"


def test_the_wheel_holds_the_sample_data_and_works(tmp_path: Path) -> None:
    build = [sys.executable, "-m", "build", "--no-isolation", "--outdir", str(tmp_path), str(ROOT)]
    subprocess.run(build, check=True, capture_output=True)
    (wheel,) = tmp_path.glob("*.whl")
    assert len(list(tmp_path.glob("*.tar.gz"))) == 1
    with zipfile.ZipFile(wheel) as archive:
        names = set(archive.namelist())
        archive.extractall(tmp_path / "installed")
    assert {"igual/py.typed", *(f"igual/demo/data/{name}" for name in FILES)} <= names
    code = "import igual, igual.cli, sys; assert 'installed' in igual.__file__; sys.argv=['igual','demo']; igual.cli.main()"
    env = {"PYTHONPATH": str(tmp_path / "installed"), "PATH": ""}
    done = subprocess.run([sys.executable, "-c", code], cwd=tmp_path, env=env, capture_output=True, text=True)
    assert (done.returncode, done.stderr) == (0, "")
    assert "Where everything lies" in done.stdout
