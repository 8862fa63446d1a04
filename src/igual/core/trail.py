"""What became of a column's distinct values, rule by rule."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import NamedTuple

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from igual.core.column import TEXT, Codes, Column, Counts, Mask, merged, rows_per
from igual.core.lists import Shelf
from igual.core.matching.index import How
from igual.core.matching.matcher import UNKNOWN
from igual.core.rules.base import Gives, Rewriter, Rewritten, Rule
from igual.core.text.arrays import differs

Beside = Mapping[str, pa.Array]


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
    def ruled_out(self) -> set[str]:
        """Values that a ruling says are not in the list."""
        account = self.result.account
        if account is None:
            return set()
        out = (account.how == How.RULING) & (account.status == UNKNOWN)
        return set(account.values.filter(pa.array(out)).to_pylist())

    @property
    def name(self) -> str:
        """How messages call the rule, such as 'rule 3 (label)'."""
        return f"rule {self.number} ({self.rule.do})"


@dataclass(frozen=True, eq=False)
class ColumnTrail:
    """A column on its way through the rules.

    name: the column the result goes to. source: the column of the table it began as.
    column: the raw column; once a rule has looked at other columns too, its values are the distinct
        combinations, so that a raw value may stand in it several times.
    values: the values as they are now, (now,), distinct once they are `merged`.
    places: for each raw value its place in `values`, (distinct,).
    beside: what stood in the other columns that rules looked at, each (distinct,).
    gives: what the values are to be in the clean table: texts, numbers, dates, or texts with an order.
    """

    name: str
    source: str
    column: Column
    values: pa.Array
    places: Codes
    stages: tuple[Stage, ...] = ()
    beside: tuple[tuple[str, pa.Array], ...] = ()
    is_merged: bool = True
    gives: Gives = Gives()  # noqa: RUF009  # a named tuple never changes

    @classmethod
    def begin(cls, name: str, column: Column) -> ColumnTrail:
        return cls(name, name, column, column.values, np.arange(len(column.values), dtype=np.int32))

    def through(
        self, number: int, rule: Rule, rewriter: Rewriter, others: Sequence[ColumnTrail], shelf: Shelf
    ) -> list[ColumnTrail]:
        """The trail with one more rule applied: one, or one for each column that the rule writes into.

        others: the columns that the rule looks at besides this one.
        """
        trail = self.merged()
        trail = trail._beside(others) if others else trail
        beside = {other.name: _latest(trail.beside, other.name) for other in others}
        result = _rewritten(rule, rewriter, trail.values, beside, shelf)
        targets = (rule.into,) if isinstance(rule.into, str) else rule.into or (self.name,)
        columns = result.columns if result.columns is not None else (result.values,)
        return [
            trail._ended(number, rule, rewriter, target, result._replace(values=values, columns=None), shelf)
            for target, values in zip(targets, columns, strict=True)
        ]

    def _ended(
        self, number: int, rule: Rule, rewriter: Rewriter, target: str, result: Rewritten, shelf: Shelf
    ) -> ColumnTrail:
        """The trail with a stage for one result, whose values may coincide yet."""
        changed = differs(self.values, result.values)
        stage = Stage(number, rule, rewriter, target, self.values, self.places, self.rows, result, changed)
        gives = rule.gives(shelf)
        return replace(
            self,
            name=target,
            values=result.values if changed.any() else self.values,
            is_merged=self.is_merged and not changed.any(),
            stages=(*self.stages, stage),
            gives=self.gives if gives == Gives() and not changed.any() and target == self.name else gives,
        )

    def merged(self) -> ColumnTrail:
        """The trail with values that coincide merged: what the next rule meets."""
        if self.is_merged:
            return self
        values, moved = merged(self.values)
        places = self.places if moved is None else moved[self.places].astype(np.int32, copy=False)
        return replace(self, values=values, places=places, is_merged=True)

    def _beside(self, others: Sequence[ColumnTrail]) -> ColumnTrail:
        """The trail over the distinct combinations with other columns; the rows are touched once for each."""
        trail = self
        for other in (one.merged() for one in others):
            now = other.places[other.column.codes].astype(np.int64)
            pairs = pa.array(trail.column.codes.astype(np.int64) * max(len(other.values), 1) + now)
            encoded = pairs.dictionary_encode()
            combined = encoded.dictionary.to_numpy(zero_copy_only=False)
            of_this = (combined // max(len(other.values), 1)).astype(np.int32)
            of_other = pa.array((combined % max(len(other.values), 1)).astype(np.int32))
            codes = encoded.indices.to_numpy(zero_copy_only=False).astype(np.int32, copy=False)
            chosen = pa.array(of_this)
            trail = replace(
                trail,
                column=Column(trail.column.values.take(chosen), codes, trail.column.weights),
                places=trail.places[of_this],
                stages=tuple(stage._replace(places=stage.places[of_this]) for stage in trail.stages),
                beside=(
                    *((name, texts.take(chosen)) for name, texts in trail.beside),
                    (other.name, other.values.take(of_other)),
                ),
            )
        # The rule meets a value once for each combination it stands in.
        everywhere = np.arange(len(trail.column.values), dtype=np.int32)
        return replace(
            trail, values=trail.values.take(pa.array(trail.places)), places=everywhere, is_merged=False
        )

    @cached_property
    def rows(self) -> Counts:
        """Rows per value as it is now, (now,)."""
        return rows_per(self.places, self.column.counts, len(self.values))

    @cached_property
    def clean(self) -> pa.Array:
        """What each raw value has become, (distinct,)."""
        return self.values.take(pa.array(self.places))

    @cached_property
    def given(self) -> pa.Array:
        """For each raw value what stood in the other columns that rules looked at, such as 'site = a'."""
        if not self.beside:
            return pa.nulls(len(self.column.values), TEXT)
        said = [
            pc.binary_join_element_wise(
                pa.scalar(f"{name} = ", TEXT), texts.fill_null("(missing)"), pa.scalar("", TEXT)
            )
            for name, texts in dict(self.beside).items()
        ]
        return pc.binary_join_element_wise(*said, pa.scalar(", ", TEXT))


def _latest(beside: Sequence[tuple[str, pa.Array]], name: str) -> pa.Array:
    return next(texts for other, texts in reversed(beside) if other == name)


def _rewritten(rule: Rule, rewriter: Rewriter, values: pa.Array, beside: Beside, shelf: Shelf) -> Rewritten:
    """What a rule makes of values; those that its condition doesn't mean stay as they are."""
    if rule.when is None:
        return rewriter.rewrite(values, beside)
    meant = rule.when.mask(values, beside, shelf.lists)
    if meant.all():
        return rewriter.rewrite(values, beside)
    flags = pa.array(meant)
    result = rewriter.rewrite(
        values.filter(flags), {name: texts.filter(flags) for name, texts in beside.items()}
    )

    def put_back(some: pa.Array) -> pa.Array:
        return pc.replace_with_mask(values, flags, some)

    def spread(mask: Mask | None) -> Mask | None:
        if mask is None:
            return None
        whole = np.zeros(len(values), np.bool_)
        whole[meant] = mask
        return whole

    return Rewritten(
        put_back(result.values),
        spread(result.unknown),
        result.used,
        spread(result.by_case),
        spread(result.unread),
        None if result.columns is None else tuple(put_back(column) for column in result.columns),
        result.notes,
        spread(result.open),
        result.account,
    )
