"""What a rulebook did to a table: the account of every change."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any, NamedTuple

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from igual.core.checks import Unfit
from igual.core.column import TEXT, Column, Mask
from igual.core.crosswalk import Crosswalk, crosswalk_of
from igual.core.errors import TableError, did_you_mean
from igual.core.hints import Hint, hints_of
from igual.core.matching.matcher import OPEN
from igual.core.trail import ColumnTrail, Stage

TRAIL_SCHEMA = {
    "column": TEXT, "raw": TEXT, "clean": TEXT, "rows": pa.int64(), "rules": TEXT, "steps": TEXT, "given": TEXT,
}  # fmt: skip

_UNKNOWN = {
    "label": "unlabelled",
    "bands": "unlabelled",
    "number": "unread",
    "date": "unread",
    "mention": "undecided",
}


class Followed(NamedTuple):
    """One rule's work on one value."""

    rule: int
    do: str
    before: str | None
    after: str | None


class Unknown(NamedTuple):
    """A value without a label ('unlabelled'), without an entry ('unlisted'), or in no stated form ('unread').

    Others are 'undecided' (they mention several entries) or 'ruled out' (a steward says it isn't in the list).
    """

    rule: int
    column: str
    value: str
    rows: int
    kind: str
    near: str | None


class Waiting(NamedTuple):
    """An open match: a value that waits for a person, with what is proposed and why.

    runners_up: the other entries that it may mean, most likely first, and their scores.
    """

    rule: int
    column: str
    value: str
    rows: int
    proposal: str
    score: float
    why: str
    runners_up: tuple[tuple[str, float], ...]


class Near(NamedTuple):
    """A value that a rule would have caught but for case, outer spaces, accents, …"""

    rule: int
    column: str
    entry: str
    value: str
    rows: int


@dataclass(frozen=True, eq=False)
class Outcome:
    """The trails of all columns that rules touched, in Arrow tables and plain records.

    trails: by column. stages: every rule's work on every column, in the order it was done.
    unfit: clean values that don't meet a check of the rulebook.
    """

    trails: Mapping[str, ColumnTrail]
    stages: Sequence[Stage]
    unfit: Sequence[Unfit]
    _again: Callable[[Mapping[str, Column]], Mapping[str, ColumnTrail]]

    @cached_property
    def trail(self) -> pa.Table:
        """column, raw, clean, rows, rules (numbers of those that changed it), steps (what each made of it)."""
        parts = [_trail_table(trail) for trail in self.trails.values()]
        return pa.concat_tables(parts)

    def crosswalk(self, column: str) -> pa.Table:
        """raw, clean, rows and how of one column; and given, where rules looked at other columns."""
        trail = self._trail_of(column)
        names = ["raw", "clean", "rows", "how", *(["given"] if trail.beside else [])]
        return crosswalk_of(trail).select(names)

    @cached_property
    def crosswalks(self) -> Crosswalk:
        """The crosswalk of all columns that rules touched."""
        return Crosswalk(pa.concat_tables([crosswalk_of(trail) for trail in self.trails.values()]))

    def follow(self, column: str, raw: str | None) -> list[Followed]:
        """One raw value through every rule of its column, whether the rule changed it or not."""
        trail = self._trail_of(column)
        values = trail.column.values
        place = (
            pc.index(values, pa.scalar(raw, TEXT)).as_py() if raw is not None else _first(values.is_null())
        )
        if place < 0:
            near = [text for text in values.to_pylist() if text is not None]
            raise TableError(f"column {column!r} has no value {raw!r}{did_you_mean(str(raw), near, most=5)}")
        return [
            Followed(
                stage.number,
                stage.rule.do,
                stage.before[stage.places[place]].as_py(),
                stage.after[stage.places[place]].as_py(),
            )
            for stage in trail.stages
        ]

    @cached_property
    def effects(self) -> list[dict[str, Any]]:
        """Per rule and column: values and rows changed, unknown values and rows, near misses."""
        near = [(miss.rule, miss.column) for miss in self.near_misses]
        effects = []
        for stage in self.stages:
            unknown = stage.result.unknown
            effects.append(
                {
                    "rule": stage.number,
                    "do": stage.rule.do,
                    "column": stage.target,
                    "values": int(stage.changed.sum()),
                    "rows": int(stage.rows[stage.changed].sum()),
                    "unknown_values": 0 if unknown is None else int(unknown.sum()),
                    "unknown_rows": 0 if unknown is None else int(stage.rows[unknown].sum()),
                    "open_values": 0 if stage.result.open is None else int(stage.result.open.sum()),
                    "near_misses": near.count((stage.number, stage.target)),
                    "note": stage.rule.note,
                }
            )
        return effects

    @cached_property
    def unknown(self) -> list[Unknown]:
        """Values without a label or entry, most rows first, with the code or entry each is nearest to."""
        found: list[Unknown] = []
        for stage in self.stages:
            mask = stage.result.unknown
            if mask is None or not mask.any():
                continue
            kind = _UNKNOWN.get(stage.rule.do, "unlisted")
            near = dict(_near_misses(stage))
            places = np.flatnonzero(mask)
            values = stage.before.take(pa.array(places)).to_pylist()
            ruled_out = stage.ruled_out
            records = [
                Unknown(
                    stage.number,
                    stage.target,
                    value,
                    int(stage.rows[place]),
                    "ruled out" if value in ruled_out else kind,
                    near.get(place),
                )
                for place, value in zip(places.tolist(), values, strict=True)
            ]
            found += sorted(records, key=lambda record: (-record.rows, record.value))
        return found

    @cached_property
    def open(self) -> list[Waiting]:
        """Values that wait for a person, most rows first."""
        found: list[Waiting] = []
        for stage in self.stages:
            account, mask = stage.result.account, stage.result.open
            if account is None or mask is None or not mask.any():
                continue
            # A rule that looks at other columns meets a value once for each combination.
            rows: Counter[str] = Counter()
            for value, many in zip(
                stage.before.filter(pa.array(mask)).to_pylist(), stage.rows[mask].tolist(), strict=True
            ):
                rows[value] += many
            names, why = stage.rewriter.entries, account.why
            waiting, told = [], set()
            for place in np.flatnonzero(account.status == OPEN).tolist():
                value = account.values[place].as_py()
                if value in told:
                    continue
                told.add(value)
                first, *others = ((names[entry], score) for entry, score in account.ranked(place))
                about = (stage.number, stage.target, value, rows[value])
                waiting.append(Waiting(*about, *first, why[place], tuple(others)))
            found += sorted(waiting, key=lambda one: (-one.rows, one.value))
        return found

    @cached_property
    def unused(self) -> list[dict[str, Any]]:
        """Entries (pairs, codes, list entries) of a rule that served for no value of its columns."""
        found = []
        for number in dict.fromkeys(stage.number for stage in self.stages):
            stages = [stage for stage in self.stages if stage.number == number]
            masks = [stage.result.used for stage in stages if stage.result.used is not None]
            if not masks:
                continue
            used = np.logical_or.reduce(masks)
            rule, entries = stages[0].rule, stages[0].rewriter.entries
            for place in np.flatnonzero(~used).tolist():
                found.append(
                    {"rule": number, "do": rule.do, "of": rule.entries_from, "entry": entries[place]}
                )
        return found

    @cached_property
    def near_misses(self) -> list[Near]:
        """Values that came close to an entry of a rule, for every rule that looks for or looks up entries."""
        found: list[Near] = []
        for stage in self.stages:
            misses = _near_misses(stage)
            values = stage.before.take(pa.array([place for place, _ in misses], pa.int64())).to_pylist()
            records = [
                Near(stage.number, stage.target, entry, value, int(stage.rows[place]))
                for (place, entry), value in zip(misses, values, strict=True)
            ]
            found += sorted(records, key=lambda record: (-record.rows, record.value))
        return found

    @cached_property
    def hints(self) -> list[Hint]:
        """Warnings worth reading: rules without effect, unknown values, merged cases, instability."""
        return hints_of(self)

    def applied_again(self) -> Mapping[str, ColumnTrail]:
        """What the rules that act in place would make of the clean columns."""
        clean = {
            name: Column(values := trail.merged().values, np.arange(len(values), dtype=np.int32))
            for name, trail in self.trails.items()
            if not trail.beside
        }
        return self._again(clean)

    def _trail_of(self, column: str) -> ColumnTrail:
        if column not in self.trails:
            raise TableError(f"no rule works on a column {column!r}{did_you_mean(column, self.trails)}")
        return self.trails[column]


