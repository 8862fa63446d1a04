"""Very many distinct values: rules that work together give what they give one after another."""

from __future__ import annotations

from pathlib import Path
from random import Random
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
import pytest

import igual
from igual.distinct import find_distinct
from igual.pieces import cut_pieces
from igual.rules import Band, Bands, Blanks, Case, Characters, Label, Match, Number, Replace, Spacing
from igual.rules.base import Rule
from igual.runs import together, trail
from tests.attack.generators import make_rulebook, make_table

ROWS = 30_000
TRIALS = 25
CODEBOOKS = {"k": igual.Codebook({"1": "one", "2": "two", "x7": "seven"})}
LISTS = {"l": igual.ReferenceList(["oak 1", "elm 2", "lime 3"])}


def make_values(seed: int) -> pa.Table:
    random = np.random.default_rng(seed)
    words = np.array(["oak", "Oak", "ELM ", " elm", "lime  tree", "ß", "", "x7", "X7 ", "12,5", "1", None])
    numbers = random.integers(0, 4_000, ROWS).astype(str)
    cells = [
        None if word is None else word if at < 0.1 else f"{word} {number}"
        for word, number, at in zip(random.choice(words, ROWS), numbers, random.random(ROWS), strict=True)
    ]
    return pa.table({"v": pa.array(cells, pa.string()), "w": pa.array(numbers)})


CHAINS: dict[str, list[Rule]] = {
    "in place": [
        Spacing(column="v"),
        Case(column="v", style="lower"),
        Replace(column="v", pairs={"oak": "elm", "lime tree": "lime"}),
        Label(column="v", codebook="k", otherwise="keep", ignore_case=True),
    ],
    "one that merges nearly all": [
        Spacing(column="v"),
        Case(column="v", style="upper"),
        Replace(column="v", pairs={r"\d+": "#"}, pattern=True),
        Characters(column="v", straighten=True),
    ],
    "conditions and other columns": [
        Spacing(column="v", when={"contains": "oak"}),
        Case(column="v", style="lower", when={"length": [0, 6]}),
        Case(column="w", style="upper"),
        Replace(column="v", pairs={"elm": "{w}"}, fill=True, cascade=False),
        Spacing(column="w"),
        Case(column="v", style="sentence", into="copy"),
        Replace(column="v", pairs={"oak": "e"}, where="word"),
    ],
    "numbers and lists": [
        Spacing(column="v"),
        Case(column="v", style="lower"),
        Match(column="v", list="l", by=["exact"]),
        Blanks(column="v"),
        Number(column="w", into="n"),
        Bands(column="w", bands=(Band(label="low", below=100),), otherwise="keep"),
        Case(column="w", style="title"),
    ],
}  # fmt: skip


def describe(outcome: igual.Outcome) -> list[Any]:
    account = outcome.account
    stages = [
        (
            stage.number, stage.target, stage.before.to_pylist(), stage.after.to_pylist(), stage.rows.tolist(),
            stage.positions.tolist(), stage.changed.tolist(),
            [mask.tolist() for mask in stage.details if isinstance(mask, np.ndarray)],
        )
        for stage in account.stages
    ]  # fmt: skip
    listed = [account.effects, account.unknown, account.open, account.unused, account.near_misses]
    return [stages, outcome.table, account.trail, account.crosswalk.table, listed, outcome.hints]


@pytest.mark.parametrize("chain", CHAINS)
def test_rules_together_do_what_they_do_in_turn(chain: str, monkeypatch: pytest.MonkeyPatch) -> None:
    book = igual.Rulebook(CHAINS[chain], codebooks=CODEBOOKS, lists=LISTS)
    wanted = describe(book.apply(make_values(3)))
    passes: list[int] = []

    def count(*given: Any) -> together.Passed:
        passes.append(len(given[-1]))
        return together.rewrite_together(*given)

    monkeypatch.setattr(trail, "MANY", 1_000)
    monkeypatch.setattr(together, "_SAMPLE", 256)
    monkeypatch.setattr(trail, "rewrite_together", count)
    made = describe(book.apply(make_values(3)))
    assert passes
    for number, (one, other) in enumerate(zip(made, wanted, strict=True)):
        assert one == other, number


