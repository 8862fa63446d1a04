"""Calls from Python: odd values in tables of any kind, and words of any kind in any place; each ends well or is refused in a line.

`python -m tests.attack.python_calls 7 1000` makes a thousand of them from one seed, and stops at the first fault.
"""

from __future__ import annotations

import datetime
import decimal
import re
import subprocess
import sys
import time
import traceback
import warnings
from collections.abc import Callable, Iterator, Mapping, Sequence
from functools import partial
from pathlib import Path
from random import Random
from typing import Any

import numpy as np
import pandas as pd
import polars as pl
import pyarrow as pa

import igual
from igual import rules
from tests.attack.forked import Done
from tests.attack.generators import make_text
from tests.attack.typed_tables import make_typed_table

_ODD: tuple[Any, ...] = (
    0, 1, -1, 2, 10**20, 0.5, float("nan"), float("inf"), -0.0, True, False, decimal.Decimal("1.50"), np.int64(3), np.float32(0.1), b"x", pd.NA, pd.NaT,
    datetime.date(2024, 5, 31), datetime.datetime(2024, 5, 31, 1), (), [], {}, set(), (1,), {"a": "b"}, range(3), 1j, object, pd.DataFrame(), "\udcff",
)  # fmt: skip
_WORDS = (
    "a", "b", "rows", "value", "lower", "title", "snake", "first", "open", "left", "error", "keep", "missing", "day", "YYYY-MM-DD", "words", "folded", "exact",
    "digits", "l", "k", "", "(?P<x>.)", "x*", "{a}", "2024-05-31", "5%",
)  # fmt: skip
# The words of each call, which any value may stand behind.
_CALLS: Mapping[str, Sequence[str]] = {
    "tally": ("sort", "top", "of", "codebook", "contains", "equals", "blank", "pattern", "like", "ignore_case", "length", "starts", "any", "above", "one_of"),
    "count": ("contains", "equals", "blank", "pattern", "like", "ignore_case", "ends", "not_", "all", "below", "at_least"),
    "match": ("by", "settle", "ask", "margin", "give", "case_sensitive"), "lookalikes": ("reference", "min_score", "weaker"),
    "date_forms": (), "survey": (), "draft": (), "restyle_headers": ("style", "keep"), "learn": ("columns", "into"), "compare": (), "cross_table": (),
    "compare_lists": (), "apply": ("only",), "on": (),
}  # fmt: skip
_POLARS_LACKS = re.compile("union|interval|decimal|extension|run_end")
_RULES = tuple(
    rule
    for name in sorted(rules.__all__)
    if issubclass(rule := getattr(rules, name), rules.Rule) and rule is not rules.Rule
)


def make_cells(random: Random, rows: int) -> list[Any]:
    """Cells of a column: texts, or anything."""
    pool = [make_text(random) for _ in range(4)]
    odd = random.choice((0.0, 0.0, 0.0, 0.1, 0.9))
    return [None if random.random() < 0.1 else random.choice(_ODD) if random.random() < odd else random.choice(pool) for _ in range(rows)]  # fmt: skip


def _make_kinds(cells: list[Any]) -> Iterator[Callable[[], Any]]:
    """The same cells in every kind of column, where that kind can hold them."""
    texts = [None if cell is None else str(cell) for cell in cells]
    yield from (
        lambda: cells,
        lambda: tuple(cells),
        lambda: iter(cells),
        lambda: np.array([*cells, None], object)[:-1],
    )
    for kind in ("object", "str", "string", "category", None):
        yield partial(pd.Series, cells, dtype=kind, index=[5] * len(cells))
    yield from (
        lambda: pa.array(texts),
        lambda: pa.array(texts, pa.string_view()),
        lambda: pa.chunked_array([texts, texts]),
    )
    yield from (
        lambda: pa.array(texts).dictionary_encode(),
        lambda: pl.Series(texts),
        lambda: pl.Series(texts, dtype=pl.Categorical),
    )


def make_values(random: Random) -> Any:
    """A column of any kind, or what is none."""
    if random.random() < 0.02:
        return random.choice(_ODD)
    if random.random() < 0.2:
        return make_typed_table(random)["a"]
    return _make_one(random, [*_make_kinds(make_cells(random, random.choice((0, 1, 5, 12))))])


