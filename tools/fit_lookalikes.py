"""Fits how likely the rarer of two values of a column is a slip of the other, and writes it to `fitted.py`.

Columns are made up of names of the world's places with slips: once or often, in long columns and short ones, with many
rows a name and with one, and with pairs of real names that lie near each other and both occur. `--report` only reports,
on columns that nothing was fitted to.
"""

from __future__ import annotations

import re
import sys
from collections import Counter
from collections.abc import Iterator, Mapping
from pathlib import Path
from typing import NamedTuple

import numpy as np
import numpy.typing as npt
import pyarrow as pa
from benchmarks.slips import Slip, any_slip, place_names, typing_slip
from scipy import optimize

from igual.column import TEXT
from igual.matching import fitted
from igual.matching.candidates import CandidateSearch
from igual.matching.lookalikes import find_near
from igual.matching.slip_pairs import SlipPairs, measure_slips
from igual.matching.vocabulary import Vocabulary
from igual.text.folding import folded_key

FITTED = Path("src/igual/matching/fitted.py")
FORCE = 0.3
# Places hardly differ by usual endings, and words, which do, aren't among the columns.
AT_MOST = {"endings": -6.0}
Floats = npt.NDArray[np.float64]


class Column(NamedTuple):
    """A made-up column: rows of each value, and what each slip meant."""

    name: str
    rows: Mapping[str, int]
    meant: Mapping[str, str]


class Pairs(NamedTuple):
    """Pairs of its values that lie near each other, and whether each is a slip and its source."""

    name: str
    slips: SlipPairs
    is_slip: npt.NDArray[np.bool_]
    values: int


def make_column(
    name: str,
    seed: int,
    names: int,
    rows: tuple[int, int],
    slips: int,
    slip: Slip = typing_slip,
    often: float = 0,
) -> Column:
    """Names with so many rows each, some of them misspelt once, or more often in so many cases."""
    random = np.random.default_rng(seed)
    known = place_names(100_000)
    some = [known[place] for place in random.choice(len(known), names, replace=False)]
    counts = {text: int(random.integers(rows[0], rows[1] + 1)) for text in some}
    keys = set(folded_key(pa.array(some, TEXT)).to_pylist())
    meant: dict[str, str] = {}
    for place in random.choice(names, slips, replace=False).tolist():
        value = slip(some[place], random)
        if folded_key(pa.array([value], TEXT))[0].as_py() not in keys:
            meant[value] = some[place]
            again = random.random() < often
            counts[value] = int(min(random.geometric(0.35), counts[some[place]])) if again else 1
    return Column(name, counts, meant)


def make_neighbours(name: str, seed: int, pairs: int) -> Column:
    """Pairs of real names that lie near each other, and both occur often."""
    random = np.random.default_rng(seed)
    known = place_names(100_000)
    some = [known[place] for place in random.choice(len(known), 20_000, replace=False)]
    search = CandidateSearch(pa.array(sorted(some), TEXT), Vocabulary())
    near = find_near(search, search.prepare(search.forms), -np.arange(len(some)), None)
    apart = near.take(near.cost < 7)
    chosen = random.choice(len(apart.value), pairs, replace=False)
    texts = [
        search.spellings[int(place)].as_py()
        for side in (apart.value, apart.spelling)
        for place in side[chosen]
    ]
    return Column(name, {text: int(random.integers(2, 80)) for text in texts}, {})


def columns(seed: int) -> Iterator[Column]:
    once, often = (1, 1), (2, 40)
    yield make_column("3,000 names, slips once", seed, 3_000, often, 889)
    yield make_column("3,000 names, slips often", seed + 1, 3_000, often, 889, often=0.35)
    yield make_column("3,000 names, any letter", seed + 2, 3_000, often, 889, any_slip, 0.35)
    yield make_column("30,000 names, one row each", seed + 3, 30_000, once, 0)
    yield make_column("20,000 names, slips, one row each", seed + 4, 20_000, once, 600)
    yield make_column("20,000 names, few rows each", seed + 5, 20_000, (1, 5), 1_000, often=0.35)
    for number in range(12):
        yield make_column("30 names, slips", seed + 10 + number, 30, (2, 200), 20, often=0.35)
        yield make_column("200 names, slips", seed + 30 + number, 200, (2, 100), 60, often=0.35)
        yield make_neighbours("neighbours", seed + 50 + number, 4 + 4 * number)


def find_pairs(column: Column) -> Pairs:
    values = sorted(column.rows)
    rows = np.array([column.rows[value] for value in values], np.float64)
    search = CandidateSearch(pa.array(values, TEXT), Vocabulary())
    ranks = np.argsort(np.argsort(-rows, kind="stable"))
    near = find_near(search, search.prepare(search.forms), ranks, None)
    both = [(values[one], values[other]) for one, other in zip(near.value, near.spelling, strict=True)]
    is_slip = [column.meant.get(one) == other or column.meant.get(other) == one for one, other in both]
    return Pairs(column.name, measure_slips(search, near, rows), np.array(is_slip, np.bool_), len(values))


def fit(sets: list[Pairs]) -> dict[str, float]:
    names = list(fitted.SLIP)
    features = np.concatenate(
        [np.stack([some.slips.features(some.values)[name] for name in names], 1) for some in sets]
    )
    is_slip = np.concatenate([some.is_slip for some in sets])

    def unlikelihood(weights: Floats) -> tuple[float, Floats]:
        chance = np.clip(1 / (1 + np.exp(-(features @ weights))), 1e-9, 1 - 1e-9)
        total = 0.5 * FORCE * float((weights**2).sum()) - float(
            np.log(np.where(is_slip, chance, 1 - chance)).sum()
        )
        return total, FORCE * weights + features.T @ (chance - is_slip)

    bounds = [(None, AT_MOST.get(name)) for name in names]
    start = np.array([min(0.0, AT_MOST.get(name, 0.0)) for name in names])
    found = optimize.minimize(unlikelihood, start, jac=True, method="L-BFGS-B", bounds=bounds).x
    return {name: round(float(number), 2) for name, number in zip(names, found, strict=True)}


def report(sets: list[Pairs]) -> None:
    totals: dict[str, Counter[str]] = {}
    for some in sets:
        features = some.slips.features(some.values)
        logit = np.sum([weight * features[name] for name, weight in fitted.SLIP.items()], axis=0)
        for least in (0.7, 0.85, 0.95):
            grouped = 1 / (1 + np.exp(-logit)) >= least
            counted = totals.setdefault(some.name, Counter())
            counted[f"{least} found"] += int((grouped & some.is_slip).sum())
            counted[f"{least} false"] += int((grouped & ~some.is_slip).sum())
        counted["slips"] += int(some.is_slip.sum())
    for name, counted in totals.items():
        print(f"  {name}: {dict(counted)}")


def main() -> None:
    if "--report" not in sys.argv:
        numbers = fit([find_pairs(column) for column in columns(1_000)])
        fitted.SLIP.update(numbers)
        lines = "".join(f'    "{name}": {number:.2f},\n' for name, number in numbers.items())
        text = re.sub(r"(?ms)^SLIP = {\n.*?^}\n", f"SLIP = {{\n{lines}}}\n", FITTED.read_text("utf-8"))
        FITTED.write_text(text, "utf-8")
        print(numbers)
    report([find_pairs(column) for column in columns(5_000)])


if __name__ == "__main__":
    main()
