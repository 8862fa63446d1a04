"""The account of a run: what every rule did, as named tuples and Arrow tables."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from itertools import groupby, repeat
from typing import NamedTuple

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from igual.column import TEXT, Mask
from igual.errors import TableError, did_you_mean
from igual.matching.questions import Question, group_questions
from igual.rules.base import EntrySource
from igual.rules.kinds import RULED_OUT, UNLISTED
from igual.runs.checks import UnfitValue
from igual.runs.crosswalk import Crosswalk
from igual.runs.crosswalk_rows import SCHEMA, make_crosswalk_table
from igual.runs.open_values import NOTHING_NEAR, OpenValue, list_open, list_unlisted
from igual.runs.plan import Plan, list_stages
from igual.runs.retired import mark_retired
from igual.runs.stages import Stage, find_near_misses
from igual.runs.trail import ColumnTrail
from igual.runs.trail_rows import TRAIL_SCHEMA, make_trail_table
from igual.values import value_or_same


class Effect(NamedTuple):
    """What one rule did to one column.

    Attributes:
        rule: The rule's place in the rulebook, from 1.
        do: What the rule does.
        column: The column that the result went to.
        values: Distinct values changed.
        rows: Rows changed.
        unknown_values: Distinct values that it had no label, entry or reading for.
        unknown_rows: Their rows.
        open_values: Distinct values that need a decision.
        near_misses: Values that one of its entries nearly caught.
        note: What the rule says about itself.
    """

    rule: int
    do: str
    column: str
    values: int
    rows: int
    unknown_values: int
    unknown_rows: int
    open_values: int
    near_misses: int
    note: str | None


class UnknownValue(NamedTuple):
    """A value that a rule had no label, entry or reading for.

    Attributes:
        rule: The rule's place in the rulebook, from 1.
        column: The column.
        value: The value.
        rows: How many rows have it.
        kind: 'unlabelled', 'unlisted', 'unread', 'undecided', 'ruled out', or what the rule calls it.
        near: The code or entry it is nearest to; several where none is certain; () where none is near.
    """

    rule: int
    column: str
    value: str
    rows: int
    kind: str
    near: tuple[str, ...]


class UnusedEntry(NamedTuple):
    """A pair, code or list entry that served for no value.

    Attributes:
        rule: The rule's place in the rulebook, from 1.
        do: What the rule does.
        source: Where the entry comes from.
        entry: The entry.
    """

    rule: int
    do: str
    source: EntrySource
    entry: str


class NearlyCaught(NamedTuple):
    """A value that a rule would have caught apart from case, outer spaces or accents.

    Attributes:
        rule: The rule's place in the rulebook, from 1.
        column: The column.
        entries: The entries of the rule that it came close to.
        value: The value.
        rows: How many rows have it.
    """

    rule: int
    column: str
    entries: tuple[str, ...]
    value: str
    rows: int


class Step(NamedTuple):
    """One rule's work on one value.

    Attributes:
        rule: The rule's place in the rulebook, from 1.
        do: What the rule does.
        before: The value as the rule met it.
        after: What it became.
    """

    rule: int
    do: str
    before: str | None
    after: str | None


@dataclass(frozen=True, eq=False)
class Account:
    """The account of a run.

    Attributes:
        trails: Column name to trail, of all columns that rules touched.
        unfit: Clean values that don't meet a check of the rulebook.
        plan: The rules that were run, to tell whether they would change their own output.
    """

    trails: Mapping[str, ColumnTrail]
    unfit: Sequence[UnfitValue]
    plan: Plan

    @cached_property
    def stages(self) -> list[Stage]:
        """Every rule's work on every column, in the order of the rules."""
        return list_stages(self.trails)

    @cached_property
    def _retired(self) -> list[Mask]:
        """For each stage the values that a later rule has found, (met,): they are neither unknown nor open any more."""
        return [mark_retired(stage, self.trails.get(stage.target)) for stage in self.stages]

    @cached_property
    def _near(self) -> dict[int, list[tuple[int, tuple[str, ...]]]]:
        return {}

    def _near_of(self, place: int) -> list[tuple[int, tuple[str, ...]]]:
        """The near misses of a stage, found once."""
        if place not in self._near:
            self._near[place] = find_near_misses(self.stages[place])
        return self._near[place]

    @cached_property
    def trail(self) -> pa.Table:
        """A row for each distinct raw value of each column; see TRAIL_SCHEMA."""
        return _join_tables(TRAIL_SCHEMA, map(make_trail_table, self.trails.values()))

    @cached_property
    def crosswalk(self) -> Crosswalk:
        """The crosswalk of all columns that rules touched."""
        return Crosswalk(_join_tables(SCHEMA, map(make_crosswalk_table, self.trails.values())))

    def trail_of(self, column: str) -> ColumnTrail:
        """Find the trail of a column.

        Args:
            column: Its name.

        Returns:
            The trail.

        Raises:
            TableError: Where no rule works on such a column.
        """
        if column not in self.trails:
            raise TableError.from_unknown(f"no rule works on a column {column!r}", column, self.trails)
        return self.trails[column]

    def follow(self, column: str, raw: str | None) -> list[Step]:
        """Follow one raw value through every rule of its column, whether the rule changed it or not.

        Args:
            column: The column.
            raw: The raw value.

        Returns:
            A step for each rule.

        Raises:
            TableError: Where no rule works on the column, or it has no such value.
        """
        trail = self.trail_of(column)
        values = trail.column.values
        sought = value_or_same(raw)
        TableError.refuse_other((str, type(None)), "a value", raw=sought)
        is_sought = values.is_null() if sought is None else pc.equal(values, pa.scalar(sought, TEXT))
        position = pc.index(is_sought, True).as_py()
        if position < 0:
            texts = [text for text in values.to_pylist() if text is not None]
            raise TableError(f"column {column!r} has no value {raw!r}{did_you_mean(raw, texts, most=5)}")
        steps = []
        for stage in trail.stages:
            met = stage.positions[position]
            steps.append(
                Step(stage.number, stage.rule.do, stage.before[met].as_py(), stage.after[met].as_py())
            )
        return steps

    @cached_property
    def effects(self) -> list[Effect]:
        """What each rule did to each column."""
        near = Counter((miss.rule, miss.column) for miss in self.near_misses)
        effects = []
        both = zip(self.stages, self._retired, strict=True)
        for (number, target), pairs in groupby(both, key=lambda pair: (pair[0].number, pair[0].target)):
            group = list(pairs)
            stages = [stage for stage, _ in group]
            unknown = [
                (stage.rows, stage.details.unknown & ~retired)
                for stage, retired in group
                if stage.details.unknown is not None
            ]
            waiting = [
                stage.details.open & ~retired for stage, retired in group if stage.details.open is not None
            ]
            effects.append(
                Effect(
                    number,
                    stages[0].rule.do,
                    target,
                    sum(int(stage.changed.sum()) for stage in stages),
                    sum(int(stage.rows[stage.changed].sum()) for stage in stages),
                    sum(int(mask.sum()) for _, mask in unknown),
                    sum(int(rows[mask].sum()) for rows, mask in unknown),
                    sum(int(mask.sum()) for mask in waiting),
                    near[number, target],
                    stages[0].rule.note,
                )
            )
        return effects

    @cached_property
    def unknown(self) -> list[UnknownValue]:
        """Values without a label, entry or reading, most rows first, with the code or entry each is nearest to."""
        unknown: list[UnknownValue] = []
        for place, stage in enumerate(self.stages):
            mask = stage.details.unknown
            mask = None if mask is None else mask & ~self._retired[place]
            if mask is None or not mask.any():
                continue
            near = dict(self._near_of(place))
            positions = np.flatnonzero(mask)
            table = pa.table({"value": stage.before.take(pa.array(positions)), "rows": stage.rows[positions]})
            order = pc.sort_indices(table, sort_keys=[("rows", "descending"), ("value", "ascending")])
            values, rows = (column.to_pylist() for column in table.take(order).columns)
            ruled_out, kind = stage.ruled_out, stage.rule.unknown_kind.name
            kinds = [RULED_OUT.name if value in ruled_out else kind for value in values]
            nearest = [near.get(position, ()) for position in positions[order.to_numpy()].tolist()]
            about = (repeat(stage.number), repeat(stage.target))
            unknown += map(UnknownValue, *about, values, rows, kinds, nearest)
        return unknown

    @cached_property
    def open(self) -> list[OpenValue]:
        """Values that need a decision, most rows first."""
        return [
            one
            for stage, retired in zip(self.stages, self._retired, strict=True)
            for one in list_open(stage, self._name_list(stage), retired)
        ]

    @cached_property
    def questions(self) -> list[Question]:
        """Open values, grouped so that one answer settles many; those that settle most rows first."""
        waiting: dict[tuple[int, str], list[OpenValue]] = {}
        for one in self.open:
            waiting.setdefault((one.rule, one.column), []).append(one)
        agreed = {
            about: stage.details.matched.count_agreed()
            for stage in self.stages
            if stage.details.matched is not None and (about := (stage.number, stage.target)) in waiting
        }
        questions = [
            question
            for about, some in waiting.items()
            for question in group_questions(some, about[1], agreed.get(about))
        ]
        return sorted(questions, key=lambda question: -question.rows)

    @cached_property
    def unlisted(self) -> list[OpenValue]:
        """Values that no entry comes near, of rules that take rulings, most rows first."""
        takes_rulings = {stage.number for stage in self.stages if stage.rule.takes_rulings}
        in_contexts = {
            (stage.number, stage.target): list_unlisted(stage, self._name_list(stage), retired)
            for stage, retired in zip(self.stages, self._retired, strict=True)
        }
        anywhere = [
            OpenValue(one.rule, one.column, one.value, one.rows, "", 0.0, NOTHING_NEAR, ())
            for one in self.unknown
            if one.rule in takes_rulings
            and one.kind == UNLISTED.name
            and in_contexts.get((one.rule, one.column)) is None
        ]
        return [*anywhere, *(one for some in in_contexts.values() for one in some or ())]

    def _name_list(self, stage: Stage) -> str:
        return self.plan.name_list(stage.rule, stage.target)

    @property
    def waiting(self) -> list[OpenValue]:
        """What goes out to be ruled on: open matches, then values that no entry comes near, most rows first."""
        return [*self.open, *self.unlisted]

    def find_raw(self, waiting: Iterable[OpenValue]) -> dict[tuple[str, str], tuple[str, list[str]]]:
        """Find the raw values that open values come from.

        Args:
            waiting: The open values.

        Returns:
            Column and value to the column of the table, and its values.
        """
        raw: dict[tuple[str, str], tuple[str, list[str]]] = {}
        by_stage: dict[tuple[int, str], list[OpenValue]] = {}
        for one in waiting:
            by_stage.setdefault((one.rule, one.column), []).append(one)
        for (rule, column), some in by_stage.items():
            trail = self.trail_of(column)
            stage = next(stage for stage in trail.stages if stage.number == rule)
            # Which raw values became each value that the rule met.
            order = np.argsort(stage.positions, kind="stable")
            starts = np.searchsorted(stage.positions[order], np.arange(len(stage.before) + 1)).tolist()
            texts = trail.column.values.take(pa.array(order)).to_pylist()
            met = pc.index_in(pa.array([one.value for one in some], TEXT), stage.before).to_pylist()
            for one, place in zip(some, met, strict=True):
                made_of = texts[starts[place] : starts[place + 1]]
                raw[column, one.value] = trail.source, [text for text in made_of if text is not None]
        return raw

    @cached_property
    def unused(self) -> list[UnusedEntry]:
        """Entries (pairs, codes, list entries) of a rule that served for no value of its columns."""
        unused = []
        for number, group in groupby(self.stages, key=lambda stage: stage.number):
            stages = list(group)
            masks = [stage.details.used for stage in stages if stage.details.used is not None]
            if masks:
                rule, entries = stages[0].rule, stages[0].rewriter.entries
                for position in np.flatnonzero(~np.logical_or.reduce(masks)).tolist():
                    unused.append(UnusedEntry(number, rule.do, rule.entry_source, entries[position]))
        return unused

    @cached_property
    def near_misses(self) -> list[NearlyCaught]:
        """Values that came close to an entry of a rule, for every rule that looks for or looks up entries."""
        misses: list[NearlyCaught] = []
        for place, stage in enumerate(self.stages):
            near = self._near_of(place)
            values = stage.before.take(pa.array([position for position, _ in near], pa.int64())).to_pylist()
            of_stage = [
                NearlyCaught(stage.number, stage.target, entries, value, int(stage.rows[position]))
                for (position, entries), value in zip(near, values, strict=True)
            ]
            misses += sorted(of_stage, key=lambda one: (-one.rows, one.value))
        return misses


def _join_tables(schema: Mapping[str, pa.DataType], tables: Iterable[pa.Table]) -> pa.Table:
    """Tables of this schema as one; a rulebook of checks and headers alone touches no column, and has none."""
    return pa.concat_tables([pa.schema(schema).empty_table(), *tables])
