"""Tables whose columns are of any types, and calls on them with any options."""

from __future__ import annotations

import contextlib
from collections.abc import Sequence
from datetime import date
from decimal import Decimal
from pathlib import Path
from random import Random
from typing import Any, NamedTuple

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
    ("survey {t}", ("-c a", "--report r.html", "--json", "-v", "{more}")),
    ("tally {t} -c {c}", ("--contains a", "--above 1", "--by b", "--of words", "--distinct", "--sort value", "--report r.html", "--json", "--against u.csv", "--against {more}")),
    ("apply b.toml {t}", ("--out {o}", "--trail trail.jsonl", "--crosswalk w.csv", "--crosswalk w.sssom.tsv", "--open op.xlsx", "--record r.json", "--report r.html",
                          "--most-values 2", "--escape-formulas", "--out-encoding utf-16", "--preview 2", "--only 1", "--json")),
    ("apply b.toml {t} {more} --out {o}", ("--source-file", "--most-values 2", "--json")), ("apply idle.toml {t} --out {o}", ("--most-values 2", "--json")),
    ("apply idle.toml {t} --out {o}", ("--trail trail.csv",)), ("apply {rules} u.csv --out {o}", ("--trail trail.csv", "--json")),
    ("check b.toml {t}", ("-c {c}", "--allow open=5%", "--most-values 1", "--report r.html", "--json", "--since {walk}", "{more} --source-file")),
    ("match {t} -c {c} -l {list}", ("--out {o}", "--by folded", "--report r.html", "--give kind", "--json", "--case-sensitive")),
    ("lookalikes {t} -c {c}", ("--out {o}", "--pairs p.csv", "--rulings ru.csv", "--weaker", "--list {list}", "--report r.html", "--escape-formulas")),
    ("crosswalk {walk} {t}", ("--out {o}", "--json", "--source-file", "{t}")), ("lists {list} {walk}", ("--json",)), ("check {rules} u.csv", ("--json", "--since {walk}")),
    ("review m.toml --table {t} --page p.html", ("--show a,b", "--show c", "--json", "--by me")),
    ("review m.toml {walk}", ("--look", "--json")), ("review m.toml {more}", ("--look", "--json")),
    ("draft {t}", ("--out d.toml", "--list {list}", "--json")), ("learn {t} -c {c} -e oak Oak", ("--add d.toml", "--into new", "-c b", "--json")),
)  # fmt: skip
# What stands beside a table: texts, or columns of any types under these names.
_BESIDE = {
    "l": (("value", "alias", "kind", "note"), "value,alias,kind\nOak,QR,t\nElm,,t\n"),
    "k": (("code", "label", "from", "to"), "code,label\n1,one\noak,Oak\n"),
    "p": (("from", "to", "code", "label"), "from,to\noak,Oak\n1,one\n"),
    "x": (
        ("column", "raw", "clean", "decision"),
        "column,raw,clean\na,oak,Oak\na,1,one\nb,2024-05-31,\n",
    ),
}
_RULEBOOKS = {
    "m": '[lists.l]\nfile = "{l}"\n[[rule]]\ncolumn = "a"\ndo = "match"\nlist = "l"\n',
    "give": '[lists.l]\nfile = "{l}"\n[[rule]]\ncolumn = "a"\ndo = "match"\nlist = "l"\ngive = "kind"\ninto = "n"\n',
    "label": '[codebooks.k]\nfile = "{k}"\n[[rule]]\ncolumn = "a"\ndo = "label"\ncodebook = "k"\n',
    "pairs": '[pairs.p]\nfile = "{p}"\n[[rule]]\ncolumn = "a"\ndo = "replace"\npairs = "p"\n',
}
# Rules that name every column and change nothing.
_IDLE = "".join(
    f'[[rule]]\ncolumn = "{column}"\ndo = "replace"\npairs = {{ "what no cell holds" = "x" }}\n'
    for column in COLUMNS
)
# Types, cells and shapes of the columns of a table.
_Recipe = list[tuple[pa.DataType, tuple[Any, ...], str]]


class TypedCase(NamedTuple):
    """A call, the tables that it is about, and what describes the case."""

    call: str
    tables: Sequence[str]
    rulebook: str
    content: str


