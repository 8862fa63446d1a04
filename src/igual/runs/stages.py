"""One rule's work on one column, and the texts before and after it: kept, or made again when they are asked for."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from itertools import compress
from typing import NamedTuple, Protocol

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from igual.column import Codes, Counts, Mask
from igual.matching.lookups import How
from igual.matching.matched import UNKNOWN
from igual.pieces import change_pieces
from igual.rules.base import Rule
from igual.rules.rewriters import Details, Rewriter


class SurroundingTexts(Protocol):
    """The texts around a rule."""

    @property
    def before(self) -> pa.Array:
        """The distinct values that the rule met, (met,)."""

    @property
    def after(self) -> pa.Array:
        """What they became, (met,)."""


class KeptTexts(NamedTuple):
    """Texts around a rule that are kept.

    Attributes:
        before: The distinct values that the rule met, (met,).
        after: What they became, (met,).
    """

    before: pa.Array
    after: pa.Array


class Replay:
    """The texts between rules that work value by value, made again from those before the first rule.

    Kept they would take as much memory, after each rule, as the column. Those asked for last are remembered, since
    who asks mostly goes on from rule to rule.

    Args:
        start: The texts before the first rule, (values,).
        changes: What each rule makes of texts; None where it has left all of them as they were.
    """

    def __init__(self, start: pa.Array, changes: Sequence[Callable[[pa.Array], pa.Array] | None]) -> None:
        self._start = start
        self._changes = changes
        self._last = (0, start)

    def values_at(self, step: int) -> pa.Array:
        """The texts after so many of the rules, (values,)."""
        known, values = self._last if self._last[0] <= step else (0, self._start)
        for change in self._changes[known:step]:
            values = values if change is None else change_pieces(values, change)
        self._last = (step, values)
        return values


class Deltas(Replay):
    """The texts between many rules that each change a few values, made again from those before the first of them.

    Args:
        start: The texts before the first rule, (values,).
    """

    def __init__(self, start: pa.Array) -> None:
        super().__init__(start, [])
        self._deltas: list[tuple[pa.Array, pa.Array]] = []
        # The texts behind the last rule: who goes on from others begins anew.
        self.end = start

    def add(self, changed: Mask, values: pa.Array) -> int:
        """Add what one more rule made, and give its step.

        Args:
            changed: Which values it changed, (values,).
            values: What all of them are now, (values,).
        """
        flags = pa.array(changed)
        self._deltas.append((flags, values.filter(flags)))
        self.end = values
        return len(self._deltas) - 1

    def values_at(self, step: int) -> pa.Array:
        """The texts after so many of the rules, (values,)."""
        known, values = self._last if self._last[0] <= step else (0, self._start)
        for flags, made in self._deltas[known:step]:
            values = pc.replace_with_mask(values, flags, made)
        self._last = (step, values)
        return values


@dataclass(frozen=True, eq=False)
class ReplayedTexts:
    """Texts around a rule that are made again.

    Attributes:
        replay: Makes them.
        step: How many rules come before.
        kept: Which of the replay's values are the first of their kind there (None: they are all distinct).
    """

    replay: Replay
    step: int
    kept: Mask | None

    @property
    def before(self) -> pa.Array:
        """The distinct values that the rule met, (met,)."""
        return self._take(self.step)

    @property
    def after(self) -> pa.Array:
        """What they became, (met,)."""
        return self._take(self.step + 1)

    def _take(self, step: int) -> pa.Array:
        values = self.replay.values_at(step)
        return values if self.kept is None else values.filter(pa.array(self.kept))


class Stage(NamedTuple):
    """One rule's work on one column.

    Attributes:
        number: The rule's place in the rulebook, from 1.
        rule: The rule.
        rewriter: The same, prepared for work.
        target: The column the result went to.
        positions: For each raw value its position among those that the rule met, (distinct,).
        rows: Rows per met value, (met,).
        changed: Which met values came out different, (met,).
        details: What else the rule said of them.
        texts: The met values, and what became of them.
    """

    number: int
    rule: Rule
    rewriter: Rewriter
    target: str
    positions: Codes
    rows: Counts
    changed: Mask
    details: Details
    texts: SurroundingTexts

    @property
    def before(self) -> pa.Array:
        """The distinct values that the rule met, (met,)."""
        return self.texts.before

    @property
    def after(self) -> pa.Array:
        """What the met values became, (met,)."""
        return self.texts.after

    @property
    def ruled_out(self) -> set[str]:
        """Values of which a ruling says that they are not in the list."""
        matched = self.details.matched
        if matched is None:
            return set()
        is_out = (matched.how == How.RULING) & (matched.status == UNKNOWN)
        return set(matched.values.filter(pa.array(is_out)).to_pylist())


def find_near_misses(stage: Stage) -> list[tuple[int, tuple[str, ...]]]:
    """Find values that came close to an entry of a rule.

    Of a rule that looks values up these are among the unknown; of one that searches texts, among the values it left
    as they were, for the entries that it found nowhere.

    Args:
        stage: The rule's work.

    Returns:
        Positions in the values it met, and the entries that each came close to.
    """
    details = stage.details
    if details.used is None:
        return []
    mask: Mask = ~stage.changed if details.unknown is None else details.unknown
    if not mask.any() or (details.unknown is None and details.used.all()):
        return []
    unused = [*compress(stage.rewriter.entries, (~details.used).tolist())]
    positions = np.flatnonzero(mask)
    misses = stage.rewriter.near_misses(stage.before.filter(pa.array(mask)), unused)
    return [(int(positions[miss.position]), miss.entries) for miss in misses]
