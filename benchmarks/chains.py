"""The same chain (spacing, lower case, a 50-pair replace, a label) in Igual and in its peers."""

from __future__ import annotations

import re
from collections.abc import Mapping
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

import igual
from igual.rules import Case, Label, Replace, Spacing

LETTERS = "bcdfghklmnprstvz"


def vocabulary(size: int, seed: int = 7) -> list[str]:
    """Made-up words, none of which holds another."""
    rng = np.random.default_rng(seed)
    words: dict[str, None] = {}
    while len(words) < size:
        syllables = ["".join((rng.choice(list(LETTERS)), rng.choice(list("aeiou")))) for _ in range(4)]
        words["".join(syllables)] = None
    return list(words)


def misspelt(word: str) -> str:
    return word[:3] + word[4] + word[3] + word[5:] + "q"


def pairs() -> dict[str, str]:
    """50 misspelt words and what was meant; no pair acts on what another has put in."""
    return {misspelt(word): word for word in vocabulary(50)}


def labels() -> dict[str, str]:
    """Clean values (two words each) and their labels."""
    words = vocabulary(50)
    return {f"{words[i]} {words[(i * 7 + 3) % 50]}": f"Label {i:02d}" for i in range(50)}


def messy_values(count: int, seed: int = 1) -> pa.Array:
    """Distinct messy spellings of the clean values."""
    rng = np.random.default_rng(seed)
    clean = list(labels())
    made: dict[str, None] = {}
    while len(made) < count:
        first, second = clean[rng.integers(len(clean))].split()
        if rng.random() < 0.4:
            first = misspelt(first)
        if rng.random() < 0.3:
            second = misspelt(second)
        ends = [" " * int(n) for n in rng.choice(4, 3, p=[0.5, 0.25, 0.15, 0.1])]
        text = f"{ends[0]}{first} {ends[1]}{second}{ends[2]}"
        styled = [text, text.upper(), text.title(), text.capitalize(), _mixed(text, rng)][rng.integers(5)]
        made[styled] = None
    return pa.array(made, pa.string())


def _mixed(text: str, rng: np.random.Generator) -> str:
    return "".join(c.upper() if up else c for c, up in zip(text, rng.random(len(text)) < 0.3, strict=True))


def repeated(values: pa.Array, rows: int, seed: int = 2) -> pa.Array:
    """Rows drawn from values, some far more often than others."""
    rng = np.random.default_rng(seed)
    weights = 1 / np.arange(1, len(values) + 1)
    return values.take(pa.array(rng.choice(len(values), rows, p=weights / weights.sum()).astype(np.int32)))


def all_distinct(rows: int, seed: int = 3) -> pa.Array:
    """Messy values of which no two are equal."""
    some = repeated(messy_values(6_000), rows, seed)
    number = pc.cast(pa.array(np.arange(rows)), pa.string())
    return pc.binary_join_element_wise(some, number, " ")


def book(rules: int = 4) -> igual.Rulebook:
    """The chain as a rulebook; with more rules than four, ones like them follow."""
    chain: list[Any] = [
        Spacing(column="value"),
        Case(column="value", style="lower"),
        Replace(column="value", pairs=pairs()),
        Label(column="value", codebook="labels", otherwise="keep"),
    ]
    more = [
        [
            Spacing(column="value", also="_"),
            Case(column="value", style="title", small=("of", "the")),
            Replace(column="value", pairs={f"Label {i}": f"label {i}" for i in range(20)}, where="start"),
            Case(column="value", style="sentence"),
            Label(column="value", codebook="labels", otherwise="keep"),
            Replace(column="value", pairs={f"never{round_}": "x"}, where="word", ignore_case=True),
        ][step]
        for round_ in range(3)
        for step in range(6)
    ]
    codebooks = {"labels": igual.Codebook(labels())}
    return igual.Rulebook([*chain, *more][:rules], codebooks=codebooks)


def with_igual(table: Any, rules: int = 4) -> Any:
    outcome = book(rules).apply(table)
    return outcome.table


def with_igual_and_texts(table: Any) -> Any:
    """Igual with what each rule met and made, and how much it changed, asked for at once."""
    outcome = book().apply(table)
    for stage in outcome.account.stages:
        met, made = stage.before, stage.after
        assert len(met) == len(made) == len(stage.changed)
        assert stage.rows[stage.changed].sum() >= 0
    return outcome.table


def with_pandas(series: Any, by_call: bool) -> Any:
    """pandas: the pairs in one pattern with a call for each hit, or one after another; give the faster."""
    clean = series.str.strip().str.replace(r"\s+", " ", regex=True).str.lower()
    given = pairs()
    if by_call:
        pattern = re.compile("|".join(map(re.escape, given)))
        clean = clean.str.replace(pattern, lambda found: given[found[0]], regex=True)
    else:
        for sought, meant in given.items():
            clean = clean.str.replace(sought, meant, regex=False)
    return clean.map(labels()).fillna(clean)


def with_polars(column: Any) -> Any:
    import polars as pl

    given: Mapping[str, str] = pairs()
    value = pl.col("value").str.strip_chars().str.replace_all(r"\s+", " ").str.to_lowercase()
    value = value.str.replace_many(list(given), list(given.values()))
    frame = pl.DataFrame({"value": column})
    return frame.lazy().select(value.replace(labels())).collect()["value"]


def with_polars_distinct(column: Any) -> Any:
    """polars by somebody who has thought of working on distinct values: unique, clean, join."""
    import polars as pl

    given = pairs()
    value = pl.col("value").str.strip_chars().str.replace_all(r"\s+", " ").str.to_lowercase()
    value = value.str.replace_many(list(given), list(given.values())).replace(labels())
    frame = pl.DataFrame({"value": column}).lazy()
    walk = frame.unique().with_columns(value.alias("clean"))
    return frame.join(walk, on="value", how="left", maintain_order="left").select("clean").collect()["clean"]


def with_duckdb(table: pa.Table) -> pa.Table:
    import duckdb

    value = r"lower(regexp_replace(trim(value), '\s+', ' ', 'g'))"
    for sought, meant in pairs().items():
        value = f"replace({value}, '{sought}', '{meant}')"
    codes = ", ".join(f"'{code}': '{label}'" for code, label in labels().items())
    connection = duckdb.connect()
    connection.register("raw", table)
    return connection.sql(
        f"SELECT coalesce(MAP {{{codes}}}[clean], clean) AS value FROM (SELECT {value} AS clean FROM raw)"
    ).to_arrow_table()


def arrow_limit(column: pa.Array) -> pa.Array:
    """The least that can be done: encode the column, and write it out again."""
    return column.dictionary_encode().dictionary_decode()
