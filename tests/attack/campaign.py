"""An attack on the command line: files of every kind, changed at random, in calls of every kind."""

from __future__ import annotations

import csv
import io
import json
import re
import shutil
from collections import Counter
from collections.abc import Callable, Iterator, Sequence
from itertools import chain
from pathlib import Path
from random import Random
from typing import NamedTuple

import pyarrow as pa

import igual
from igual.demo.layout import lay_out
from igual.files.tables import write_table
from tests.attack.arguments import make_arguments
from tests.attack.forked import Done, ForkServer
from tests.attack.generators import make_rulebook, make_table
from tests.attack.long_lists import make_long_case
from tests.attack.mutators import (
    Mutator,
    change_packed,
    mutate_archive,
    mutate_bytes,
    mutate_lines,
    mutate_rulebook,
    repeat_piece,
)
from tests.attack.python_calls import attack_python
from tests.attack.typed_tables import make_typed_case
from tests.attack.written_oddly import OUTPUTS, read_columns, read_plainly, write_oddly, write_ods

_SECONDS, _MEMORY, _SMALL = 60.0, 2 << 30, 0.5
_ROWS = 200
# Which share of the cases are rulebooks in order over tables in order: of texts, and of columns of any types; which are
# calls with odd words; which are so many calls from Python; and which are calls on very long files.
_GENERATED, _TYPED, _ODD_CALLS, _PYTHON, _LONG = 0.25, 0.2, 0.1, 0.008, 0.003
_PYTHON_MODULES = (("python_calls", 300), ("splits", 60))
# What reaches a terminal raw would be obeyed by it, or would paint over what stands beside it.
_UNSEEN = re.compile(
    "[\x00-\x08\x0b-\x1f\x7f-\x9f\u200b-\u200f\u202a-\u202e\u2060-\u2069\ufeff\U000e0000-\U000e007f]"
)
_APPLY = "apply trees.toml {} --out out.csv --trail trail.csv --crosswalk walk.sssom.tsv --open open.xlsx --record r.json"


class Target(NamedTuple):
    """A kind of file, how it is changed, and the calls that read it."""

    name: str
    file: str
    mutators: Sequence[Mutator]
    calls: Sequence[str]