def _make_one(random: Random, ways: Sequence[Callable[[], Any]]) -> Any:
    """What the first of the ways gives that can, in any order: no kind of table holds everything."""
    for way in random.sample(ways, len(ways)):
        try:
            return way()
        except Exception:
            continue
    return None


def _make_polars(table: pa.Table) -> pl.DataFrame:
    """The same in polars, which panics at types that it doesn't have."""
    if _POLARS_LACKS.search(str(table.schema.types)):
        raise TypeError("polars has no such type")
    return pl.DataFrame(table)


def make_frame(random: Random) -> Any:
    """A table of any kind, or what is none."""
    if random.random() < 0.02:
        return random.choice(_ODD)
    if random.random() < 0.5:
        table = make_typed_table(random)
        return _make_one(random, (
            lambda: table, lambda: table.to_pandas(), lambda: table.to_pandas(types_mapper=pd.ArrowDtype), lambda: _make_polars(table),
            lambda: _make_polars(table).lazy(), lambda: table.to_reader(), lambda: table.combine_chunks().to_batches()[0], table.to_pydict,
        ))  # fmt: skip
    rows = random.choice((0, 1, 5, 12))
    cells = {name: make_cells(random, rows) for name in random.sample(("a", "b", " a", "é", "a.b", ""), 2)}
    return _make_one(random, (
        lambda: cells, lambda: pd.DataFrame(cells), lambda: pa.table(cells), lambda: pl.DataFrame(cells), lambda: pl.LazyFrame(cells),
        lambda: [dict(zip(cells, row, strict=True)) for row in zip(*cells.values(), strict=True)], lambda: pd.DataFrame([[1, 2]], columns=["a", "a"]),
    ))  # fmt: skip


def make_word(random: Random) -> Any:
    """What may stand behind a setting: a fitting word, or anything."""
    return random.choice((
        lambda: random.choice(_WORDS), lambda: random.choice(_WORDS), lambda: make_text(random), lambda: random.choice(_ODD), lambda: None, lambda: random.random() < 0.5,
        lambda: random.choice((0, 1, 2, 3, -1, 0.5, 0.9)), lambda: make_cells(random, 2), lambda: {make_text(random): make_text(random)},
        lambda: {make_text(random): [make_text(random)]}, lambda: rules.Condition(contains="a"), lambda: {"contains": make_text(random)}, lambda: ["a", "b"],
        lambda: make_values(random), lambda: [{"label": "low", "below": 5}, {"label": "high", "at_least": 5}],
    ))()  # fmt: skip


def _make_list(random: Random) -> Any:
    texts = [*dict.fromkeys(text for _ in range(6) if (text := make_text(random)).strip())]
    return random.choice((
        lambda: texts, lambda: igual.ReferenceList(["Oak", "Elm", "ß"], {"Oak": ["QR"]}, {"code": ["1", "2", "3"]}), lambda: igual.ReferenceList(["Oak"]),
        lambda: make_word(random),
    ))()  # fmt: skip


def _make_rule(random: Random) -> Any:
    """A rule with what it must have, mostly fitting, and little else."""
    kind = random.choice(_RULES)
    fitting: dict[str, Any] = {
        "list": "l", "codebook": "k", "template": "{a}-{b}", "start": random.choice((1, -1, 3)), "length": random.choice((0, 2)), "text": make_text(random),
        "style": random.choice(("title", "snake", "sentence", "upper")), "pairs": {make_text(random): make_text(random) for _ in range(3)}, "separator": "-",
        "pattern": random.choice(("[a-z]+", "(?P<x>.)", "x*")), "bands": [{"label": "low", "below": 5}, {"label": "high", "at_least": 5}],
        "when": random.choice(({"contains": "a"}, {"column": "b", "blank": False}, {"above": 1})), "into": random.choice(("n", "b", ["x", "y"])),
        "form": "NFKC" if kind is rules.Characters else "DD/MM/YYYY", "decimal": ",", "width": 5, "nth": 2, "where": "word", "drop": ["marks"], "otherwise": "keep",
    }  # fmt: skip
    settings: dict[str, Any] = (
        {"column": random.choice("aabb*")} if kind is not rules.Compose else {"into": "n"}
    )
    for name, field in kind.model_fields.items():
        if name not in ("do", "note", "column", "columns") and (field.is_required() or random.random() < 0.1):
            fits = name in fitting and random.random() < 0.93
            settings[name] = fitting[name] if fits else make_word(random)
    if kind is rules.Part or kind is rules.Characters:
        settings.setdefault(
            *random.choice((("separator", "-"), ("nth", 1))) if kind is rules.Part else ("fold", True)
        )
    return kind(**settings)


