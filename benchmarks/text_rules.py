"""Figures of the text rules: many pairs, mentions, and what each rule costs a value."""

from __future__ import annotations

import re
import time
from typing import Any

import numpy as np
import pandas as pd
import pyarrow as pa
import pyarrow.compute as pc

import igual
from benchmarks import chains
from benchmarks.measure import best_times, line, times
from igual import rules

MILLION = 1_000_000


def many_pairs() -> None:
    """1,000 pairs over a million distinct texts, against 1,000 chained Series.str.replace."""
    print("6. a 1,000-pair replace over 1 million distinct texts")
    words = chains.vocabulary(2_000, seed=11)
    rng = np.random.default_rng(4)
    lines = [
        f"{words[a]} {words[b]} {n}" for n, (a, b) in enumerate(rng.integers(0, 2_000, (MILLION, 2)).tolist())
    ]
    series = pd.Series(lines)
    pairs = {word: word.upper() for word in words[:1_000]}
    rule = rules.Replace(pairs=pairs)
    sample = series.iloc[: MILLION // 10]

    def chained() -> Any:
        clean = sample
        for sought, meant in pairs.items():
            clean = clean.str.replace(sought, meant, regex=False)
        return clean

    best, results = best_times({"igual": lambda: rule.on(series)}, rounds=3)
    peer, peer_results = best_times({"chained": chained}, rounds=1)
    if not results["igual"].iloc[: len(sample)].equals(peer_results["chained"]):
        raise AssertionError("the chain gives another result")
    extrapolated = peer["chained"] * 10
    times({"igual": best["igual"], "1,000 chained Series.str.replace (a tenth, times ten)": extrapolated})
    ratio = extrapolated / best["igual"]
    line("chained / igual", ratio, "at least 20", ratio >= 20)


def mentions() -> None:
    """100,000 texts against 50,000 entries, beside a loop that only splits words."""
    print("7. mention: 100,000 texts against 50,000 entries")
    words = chains.vocabulary(40_000, seed=12)
    rng = np.random.default_rng(6)
    entries = [" ".join(words[at] for at in row) for row in rng.integers(0, 40_000, (50_000, 2)).tolist()]
    listed = igual.ReferenceList(list(dict.fromkeys(entries)))
    texts = []
    for row in rng.integers(0, 40_000, (100_000, 9)).tolist():
        text = [words[at] for at in row]
        text[4:6] = [entries[row[0]]]
        texts.append(" ".join(text))
    rule = rules.Mention(list="list")
    word = re.compile(r"[^\W_]+(?:['’\-‐][^\W_]+)*")

    def splitting() -> list[int]:
        return [len(word.findall(text)) for text in texts]

    best, results = best_times(
        {
            "igual": lambda: rule.on(texts, lists={"list": listed}),
            "a loop that only splits the words": splitting,
        }
    )
    found = sum(bool(text) for text in results["igual"])
    times(best)
    print(f"    texts with one mention: {found:,}")
    ratio = best["igual"] / best["a loop that only splits the words"]
    line("igual / splitting only", ratio, "at most 10", ratio <= 10)


def every_rule() -> None:
    """Each rule on a million distinct values, in nanoseconds a value."""
    print("8. every rule at 1 million distinct values, in ns a value (wanted: none above 5,000)")
    values = chains.all_distinct(MILLION)
    number = pc.cast(pa.array(np.arange(MILLION) / 8), pa.string())
    day = pc.strftime(pa.array(np.arange(MILLION) * 3_600, pa.timestamp("s")), format="%d/%m/%Y %H")
    dates = pc.utf8_slice_codeunits(day, 0, 10)
    words = chains.vocabulary(50)
    listed = {"list": igual.ReferenceList(words)}
    books = {"book": igual.Codebook({str(n): f"label {n}" for n in range(1_000)})}
    bands = [
        {"label": "low", "below": 100},
        {"label": "mid", "at_least": 100, "below": 9_000},
        {"label": "high", "at_least": 9_000},
    ]
    cases: list[tuple[str, Any, pa.Array]] = [
        ("spacing", rules.Spacing(), values),
        ("spacing, n-th gap", rules.Spacing(nth=2), values),
        ("case lower", rules.Case(style="lower"), values),
        ("case title", rules.Case(style="title", small=("of",)), values),
        ("case name", rules.Case(style="name"), values),
        ("case snake", rules.Case(style="snake"), values),
        ("characters, keep", rules.Characters(keep=("letters", "spaces")), values),
        ("characters, fold and form", rules.Characters(fold=True, form="NFC", straighten=True), values),
        ("replace, 50 pairs", rules.Replace(pairs=chains.pairs()), values),
        (
            "replace, 50 pairs, any case, kept",
            rules.Replace(pairs=chains.pairs(), ignore_case=True, keep_case=True),
            values,
        ),
        ("replace, a pattern", rules.Replace(pairs={r"(\w+) (\w+)": r"\2 \1"}, pattern=True), values),
        ("overlay", rules.Overlay(start=2, length=2, text="--"), values),
        ("part", rules.Part(separator=" ", nth=2), values),
        ("extract, pattern", rules.Extract(pattern=r"\d{4,6}"), values),
        ("extract, pieces", rules.Extract(pieces={"pattern": r"^\d{4,6}$"}), values),
        ("mention", rules.Mention(list="list", ignore_case=True), values),
        ("label", rules.Label(codebook="book"), number),
        ("match, exact and folded", rules.Match(list="list", by=("exact", "folded")), values),
        ("bands", rules.Bands(bands=bands), number),  # type: ignore[arg-type]
        ("blanks", rules.Blanks(texts=("n/a",)), values),
        ("number", rules.Number(), number),
        ("date", rules.Date(form="DD/MM/YYYY"), dates),
    ]
    worst = 0.0
    for name, rule, column in cases:
        taken = min(_alone(rule, column, listed, books) for _ in range(2)) / MILLION * 1e9
        worst = max(worst, taken)
        print(f"    {name:<40} {taken:8.0f}")
    composed = min(_composed(values, number) for _ in range(2)) / MILLION * 1e9
    print(f"    {'compose, of two columns':<40} {composed:8.0f}")
    worst = max(worst, composed)
    line("the slowest, in µs a value", worst / 1_000, "at most 5", worst <= 5_000)


def _composed(one: pa.Array, other: pa.Array) -> float:
    """A rule that reads two columns works on their distinct combinations."""
    book = igual.Rulebook([rules.Compose(template="{one}, {other}", into="both")])
    table = pa.table({"one": one, "other": other})
    start = time.perf_counter()
    book.apply(table)
    return time.perf_counter() - start


def _alone(rule: Any, column: pa.Array, lists: Any, codebooks: Any) -> float:
    start = time.perf_counter()
    rule.on(column, lists=lists, codebooks=codebooks)
    return time.perf_counter() - start
