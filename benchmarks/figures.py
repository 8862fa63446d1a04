"""The four figures of the first slice."""

from __future__ import annotations

import gc
import resource
import sys
import tempfile
import threading
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import pandas as pd
import polars as pl
import pyarrow as pa
import pyarrow.compute as pc
from pyarrow import csv

import igual
from benchmarks import chains
from benchmarks.measure import best_times, line, processes, times
from igual import rules

MILLION = 1_000_000


def many_rows() -> None:
    """10 million rows, 6,000 distinct messy values."""
    print("1. 10 million rows, 6,000 distinct values: spacing, lower case, 50-pair replace, label")
    column = chains.repeated(chains.messy_values(6_000), 10 * MILLION)
    table = pa.table({"value": column})
    series, polars_column = column.to_pandas(), pl.Series(column)
    frame, polars_frame = pd.DataFrame({"value": series}), pl.DataFrame({"value": polars_column})
    slow, slow_results = best_times(
        {
            "pandas .str and .map, pairs in one pattern": lambda: chains.with_pandas(series, by_call=True),
            "pandas .str and .map, pairs one by one": lambda: chains.with_pandas(series, by_call=False),
            "duckdb": lambda: chains.with_duckdb(table),
        },
        rounds=1,
    )
    wanted = pa.array(slow_results["pandas .str and .map, pairs in one pattern"]).cast(pa.large_string())
    _same(wanted, {name: _texts(result) for name, result in slow_results.items()})
    del slow_results
    fast, results = best_times(
        {
            "arrow, encode and decode only (the limit)": lambda: chains.arrow_limit(column),
            "igual, Arrow in and out": lambda: chains.with_igual(table),
            "igual, pandas in and out": lambda: chains.with_igual(frame),
            "igual, polars in and out": lambda: chains.with_igual(polars_frame),
            "igual, 2 rules": lambda: chains.with_igual(table, 2),
            "igual, 20 rules": lambda: chains.with_igual(table, 20),
            "polars": lambda: chains.with_polars(polars_column),
            "polars, by hand on distinct values and a join": lambda: chains.with_polars_distinct(
                polars_column
            ),
        },
        rounds=5,
    )
    compared = (
        "igual, Arrow in and out",
        "igual, pandas in and out",
        "igual, polars in and out",
        "polars",
        "polars, by hand on distinct values and a join",
    )
    _same(wanted, {name: _texts(results[name]) for name in compared})
    times(slow | fast)
    own, in_pandas = fast["igual, Arrow in and out"], fast["igual, pandas in and out"]
    slower = min(seconds for name, seconds in slow.items() if name.startswith("pandas"))
    limit = fast["arrow, encode and decode only (the limit)"]
    _at_least("pandas / igual (pandas in and out)", slower / in_pandas, 25)
    _at_least("polars / igual", fast["polars"] / own, 4)
    _at_least("duckdb / igual", slow["duckdb"] / own, 4)
    _at_most("igual / arrow's encode and decode", own / limit, 2)
    _at_most(
        "igual, polars in and out / arrow's encode and decode", fast["igual, polars in and out"] / limit, 1.4
    )
    _at_most("igual, 20 rules / 2 rules", fast["igual, 20 rules"] / fast["igual, 2 rules"], 1.1)


def all_distinct_values() -> None:
    """1 million rows, every value distinct."""
    print(
        "2. 1 million rows, every value distinct: the same chain; the texts of Igual's trail are made on demand"
    )
    column = chains.all_distinct(MILLION)
    table = pa.table({"value": column})
    # First of all, while the process holds no memory that could serve again.
    chains.with_igual(table.slice(0, 1_000))
    own = _grown(lambda: chains.with_igual(table))
    series = column.to_pandas()
    slow, slow_results = best_times(
        {
            "pandas .str and .map, pairs in one pattern": lambda: chains.with_pandas(series, by_call=True),
            "pandas .str and .map, pairs one by one": lambda: chains.with_pandas(series, by_call=False),
            "duckdb": lambda: chains.with_duckdb(table),
        },
        rounds=3,
    )
    wanted = _texts(slow_results["duckdb"])
    _same(wanted, {name: _texts(result) for name, result in slow_results.items()})
    fast, results = best_times(
        {
            "igual": lambda: chains.with_igual(table),
            "igual, all texts of its trail asked for": lambda: chains.with_igual_and_texts(table),
            "polars": lambda: chains.with_polars(column),
        },
        rounds=3,
    )
    _same(wanted, {name: _texts(result) for name, result in results.items()})
    del results
    times(slow | fast)
    slower = min(seconds for name, seconds in slow.items() if name.startswith("pandas"))
    _at_most("igual / pandas", fast["igual"] / slower, 0.5)
    _at_most("igual / duckdb", fast["igual"] / slow["duckdb"], 0.5)
    _at_most("igual / polars", fast["igual"] / fast["polars"], 1.5)
    with_texts = fast["igual, all texts of its trail asked for"]
    _at_most("igual with all texts of its trail / polars", with_texts / fast["polars"], 1.5)
    _at_most("igual's memory, in the column's bytes", own / column.nbytes, 3)