_BYTES: Sequence[Mutator] = (mutate_bytes, mutate_bytes, repeat_piece)
_TEXT: Sequence[Mutator] = (*_BYTES, mutate_lines, mutate_lines)
TARGETS = (
    Target("table", "trees.csv", _TEXT, (
        "survey trees.csv", "survey trees.csv --json", "tally trees.csv -c species", "tally trees.csv -c notes --distinct",
        _APPLY.format("trees.csv"), "apply trees.toml trees.csv --preview 3", "check trees.toml trees.csv --json",
        "draft trees.csv --out d.toml", "crosswalk walk.csv trees.csv --out o.csv", "survey trees.csv --report r.html",
        "lookalikes trees.csv -c street --pairs p.csv", "match trees.csv -c species --list species.csv --out m.csv",
    )),
    Target("rulebook", "trees.toml", (mutate_rulebook, mutate_rulebook, *_BYTES), (
        _APPLY.format("trees.csv"), "check trees.toml trees.csv", "apply trees.toml trees.csv --preview 2",
    )),
    Target("list", "species.csv", _TEXT, (
        "match trees.csv -c species --list species.csv", "check trees.toml trees.csv", "lists districts.csv species.csv",
        "review trees.toml --add-to-lists",
    )),
    Target("codebook", "condition.csv", _TEXT, ("check trees.toml trees.csv",)),
    Target("pair list", "misspellings.csv", _TEXT, ("check trees.toml trees.csv",)),
    Target("rulings", "trees.rulings.csv", _TEXT, (
        "check trees.toml trees.csv", "review trees.toml --add-to-lists", "review trees.toml open.csv",
    )),
    Target("sheet", "open.csv", _TEXT, ("review trees.toml open.csv", "review trees.toml open.csv --look --json")),
    Target("sheet .xlsx", "open.xlsx", (mutate_archive,), ("review trees.toml open.xlsx",)),
    Target(".xlsx", "trees.xlsx", (mutate_archive,), ("survey trees.xlsx", "tally trees.xlsx -c species", "check trees.toml trees.xlsx")),
    Target("Parquet", "trees.parquet", _BYTES, ("survey trees.parquet", _APPLY.format("trees.parquet"))),
    Target("Arrow", "trees.arrow", _BYTES, ("survey trees.arrow", _APPLY.format("trees.arrow"))),
    Target("JSON Lines", "trees.jsonl", (*_BYTES, mutate_lines), (
        "survey trees.jsonl", "tally trees.jsonl -c species", "apply trees.toml trees.jsonl --out o.jsonl",
    )),
    Target("gzip", "trees.csv.gz", (*_BYTES, *change_packed("gzip", _TEXT)), ("survey trees.csv.gz", "apply trees.toml trees.csv.gz --out o.csv.gz")),
    Target("zstd", "trees.csv.zst", (*_BYTES, *change_packed("zstd", _TEXT)), ("survey trees.csv.zst", "apply trees.toml trees.csv.zst --out o.parquet")),
    Target(".ods", "trees.ods", (mutate_archive,), ("survey trees.ods", "check trees.toml trees.ods", "survey trees.ods --sheet 1")),
    Target("several", "trees.csv", _TEXT, (
        "survey june.csv trees.csv", "tally trees.csv june.csv -c species --by source_file --source-file",
        "apply trees.toml june.csv trees.csv --out o.xlsx", "survey trees.csv --header-row 3",
    )),
    Target("SKOS", "species.ttl", _BYTES, ("match trees.csv -c species --list species.ttl",)),
    Target("SKOS JSON-LD", "species.jsonld", _BYTES, ("match trees.csv -c species --list species.jsonld",)),
    Target("SSSOM", "walk.sssom.tsv", _TEXT, ("check trees.toml trees.csv --since walk.sssom.tsv",)),
    Target("crosswalk", "walk.csv", _TEXT, ("check trees.toml trees.csv --since walk.csv --json",)),
)  # fmt: skip


class Case(NamedTuple):
    """One call on one changed file, and what is wrong with its end; '' when all is well."""

    target: str
    call: str
    changed: bytes
    done: Done
    fault: str


def lay_out_world(folder: Path) -> Path:
    """A small register with everything that calls read: lists, sheets, crosswalks, in every format."""
    from openpyxl import Workbook

    lay_out(folder)
    # The second month has spellings that wait for rulings.
    lines = (folder / "june.csv").read_text(encoding="utf-8").splitlines(keepends=True)[: _ROWS + 1]
    (folder / "trees.csv").write_text("".join(lines), encoding="utf-8")
    book = igual.Rulebook.load(folder / "trees.toml")
    table = {name: list(cells) for name, *cells in zip(*csv.reader(io.StringIO("".join(lines))), strict=True)}
    outcome = book.apply(table)
    outcome.save_open(folder / "open.csv")
    outcome.save_open(folder / "open.xlsx")
    outcome.crosswalks.save(folder / "walk.csv")
    outcome.crosswalks.save(folder / "walk.sssom.tsv")
    rulings = book.rulings
    for value, ruling in (
        ("Mapel", "Norway maple"),
        ("Oak?", "alias of Turkey oak"),
        ("Gingko", "new entry"),
        ("?", "keep as it is"),
    ):
        rulings = rulings.decide("species", value, ruling, 'he said, "yes"', by="Ines", on="2026-05-08")
    rulings = rulings.decide("species", "Mapel", "Field maple", by="Ines", on="2026-05-08", within="Old Town")
    species = book.lists["species"]
    species.save_skos(folder / "species.ttl")
    species.save_skos(folder / "species.jsonld")
    for ending in (".parquet", ".arrow", ".jsonl", ".csv.gz", ".csv.zst"):
        write_table(pa.table(table), folder / f"trees{ending}", ending)
    write_ods(folder / "trees.ods", [list(table), *zip(*table.values(), strict=True)])
    sheet = Workbook()
    for line in csv.reader(io.StringIO("".join(lines))):
        sheet.active.append(line)
    sheet.save(folder / "trees.xlsx")
    return folder


