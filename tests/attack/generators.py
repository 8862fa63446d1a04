"""Rulebooks that are in order, with odd words, over tables of odd texts and types, in calls with any options."""

from __future__ import annotations

import contextlib
import json
from collections.abc import Callable
from datetime import date
from decimal import Decimal
from functools import partial
from random import Random
from typing import Any

import pyarrow as pa

from tests.attack.mutators import NASTY_TEXTS

_LETTERS = (
    "a",
    "B",
    "é",
    "ß",
    "İ",
    "ﬁ",
    "Д",
    "中",
    " ",
    "  ",
    "-",
    ",",
    ".",
    "(",
    "1",
    "23",
    "/",
    "\u00a0",
    "\u0301",
    "😀",
    "oak",
    "Oak",
    "ELM",
)
_COLUMNS = ("a", "b", "c", "odd name")
_SOUGHT = ("oak", "a", "ß", "é", " ")
_WHERE = ("anywhere", "whole", "word", "start", "end")


def make_text(random: Random) -> str:
    """A short text of odd pieces."""
    if random.random() < 0.15:
        return random.choice(NASTY_TEXTS)
    return "".join(random.choice(_LETTERS) for _ in range(random.randrange(6)))


def make_table(random: Random) -> dict[str, list[str]]:
    """A table of odd texts, without line breaks that a lone row would lose."""
    rows = random.randrange(1, 30)
    pool = [make_text(random) for _ in range(12)]
    if random.random() < 0.1:
        # Steps that grow with the square of a text's length show in long ones.
        pool[0] = (make_text(random)[:9] + make_text(random)[:3]) * 10_000
    return {name: [random.choice(pool) for _ in range(rows)] for name in _COLUMNS}


def _quote_text(random: Random) -> str:
    return json.dumps(make_text(random).replace("\x7f", ""), ensure_ascii=False)


def _condition(random: Random, depth: int = 0) -> str:
    text = partial(_quote_text, random)
    inner = partial(_condition, random, depth + 1)
    words: list[Callable[[], str]] = [
        lambda: f"contains = {text()}", lambda: f"starts = {text()}", lambda: f"ends = {text()}", lambda: f"equals = {text()}",
        lambda: "blank = true", lambda: f"length = [{random.randrange(3)}, {random.randrange(9)}]",
        lambda: f"above = {random.choice(('5', '-1.5', '0'))}", lambda: f"one_of = [{text()}, {text()}]",
        lambda: f"like = {text()}", lambda: 'pattern = "^[a-z]"',
        lambda: 'in_list = "l"', lambda: f"contains = {text()}, ignore_case = true",
    ]  # fmt: skip
    if depth == 0:
        words.append(lambda: f'column = "b", contains = {text()}')
    if depth < 2:
        words += [
            lambda: f"not = {inner()}",
            lambda: f"any = [{inner()}, {inner()}]",
            lambda: f"all = [{inner()}]",
        ]
    return "{ " + random.choice(words)() + " }"


def _rule(random: Random, number: int) -> list[str]:
    text = partial(_quote_text, random)
    yes = partial(random.choice, ("true", "false"))
    where = f'where = "{random.choice(_WHERE)}"'
    pairs = f"pairs = {{ {', '.join(f'{json.dumps(key)} = {text()}' for key in _SOUGHT)} }}"
    kinds: list[tuple[str, list[str]]] = [
        ("spacing", []), ("spacing", ['also = "_-"']), ("spacing", ['breaks = "keep"']),
        ("case", ['style = "title"', 'small = ["of"]']), ("case", ['style = "sentence"']), ("case", ['style = "upper"']),
        ("replace", [pairs, where, f"ignore_case = {yes()}"]), ("replace", [pairs, where, f"nth = {random.choice((1, 2, 500))}"]),
        ("replace", [pairs, "ignore_case = true", "keep_case = true"]), ("replace", [pairs, "cascade = true"]),
        ("replace", ["pairs = { '([a-z]+)' = '<\\1>' }", "pattern = true", f"nth = {random.choice((1, 3))}"]),
        ("replace", ["pairs = { '\\b' = '|' }", "pattern = true"]), ("replace", ["pairs = { 'x*' = '-' }", "pattern = true", "nth = 2"]),
        ("overlay", [f"start = {random.choice((1, 3, -2, 100))}", f"length = {random.choice((0, 2, 50))}", f"text = {text()}", f"same_length = {yes()}"]),
        ("part", ['separator = "-"', f"nth = {random.choice((1, 2, -1, -7))}"]), ("part", ['separator = " "', f'into = ["p{number}", "q{number}"]']),
        ("extract", ["pattern = '[0-9]+'", f"nth = {random.choice((1, 2))}"]),
        ("extract", ["pattern = '(?P<x>[a-z])(?P<y>.)'", f'into = ["x{number}", "y{number}"]', "nth = 2"]),
        ("number", [f"decimal = {random.choice(('.', ','))!r}"]), ("date", ['form = "DD/MM/YYYY"']), ("date", ['form = "YYYY-MM-DD"', 'give = "DD.MM.YY"']),
        ("label", ['codebook = "k"', f"ignore_case = {yes()}"]), ("label", ['codebook = "k"', 'otherwise = { text = "?" }', f'into = "l{number}"']),
        ("match", ['list = "l"']), ("match", ['list = "l"', 'by = ["folded"]']), ("match", ['list = "l"', f'into = "m{number}"', 'give = "kind"']),
        ("bands", ['bands = [{ label = "low", below = 5 }, { label = "high", at_least = 5 }]']),
        ("blanks", []), ("characters", ['drop = ["marks"]']), ("characters", ['form = "NFKC"']), ("compose", ["template = '{a} ({b}) {c}'", f'into = "t{number}"']),
        ("mention", ['list = "l"', f'into = "n{number}"']), ("replace", ["pairs = { 'oak' = '{b}!' }", "fill = true"]),
    ]  # fmt: skip
    do, words = random.choice(kinds)
    lines = [f'do = "{do}"', *words]
    if do != "compose":
        lines.insert(0, f"column = {json.dumps(random.choice(_COLUMNS))}")
    if random.random() < 0.3 and do not in ("compose",):
        lines.append(f"when = {_condition(random)}")
    return lines