def make_python_call(random: Random) -> Callable[[], Any]:
    """A call that looks at what it gives, too."""
    name = random.choice([*_CALLS, *["on", "apply"] * 3])
    words = {word: make_word(random) for word in _CALLS[name] if random.random() < 1.2 / len(_CALLS[name])}
    values, frame = make_values(random), make_frame(random)
    lists = {"l": _make_list(random)}
    codebooks = {"k": igual.Codebook({"a": "A", 1: "one"})}
    if name == "on":
        return lambda: _make_rule(random).on(values, lists=lists, codebooks=codebooks)
    if name == "apply":

        def apply() -> Any:
            made = [_make_rule(random) for _ in range(random.randrange(1, 4))]
            outcome = igual.Rulebook(made, lists=lists, codebooks=codebooks).apply(frame, **words)
            _look_at(igual.review(outcome))
            return outcome

        return apply
    call: Any = getattr(igual, name)
    given: Sequence[Any] = {
        "match": (values, lists["l"]), "survey": (frame,), "draft": (frame,), "restyle_headers": (frame,), "learn": (random.choice((values, frame)), make_word(random)),
        "compare": random.choice(((values, make_values(random)), (frame, make_frame(random)))), "cross_table": (values, random.choice((values, frame))),
        "compare_lists": (lists["l"], _make_list(random)),
    }.get(name, (values,))  # fmt: skip
    return lambda: call(*given, **words)


def _look_at(made: Any) -> None:
    """As notebooks and people do."""
    if not type(made).__module__.startswith("igual"):
        return
    repr(made), str(made)
    for name in ("_repr_html_", "figure"):
        if show := getattr(made, name, None):
            show() if name == "_repr_html_" else None
    for name in ("table", "counts", "rules", "questions", "effects", "crosswalks", "findings"):
        getattr(made, name, None)


def find_python_fault(random: Random) -> str:
    """Make a call; gives what is wrong with its end, '' when nothing is."""
    try:
        _look_at(make_python_call(random)())
    except igual.IgualError as error:
        said = str(error)
        return f"an error of many lines: {said}" if said.count("\n") > 1 else ""
    except Exception as error:
        own = [line for line in traceback.extract_tb(error.__traceback__) if "/igual/" in line.filename]
        at = f"{Path(own[-1].filename).name}:{own[-1].lineno}" if own else "the attack itself"
        return f"{type(error).__name__} at {at}: {error!s:.200}"
    return ""


def attack_python(module: str, seed: int, calls: int, seconds: float) -> tuple[str, bytes, Done, str]:
    """Make so many calls in a process of its own, which may hang or end.

    Args:
        module: The module that makes them from a seed, this one or another.
        seed: The same seed gives the same calls.
        calls: How many.
        seconds: After so long it is killed.

    Returns:
        The command, nothing that was changed, what became of it, and what is wrong with that; '' when nothing is.
    """
    words = ["-m", module, str(seed), str(calls)]
    started, root = time.monotonic(), Path(__file__).parents[2]
    try:
        ended = subprocess.run(
            [sys.executable, *words], capture_output=True, timeout=seconds, cwd=root, check=False
        )
    except subprocess.TimeoutExpired:
        return " ".join(words), b"", Done(-9, "", b"", "", seconds, 0, True), f"no end after {seconds:.0f} s"
    said, shown = (given.decode("utf-8", "replace") for given in (ended.stderr, ended.stdout))
    done = Done(ended.returncode, shown, ended.stdout, said, time.monotonic() - started, 0, False)
    fault = "" if ended.returncode == 0 else shown or f"exit status {ended.returncode}: {said[-300:]}"
    return " ".join(words), b"", done, fault


def make_calls(find_fault: Callable[[Random], str]) -> int:
    """Make so many calls from a seed, as the command line says; gives 1 where one had a fault."""
    warnings.simplefilter("ignore")
    seed, calls = map(int, sys.argv[1:3])
    for number in range(calls):
        if fault := find_fault(Random(f"{seed} {number}")):
            print(f"seed {seed}, call {number}: {fault:.3000}")
            return 1
    return 0


if __name__ == "__main__":
    raise SystemExit(make_calls(find_python_fault))
