"""Files larger than memory: time and memory of `igual apply` beside others that stream."""

from __future__ import annotations

import json
import subprocess
import sys
import tempfile
from collections.abc import Sequence
from pathlib import Path

import numpy as np
import pyarrow as pa
from pyarrow import csv, parquet

from benchmarks import chains
from benchmarks.figures import _at_most
from benchmarks.measure import processes, times

ROWS = 11_000_000
_PIECE = 500_000
_BOOK = """
igual = 1
[codebooks.labels.labels]
{labels}
[codebooks.condition.labels]
1 = "good"
2 = "fair"
3 = "poor"
[[rule]]
column = "value"
do = "spacing"
[[rule]]
column = "value"
do = "case"
style = "lower"
[[rule]]
column = "value"
do = "replace"
pairs = {{ {pairs} }}
[[rule]]
column = "value"
do = "label"
codebook = "labels"
otherwise = "keep"
[[rule]]
column = "condition"
do = "label"
codebook = "condition"
"""
_POLARS = """
import sys, polars as pl
from benchmarks import chains
given = chains.pairs()
value = pl.col("value").str.strip_chars().str.replace_all(r"\\s+", " ").str.to_lowercase()
value = value.str.replace_many(list(given), list(given.values())).replace(chains.labels())
condition = pl.col("condition").replace({"1": "good", "2": "fair", "3": "poor"})
raw = pl.scan_csv(sys.argv[1], infer_schema=False)
raw.with_columns(value, condition).sink_csv(sys.argv[2])
"""
_DUCKDB = """
import sys, duckdb
from benchmarks import chains
value = r"lower(regexp_replace(trim(value), '\\s+', ' ', 'g'))"
for sought, meant in chains.pairs().items():
    value = f"replace({value}, '{sought}', '{meant}')"
codes = ", ".join(f"'{code}': '{label}'" for code, label in chains.labels().items())
conditions = "MAP {'1': 'good', '2': 'fair', '3': 'poor'}"
duckdb.sql(
    f"COPY (SELECT id, coalesce(MAP {{{codes}}}[clean], clean) AS value, coalesce({conditions}[condition], condition) "
    f"AS condition, note FROM (SELECT *, {value} AS clean FROM read_csv('{sys.argv[1]}', all_varchar = true))) "
    f"TO '{sys.argv[2]}' (HEADER)"
)
"""
_COPY = """
import sys
from pyarrow import parquet
raw = parquet.ParquetFile(sys.argv[1])
with parquet.ParquetWriter(sys.argv[2], raw.schema_arrow) as writer:
    for batch in raw.iter_batches(1 << 20):
        writer.write_batch(batch)
"""


_COUNT = """
import json, sys, duckdb
duckdb.sql("SET enable_progress_bar = false")
raw = duckdb.read_csv(sys.argv[1], all_varchar=True)
counts = ", ".join(f"count(DISTINCT {name})" for name in raw.columns)
print(json.dumps(duckdb.sql(f"SELECT {counts} FROM raw").fetchall()[0]))
"""


def _write_book(path: Path) -> None:
    labels = "\n".join(f'"{code}" = "{label}"' for code, label in chains.labels().items())
    pairs = ", ".join(f'"{sought}" = "{meant}"' for sought, meant in chains.pairs().items())
    path.write_text(_BOOK.format(labels=labels, pairs=pairs))


def _pieces(rows: int, words: str) -> list[pa.Table]:
    values = chains.messy_values(6_000)
    made = []
    for start in range(0, rows, _PIECE):
        count = min(_PIECE, rows - start)
        rng = np.random.default_rng(start)
        number = pa.array(np.arange(start, start + count)).cast(pa.string())
        note = pa.array([f"{words} {place}" for place in range(1_000)]).take(
            pa.array(rng.integers(0, 1_000, count))
        )
        condition = pa.array(["1", "2", "3"]).take(pa.array(rng.integers(0, 3, count)))
        value = chains.repeated(values, count, seed=start)
        made.append(pa.table({"id": number, "value": value, "condition": condition, "note": note}))
    return made


def _write_text(path: Path, rows: int, without: Sequence[str] = ()) -> None:
    options = csv.WriteOptions(include_header=False, quoting_style="needed")
    with path.open("wb") as file:
        for place, piece in enumerate(
            _pieces(rows, "stands near the quay; seen from the house across the street; number")
        ):
            piece = piece.drop_columns([*without])
            if place == 0:
                file.write(",".join(piece.column_names).encode() + b"\n")
            csv.write_csv(piece, file, options)