def _grown(run: Callable[[], Any]) -> float:
    """How many bytes a process grows by at most during a call."""
    statistics, size, most, is_running = Path("/proc/self/statm"), resource.getpagesize(), 0, True

    def watch() -> None:
        nonlocal most
        while is_running:
            most = max(most, int(statistics.read_text().split()[1]))
            time.sleep(0.001)

    gc.collect()
    pa.default_memory_pool().release_unused()
    before = int(statistics.read_text().split()[1])
    watcher = threading.Thread(target=watch)
    watcher.start()
    made = run()
    is_running = False
    watcher.join()
    del made
    return float(max(most - before, 0) * size)


def survey_of_distinct() -> None:
    """A survey of one column of a million distinct values, all oddities included."""
    print("14. a survey of 1 million distinct values")
    table = pa.table({"value": chains.all_distinct(MILLION)})
    best, _ = best_times({"igual survey": lambda: igual.survey(table)})
    times(best)
    _at_most("igual.survey, s", best["igual survey"], 2)


def exact_and_folded() -> None:
    """A million distinct values against a million entries, beside a pandas merge on the folded key."""
    print("15. match by exact and folded: 1 million values against 1 million entries")
    entries = chains.all_distinct(MILLION).cast(pa.large_string())
    entries = pc.utf8_trim_whitespace(pc.ascii_lower(entries))
    values = pc.ascii_upper(entries)
    listed = {"list": igual.ReferenceList(entries.to_pylist())}
    rule = rules.Match(list="list", by=("exact", "folded"))
    left, right = values.to_pandas(), entries.to_pandas()

    def keyed(texts: Any) -> pd.DataFrame:
        key = texts.str.casefold().str.replace(r"[\s\W_]+", "", regex=True)
        return pd.DataFrame({"text": texts, "key": key})

    def merged(ours: pd.DataFrame, theirs: pd.DataFrame) -> Any:
        return ours.merge(theirs, on="key", how="left")["text_y"]

    ready = keyed(left), keyed(right)
    best, results = best_times(
        {
            "igual, index, keys and look-up": lambda: rule.on(values, lists=listed),
            "pandas, keys and merge": lambda: merged(keyed(left), keyed(right)),
            "pandas, merge on keys that are ready": lambda: merged(*ready),
        },
        rounds=2,
    )
    own = best["igual, index, keys and look-up"]
    wanted = _texts(results["igual, index, keys and look-up"])
    _same(wanted, {name: _texts(result) for name, result in results.items()})
    times(best)
    _at_most("igual / pandas, keys and merge", own / best["pandas, keys and merge"], 2)
    _at_most("igual / pandas, merge alone", own / best["pandas, merge on keys that are ready"], 2)


def a_file() -> None:
    """A CSV of 1 million rows and 8 columns through the command line."""
    print("3. a CSV of 1 million rows and 8 columns through `igual apply`")
    with tempfile.TemporaryDirectory() as folder:
        raw, rulebook, clean = Path(folder, "raw.csv"), Path(folder, "rules.toml"), Path(folder, "clean.csv")
        _write_register(raw)
        rulebook.write_text(_RULEBOOK)
        command = str(Path(sys.executable).parent / "igual")
        only = "import sys; from pyarrow import csv; csv.write_csv(csv.read_csv(sys.argv[1]), sys.argv[2])"
        measured = processes(
            {
                "igual apply, whole process": [command, "apply", str(rulebook), str(raw), "--out", str(clean)],
                "pyarrow read_csv and write_csv, whole process": [
                    sys.executable, "-c", only, str(raw), str(Path(folder, "copy.csv")),
                ],
            },
            rounds=5,
        )  # fmt: skip
        size = raw.stat().st_size
    own, arrow = measured.values()
    times({name: run.seconds for name, run in measured.items()})
    print(
        f"    the file {size / 1e6:.0f} MB; peak memory: "
        f"igual {own.peak_bytes / 1e6:.0f} MB, pyarrow {arrow.peak_bytes / 1e6:.0f} MB"
    )
    _at_most("igual apply / pyarrow alone", own.seconds / arrow.seconds, 2.5)
    _at_most("peak memory / file", own.peak_bytes / size, 3)