def make_rulebook(random: Random) -> str:
    """A rulebook of a few rules, with a list and a codebook in it."""
    head = [
        "igual = 1", "[lists.l]", 'values = ["Oak", "Elm", "Field maple", "ß", "12 Quay"]', 'aliases = { Oak = ["QR", "oak tree"] }',
        'attributes = { kind = ["t", "t", "t", "", "p"] }', "[codebooks.k]", 'labels = { a = "good", B = "fair", "1" = "poor", "é" = "x" }',
    ]  # fmt: skip
    rules = [["[[rule]]", *_rule(random, number)] for number in range(random.randrange(1, 6))]
    checks = (
        [["[[check]]", 'column = "a"', f"must = {_condition(random, 2)}"]] if random.random() < 0.3 else []
    )
    return "\n".join([*head, *(line for part in (*rules, *checks) for line in part), ""])


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
)  # fmt: skip
_CALLS: tuple[tuple[str, tuple[str, ...]], ...] = (
    ("survey {t}", ("-c a", "--report r.html", "--json", "-v")),
    ("tally {t} -c {c}", ("--contains a", "--above 1", "--by b", "--of words", "--distinct", "--sort value", "--report r.html", "--json", "--against u.csv")),
    ("apply b.toml {t}", ("--out {o}", "--trail trail.jsonl", "--crosswalk w.csv", "--crosswalk w.sssom.tsv", "--open op.xlsx", "--record r.json", "--report r.html",
                          "--most-values 2", "--escape-formulas", "--out-encoding utf-16", "--preview 2", "--only 1", "--json")),
    ("check b.toml {t}", ("-c {c}", "--allow open=5%", "--most-values 1", "--report r.html", "--json")),
    ("match {t} -c {c} -l l.csv", ("--out {o}", "--by folded", "--report r.html", "--give kind", "--json", "--case-sensitive")),
    ("lookalikes {t} -c {c}", ("--out {o}", "--pairs p.csv", "--rulings ru.csv", "--weaker", "--list l.csv", "--report r.html", "--escape-formulas")),
    ("draft {t}", ("--out d.toml", "--list l.csv", "--json")), ("learn {t} -c {c} -e oak Oak", ("--add d.toml", "--into new", "-c b", "--json")),
)  # fmt: skip


def make_typed_table(random: Random) -> pa.Table:
    """A table whose columns are of any types."""
    rows = random.choice((0, 1, 2, 20))
    columns = []
    for _ in _COLUMNS:
        kind, cells = random.choice(_TYPED)
        column = pa.array([random.choice((*cells, None)) for _ in range(rows)], kind)
        if random.random() < 0.2:
            # Arrow has no dictionaries of what is nested.
            with contextlib.suppress(pa.ArrowNotImplementedError):
                column = column.dictionary_encode()
        columns.append(column if random.random() < 0.95 else pa.StructArray.from_arrays([column], ["x"]))
    return pa.Table.from_arrays(columns, names=_COLUMNS)


def make_call(random: Random, table: str) -> str:
    """A call on a table with any of the options, where b.toml, l.csv and u.csv stand beside it."""
    call, options = random.choice(_CALLS)
    chosen = random.sample(options, random.randrange(min(len(options), 6)))
    out = "o" + random.choice((".csv", ".tsv.gz", ".parquet", ".jsonl", ".xlsx", ".arrow"))
    return " ".join((call, *chosen)).format(t=table, c=random.choice(("a", "b", "c")), o=out)