def attack(server: ForkServer, world: Path, place: Path, seed: int) -> Iterator[Case]:
    """Attack without end.

    Args:
        server: What runs the calls.
        world: The folder of `lay_out_world`.
        place: A folder to work in.
        seed: The same seed gives the same cases.

    Yields:
        Every case.
    """
    random = Random(seed)
    while True:
        which = random.random()
        if which < _GENERATED + _TYPED:
            yield (_attack_generated if which < _GENERATED else _attack_typed)(server, place, random)
            continue
        if which < _GENERATED + _TYPED + _ODD_CALLS:
            yield _attack_arguments(server, world, place, random)
            continue
        if which > 1 - _PYTHON:
            module, calls = random.choice(_PYTHON_MODULES)
            seed = random.randrange(1 << 32)
            yield Case(
                module.replace("_", " "), *attack_python(f"tests.attack.{module}", seed, calls, _SECONDS)
            )
            continue
        if which > 1 - _PYTHON - _LONG:
            yield _attack_long(server, place, random)
            continue
        target = random.choice(TARGETS)
        content = (world / target.file).read_bytes()
        changed = random.choice(target.mutators)(random, content)
        call = random.choice(target.calls)
        folder, before = _lay_out_case(world, place, {target.file: changed})
        done = server.run(call.split(), folder, seconds=_SECONDS, small_parts=random.random() < _SMALL)
        yield Case(target.name, call, changed, done, find_fault(call, done, folder, before))


def _empty(place: Path) -> Path:
    folder = place / "case"
    shutil.rmtree(folder, ignore_errors=True)
    folder.mkdir()
    return folder


def _lay_out_case(world: Path, place: Path, changed: dict[str, bytes]) -> tuple[Path, dict[str, bytes]]:
    """A copy of the world with some files changed, and what its files hold."""
    folder = place / "case"
    shutil.rmtree(folder, ignore_errors=True)
    shutil.copytree(world, folder)
    for name, content in changed.items():
        (folder / name).write_bytes(content)
    return folder, {path.name: path.read_bytes() for path in folder.iterdir() if path.suffix != ".lock"}


def _attack_arguments(server: ForkServer, world: Path, place: Path, random: Random) -> Case:
    """Files in order, and a call with any options and odd words: it must end well, or say what it can't do."""
    folder, before = _lay_out_case(world, place, {})
    arguments = make_arguments(random, sorted(before))
    done = server.run(arguments, folder, seconds=_SECONDS, small_parts=random.random() < _SMALL)
    call = " ".join(arguments)
    content = repr(arguments).encode("utf-8", "backslashreplace")
    return Case("arguments", call, content, done, find_fault(call, done, folder, before))


def _attack_generated(server: ForkServer, place: Path, random: Random) -> Case:
    """A rulebook that is in order over a table of odd texts, oddly written: it must come out right."""
    folder = _empty(place)
    table, rulebook = make_table(random), make_rulebook(random)
    (folder / "b.toml").write_text(rulebook, encoding="utf-8", newline="")
    name, delimiter = write_oddly(random, folder, table)
    out = f"o{random.choice(OUTPUTS)}"
    before = {path.name: path.read_bytes() for path in folder.iterdir()}
    column = random.choice([*table])
    call = random.choice(
        (
            f"apply b.toml {name} --out {out} --trail trail.csv",
            f"tally {name} -c {column.split()[0]}* --json",
        )
    )
    done = server.run(call.split(), folder, seconds=_SECONDS, small_parts=random.random() < _SMALL)
    fault = find_fault(call, done, folder, before)
    if not fault and call.startswith("tally"):
        fault = _compare_with_counts(done, table, column)
    elif not fault and done.returncode == 0 and "headers =" not in rulebook:
        fault = _compare_with_trail(
            read_plainly(folder / out, delimiter), read_plainly(folder / "trail.csv", delimiter), table
        )
    return Case("generated", call, rulebook.encode() + b"\n" + before[name], done, fault)


