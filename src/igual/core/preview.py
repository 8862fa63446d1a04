"""What rules would change, in examples that show every kind of change."""

from __future__ import annotations

import difflib
import re
from collections.abc import Iterable
from typing import NamedTuple

import numpy as np
import pyarrow as pa

from igual.core.trail import Stage

# So many changed values, those with most rows, are looked through for kinds of change.
_LOOKED_AT = 2_000
_LONGEST = 200


class Change(NamedTuple):
    """One distinct value that a rule changes."""

    rule: int
    do: str
    column: str
    before: str | None
    after: str | None
    rows: int


class Previewed(NamedTuple):
    """Some changes of one rule in one column, and how many values and rows are changed in all."""

    stage: Stage
    changes: list[Change]
    values: int
    rows: int


def preview(stages: Iterable[Stage], most: int) -> list[Previewed]:
    """For each rule and column up to `most` changes: one of each kind first, most rows first among equals."""
    return [_previewed(stage, most) for stage in stages]


def _previewed(stage: Stage, most: int) -> Previewed:
    changed = np.flatnonzero(stage.changed)
    order = changed[np.argsort(-stage.rows[changed], kind="stable")][:_LOOKED_AT]
    chosen = pa.array(order)
    before, after = stage.before.take(chosen).to_pylist(), stage.after.take(chosen).to_pylist()
    pairs = zip(before, after, stage.rows[order].tolist(), strict=True)
    changes = [Change(stage.number, stage.rule.do, stage.target, *pair) for pair in pairs]
    seen: dict[tuple[str, ...], int] = {}
    # The first of a kind goes before the second of any other.
    turns = []
    for change in changes:
        kind = kind_of(change.before, change.after)
        turns.append(seen.get(kind, 0))
        seen[kind] = turns[-1] + 1
    by_turn = sorted(range(len(changes)), key=lambda place: turns[place])
    shown = sorted(by_turn[:most])
    return Previewed(stage, [changes[place] for place in shown], len(changed), int(stage.rows[changed].sum()))


def differences(before: str, after: str) -> list[tuple[str, str]]:
    """Stretches of both texts side by side; they are equal, or one was put in the place of the other.

    >>> differences("a mapel", "a maple")
    [('a map', 'a map'), ('', 'l'), ('e', 'e'), ('l', '')]
    """
    if max(len(before), len(after)) > _LONGEST:
        return [(before, after)]
    steps = difflib.SequenceMatcher(None, before, after, autojunk=False).get_opcodes()
    return [(before[b0:b1], after[a0:a1]) for _, b0, b1, a0, a1 in steps]


def kind_of(before: str | None, after: str | None) -> tuple[str, ...]:
    """What sort of change was made: the shapes of what went and what came, and whether at an end; each once."""
    if before is None or after is None:
        return ("missing",)
    if before.casefold() == after.casefold():
        return ("case",)
    stretches = differences(before, after)
    ends = {0: "start", len(stretches) - 1: "end"}
    shapes = (
        f"{ends.get(place, '')} {_shape(one)}>{_shape(other)}"
        for place, (one, other) in enumerate(stretches)
        if one != other
    )
    return tuple(dict.fromkeys(shapes))


def _shape(text: str) -> str:
    text = re.sub(r"[^\W\d_]+", "a", text)
    return re.sub(r"\d+", "0", text)