def wide_survey() -> None:
    """A table of 3,000 columns."""
    print("13. a survey of 3,000 columns, 1,000 rows, 10 distinct values in each")
    rng = np.random.default_rng(1)
    values = ["Oak", "oak ", "Norway maple", "Elm", "", " x", "a b", "7", "1.5", "2024-05-31"]
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder, "wide.csv")
        table = pa.table({f"c{number}": pa.array(rng.choice(values, 1_000)) for number in range(3_000)})
        csv.write_csv(table, path)
        command = str(Path(sys.executable).parent / "igual")
        measured = processes({"igual survey": [command, "survey", str(path)]}, rounds=2)
    times({name: run.seconds for name, run in measured.items()})
    _at_most("igual survey, s", measured["igual survey"].seconds, 3)


def start_up() -> None:
    """How long the command takes before it does anything."""
    print("4. start-up")
    command = str(Path(sys.executable).parent / "igual")
    measured = processes(
        {
            "igual --help": [command, "--help"],
            'python -c "import click"': [sys.executable, "-c", "import click"],
            'python -c "pass"': [sys.executable, "-c", "pass"],
        },
        rounds=15,
    )
    times({name: run.seconds for name, run in measured.items()})
    own, click, _ = measured.values()
    _at_most("igual --help / import click", own.seconds / click.seconds, 3)


_RULEBOOK = """
igual = 1
[codebooks.condition.labels]
1 = "good"
2 = "fair"
3 = "poor"
[[rule]]
columns = ["species", "condition", "district", "firm"]
do = "spacing"
[[rule]]
columns = ["species", "district"]
do = "case"
style = "sentence"
[[rule]]
column = "species"
do = "replace"
where = "word"
pairs = { mapel = "maple", brich = "birch" }
[[rule]]
column = "condition"
do = "label"
codebook = "condition"
"""


def _write_register(path: Path) -> None:
    """A made-up register: few distinct values in most columns, every value another in two."""
    rng = np.random.default_rng(5)

    def drawn(values: list[str]) -> list[str]:
        return [values[at] for at in rng.integers(0, len(values), MILLION).tolist()]

    columns = [
        [f"T-{number:07d}" for number in range(MILLION)],
        drawn([f" Norway  mapel {kind}" if kind % 3 else f"silver BRICH {kind} " for kind in range(6_000)]),
        drawn(["1", "2", "3", "3 ", "9"]),
        drawn(list("aAcCpPsS")),
        drawn([f"DISTRICT  {number}" for number in range(40)]),
        drawn([f'"Tree Care, {number} & Sons"' for number in range(300)]),
        [f"{height / 10:.1f}" for height in rng.integers(15, 300, MILLION).tolist()],
        [
            f"stands near {house} Harbour Street; seen from the quay"
            for house in rng.integers(0, 200_000, MILLION).tolist()
        ],
    ]
    with path.open("w", encoding="utf-8", newline="") as file:
        file.write("tree,species,condition,site,district,firm,height,note\n")
        file.writelines(",".join(row) + "\n" for row in zip(*columns, strict=True))


def _texts(result: Any) -> pa.Array:
    """Any peer's result as one Arrow array of large texts."""
    if isinstance(result, pa.Table | pd.DataFrame | pl.DataFrame):
        result = result["value"]
    if isinstance(result, pd.Series):
        result = pa.array(result)
    elif isinstance(result, pl.Series):
        result = result.cast(pl.String).to_arrow()
    if isinstance(result, pa.ChunkedArray):
        result = pa.concat_arrays([chunk.cast(pa.large_string()) for chunk in result.chunks])
    return result.cast(pa.large_string())


def _same(wanted: pa.Array, results: dict[str, pa.Array]) -> None:
    for name, result in results.items():
        if not wanted.equals(result):
            raise AssertionError(f"{name} gives another result")
    print(f"    the same result: {', '.join(results)}")


def _at_least(what: str, ratio: float, limit: float) -> None:
    line(what, ratio, f"at least {limit:g}", ratio >= limit)


def _at_most(what: str, ratio: float, limit: float) -> None:
    line(what, ratio, f"at most {limit:g}", ratio <= limit)