def survey_of_text(rows: int = ROWS) -> None:
    """Surveys of a CSV of 1.2 GB, with and without a column in which each row has another value."""
    print(f"12. a survey of a CSV of {rows / 1e6:.1f} million rows")
    for what, without in (("3 columns of few values", ["id"]), ("4 columns, one all distinct", [])):
        with tempfile.TemporaryDirectory() as name:
            raw = Path(name) / "raw.csv"
            _write_text(raw, rows, without)
            command = str(Path(sys.executable).parent / "igual")
            own_call = [command, "survey", str(raw), "--json"]
            peer_call = [sys.executable, "-c", _COUNT, str(raw)]
            found = json.loads(subprocess.check_output(own_call))["columns"]
            counted = json.loads(subprocess.check_output(peer_call))
            assert [column["distinct"] for column in found] == counted, f"{found} is not {counted}"
            measured = processes({"igual survey": own_call, "duckdb, count(distinct)": peer_call}, rounds=2)
        times({f"{what}: {name}": run.seconds for name, run in measured.items()})
        own, peer = measured.values()
        print(f"    peak memory, MB: {own.peak_bytes / 1e6:,.0f}, {peer.peak_bytes / 1e6:,.0f}")
        _at_most(f"{what}: igual / duckdb", own.seconds / peer.seconds, 1.5)


def text_table(rows: int = ROWS) -> None:
    """A CSV of 1.2 GB, of 4 columns, 2 of which are touched."""
    print(f"10. a CSV of {rows / 1e6:.1f} million rows and 4 columns, 2 touched, from file to file")
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        raw, rulebook = folder / "raw.csv", folder / "rules.toml"
        _write_book(rulebook)
        _write_text(raw, rows)
        command = str(Path(sys.executable).parent / "igual")
        outputs = {what: folder / f"{what}.csv" for what in ("igual", "polars", "duckdb")}
        measured = processes(
            {
                "igual apply": [command, "apply", str(rulebook), str(raw), "--out", str(outputs["igual"]), "--force"],
                "polars, sink_csv": [sys.executable, "-c", _POLARS, str(raw), str(outputs["polars"])],
                "duckdb, COPY": [sys.executable, "-c", _DUCKDB, str(raw), str(outputs["duckdb"])],
            },
            rounds=2,
        )  # fmt: skip
        size = raw.stat().st_size
        wanted = outputs["igual"].read_bytes() if rows <= 2_000_000 else b""
        for what, path in outputs.items():
            assert outputs["igual"].stat().st_size == path.stat().st_size, f"{what} gives another result"
            assert not wanted or path.read_bytes() == wanted
    times({name: run.seconds for name, run in measured.items()})
    own, polars, duckdb = measured.values()
    print(
        f"    the file {size / 1e6:,.0f} MB; peak memory, MB: "
        + ", ".join(f"{run.peak_bytes / 1e6:,.0f}" for run in measured.values())
    )
    _at_most("peak memory, MB", own.peak_bytes / 1e6, 350)
    _at_most("igual / polars", own.seconds / polars.seconds, 1.0)
    _at_most("igual / duckdb", own.seconds / duckdb.seconds, 0.5)


def parquet_file(rows: int = 50_000_000) -> None:
    """A Parquet file of 50 million rows with dictionary pages."""
    print(f"11. Parquet of {rows / 1e6:.0f} million rows with dictionary pages, from file to file")
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        raw, rulebook = folder / "raw.parquet", folder / "rules.toml"
        own_out, copied = folder / "own.parquet", folder / "copy.parquet"
        _write_book(rulebook)
        pieces = [piece.drop_columns(["id"]) for piece in _pieces(min(rows, 5_000_000), "near the quay")]
        with parquet.ParquetWriter(raw, pieces[0].schema) as writer:
            for _ in range(max(rows // 5_000_000, 1)):
                for piece in pieces:
                    writer.write_table(piece)
        command = str(Path(sys.executable).parent / "igual")
        measured = processes(
            {
                "igual apply": [command, "apply", str(rulebook), str(raw), "--out", str(own_out), "--force"],
                "pyarrow, read and written in batches": [sys.executable, "-c", _COPY, str(raw), str(copied)],
            },
            rounds=2,
        )  # fmt: skip
    times({name: run.seconds for name, run in measured.items()})
    own, copy = measured.values()
    print(f"    peak memory, MB: {own.peak_bytes / 1e6:,.0f}, {copy.peak_bytes / 1e6:,.0f}")
    _at_most("igual / pyarrow alone", own.seconds / copy.seconds, 1.5)