def _attack_typed(server: ForkServer, place: Path, random: Random) -> Case:
    """A call with any options on a table of any types: it must end well, or say what it can't do."""
    folder = _empty(place)
    call, tables, rulebook, content = make_typed_case(random, folder, make_rulebook(random))
    before = {path.name: path.read_bytes() for path in folder.iterdir()}
    done = server.run(call.split(), folder, seconds=_SECONDS, small_parts=random.random() < _SMALL)
    fault = find_fault(call, done, folder, before)
    if not fault and done.returncode == 0 and call.startswith("apply b.toml"):
        fault = _compare_untouched(folder, tables, rulebook)
    if not fault and call.startswith("apply idle.toml"):
        fault = _compare_idle(done, folder, tables)
    content = f"{rulebook}\n{content}"
    return Case("typed", call, content.encode("utf-8", "backslashreplace"), done, fault)


def _attack_long(server: ForkServer, place: Path, random: Random) -> Case:
    """A call on files of very many lines: it must end in time, within the memory that others have."""
    folder = _empty(place)
    call, content = make_long_case(random, folder)
    before = {path.name: path.read_bytes() for path in folder.iterdir()}
    done = server.run(call.split(), folder, seconds=_SECONDS)
    return Case("long", call, content.encode(), done, find_fault(call, done, folder, before))


def _compare_untouched(folder: Path, names: Sequence[str], rulebook: str) -> str:
    """Whether columns that no rule names kept their cells, and their types where the format is the same."""
    out = next((path for path in folder.glob("o.*") if path.suffix in (".parquet", ".arrow")), None)
    # Patterns name columns, too, and headers all of them.
    if out is None or "columns =" in rulebook or "headers =" in rulebook:
        return ""
    given, made = [read_columns(folder / name) for name in names], read_columns(out)
    for column in given[0].column_names:
        before, after = [table[column] for table in given], made[column]
        if f'column = "{column}"' in rulebook or any(part.type != before[0].type for part in before):
            continue
        if before[0].type != after.type and all(name.endswith(out.suffix) for name in names):
            return f"column {column}: {before[0].type} became {after.type}"
        wanted, found = _spell(*before), _spell(after)
        if wanted != found:
            return f"column {column} came out changed: {wanted} as {found}"
    return ""


def _compare_idle(done: Done, folder: Path, names: Sequence[str]) -> str:
    """Whether all cells are as they were where rules name every column and change nothing, or one is refused by name."""
    if done.returncode == 0:
        return _compare_untouched(folder, names, "")
    said = any(words in done.stderr for words in ("column '", "can't be read"))
    return "" if said else f"refused without a column's name: {done.stderr}"


def _spell(*parts: pa.ChunkedArray) -> list[str]:
    """The cells as Python has them; times as numbers where Python has no such day."""
    column = pa.chunked_array(list(chain.from_iterable(part.chunks for part in parts)), parts[0].type)
    try:
        return [*map(repr, column.to_pylist())]
    except OverflowError:
        for leaf in (_without_seconds, _as_number):
            column = column.cast(_change_type(column.type, leaf))
        return [*map(repr, column.to_pylist())]


def _change_type(kind: pa.DataType, leaf: Callable[[pa.DataType], pa.DataType]) -> pa.DataType:
    """A type in which those of single cells, however deep, are others."""
    if pa.types.is_dictionary(kind):
        return _change_type(kind.value_type, leaf)
    if pa.types.is_struct(kind):
        return pa.struct([(field.name, _change_type(field.type, leaf)) for field in kind])
    if pa.types.is_list(kind) or pa.types.is_large_list(kind):
        return pa.list_(_change_type(kind.value_type, leaf))
    return leaf(kind)


def _without_seconds(kind: pa.DataType) -> pa.DataType:
    """As Parquet holds it, which has no seconds, and milliseconds in their place."""
    return pa.timestamp("ms", kind.tz) if pa.types.is_timestamp(kind) and kind.unit == "s" else kind


def _as_number(kind: pa.DataType) -> pa.DataType:
    if not pa.types.is_temporal(kind) or pa.types.is_interval(kind):
        return kind
    return pa.int32() if kind.bit_width == 32 else pa.int64()


