"""Names of several words: what is settled, how many answers the rest takes, and what has no entry."""

from __future__ import annotations

import collections
import time
from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np

import igual
from benchmarks.matching import by_scikit_learn
from benchmarks.measure import line, reliability
from benchmarks.names import FITTED_TO, SHARED_WORD, Names, all_names
from benchmarks.slips import any_slip, place_names, typing_slip
from igual.matching.questions import Pair

# A steward says yes when so many of a question's pairs are right.
_YES, _ENOUGH = 0.98, 0.95


def names() -> None:
    """Every kind of names; those that nothing was fitted to are measured against what is aimed at."""
    scores: list[tuple[float, bool]] = []
    for some in all_names():
        held_out = some.kind not in FITTED_TO
        start = time.perf_counter()
        found = igual.match(list(some.values), igual.MatchIndex(some.entries))
        took = time.perf_counter() - start
        table, truth = found.table, dict(zip(some.values, some.meant, strict=True))
        right = {
            value: truth[value] == proposal
            for value, proposal in zip(table["value"], table["proposal"], strict=True)
        }
        status = dict(zip(table["value"], table["status"], strict=True))
        settled = [value for value, what in status.items() if what == "settled"]
        share, precision = len(settled) / len(status), float(np.mean([right[value] for value in settled]))
        answers = count_answers(found.questions, status, right)
        gone = wrongly_settled(some)
        part = "held out" if held_out else "fitted to"
        print(
            f"    {some.kind} ({part}, {len(status):,} against {len(some.entries):,}): right first "
            f"{np.mean(list(right.values())):.3f}, settled {share:.3f}, of these right {precision:.4f}; {answers} "
            f"answers; of entries taken out {gone:.4f} settled; {1e6 * took / len(status):.0f} µs a value"
        )
        sample = list(some.values)[:2_000]
        theirs = by_scikit_learn(sample, list(some.entries))
        baseline = np.mean([truth[value] == name for value, name in zip(sample, theirs, strict=True)])
        mine = np.mean([right[value] for value in sample])
        print(
            f"      right first, of {len(sample):,}: igual {mine:.3f}, scikit-learn TF-IDF, char 2-3 {baseline:.3f}"
        )
        if held_out:
            shared = some.kind in SHARED_WORD
            least, sure = (0.70, 0.99) if shared else (0.45, 0.985)
            line(f"{some.kind}: settled", share, f"at least {least}", share >= least)
            line(f"{some.kind}: of these right", precision, f"at least {sure}", precision >= sure)
            most = 60 / 3_000 if shared else 0.15
            line(
                f"{some.kind}: answers a value",
                answers / len(status),
                f"at most {most}",
                answers <= most * len(status),
            )
            scores += zip(table["score"], (right[value] for value in table["value"]), strict=True)
    reliability("held-out names", scores)


def count_answers(questions: Sequence[Any], status: Mapping[str, str], right: Mapping[str, bool]) -> int:
    """Answers until nearly all is settled that can be: kinds first, then what they left, likeliest first."""
    wanted = _ENOUGH * sum(right[value] for value, what in status.items() if what != "unknown")
    got = float(sum(right[value] for value, what in status.items() if what == "settled"))
    answers = 0
    left: list[Pair] = []
    for question in questions:
        if got >= wanted:
            return answers
        good = [right[pair.value] for pair in question.members]
        if len(good) == 1:
            left += question.members
            continue
        answers += 1
        if sum(good) >= _YES * len(good):
            got += sum(good)
        else:
            left += question.members
    for pair in sorted(left, key=lambda pair: -pair.score):
        if got >= wanted:
            break
        answers += 1
        got += right[pair.value]
    return answers


def wrongly_settled(some: Names) -> float:
    """Of names whose entry was taken out of the list, how many are settled for another."""
    less = some.without(0.25)
    listed = set(less.entries)
    gone = [value for value, meant in zip(less.values, less.meant, strict=True) if meant not in listed]
    if not gone:
        return 0.0
    return float((igual.match(gone, igual.MatchIndex(less.entries)).table["status"] == "settled").mean())


def lookalikes() -> None:
    """Slips in a column of place names, with rows as evidence, and a column that has none."""
    known = place_names(100_000)
    for slip, title in ((typing_slip, "slips of fingers"), (any_slip, "any letter at random")):
        random = np.random.default_rng(40)
        names = [known[place] for place in random.choice(len(known), 3_000, replace=False)]
        rows = {name: int(random.integers(2, 41)) for name in names}
        chosen = [names[place] for place in random.choice(len(names), 889, replace=False)]
        meant = {
            value: name
            for value, name in zip(misspelt_once(chosen, slip), chosen, strict=True)
            if value not in rows
        }
        column = [name for name, count in rows.items() for _ in range(count)] + list(meant)
        groups = collections.defaultdict(list)
        for one in igual.lookalikes(column).members:
            groups[one.group].append(one)
        pairs = [
            (one.value, one.proposal)
            for group in groups.values()
            for one in group
            if one.value != one.proposal
        ]
        found = sum(meant.get(value) == proposal for value, proposal in pairs)
        line(f"lookalikes, {title}: found", found / len(meant), "at least 0.85", found >= 0.85 * len(meant))
        false = len(pairs) - found
        line(f"lookalikes, {title}: false pairs", false, "at most 5", false <= 5)
    clean = known[:32_148]
    proposed = len({one.group for one in igual.lookalikes(clean).members})
    line("lookalikes of 32,148 clean names: groups", proposed, "at most 300", proposed <= 300)


def misspelt_once(names: Sequence[str], slip: Any) -> list[str]:
    random = np.random.default_rng(3)
    return [slip(name, random) for name in names]
