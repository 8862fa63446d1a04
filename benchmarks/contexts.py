"""Names within what stands beside them: airports within countries and regions, beside matching without it."""

from __future__ import annotations

import time
from collections.abc import Mapping, Sequence
from typing import NamedTuple

import numpy as np
import pyarrow as pa

import igual
from benchmarks.figures import _at_most
from benchmarks.measure import line
from benchmarks.names import _file, _navigation_airports, _rows
from igual.rules import Match


class _Airports(NamedTuple):
    """What one source calls airports, where they lie, and what another calls them."""

    values: Sequence[str]
    contexts: Sequence[str]
    meant: Sequence[str]
    entries: Mapping[str, str]


def contexts() -> None:
    """Airports of two sources, whose names are alike, within a few large and within many small contexts."""
    print("16. names within a context")
    for what, parts in (("countries", ("country",)), ("regions", ("country", "subd"))):
        airports = _join(parts)
        gone = set(np.random.default_rng(5).choice(sorted(set(airports.meant)), len(airports.meant) // 6))
        left = {name: where for name, where in airports.entries.items() if name not in gone}
        within, took = _match(airports, left, {"where": "where"})
        anywhere, took_anywhere = _match(airports, left, {})
        for how, found in (("within", within), ("anywhere", anywhere)):
            pairs = list(zip(found, airports.meant, strict=True))
            listed = [(name, meant) for name, meant in pairs if meant not in gone]
            settled = [name == meant for name, meant in listed if name is not None]
            wrongly = np.mean([name is not None for name, meant in pairs if meant in gone])
            print(
                f"    {len(set(airports.contexts)):,} {what}, {how}: of {len(listed):,} names "
                f"{len(settled) / len(listed):.3f} settled, of these right {np.mean(settled):.4f}; "
                f"of entries taken out {wrongly:.4f} settled"
            )
            if how == "within":
                share = float(np.mean(settled))
                line(f"{what}: of these right", share, "at least 0.99", share >= 0.99)
        print(f"    {took:.2f} s, without the context {took_anywhere:.2f} s")
        _at_most(f"{what}: time within / anywhere", took / took_anywhere, 4)


def _match(
    airports: _Airports, entries: Mapping[str, str], within: Mapping[str, str]
) -> tuple[list[str | None], float]:
    """The entry that each name is settled for, or None; and the time."""
    places = igual.ReferenceList(list(entries), attributes={"where": list(entries.values())})
    rule = Match(column="name", list="places", within=within, into="meant")
    book = igual.Rulebook([rule], lists={"places": places})
    start = time.perf_counter()
    outcome = book.apply(pa.table({"name": airports.values, "where": airports.contexts}))
    took = time.perf_counter() - start
    waiting = {(one.value, one.within) for one in outcome.account.open}
    about = zip(airports.values, airports.contexts if within else [""] * len(airports.values), strict=True)
    return [
        name if key not in waiting and name in entries else None
        for key, name in zip(about, outcome.table["meant"].to_pylist(), strict=True)
    ], took


def _join(parts: Sequence[str]) -> _Airports:
    listed = [row for row in _rows(_file("airportsdata", "airports.csv")) if row["icao"] and row["iata"]]
    where = {row["icao"]: "/".join(row[part] for part in parts) for row in listed}
    names: dict[str, set[str]] = {}
    for row in listed:
        names.setdefault(row["name"], set()).add(where[row["icao"]])
    entries = {name: min(some) for name, some in names.items() if len(some) == 1}
    called = {row["icao"]: row["name"] for row in listed}
    meant: dict[tuple[str, str], set[str]] = {}
    for code, value in _navigation_airports().items():
        if called.get(code) in entries:
            meant.setdefault((value, where[code]), set()).add(called[code])
    sure = [(value, place, min(some)) for (value, place), some in meant.items() if len(some) == 1]
    values, contexts, names_meant = (list(column) for column in zip(*sure, strict=True))
    return _Airports(values, contexts, names_meant, entries)