def _near_misses(stage: Stage) -> list[tuple[int, str]]:
    """Near misses of a stage: places in the values it met, and the entry that each came close to.

    Of a rule that looks values up these are among the unknown; of one that searches texts, among the
    values it left as they were, for the entries that it found nowhere.
    """
    result = stage.result
    if result.used is None:
        return []
    mask: Mask = ~stage.changed if result.unknown is None else result.unknown
    unused = [entry for entry, used in zip(stage.rewriter.entries, result.used, strict=True) if not used]
    if not mask.any() or (result.unknown is None and not unused):
        return []
    places = np.flatnonzero(mask)
    misses = stage.rewriter.near_misses(stage.before.filter(pa.array(mask)), unused)
    return [(int(places[miss.place]), miss.entry) for miss in misses]


def _trail_table(trail: ColumnTrail) -> pa.Table:
    values = trail.column.values
    nothing, glue = pa.scalar("", TEXT), pa.scalar("", TEXT)
    numbers, steps = [], [values.fill_null("")]
    for stage in trail.stages:
        places = pa.array(stage.places)
        changed = pa.array(stage.changed).take(places)
        numbers.append(pc.if_else(changed, pa.scalar(f", {stage.number}", TEXT), nothing))
        lead = pa.scalar(f" → {stage.number} {stage.rule.do}: ", TEXT)
        made = pc.binary_join_element_wise(lead, stage.after.fill_null(""), glue)
        steps.append(pc.if_else(changed, made.take(places), nothing))
    columns = [
        pa.array([trail.name], TEXT).take(pa.array(np.zeros(len(values), np.int32))),
        values,
        trail.clean,
        pa.array(trail.column.counts),
        pc.utf8_slice_codeunits(pc.binary_join_element_wise(*numbers, glue), start=len(", ")),
        pc.binary_join_element_wise(*steps, glue),
        trail.given,
    ]
    return pa.table(columns, schema=pa.schema(TRAIL_SCHEMA))


def _first(flags: pa.Array) -> int:
    place: int = pc.index(flags, True).as_py()
    return place
