"""Matching: speed beside brute force, growth, memory, accuracy on real misspellings, and what is settled."""

from __future__ import annotations

import csv
import functools
import resource
import time
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any

import numpy as np
import pyarrow as pa

import igual
from benchmarks.ceiling import ceiling
from benchmarks.measure import line, reliability
from benchmarks.slips import Slip, any_slip, is_held_out, misspelt, place_names, typing_slip
from igual.column import TEXT
from igual.matching.keys import letters_key, plain, words_key
from igual.matching.measures import damerau_levenshtein

DATA = Path("../shared/data")
NAMES = 100_000
SAMPLE = 1_000
ASKED = 4_000
GROWTH = (10_000, 30_000, 100_000, 300_000)


def timed(call: Callable[[], Any]) -> tuple[float, Any]:
    start = time.perf_counter()
    found = call()
    return time.perf_counter() - start, found


def keyed(texts: Sequence[str]) -> list[str]:
    keys: list[str] = letters_key(plain(pa.array(texts, TEXT))).to_pylist()
    return keys


def misspelt_names(names: Sequence[str], seed: int = 3, slip: Slip = any_slip) -> tuple[list[str], list[str]]:
    """Names with one slip or two, none of which is another name by now, and what was meant."""
    raw = misspelt(names, slip, seed)
    known = set(keyed(names))
    kept = {
        value: name
        for value, name, key in zip(raw, names, keyed(raw), strict=True)
        if key and key not in known
    }
    return list(kept), list(kept.values())


def lower(texts: Sequence[str]) -> list[str]:
    """Lower case, no accents: what everybody compares here, so that nobody is helped or hurt by dress."""
    found: list[str] = words_key(plain(pa.array(texts, TEXT))).to_pylist()
    return found


def proposals(table: Any, values: Sequence[str]) -> list[str | None]:
    proposed = dict(zip(table["value"], table["proposal"], strict=True))
    return [proposed.get(value) for value in values]


def speed() -> None:
    """100,000 misspelt names against 100,000 names, beside a brute-force join and a product of q-grams."""
    names = list(dict.fromkeys(lower(place_names())))[:NAMES]
    raw, meant = misspelt_names(names)
    igual.match(raw[:20_000], names[:20_000])  # libraries are loaded, and compiled where Numba is installed
    took, found = timed(lambda: igual.match(raw, names).table)
    note(f"right first: {right(proposals(found, raw), meant):.3f}")
    note(
        f"{len(raw):,} values against {len(names):,} names: {took:.1f} s, {1e6 * took / len(raw):.0f} µs a value"
    )
    peak = peak_memory()
    line("peak memory of the process, GB", peak, "at most 2", peak <= 2)
    chosen = np.random.default_rng(1).choice(len(raw), SAMPLE, replace=False)
    sample = [raw[place] for place in chosen]
    for name, peer, least in PEERS:
        seconds = timed(functools.partial(peer, sample, names))[0]
        note(f"{name}: {1e3 * seconds / SAMPLE:.2f} ms a value, from a sample of {SAMPLE:,}")
        ratio = seconds / SAMPLE * len(raw) / took
        line(f"{name} / igual", ratio, f"at least {least}", ratio >= least)
    likened, groups = timed(lambda: igual.lookalikes(raw).table["group"].nunique())
    note(f"lookalikes of {len(raw):,} values: {likened:.1f} s, {groups:,} groups")
    line("lookalikes / match", likened / took, "at most 1.2", likened / took <= 1.2)


def first_right() -> None:
    """How often the first proposal is what was meant, beside the same peers, on the same values."""
    names = list(dict.fromkeys(lower(place_names())))[:NAMES]
    for slip, title in ((typing_slip, "slips of fingers"), (any_slip, "any letter at random")):
        raw, meant = misspelt_names(names, slip=slip)
        chosen = np.random.default_rng(1).choice(len(raw), ASKED, replace=False)
        sample, wanted = [raw[place] for place in chosen], [meant[place] for place in chosen]
        mine = right(proposals(igual.match(sample, names).table, sample), wanted)
        note(f"{title}, {len(sample):,} values: right first: igual {mine:.4f}")
        for name, peer, _ in PEERS:
            theirs = right(peer(sample, names), wanted)
            note(f"{title}: right first: {name} {theirs:.4f}")
            ahead = 100 * (mine - theirs)
            line(f"{title}: points ahead of {name}", ahead, "at least 8", ahead >= 8)
    some = 500
    note(f"{title}: the most that any method could have right, told how slips are made, from {some} of the values: "
         f"{ceiling(sample[:some], names):.3f}")  # fmt: skip
    nearest = np.mean([truth_is_unique(*pair, names) for pair in zip(sample[:200], wanted, strict=False)])
    note(f"{title}: of 200 what was meant is the only nearest name by edits in {nearest:.3f}")


