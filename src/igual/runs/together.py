"""Several rules over very many values in one go, piece by piece: what they make of a piece stays in the caches.

Nothing is kept of what stands between the rules but what changed there. Since rules are functions of the value, values
that are distinct after the last rule were so before it, too, and one look tells; where some have become equal, only
these are looked at again.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from typing import NamedTuple

import numpy as np
import pyarrow as pa

from igual.column import TEXT, Codes, Counts, Mask, count_rows
from igual.distinct import Distinct, find_distinct
from igual.engines import OutputType
from igual.errors import RulebookError, error_context
from igual.lists import Shelf
from igual.pieces import each_piece
from igual.rules.base import Rule, apply_rule
from igual.rules.rewriters import Details, Rewriter, Rewritten, join_details
from igual.runs.stages import Replay, ReplayedTexts, Stage
from igual.text.arrays import differs
from igual.text.packed import join_texts

# Fewer values are worked on rule by rule, and what stands between the rules is kept.
MANY = 1 << 18
_SAMPLE = 1 << 13
# What several rules make of a piece is held at once.
_SMALLER = 2


class PreparedRule(NamedTuple):
    """A rule that is ready to act on a column.

    Attributes:
        number: The rule's place in the rulebook, from 1.
        rule: The rule.
        rewriter: The same, prepared for work.
        shelf: What the rule refers to by name.
    """

    number: int
    rule: Rule
    rewriter: Rewriter
    shelf: Shelf

    @property
    def can_wait(self) -> bool:
        """Whether the rule works in place, value by value, with nothing to be looked up anew for each piece."""
        rule = self.rule
        looks_up = rule.condition is not None and bool(rule.condition.lists())
        return rule.into is None and self.rewriter.works_in_pieces and not looks_up

    def output(self, before: OutputType) -> OutputType:
        """Tell what its results are to be in the clean table; see `Rule.output`."""
        return self.rule.output(self.shelf, before)

    def apply(self, values: pa.Array, beside: Mapping[str, pa.Array] | None = None) -> Rewritten:
        """Apply the rule to distinct texts, (values,), beside which others stand; errors name the rule."""
        with error_context(f"rule {self.number} ({self.rule.do})", RulebookError):
            return apply_rule(self.rule, self.rewriter, values, beside or {}, self.shelf)

    def change(self, values: pa.Array) -> pa.Array:
        """What the rule makes of texts, (values,)."""
        return self.apply(values).values


class Passed(NamedTuple):
    """What became of values under several rules.

    Attributes:
        distinct: The values after the last rule, those that coincide merged.
        stages: The work of each rule.
    """

    distinct: Distinct
    stages: tuple[Stage, ...]


def count_until_merging(values: pa.Array, waiting: Sequence[PreparedRule]) -> int:
    """How many of some rules leave the values apart: behind one that makes many of them equal there is less to do.

    Args:
        values: Distinct texts, (values,).
        waiting: The rules.

    Returns:
        The number, as some of the values show.
    """
    half = len(values) // 2
    some = pa.concat_arrays([values.slice(0, _SAMPLE // 2), values.slice(half, _SAMPLE // 2)])
    for number, one in enumerate(waiting):
        some = one.change(some)
        # Of M equally frequent values n draws show about n² / 2M twice: with this many there are half as many values.
        if len(some) - len(some.unique()) > len(some) ** 2 / len(values):
            return number
    return len(waiting)


def rewrite_together(
    values: pa.Array, rows: Counts, positions: Codes, target: str, waiting: Sequence[PreparedRule]
) -> Passed:
    """Apply several rules to distinct values.

    Args:
        values: Distinct texts, (values,).
        rows: Of each, (values,).
        positions: For each raw value its position among `values`, (distinct,).
        target: The column that the results go to.
        waiting: The rules, each of which can wait.

    Returns:
        What became of the values, and each rule's work, as if one had acted after another on merged values.
    """
    changed = np.empty((len(waiting), len(values)), np.bool_)
    details: list[list[Details]] = [[] for _ in waiting]

    def work(start: int, size: int) -> tuple[pa.Array, list[Details]]:
        now, said = values.slice(start, size), []
        for one, is_changed in zip(waiting, changed[:, start : start + size], strict=True):
            made = one.apply(now)
            is_changed[:] = differs(now, made.values)
            said.append(made.details)
            now = made.values if is_changed.any() else now
        return now, said

    def texts_of_pieces() -> Iterator[pa.Array]:
        for texts, said in each_piece(values, work, _SMALLER):
            for pieces, piece in zip(details, said, strict=True):
                pieces.append(piece)
            yield texts

    order = waiting[-1].output(OutputType()).order or ()
    after = join_texts(texts_of_pieces(), values, pa.array(order, TEXT).unique())
    distinct = find_distinct(after)
    replay = Replay(
        values, [one.change if some.any() else None for one, some in zip(waiting, changed, strict=True)]
    )
    merges = _find_merges(values, distinct, waiting)
    stages = []
    for step, (one, merge) in enumerate(zip(waiting, merges, strict=True)):
        texts = ReplayedTexts(replay, step, None if merge is None else merge.kept)
        said = join_details(details[step])
        stage = Stage(one.number, one.rule, one.rewriter, target, positions, rows, changed[step], said, texts)
        stages.append(stage if merge is None else merge.merge_stage(stage))
    return Passed(distinct, tuple(stages))


class _Merge(NamedTuple):
    """How values that have become equal are merged.

    Attributes:
        kept: Which are the first of their kind, (values,).
        places: For each value its place among these, (values,).
    """

    kept: Mask
    places: Codes

    def merge_stage(self, stage: Stage) -> Stage:
        """A rule's work on these values, of its work on all."""
        return stage._replace(
            positions=self.places[stage.positions],
            rows=count_rows(self.places, stage.rows, int(np.count_nonzero(self.kept))),
            changed=stage.changed[self.kept],
            details=stage.details.for_each(lambda mask: mask[self.kept]),
        )


def _find_merges(
    values: pa.Array, distinct: Distinct, waiting: Sequence[PreparedRule]
) -> list[_Merge | None]:
    """How the values that each rule met are merged; None where they are distinct."""
    merges: list[_Merge | None] = [None] * len(waiting)
    if distinct.codes is None:
        return merges
    # Values that are equal before a rule are so after the last one.
    among = np.flatnonzero(np.bincount(distinct.codes)[distinct.codes] > 1)
    some = values.take(pa.array(among))
    for step, one in enumerate(waiting[:-1], 1):
        some = one.change(some)
        codes = find_distinct(some).codes
        if codes is None:
            continue
        _, firsts = np.unique(codes, return_index=True)
        kept = np.ones(len(values), np.bool_)
        kept[among] = False
        kept[among[firsts]] = True
        places = (np.cumsum(kept) - 1).astype(np.int32)
        places[among] = places[among[firsts[codes]]]
        merges[step] = _Merge(kept, places)
    return merges
