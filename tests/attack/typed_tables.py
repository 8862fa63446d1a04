"""Tables whose columns are of any types, and calls on them with any options."""

from __future__ import annotations

import contextlib
from collections.abc import Sequence
from datetime import date
from decimal import Decimal
from pathlib import Path
from random import Random
from typing import Any

import pyarrow as pa
from pyarrow import parquet

from tests.attack.generators import COLUMNS

# Types of columns, with what their cells may be.
_WHEN = (0, 1, 86_400_000, 1_717_113_600_000, -62_135_596_800_000)
_TYPED: tuple[tuple[pa.DataType, tuple[Any, ...]], ...] = (
    (pa.int8(), (-1, 0, 1, 2)), (pa.int64(), (1, 2, (1 << 63) - 1)), (pa.uint64(), (1, (1 << 64) - 1)), (pa.bool_(), (True, False)),
    (pa.float64(), (1.0, 0.1, -0.0, 1e300, float("inf"), float("nan"))), (pa.float32(), (1.0, 0.1)), (pa.decimal128(30, 2), (Decimal("1.00"), Decimal(10) ** 25)),
    (pa.date32(), (date(1, 1, 1), date(1850, 2, 3), date(2024, 5, 31))), (pa.timestamp("ms"), _WHEN), (pa.timestamp("ns"), (0, 1, 1 << 62)),
    (pa.timestamp("us", "Europe/Lisbon"), _WHEN), (pa.time64("us"), (0, 1, 3_600_000_000)), (pa.duration("ns"), (0, 1, 1 << 62)),
    (pa.string(), ("oak", "Oak ", "")), (pa.large_string(), ("oak", "=1+1")), (pa.string_view(), ("oak", "a" * 40)), (pa.null(), (None,)),
    (pa.binary(), (b"a", b"\xff")), (pa.list_(pa.string()), (["oak"], [])), (pa.list_(pa.duration("ns")), ([1], None)),
    (pa.struct([("x", pa.int64())]), ({"x": 1}, {"x": None})), (pa.map_(pa.string(), pa.timestamp("ns")), ([("k", 1)], [])),
    # What few tables have.
    (pa.uuid(), (b"0" * 16, b"1" * 16)), (pa.json_(pa.string()), ('{"a":1}', "[]", "oak")), (pa.bool8(), (1, 0)), (pa.opaque(pa.string(), "t", "v"), ("oak",)),
    (pa.fixed_shape_tensor(pa.int32(), [2]), ([1, 2],)), (pa.decimal32(5, 1), (Decimal("1.5"), Decimal("2.0"))), (pa.decimal64(12, 3), (Decimal("1.500"),)),
    (pa.decimal256(50, 3), (Decimal("1.5"), Decimal(10) ** 45)), (pa.decimal128(5, -2), (Decimal(100),)), (pa.date64(), (date(1, 1, 1), date(2024, 5, 31))),
    (pa.time32("s"), (0, 3600)), (pa.time64("ns"), (0, 1)), (pa.timestamp("s"), (0, 1 << 40, -(1 << 40))), (pa.duration("s"), (0, -5, 100_000)),
    (pa.float16(), (1.5, 2.0)), (pa.binary_view(), (b"a", b"\xff")), (pa.binary(2), (b"ab", b"\xff\xff")), (pa.large_binary(), (b"a",)),
    (pa.month_day_nano_interval(), ((1, 2, 3),)), (pa.list_view(pa.string()), (["a"], [])), (pa.large_list(pa.int64()), ([1], [])),
    (pa.list_(pa.null()), ([None, None], [])), (pa.struct([("x", pa.large_list(pa.null()))]), ({"x": [None] * 3}, {"x": None})),
    (pa.list_(pa.string(), 2), (["a", "b"],)), (pa.dictionary(pa.int8(), pa.string()), ("oak", "Elm ")), (pa.dictionary(pa.uint64(), pa.binary()), (b"oak",)),
    (pa.run_end_encoded(pa.int32(), pa.string()), ("oak", "Elm ")), (pa.run_end_encoded(pa.int16(), pa.float64()), (1.0, 1.5)),
)  # fmt: skip
_CALLS: tuple[tuple[str, tuple[str, ...]], ...] = (
    ("survey {t}", ("-c a", "--report r.html", "--json", "-v")),
    ("tally {t} -c {c}", ("--contains a", "--above 1", "--by b", "--of words", "--distinct", "--sort value", "--report r.html", "--json", "--against u.csv")),
    ("apply b.toml {t}", ("--out {o}", "--trail trail.jsonl", "--crosswalk w.csv", "--crosswalk w.sssom.tsv", "--open op.xlsx", "--record r.json", "--report r.html",
                          "--most-values 2", "--escape-formulas", "--out-encoding utf-16", "--preview 2", "--only 1", "--json")),
    ("check b.toml {t}", ("-c {c}", "--allow open=5%", "--most-values 1", "--report r.html", "--json")),
    ("match {t} -c {c} -l l.csv", ("--out {o}", "--by folded", "--report r.html", "--give kind", "--json", "--case-sensitive")),
    ("lookalikes {t} -c {c}", ("--out {o}", "--pairs p.csv", "--rulings ru.csv", "--weaker", "--list l.csv", "--report r.html", "--escape-formulas")),
    ("crosswalk x.csv {t}", ("--out {o}", "--json", "--source-file", "{t}")),
    ("review m.toml --table {t} --page p.html", ("--show a,b", "--show c", "--json", "--by me")),
    ("draft {t}", ("--out d.toml", "--list l.csv", "--json")), ("learn {t} -c {c} -e oak Oak", ("--add d.toml", "--into new", "-c b", "--json")),
)  # fmt: skip