def note(text: str) -> None:
    print(f"    {text}")


def peak_memory() -> float:
    """The most that this process has held, in GB."""
    return resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 2**20


def right(given: Sequence[str | None], wanted: Sequence[str]) -> float:
    return float(np.mean([a == b for a, b in zip(given, wanted, strict=True)]))


def truth_is_unique(value: str, meant: str, names: Sequence[str]) -> bool:
    near = [name for name in names if abs(len(name) - len(value)) <= 2]
    distances = damerau_levenshtein([value] * len(near), near)
    best = distances == distances.min()
    return bool(best.sum() == 1 and near[int(best.argmax())] == meant)


def by_duckdb(values: Sequence[str], names: Sequence[str]) -> list[str]:
    import duckdb

    asked = pa.table({"place": np.arange(len(values)), "value": values})  # noqa: F841
    entries = pa.table({"name": names})  # noqa: F841
    best = "max_by(name, jaro_winkler_similarity(value, name))"
    found = dict(duckdb.sql(f"select place, {best} from asked cross join entries group by place").fetchall())
    return [found[place] for place in range(len(values))]


def by_scikit_learn(values: Sequence[str], names: Sequence[str]) -> list[str]:
    from sklearn.feature_extraction.text import TfidfVectorizer

    vectors = TfidfVectorizer(analyzer="char", ngram_range=(2, 3), dtype=np.float32)
    entries = vectors.fit_transform(names).T.tocsr()
    asked = vectors.transform(values)
    best = [asked[at : at + 200].dot(entries).toarray().argmax(axis=1) for at in range(0, len(values), 200)]
    return [names[place] for place in np.concatenate(best)]


PEERS: tuple[tuple[str, Callable[[Sequence[str], Sequence[str]], list[str]], int], ...] = (
    ("DuckDB max_by(jaro_winkler)", by_duckdb, 100),
    ("scikit-learn TF-IDF, char 2-3", by_scikit_learn, 15),
)


def growth(sizes: Sequence[int] = GROWTH) -> None:
    """How time grows with both sides."""
    names = list(dict.fromkeys(lower(place_names(alternates=True))))
    times = []
    for size in sizes:
        raw, _ = misspelt_names(names[:size])
        entries = names[:size]
        start = time.perf_counter()
        igual.match(raw, entries)
        times.append(time.perf_counter() - start)
        note(f"{len(raw):,} against {size:,}: {times[-1]:.1f} s")
    exponent = float(np.polyfit(np.log(sizes), np.log(times), 1)[0])
    line("fitted exponent of growth", exponent, "below 1.3", exponent < 1.3)


def one_value() -> None:
    """One value against a list that is ready."""
    names = place_names(NAMES)
    beat = reference_loop()
    built, index = timed(lambda: ready(names))
    line("building the index of 100,000, s", built, "at most 3", built <= 3)
    note(f"building it took {built / beat:.2f} of the reference loop")
    slowest = 0.0
    for value in ("Nrowich on Teh Hill", "Santa Mria de la Pas", "Lodnon", "Xyzzy Qrt", "Bergne"):
        best = min(timed(functools.partial(igual.match, [value], index))[0] for _ in range(5))
        slowest = max(slowest, 1e3 * best)
    line("one value against it, ms", slowest, "at most 20", slowest <= 20)
    note(f"one value took {slowest / 1e3 / beat:.4f} of the reference loop")


def reference_loop(turns: int = 20_000_000) -> float:
    """Seconds that a fixed loop takes: what other times may be set beside, however busy the machine is."""
    start, total = time.perf_counter(), 0
    for turn in range(turns):
        total += turn
    return time.perf_counter() - start


