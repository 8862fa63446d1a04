"""What became of a column's distinct values, rule by rule."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import NamedTuple

import numpy as np
import pyarrow as pa

from igual.core.column import Codes, Column, Counts, Mask, merged, rows_per
from igual.core.rules import Rewriter, Rewritten, Rule
from igual.core.text.arrays import differs


class Stage(NamedTuple):
    """One rule's work on one column.

    number: the rule's place in the rulebook, from 1. target: the column the result went to.
    before: the distinct values the rule met, (met,). places: for each raw value its place in `before`, (distinct,).
    rows: rows per met value, (met,). changed: which met values came out different, (met,).
    """

    number: int
    rule: Rule
    rewriter: Rewriter
    target: str
    before: pa.Array
    places: Codes
    rows: Counts
    result: Rewritten
    changed: Mask

    @property
    def after(self) -> pa.Array:
        return self.result.values

    @property
    def name(self) -> str:
        """How messages call the rule, such as 'rule 3 (label)'."""
        return f"rule {self.number} ({self.rule.do})"


@dataclass(frozen=True, eq=False)
class ColumnTrail:
    """A column on its way through the rules.

    name: the column the result goes to. source: the column of the table it began as.
    column: the raw column. values: the distinct values as they are now, (now,).
    places: for each raw value its place in `values`, (distinct,).
    """

    name: str
    source: str
    column: Column
    values: pa.Array
    places: Codes
    stages: tuple[Stage, ...] = ()

    @classmethod
    def begin(cls, name: str, column: Column) -> ColumnTrail:
        return cls(name, name, column, column.values, np.arange(len(column.values), dtype=np.int32))

    def through(self, number: int, rule: Rule, rewriter: Rewriter) -> ColumnTrail:
        """The trail with one more rule applied; values that now coincide are merged."""
        result = rewriter.rewrite(self.values)
        changed = differs(self.values, result.values)
        target = rule.into or self.name
        stage = Stage(number, rule, rewriter, target, self.values, self.places, self.rows, result, changed)
        stages = (*self.stages, stage)
        if not changed.any():
            return ColumnTrail(target, self.source, self.column, self.values, self.places, stages)
        values, moved = merged(result.values)
        places = self.places if moved is None else moved[self.places].astype(np.int32, copy=False)
        return ColumnTrail(target, self.source, self.column, values, places, stages)

    @cached_property
    def rows(self) -> Counts:
        """Rows per value as it is now, (now,)."""
        return rows_per(self.places, self.column.counts, len(self.values))

    @cached_property
    def clean(self) -> pa.Array:
        """What each raw value has become, (distinct,)."""
        return self.values.take(pa.array(self.places))