def _compare_with_counts(done: Done, table: dict[str, list[str]], column: str) -> str:
    """Whether a tally counts what stands in the column."""
    if done.returncode:
        return f"a table in order was refused: {done.stderr[:300]}"
    counted, wanted = Counter[str](), Counter(table[column])
    for row in json.loads(done.stdout)["values"]:
        counted[row["value"] or ""] += row["rows"]
    return "" if counted == wanted else f"counted {counted}, not {wanted}"


def _compare_with_trail(
    made: list[dict[str, str]], trail: list[dict[str, str]], table: dict[str, list[str]]
) -> str:
    """Whether every row came out as the trail says of its value, where nothing else was looked at."""
    rows = len(next(iter(table.values())))
    if len(made) != rows:
        return f"{rows} rows came out as {len(made)}"
    for name, cells in table.items():
        steps = [row for row in trail if row["column"] == name]
        if any(row["given"] for row in steps):
            continue
        clean = {row["raw"]: row["clean"] for row in steps} if steps else {cell: cell for cell in cells}
        for row, cell in enumerate(cells):
            if made[row][name] != clean.get(cell):
                return f"column {name}, row {row}: {cell!r} came out as {made[row][name]!r}, not {clean.get(cell)!r}"
    return ""


def find_fault(call: str, done: Done, folder: Path, before: dict[str, bytes]) -> str:
    """What is wrong with the end of a call; '' when nothing is."""
    findings = 1 if call.startswith(("check", "review", "draft", "learn")) else 0
    if done.timed_out:
        return f"no end after {_SECONDS:.0f} s"
    if "Traceback" in done.stderr or "unforeseen error" in done.stderr:
        return f"traceback: {done.stderr[-300:]}"
    if done.returncode not in (0, findings, 2):
        return f"exit status {done.returncode}"
    if done.returncode == 2 and done.stderr.count("\n") > 2:
        return f"an error of {done.stderr.count(chr(10))} lines"
    if done.returncode == 2 and not done.stderr:
        return "status 2 without a word"
    if done.peak > _MEMORY:
        return f"{done.peak >> 20} MiB"
    if found := _UNSEEN.search(done.stdout + done.stderr):
        return f"{found[0]!r} reached the terminal"
    return _find_wrong_files(call, done, folder, before)


def _find_wrong_files(call: str, done: Done, folder: Path, before: dict[str, bytes]) -> str:
    now = {path.name: path.read_bytes() for path in folder.iterdir() if not path.name.endswith(".lock")}
    if left := [name for name in now if name.endswith(".part")]:
        return f"left {left[0]}"
    may_change = (
        {"trees.rulings.csv", "b.rulings.csv", "species.csv", "districts.csv", "contractors.csv", "l.csv"}
        if call.startswith("review")
        else set()
    )
    outputs = set(call.split()) | may_change
    if changed := [
        name for name, content in before.items() if name not in outputs and now.get(name) != content
    ]:
        return f"changed {changed[0]}"
    if done.returncode == 2 and (new := [name for name in now if name not in before]):
        return f"failed, and wrote {new[0]}"
    if call.startswith(_APPLY.format("trees.csv")) and done.returncode == 0:
        return _compare_tables(now["trees.csv"], now["out.csv"])
    return ""


def _compare_tables(raw: bytes, clean: bytes) -> str:
    """Whether a clean table has the rows of the raw one, and columns that no rule names as they were."""
    try:
        text = raw.decode("utf-8-sig")
        given = [row for row in csv.reader(io.StringIO(text, newline=""), strict=True) if row]
    except (UnicodeDecodeError, csv.Error):
        return ""
    made = [row for row in csv.reader(io.StringIO(clean.decode("utf-8-sig"), newline="")) if row]
    if len(given) != len(made):
        return f"{len(given)} rows came out as {len(made)}"
    if "tree" in given[0] and given[0].count("tree") == 1 and "tree" in made[0]:
        at, now = given[0].index("tree"), made[0].index("tree")
        if [row[at] for row in given] != [row[now] for row in made]:
            return "a column that no rule names came out changed"
    return ""