def make_typed_case(random: Random, folder: Path, rulebook: str) -> TypedCase:
    """Write a table, what may stand beside it and rulebooks into a folder, and make a call on them."""
    (folder / "b.toml").write_text(rulebook, encoding="utf-8", newline="")
    (folder / "u.csv").write_text("a,b,c,odd name\noak,1,,x\nQR ,2024-05-31,1.5,\n", encoding="utf-8")
    names = {stem: _write_beside(random, folder, stem) for stem in _BESIDE}
    for stem, text in _RULEBOOKS.items():
        (folder / f"{stem}.toml").write_text("igual = 1\n" + text.format(**names), encoding="utf-8")
    (folder / "idle.toml").write_text("igual = 1\n" + _IDLE, encoding="utf-8")
    recipe = _choose_recipe(random)
    table = _make_table(random, recipe)
    more = _make_table(random, recipe if random.random() < 0.5 else _choose_recipe(random))
    tables = [write_typed_table(random, made, folder, stem) for stem, made in (("t", table), ("more", more))]
    call, options = random.choice(_CALLS)
    chosen = random.sample(options, random.randrange(min(len(options), 6)))
    call = " ".join((call, *chosen)).format(
        t=tables[0],
        more=tables[1],
        c=random.choice(("a", "b", "c")),
        o="o" + random.choice((".csv", ".tsv.gz", ".parquet", ".jsonl", ".xlsx", ".arrow")),
        list=names["l"],
        walk=names["x"],
        rules=f"{random.choice((*_RULEBOOKS,))}.toml",
    )
    content = "\n".join(f"{made.schema}\n{made!s:.5000}" for made in (table, more))
    return TypedCase(call, [name for name in tables if name in call.split()], rulebook, content)


def _write_beside(random: Random, folder: Path, stem: str) -> str:
    columns, texts = _BESIDE[stem]
    if random.random() < 0.6:
        (folder / f"{stem}.csv").write_text(texts, encoding="utf-8")
        return f"{stem}.csv"
    table = _make_table(random, _choose_recipe(random)).rename_columns(columns)
    if table.num_rows and random.random() < 0.6:
        # Else most would be refused for a value that stands twice.
        firsts = ["a"] * table.num_rows if stem == "x" else [f"oak {row}" for row in range(table.num_rows)]
        table = table.set_column(0, columns[0], pa.array(firsts))
    return write_typed_table(random, table, folder, stem)


def make_typed_table(random: Random) -> pa.Table:
    """A table whose columns are of any types, in one or more pieces with dictionaries of their own."""
    return _make_table(random, _choose_recipe(random))


def _choose_recipe(random: Random) -> _Recipe:
    shapes = (
        *["as it is"] * 15, *["dictionary"] * 4, "struct", "union", "dictionary in a struct", "dictionary in a list",
    )  # fmt: skip
    return [(*random.choice(_TYPED), random.choice(shapes)) for _ in COLUMNS]


def _make_table(random: Random, recipe: _Recipe) -> pa.Table:
    pieces = [random.choice((0, 1, 2, 20)) for _ in range(random.choice((1, 1, 3)))]
    columns = [
        pa.chunked_array([_make_piece(random, kind, cells, rows, shape) for rows in pieces])
        for kind, cells, shape in recipe
    ]
    return pa.Table.from_arrays(columns, names=COLUMNS)


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


def write_typed_table(random: Random, table: pa.Table, folder: Path, stem: str = "t") -> str:
    """Write such a table to a file, and give its name."""
    path = folder / f"{stem}{random.choice(('.parquet', '.arrow'))}"
    if path.suffix == ".parquet":
        try:
            parquet.write_table(table, path, row_group_size=random.choice((1, 100)))
        except (pa.ArrowNotImplementedError, OSError):
            path.unlink(missing_ok=True)
            path = path.with_suffix(".arrow")
    if path.suffix == ".arrow":
        # A file has one dictionary for a column, a stream another one for each batch.
        is_whole = all(column.num_chunks < 2 for column in table.columns)
        begin = pa.ipc.new_file if is_whole and random.random() < 0.7 else pa.ipc.new_stream
        with begin(path, table.schema) as file:
            file.write_table(table, max_chunksize=random.choice((2, 100)))
    return path.name