def ready(names: Sequence[str]) -> igual.MatchIndex:
    index = igual.MatchIndex(names)
    igual.match(["Qx Glorp ink"], index)
    return index


def accuracy() -> None:
    """Real misspellings, and values that mean nothing in the list."""
    if not (DATA / "typos-dev.csv").exists():
        note(f"skipped: {DATA} isn't there")
    else:
        with (DATA / "typos-dev.csv").open(encoding="utf-8") as file:
            rows = list(csv.DictReader(file))
        words = (DATA / "words.txt").read_text("utf-8").split()
        settled("misspelt words", [row["raw"] for row in rows], [row["true"] for row in rows], words)
    names = place_names(NAMES)
    some = [names[place] for place in np.random.default_rng(9).choice(len(names), 10_000, replace=False)]
    for title, slip in (("places, any slip", any_slip), ("places, typing slips", typing_slip)):
        raw, known = misspelt(some, slip, 4), set(keyed(names))
        kept = [at for at, key in enumerate(keyed(raw)) if key and key not in known]
        settled(title, [raw[at] for at in kept], [some[at] for at in kept], names)


def settled(title: str, raw: Sequence[str], meant: Sequence[str], entries: Sequence[str]) -> None:
    found = igual.match(raw, entries)
    ranks = found.candidates.merge(
        pa.table({"value": raw, "meant": meant}).to_pandas().drop_duplicates("value"), on="value"
    )
    hit = ranks[ranks["entry"] == ranks["meant"]].drop_duplicates("value").set_index("value")["rank"]
    rank = np.array([hit.get(value, 99) for value in raw])
    held_out = np.array([is_held_out(text) for text in meant])
    for part, which in (("all", np.ones(len(raw), bool)), ("held out", held_out)):
        first, three = (rank[which] <= 1).mean(), (rank[which] <= 3).mean()
        note(f"{title}, {part}: first {first:.4f}, first three {three:.4f}")
    status = dict(zip(found.table["value"], found.table["status"], strict=True))
    is_settled = np.array([status.get(value) == "settled" for value in raw])
    good = rank == 1
    note(f"{title}: settled {is_settled.mean():.3f}, of these right {good[is_settled].mean():.4f}; "
         f"of those whose first is right {is_settled[good].mean():.3f} are settled")  # fmt: skip
    score = dict(zip(found.table["value"], found.table["score"], strict=True))
    reliability(
        title, [(score[value], right) for value, right in zip(raw, good, strict=True) if value in score]
    )
    random = np.random.default_rng(11)
    gone = {entries[place] for place in random.choice(len(entries), len(raw) // 4, replace=False)}
    left = [entry for entry in entries if entry not in gone]
    of_gone = [value for value, known in zip(raw, meant, strict=True) if known in gone]
    wrongly = float((igual.match(of_gone, left).table["status"] == "settled").mean())
    note(f"{title}: {len(of_gone):,} misspellings of entries taken out of the list: settled {wrongly:.3f}")
    strangers = igual.match(sorted(gone), left).table["status"].value_counts(normalize=True)
    said = ", ".join(f"{status} {share:.3f}" for status, share in strangers.sort_index().items())
    note(f"{title}: entries taken out of the list and asked for: {said}")


def large(size: int = 1_000_000) -> None:
    """A million against a million."""
    names = list(dict.fromkeys(lower(place_names(alternates=True))))
    parts = sorted({word for name in names for word in name.split() if len(word) > 3})
    random = np.random.default_rng(5)
    while len(names) < size:
        one, other = random.choice(len(parts), size), random.choice(len(parts), size)
        names = list(
            dict.fromkeys([*names, *(f"{parts[a]} {parts[b]}" for a, b in zip(one, other, strict=True))])
        )
    raw, meant = misspelt_names(names[:size])
    took, found = timed(lambda: igual.match(raw, names[:size]).table)
    peak = peak_memory()
    share = right(proposals(found, raw), meant)
    note(f"{len(raw):,} against {size:,}: {took:.0f} s, peak {peak:.1f} GB, right first {share:.3f}")
