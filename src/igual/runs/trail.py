"""What became of a column's distinct values, rule by rule."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from igual.column import TEXT, Codes, Column, Counts, Mask, count_rows, is_in_place
from igual.distinct import find_distinct
from igual.engines import CleanColumn, OutputType
from igual.errors import RulebookError, error_context
from igual.rules.base import Rule
from igual.rules.outputs import conform
from igual.rules.rewriters import Details, Rewriter
from igual.runs.stages import Deltas, KeptTexts, ReplayedTexts, Stage, SurroundingTexts
from igual.runs.together import MANY, PreparedRule, count_until_merging, rewrite_together
from igual.text.arrays import differs, refuse_large_column

# One value in so many is few: those that a rule changed are compared with all others.
_FEW_CHANGED = 8
# From so many rules on, what stands between them would take more than the column itself.
_LONG_CHAIN = 32


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
        waiting: Rules that have yet to act, together with those that follow: `merge` lets them.
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
    waiting: tuple[PreparedRule, ...] = ()
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
        if np.array_equal(positions, column.codes):
            # Each row has a value of its own: one array serves for both.
            positions = column.codes
        return cls(name, name, column, column.values, positions, column.counts)

    def can_wait(self, step: PreparedRule) -> bool:
        """Whether a rule may act later, together with others: where there are very many values."""
        return len(self.values) >= MANY and step.can_wait and not step.rule.reads() - {self.name}

    def wait(self, step: PreparedRule) -> ColumnTrail:
        """Let a rule act later, together with others."""
        return replace(self, waiting=(*self.waiting, step))

    def apply(self, step: PreparedRule, others: Sequence[ColumnTrail] = ()) -> list[ColumnTrail]:
        """Apply one more rule.

        Args:
            step: The rule.
            others: The columns that the rule looks at besides this one.

        Returns:
            The trail with one more stage: one, or one for each column that the rule writes into.
        """
        number, rule, rewriter, _ = step
        trail = self.merge()
        trail = trail._combine(others) if others else trail
        beside = {other.name: _latest(trail.beside, other.name) for other in others}
        result = step.apply(trail.values, beside)
        # Many rules, each of which makes a little more, are one that makes very much.
        with error_context(f"rule {number} ({rule.do})", RulebookError):
            for made in result.columns if result.columns is not None else (result.values,):
                refuse_large_column(pc.binary_length(made), trail.column.values, *beside.values())
        targets = (rule.into,) if isinstance(rule.into, str) else rule.into or (self.name,)
        columns = result.columns if result.columns is not None else (result.values,)
        output = step.output(trail.output)
        return [
            trail._add_stage(number, rule, rewriter, target, values, result.details, output)
            for target, values in zip(targets, columns, strict=True)
        ]

    def _add_stage(
        self,
        number: int,
        rule: Rule,
        rewriter: Rewriter,
        target: str,
        values: pa.Array,
        details: Details,
        output: OutputType,
    ) -> ColumnTrail:
        """The trail with a stage for one result, whose values may coincide yet."""
        changed = differs(self.values, values)
        if not changed.any():
            # The same texts are kept once.
            values = self.values
        texts = self._keep_texts(values, changed)
        stage = Stage(number, rule, rewriter, target, self.positions, self.rows, changed, details, texts)
        return replace(
            self,
            name=target,
            values=values,
            is_merged=self.is_merged and _are_still_distinct(values, changed),
            stages=(*self.stages, stage),
            output=output,
        )

    def _keep_texts(self, values: pa.Array, changed: Mask) -> SurroundingTexts:
        """Keep the texts around a rule; in a long chain only those that it changed, where they are few."""
        is_long = len(self.stages) >= _LONG_CHAIN
        if not is_long or np.count_nonzero(changed) * _FEW_CHANGED > len(changed):
            return KeptTexts(self.values, values)
        last = self.stages[-1].texts
        known = last.replay if isinstance(last, ReplayedTexts) else None
        deltas = known if isinstance(known, Deltas) and known.end is self.values else Deltas(self.values)
        return ReplayedTexts(deltas, deltas.add(changed, values), None)

    def finish(self) -> ColumnTrail:
        """Make values missing that can't stand in a column of numbers or dates, since no rule has read them.

        Returns:
            The trail, with one more stage of the last rule that reads where there are such values.
        """
        trail = self.work_off()
        if trail.output.kind == "text" or not trail.stages:
            return trail
        trail = trail.merge()
        kept, unread = conform(trail.values, trail.output)
        if not differs(trail.values, kept).any():
            return trail
        number, rule, rewriter, target, *_ = trail.stages[-1]
        return trail._add_stage(number, rule, rewriter, target, kept, Details(unread), trail.output)

    def work_off(self) -> ColumnTrail:
        """Let the rules act that wait."""
        trail = self
        while trail.waiting:
            trail = trail._work_off_some()
        return trail

    def _work_off_some(self) -> ColumnTrail:
        waiting, trail = self.waiting, replace(self, waiting=()).merge()
        number = count_until_merging(trail.values, waiting) if len(trail.values) >= MANY else 0
        if number < 2:
            (trail,) = trail.apply(waiting[0])
            return replace(trail, waiting=waiting[1:])
        now, later = waiting[:number], waiting[number:]
        (values, moved), stages = rewrite_together(trail.values, trail.rows, trail.positions, trail.name, now)
        output = trail.output
        for one in now:
            output = one.output(output)
        trail = replace(trail, values=values, stages=(*trail.stages, *stages), waiting=later, output=output)
        return trail if moved is None else trail._move(moved)

    def merge(self) -> ColumnTrail:
        """Let the rules act that wait, and merge values that coincide: what the next rule meets."""
        if self.waiting:
            return self.work_off().merge()
        if self.is_merged:
            return self
        values, moved = find_distinct(self.values)
        trail = replace(self, values=values, is_merged=True)
        return trail if moved is None else trail._move(moved)

    def _move(self, moved: Codes) -> ColumnTrail:
        """Where the values stand now, for each that there was before."""
        positions = moved[self.positions].astype(np.int32, copy=False)
        return replace(self, positions=positions, rows=count_rows(moved, self.rows, len(self.values)))

    def _combine(self, others: Sequence[ColumnTrail]) -> ColumnTrail:
        """The trail over the distinct combinations with other columns; the rows are touched once for each."""
        codes = self.column.codes.astype(np.int64)
        stood: list[tuple[ColumnTrail, Codes]] = []
        for other in (one.merge() for one in others):
            other_codes = other.positions[other.column.codes]
            pairs = pa.array(codes * max(len(other.values), 1) + other_codes)
            codes = pairs.dictionary_encode().indices.to_numpy(zero_copy_only=False).astype(np.int64)
            stood.append((other, other_codes))
        # Where each combination is met first.
        first = np.zeros(codes.max(initial=-1) + 1, np.int64)
        first[codes[::-1]] = np.arange(len(codes))[::-1]
        own = self.column.codes[first]
        chosen = pa.array(own)
        trail = replace(
            self,
            column=replace(
                self.column, values=self.column.values.take(chosen), codes=codes.astype(np.int32, copy=False)
            ),
            positions=self.positions[own],
            stages=tuple(stage._replace(positions=stage.positions[own]) for stage in self.stages),
            beside=(
                *((name, texts.take(chosen)) for name, texts in self.beside),
                *((other.name, other.values.take(pa.array(places[first]))) for other, places in stood),
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
        return is_in_place(self.positions, len(self.values))

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


def _are_still_distinct(values: pa.Array, changed: Mask) -> bool:
    """Whether values that were distinct are so after a rule: told at a glance where it changed few; else no."""
    if not changed.any():
        return True
    if np.count_nonzero(changed) * _FEW_CHANGED > len(changed):
        return False
    flags = pa.array(changed)
    made = values.filter(flags)
    if len(made.unique()) < len(made):
        return False
    others = values.filter(pc.invert(flags))
    return not pc.any(pc.is_in(others, made)).as_py()


def _latest(beside: Sequence[tuple[str, pa.Array]], name: str) -> pa.Array:
    return next(texts for other, texts in reversed(beside) if other == name)
