"""Figures of the text rules: many pairs, mentions, and what each rule costs a value."""

from __future__ import annotations

import re
from typing import Any

import numpy as np
import pandas as pd
import pyarrow as pa

import igual
from benchmarks import chains, rule_cases
from benchmarks.measure import best_times, line, times
from igual import rules
from igual.column import TEXT
from igual.lists import Shelf
from igual.rules.base import apply_rule

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
    line("igual / splitting only", ratio, "at most 2", ratio <= 2)


def every_rule() -> None:
    """Each rule, with each setting that the reference names, on distinct texts, in nanoseconds a value."""
    print("8. every rule and setting on 1 million distinct values, in ns a value")
    cases = rule_cases.all_cases(MILLION)
    shelf = Shelf(rule_cases.lists(), rule_cases.codebooks(), rule_cases.pair_lists())
    print(f"    {'':<48} {'ASCII':>8} {'beyond':>8}")
    worst, common, beyond = 0.0, 0.0, 0.0
    for case in cases:
        plain, accented = (_alone(case, shelf, values) for values in (case.plain, case.beyond))
        print(f"    {case.name:<48} {plain:8.0f} {accented:8.0f}", flush=True)
        worst = max(worst, plain)
        beyond = max(beyond, accented / (300 if case.is_common else 1_000))
        common = max(common, plain if case.is_common else 0)
    whole = chains.all_distinct(MILLION)
    encoded, _ = best_times({"encode and decode": lambda: rules.Pad(width=1).on(whole)})
    print(f"    beside that, to encode and decode a column: {encoded['encode and decode'] * 1_000:.0f}")
    line("the slowest rule on ASCII, in ns a value", worst, "at most 1,000", worst <= 1_000)
    line("the slowest of the common ones", common, "at most 300", common <= 300)
    line("beyond ASCII / what is allowed on ASCII", beyond, "at most 3", beyond <= 3)


def _alone(case: rule_cases.RuleCase, shelf: Shelf, values: pa.Array) -> float:
    """The best of two runs of a prepared rule, in nanoseconds a value."""
    texts = values.cast(TEXT)
    beside = dict.fromkeys(case.rule.reads(), texts)
    rewriter = case.rule.rewriter(shelf)
    run = {case.name: lambda: apply_rule(case.rule, rewriter, texts, beside, shelf)}
    return best_times(run, rounds=2)[0][case.name] / len(values) * 1e9