def make_typed_table(random: Random) -> pa.Table:
    """A table whose columns are of any types, in one or more pieces with dictionaries of their own."""
    pieces = [random.choice((0, 1, 2, 20)) for _ in range(random.choice((1, 1, 3)))]
    return pa.Table.from_arrays([_make_column(random, pieces) for _ in COLUMNS], names=COLUMNS)


def _make_column(random: Random, pieces: Sequence[int]) -> pa.ChunkedArray:
    kind, cells = random.choice(_TYPED)
    shape = random.choice(
        (
            *["as it is"] * 15,
            *["dictionary"] * 4,
            "struct",
            "union",
            "dictionary in a struct",
            "dictionary in a list",
        )
    )
    return pa.chunked_array([_make_piece(random, kind, cells, rows, shape) for rows in pieces])


def _make_piece(random: Random, kind: pa.DataType, cells: Sequence[Any], rows: int, shape: str) -> pa.Array:
    if shape == "union":
        children = [pa.array(["oak"] * rows, pa.string()), pa.array([1] * rows, pa.int64())]
        return pa.UnionArray.from_sparse(
            pa.array([random.randrange(2) for _ in range(rows)], pa.int8()), children
        )
    column = pa.array([random.choice((*cells, None)) for _ in range(rows)], kind)
    if shape.startswith("dictionary"):
        # Arrow makes none of what is nested, and of dictionaries none again.
        with contextlib.suppress(pa.ArrowNotImplementedError, TypeError):
            column = column.dictionary_encode(null_encoding=random.choice(("mask", "mask", "mask", "encode")))
    if shape.endswith("struct"):
        return pa.StructArray.from_arrays([column], ["x"])
    return pa.ListArray.from_arrays(range(rows + 1), column) if shape.endswith("list") else column


def write_typed_table(random: Random, table: pa.Table, folder: Path) -> str:
    """Write such a table to a file, and give its name."""
    name = random.choice(("t.parquet", "t.arrow"))
    try:
        parquet.write_table(table, folder / "t.parquet", row_group_size=random.choice((1, 100)))
    except (pa.ArrowNotImplementedError, OSError):
        name = "t.arrow"
    if name == "t.arrow":
        (folder / "t.parquet").unlink(missing_ok=True)
        # A file has one dictionary for a column, a stream another one for each batch.
        is_whole = all(column.num_chunks < 2 for column in table.columns)
        begin = pa.ipc.new_file if is_whole and random.random() < 0.7 else pa.ipc.new_stream
        with begin(folder / name, table.schema) as file:
            file.write_table(table, max_chunksize=random.choice((2, 100)))
    return name


def make_call(random: Random, table: str) -> str:
    """A call on a table with any of the options, where b.toml, m.toml, l.csv and u.csv stand beside it."""
    call, options = random.choice(_CALLS)
    chosen = random.sample(options, random.randrange(min(len(options), 6)))
    out = "o" + random.choice((".csv", ".tsv.gz", ".parquet", ".jsonl", ".xlsx", ".arrow"))
    return " ".join((call, *chosen)).format(t=table, c=random.choice(("a", "b", "c")), o=out)
