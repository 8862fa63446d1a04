"""What became of a column's distinct values, rule by rule."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import NamedTuple

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from igual.column import TEXT, Codes, Column, Counts, Mask, count_rows
from igual.distinct import find_distinct
from igual.engines import CleanColumn, OutputType
from igual.lists import Shelf
from igual.matching.lookups import How
from igual.matching.matched import UNKNOWN
from igual.rules.base import Rule, apply_rule
from igual.rules.outputs import conform
from igual.rules.rewriters import Rewriter, Rewritten
from igual.text.arrays import differs


class Stage(NamedTuple):
    """One rule's work on one column.

    Attributes:
        number: The rule's place in the rulebook, from 1.
        rule: The rule.
        rewriter: The same, prepared for work.
        target: The column the result went to.
        before: The distinct values the rule met, (met,).
        positions: For each raw value its position in `before`, (distinct,).
        rows: Rows per met value, (met,).
        result: What the rule made of them.
        changed: Which met values came out different, (met,).
    """

    number: int
    rule: Rule
    rewriter: Rewriter
    target: str
    before: pa.Array
    positions: Codes
    rows: Counts
    result: Rewritten
    changed: Mask

    @property
    def after(self) -> pa.Array:
        """What the met values became, (met,)."""
        return self.result.values

    @property
    def ruled_out(self) -> set[str]:
        """Values of which a ruling says that they are not in the list."""
        matched = self.result.matched
        if matched is None:
            return set()
        is_out = (matched.how == How.RULING) & (matched.status == UNKNOWN)
        return set(matched.values.filter(pa.array(is_out)).to_pylist())


@dataclass(frozen=True, eq=False)
class ColumnTrail:
    """A column on its way through the rules.

    Attributes:
        name: The column the result goes to.
        source: The column of the table it began as.
        column: The raw column; once a rule has looked at other columns too, its values are the distinct
            combinations, so that a raw value may stand in it several times.
        values: The values as they are now, (now,), distinct once they are merged.
        positions: For each raw value its position in `values`, (distinct,).
        rows: Rows per value as it is now, (now,).
        stages: The work of each rule so far.
        beside: What stood in the other columns that rules looked at: their names, and texts, (distinct,) each.
        is_merged: Whether `values` are distinct.
        output: What the values are to be in the clean table: texts, numbers, dates, or texts with an order.
    """

    name: str
    source: str
    column: Column
    values: pa.Array
    positions: Codes
    rows: Counts
    stages: tuple[Stage, ...] = ()
    beside: tuple[tuple[str, pa.Array], ...] = ()
    is_merged: bool = True
    output: OutputType = OutputType()  # noqa: RUF009  # a named tuple never changes

    @classmethod
    def begin(cls, name: str, column: Column) -> ColumnTrail:
        """Start with a raw column.

        Args:
            name: Its name.
            column: The column.

        Returns:
            A trail without a stage.
        """
        positions = np.arange(len(column.values), dtype=np.int32)
        return cls(name, name, column, column.values, positions, column.counts)

    def apply(
        self,
        number: int,
        rule: Rule,
        rewriter: Rewriter,
        others: Sequence[ColumnTrail],
        shelf: Shelf,
        *,
        counts_rows: bool = True,
    ) -> list[ColumnTrail]:
        """Apply one more rule.

        Args:
            number: The rule's place in the rulebook, from 1.
            rule: The rule.
            rewriter: The same, prepared for work.
            others: The columns that the rule looks at besides this one.
            shelf: What the rule refers to by name.
            counts_rows: Whether the rows of the values are those of the whole column, so that they may count.

        Returns:
            The trail with one more stage: one, or one for each column that the rule writes into.
        """
        trail = self.merge()
        trail = trail._combine(others) if others else trail
        beside = {other.name: _latest(trail.beside, other.name) for other in others}
        if counts_rows:
            rewriter = rule.with_rows(rewriter, trail.values, trail.rows)
        result = apply_rule(rule, rewriter, trail.values, beside, shelf)
        targets = (rule.into,) if isinstance(rule.into, str) else rule.into or (self.name,)
        columns = result.columns if result.columns is not None else (result.values,)
        output = rule.output(shelf)
        return [
            trail._add_stage(
                number, rule, rewriter, target, result._replace(values=values, columns=None), output
            )
            for target, values in zip(targets, columns, strict=True)
        ]

    def _add_stage(
        self,
        number: int,
        rule: Rule,
        rewriter: Rewriter,
        target: str,
        result: Rewritten,
        output: OutputType,
    ) -> ColumnTrail:
        """The trail with a stage for one result, whose values may coincide yet."""
        changed = differs(self.values, result.values)
        if not changed.any():
            # The same texts are kept once.
            result = result._replace(values=self.values)
        stage = Stage(number, rule, rewriter, target, self.values, self.positions, self.rows, result, changed)
        is_same = output == OutputType() and not changed.any() and target == self.name
        return replace(
            self,
            name=target,
            values=result.values,
            is_merged=self.is_merged and not changed.any(),
            stages=(*self.stages, stage),
            output=self.output if is_same else output,
        )

    def finish(self) -> ColumnTrail:
        """Make values missing that can't stand in a column of numbers or dates, since no rule has read them.

        Returns:
            The trail, with one more stage of the last rule that reads where there are such values.
        """
        if self.output.kind == "text" or not self.stages:
            return self
        trail = self.merge()
        kept, unread = conform(trail.values, self.output)
        if not differs(trail.values, kept).any():
            return trail
        last = self.stages[-1]
        result = Rewritten(kept, unknown=unread)
        return trail._add_stage(last.number, last.rule, last.rewriter, last.target, result, self.output)

    def merge(self) -> ColumnTrail:
        """Merge values that coincide: what the next rule meets."""
        if self.is_merged:
            return self
        values, moved = find_distinct(self.values)
        if moved is None:
            return replace(self, is_merged=True)
        positions = moved[self.positions].astype(np.int32, copy=False)
        rows = count_rows(moved, self.rows, len(values))
        return replace(self, values=values, positions=positions, rows=rows, is_merged=True)

    def _combine(self, others: Sequence[ColumnTrail]) -> ColumnTrail:
        """The trail over the distinct combinations with other columns; the rows are touched once for each."""
        trail = self
        for other in (one.merge() for one in others):
            other_codes = other.positions[other.column.codes].astype(np.int64)
            size = max(len(other.values), 1)
            pairs = pa.array(trail.column.codes.astype(np.int64) * size + other_codes)
            encoded = pairs.dictionary_encode()
            combined = encoded.dictionary.to_numpy(zero_copy_only=False)
            own_idx = (combined // size).astype(np.int32)
            other_idx = pa.array((combined % size).astype(np.int32))
            codes = encoded.indices.to_numpy(zero_copy_only=False).astype(np.int32, copy=False)
            chosen = pa.array(own_idx)
            trail = replace(
                trail,
                column=replace(trail.column, values=trail.column.values.take(chosen), codes=codes),
                positions=trail.positions[own_idx],
                stages=tuple(stage._replace(positions=stage.positions[own_idx]) for stage in trail.stages),
                beside=(
                    *((name, texts.take(chosen)) for name, texts in trail.beside),
                    (other.name, other.values.take(other_idx)),
                ),
            )
        # The rule meets a value once for each combination it stands in.
        everywhere = np.arange(len(trail.column.values), dtype=np.int32)
        return replace(
            trail,
            values=trail.values.take(pa.array(trail.positions)),
            positions=everywhere,
            rows=trail.column.counts,
            is_merged=False,
        )

    @cached_property
    def clean(self) -> pa.Array:
        """What each raw value has become, (distinct,)."""
        return self.values if self._is_in_place else self.values.take(pa.array(self.positions))

    @cached_property
    def _is_in_place(self) -> bool:
        """Whether each raw value is its own place."""
        size = len(self.positions)
        return len(self.values) == size and np.array_equal(self.positions, np.arange(size))

    @property
    def clean_column(self) -> CleanColumn:
        """The column as an engine writes it out."""
        is_distinct = self.is_merged and self._is_in_place
        return CleanColumn(self.name, self.source, self.column, self.clean, self.output, is_distinct)

    @cached_property
    def given(self) -> pa.Array:
        """For each raw value what stood in the other columns that rules looked at, such as 'site = a'."""
        if not self.beside:
            return pa.nulls(len(self.column.values), TEXT)
        parts = [
            pc.binary_join_element_wise(
                pa.scalar(f"{name} = ", TEXT), texts.fill_null("(missing)"), pa.scalar("", TEXT)
            )
            for name, texts in dict(self.beside).items()
        ]
        return pc.binary_join_element_wise(*parts, pa.scalar(", ", TEXT))


def _latest(beside: Sequence[tuple[str, pa.Array]], name: str) -> pa.Array:
    return next(texts for other, texts in reversed(beside) if other == name)