@pytest.mark.parametrize("seed", [1, 2])
def test_odd_rules_together_do_what_they_do_in_turn(
    seed: int, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    random = Random(seed)
    for number in range(TRIALS):
        (tmp_path / "b.toml").write_text(make_rulebook(random), encoding="utf-8")
        table = pa.table(make_table(random))
        made = []
        for many in (together.MANY, 1):
            monkeypatch.setattr(trail, "MANY", many)
            try:
                made.append(describe(igual.Rulebook.load(tmp_path / "b.toml").apply(table)))
            except igual.IgualError as error:
                made.append([str(error)])
        assert made[0] == made[1], number


def test_a_rule_that_fails_is_said(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(trail, "MANY", 100)
    values = [f"{number} {'x' * 1_000}" for number in range(200)]
    rules = [Spacing(column="v"), Replace(column="v", pairs={"x": "y" * 2_000})]
    with pytest.raises(igual.RulebookError, match=r"^rule 2 \(replace\): it would make '1?00? x"):
        igual.Rulebook(rules).apply({"v": values})


@pytest.mark.parametrize("share", [0.0, 0.001, 0.3, 0.9])
def test_distinct_values_are_those_that_arrow_finds(share: float) -> None:
    random = np.random.default_rng(4)
    size = 1 << 17
    numbers = np.where(random.random(size) < share, random.integers(0, size, size), np.arange(size))
    texts = [None if number == 77 else f"{number} of a long text that goes on" for number in numbers.tolist()]
    # Alike at both ends and in the middle.
    texts[5:8] = ["a" * 20 + end + "b" * 20 for end in "xyx"]
    values = pa.array(texts, pa.large_string())
    wanted = values.dictionary_encode(null_encoding="encode")
    distinct = find_distinct(values)
    codes = np.arange(size) if distinct.codes is None else distinct.codes
    assert distinct.values.equals(wanted.dictionary)
    assert codes.tolist() == wanted.indices.to_pylist()


def test_a_piece_is_not_cut_again() -> None:
    values = pa.array([f"{number} {'x' * (number % 50)}" for number in range(300_000)], pa.large_string())
    pieces = cut_pieces(values)
    assert len(pieces) > 3
    assert [size for _, size in pieces][:-1] == [pieces[0][1]] * (len(pieces) - 1)
    longer = pc.binary_join_element_wise(values, *[pa.scalar("longer", values.type)] * 2)
    for start, size in pieces:
        assert cut_pieces(longer.slice(start, size)) == [(0, min(size, len(values) - start))]


def test_an_order_before_very_many_values_is_not_copied(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(trail, "MANY", 1_000)
    rules = [
        Spacing(column="v"),
        Case(column="v", style="lower"),
        Label(column="v", codebook="k", otherwise="keep"),
    ]
    texts = [f" Oak {number}" for number in range(9_000)]
    outcome = igual.Rulebook(rules, codebooks=CODEBOOKS).apply(pa.table({"v": texts}))
    cells = outcome.table["v"].chunk(0)
    assert cells.to_pylist() == [text.strip().lower() for text in texts]
    assert cells.dictionary.to_pylist()[:4] == [*CODEBOOKS["k"].labels.values(), "oak 0"]
    kept = outcome.account.trails["v"].clean
    assert cells.dictionary.buffers()[2].address == kept.buffers()[2].address
    # With a label among the values these are others, and are copied.
    again = igual.Rulebook(rules, codebooks=CODEBOOKS).apply(pa.table({"v": [*texts, None, "x7"]}))
    assert again.table["v"].to_pylist()[-2:] == [None, "seven"]
    assert again.table["v"].chunk(0).dictionary.to_pylist()[:4] == ["one", "two", "seven", "oak 0"]


def test_a_long_chain_of_rules_tells_what_each_made(tmp_path: Path) -> None:
    values = [f"v{number:04d}" for number in range(500)]
    pairs = [{f"v{number:04d}": f"w{number:04d}"} for number in range(100)]
    # Now and then values become equal, and others change all of them.
    pairs[40], pairs[70] = {"v0040": "v0041"}, {"v": "x"}
    book = igual.Rulebook([Replace(column="a", pairs=some) for some in pairs])
    outcome = book.apply({"a": values})
    wanted = values
    for some, stage in zip(pairs, outcome.account.stages, strict=True):
        ((sought, given),) = some.items()
        made = [text.replace(sought, given) for text in wanted]
        assert stage.before.to_pylist() == list(dict.fromkeys(wanted))
        assert stage.after.to_pylist() == [text.replace(sought, given) for text in dict.fromkeys(wanted)]
        wanted = made
    assert outcome.table["a"] == wanted
    # Asked for again, in another order.
    assert [stage.before.to_pylist()[-1] for stage in reversed(outcome.account.stages)][:3] == ["x0499"] * 3
