"""What rules would change, in examples that show every kind of change."""

from __future__ import annotations

import difflib
import re
from collections import Counter
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING, NamedTuple

import numpy as np
import pyarrow as pa

from igual.display import Displayed
from igual.runs.stages import Stage

if TYPE_CHECKING:
    import pandas as pd

# So many changed values, those with most rows, are looked through for kinds of change.
_LOOKED_AT = 2_000
_LONGEST = 200


class Change(NamedTuple):
    """One distinct value that a rule changes.

    Attributes:
        rule: The rule's place in the rulebook, from 1.
        do: What the rule does.
        column: The column.
        before: The value as the rule met it.
        after: What it became.
        rows: How many rows have it.
    """

    rule: int
    do: str
    column: str
    before: str | None
    after: str | None
    rows: int


class PreviewedRule(NamedTuple):
    """Some changes of one rule in one column.

    Attributes:
        stage: The rule's work on the column.
        changes: The examples.
        values: How many distinct values it changes in all.
        rows: How many rows it changes in all.
    """

    stage: Stage
    changes: list[Change]
    values: int
    rows: int


@dataclass(frozen=True, eq=False, repr=False)
class Preview(Displayed):
    """What rules change, before and after, with what differs marked.

    Attributes:
        rules: Each rule's work on each column.
    """

    rules: Sequence[PreviewedRule]

    @property
    def table(self) -> pd.DataFrame:
        """DataFrame with rule, do, column, before, after, rows."""
        return self._frame("table")


def make_preview(stages: Iterable[Stage], most: int) -> Preview:
    """Choose examples of what rules change.

    Args:
        stages: Each rule's work on each column.
        most: How many examples of each at most.

    Returns:
        Examples: one of each kind of change first, most rows first among equals.
    """
    return Preview(tuple(_preview_stage(stage, most) for stage in stages))


def _preview_stage(stage: Stage, most: int) -> PreviewedRule:
    changed = np.flatnonzero(stage.changed)
    order = changed[np.argsort(-stage.rows[changed], kind="stable")][:_LOOKED_AT]
    chosen = pa.array(order)
    before, after = stage.before.take(chosen).to_pylist(), stage.after.take(chosen).to_pylist()
    pairs = zip(before, after, stage.rows[order].tolist(), strict=True)
    changes = [Change(stage.number, stage.rule.do, stage.target, *pair) for pair in pairs]
    counts: Counter[tuple[str, ...]] = Counter()
    # The first of a kind goes before the second of any other.
    turns = []
    for change in changes:
        kind = classify_change(change.before, change.after)
        turns.append(counts[kind])
        counts[kind] += 1
    by_turn = sorted(range(len(changes)), key=turns.__getitem__)
    chosen_changes = [changes[number] for number in sorted(by_turn[:most])]
    return PreviewedRule(stage, chosen_changes, len(changed), int(stage.rows[changed].sum()))


def find_differences(before: str, after: str) -> list[tuple[str, str]]:
    """Cut two texts into stretches that are equal, or of which one was put in the place of the other.

    Args:
        before: One text.
        after: The other.

    Returns:
        Pairs of stretches, in order.

    Example:
        >>> find_differences("a mapel", "a maple")
        [('a map', 'a map'), ('', 'l'), ('e', 'e'), ('l', '')]
    """
    if max(len(before), len(after)) > _LONGEST:
        return [(before, after)]
    steps = difflib.SequenceMatcher(None, before, after, autojunk=False).get_opcodes()
    return [(before[b0:b1], after[a0:a1]) for _, b0, b1, a0, a1 in steps]


def classify_change(before: str | None, after: str | None) -> tuple[str, ...]:
    """Find out what sort of change was made.

    Args:
        before: The text before.
        after: The text after.

    Returns:
        The shapes of what went and what came, and whether at an end; each once.
    """
    if before is None or after is None:
        return ("missing",)
    if max(len(before), len(after)) > _LONGEST:
        return ("long",)
    if before.casefold() == after.casefold():
        return ("case",)
    stretches = find_differences(before, after)
    ends = {0: "start", len(stretches) - 1: "end"}
    shapes = (
        f"{ends.get(number, '')} {_shape(old)}>{_shape(new)}"
        for number, (old, new) in enumerate(stretches)
        if old != new
    )
    return tuple(dict.fromkeys(shapes))


def _shape(text: str) -> str:
    text = re.sub(r"[^\W\d_]+", "a", text)
    return re.sub(r"\d+", "0", text)
