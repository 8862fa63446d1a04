"""What every command writes on the demo, and what matching makes of every list: record it, change code, compare.

`python tools/golden_outputs.py record FOLDER` writes files of text; `compare FOLDER` does the same again, shows what
differs and exits with 1 if anything does. Lists beside the demo's are those of the benchmarks, where these are there.
"""

from __future__ import annotations

import difflib
import os
import re
import shlex
import subprocess
import sys
import tempfile
from collections.abc import Iterator
from pathlib import Path

import pyarrow.parquet as pq
from python_calamine import CalamineWorkbook

import igual

# Commands in the order in which they run, in the folder of the demo; later ones read what earlier ones wrote.
COMMANDS = (
    "survey trees.csv",
    "survey trees.csv --json",
    "survey trees.csv june.csv --report survey.html",
    "survey trees.csv -v -c species",
    "tally trees.csv -c condition",
    "tally trees.csv -c species --contains maple --ignore-case --json",
    "tally trees.csv -c site --by condition",
    "tally trees.csv -c species --top 20 --report tally.html",
    "tally trees.csv -c notes --of words",
    "tally trees.csv -c planted --distinct",
    "match trees.csv -c species --list species.csv --out matches.csv",
    "match trees.csv -c contractor --list contractors.csv --report match.html",
    "match trees.csv -c district --list districts.csv --json",
    "lookalikes trees.csv -c contractor --pairs pairs.csv --out groups.csv",
    "lookalikes trees.csv -c species --json",
    "lookalikes trees.csv -c street --weaker --report lookalikes.html",
    "draft trees.csv --list species.csv --list districts.csv --codebook condition.csv --out drafted.toml",
    "draft trees.csv --json",
    "learn trees.csv -c planted -e 27/10/1974 1974",
    "learn trees.csv -c district -e HARBOUR Harbour --json",
    "apply trees.toml trees.csv --preview 5",
    "apply trees.toml trees.csv --preview 3 --only 6",
    "apply trees.toml trees.csv --out clean.csv --trail trail.csv --crosswalk walk.csv --open open.csv",
    "apply trees.toml trees.csv --out recorded.csv --record record.json",
    "apply trees.toml trees.csv --report run.html",
    "apply trees.toml trees.csv june.csv --out clean.parquet --crosswalk walk.sssom.tsv --open open.xlsx --source-file",
    "apply trees.toml june.csv --out june.xlsx --json",
    "apply trees.toml trees.csv --out clean.jsonl --most-values 50",
    "check trees.toml june.csv",
    "check trees.toml trees.csv --since walk.csv --json",
    "check trees.toml june.csv --report check.html --allow open=1%",
    "tally trees.csv -c district --against clean.csv",
    "review trees.toml ruled.csv --by Ines --look",
    "review trees.toml ruled.csv --by Ines",
    "review trees.toml --table june.csv --page decide.html",
    "review trees.toml --add-to-lists --look --table trees.csv",
    "review trees.toml --add-to-lists",
    "review trees.toml --withdraw Oak?",
    "crosswalk walk.csv june.csv --out joined.csv",
    "lists species.csv districts.csv",
    "rules",
    "rules match",
    "check no.toml trees.csv",
    "tally trees.csv -c specis",
)
# What differs between two runs on the same input: moments, digests, and the random name of a page.
_CHANCE = re.compile(
    r"\b[0-9a-f]{64}\b|\b[0-9a-f]{32}\b|\d{4}-\d\d-\d\dT\d\d:\d\d:\d\dZ|sha256-[\w+/=]+|nonce-[\w+/=]+"
)
_TEXTS = (".csv", ".tsv", ".toml", ".json", ".jsonl", ".html")
_SHOWN_LINES = 12


def run_commands(folder: Path) -> Iterator[tuple[str, str]]:
    """Run all commands; gives names of files, and what each holds."""
    command = [sys.executable, "-m", "igual"]
    env = {**os.environ, "COLUMNS": "140", "PYTHONIOENCODING": "utf-8", "SOURCE_DATE_EPOCH": "1700000000"}
    subprocess.run(
        [*command, "demo", "--quiet", "port"], cwd=folder, env=env, check=True, capture_output=True
    )
    port = folder / "port"
    # The demo has rulings already: without them more is open.
    (port / "trees.rulings.csv").unlink()
    for number, words in enumerate(COMMANDS):
        done = subprocess.run(
            [*command, *shlex.split(words)],
            cwd=port,
            env=env,
            capture_output=True,
            text=True,
            encoding="utf-8",
        )
        shown = (
            f"$ igual {words}\n{done.stdout}\n-- standard error --\n{done.stderr}\n-- {done.returncode} --\n"
        )
        yield f"{number:02} {words.split()[0]}.txt", shown
    for path in sorted(port.iterdir()):
        if (text := _read_text(path)) is not None:
            yield path.name, text


def _read_text(path: Path) -> str | None:
    if path.suffix in _TEXTS:
        return path.read_text(encoding="utf-8")
    if path.suffix == ".parquet":
        table = pq.read_table(path)
        return f"{table.schema.remove_metadata()}\n" + "\n".join(map(str, table.to_pylist()))
    if path.suffix == ".xlsx":
        book = CalamineWorkbook.from_path(str(path))
        return "\n".join(
            f"{name}: {row}" for name in book.sheet_names for row in book.get_sheet_by_name(name).to_python()
        )
    return None


def match_lists() -> Iterator[tuple[str, str]]:
    """Match the names of all benchmark lists; gives names of files, and what each holds."""
    try:
        from benchmarks.names import all_names

        kinds = list(all_names())
    except (ImportError, FileNotFoundError) as error:
        print(f"without the lists of the benchmarks: {error}", file=sys.stderr)
        return
    for names in kinds:
        table = igual.match(list(names.values), igual.MatchIndex(names.entries)).table
        yield (
            f"match {re.sub(r'[^a-z0-9]+', ' ', names.kind.lower())}.csv",
            table.round(6).to_csv(index=False),
        )


def write_all(folder: Path) -> None:
    """Write all files into a folder."""
    folder.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory() as place:
        for made in (run_commands(Path(place)), match_lists()):
            for name, text in made:
                (folder / name).write_text(_CHANCE.sub("…", text.replace(place, "")), encoding="utf-8")


def compare(kept: Path) -> int:
    """Show what differs from a kept folder; gives the number of files that do."""
    with tempfile.TemporaryDirectory() as place:
        new = Path(place)
        write_all(new)
        names = sorted({path.name for folder in (kept, new) for path in folder.iterdir()})
        differing = 0
        for name in names:
            before, after = (_read_lines(folder / name) for folder in (kept, new))
            lines = list(difflib.unified_diff(before, after, "before", "after", lineterm="", n=0))
            if lines:
                differing += 1
                print(f"== {name}: {len(lines) - 2} lines differ")
                print("\n".join(line[:300] for line in lines[2 : 2 + _SHOWN_LINES]))
    print(f"{differing} of {len(names)} files differ")
    return differing


def _read_lines(path: Path) -> list[str]:
    return path.read_text(encoding="utf-8").splitlines() if path.exists() else []


if __name__ == "__main__":
    what, where = sys.argv[1], Path(sys.argv[2])
    if what == "record":
        write_all(where)
    else:
        sys.exit(min(compare(where), 1))
