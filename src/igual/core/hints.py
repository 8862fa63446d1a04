"""Warnings worth reading, drawn from an outcome."""

from __future__ import annotations

from collections.abc import Iterable
from typing import TYPE_CHECKING, NamedTuple

import numpy as np
import pyarrow as pa

from igual.core.conditions import is_blank
from igual.core.text.arrays import differs, found
from igual.core.text.reading import PLAIN_NUMBER, numbers
from igual.core.text.saying import counted, examples, quoted

if TYPE_CHECKING:
    from igual.core.outcome import Outcome
    from igual.core.trail import Stage


_UNKNOWN = {
    "unlabelled": "have no label",
    "unlisted": "are not in the list",
    "unread": "can't be read in the stated form",
    "undecided": "mention several entries, or none",
}


_UNKNOWN_ONE = {
    "have no label": "has no label",
    "are not in the list": "is not in the list",
    "mention several entries, or none": "mentions several entries, or none",
}


class Hint(NamedTuple):
    """One warning: about which rule and column, of which kind, in words.

    kind: 'no effect', 'unused', 'unknown', 'open', 'merged', 'unread', 'noted', 'unstable'.
    """

    rule: int
    column: str
    kind: str
    text: str

    def __str__(self) -> str:
        return self.text


def hints_of(outcome: Outcome) -> list[Hint]:
    """All hints of an outcome, in the order of the rules."""
    found = [
        *_without_effect(outcome),
        *_unused_pairs(outcome),
        *_flagged(outcome),
        *_waiting(outcome),
        *_merged_by_case(outcome),
        *_unread(outcome),
        *_noted(outcome),
        *_numbers_once_spaced(outcome),
        *_unstable(outcome),
    ]
    return sorted(found, key=lambda hint: hint.rule)


def _without_effect(outcome: Outcome) -> Iterable[Hint]:
    """Rules that changed nothing in any of their columns, or in one where something came near."""
    for number in dict.fromkeys(stage.number for stage in outcome.stages):
        stages = [stage for stage in outcome.stages if stage.number == number]
        idle = [stage for stage in stages if not _was_of_use(stage)]
        near = [miss for miss in outcome.near_misses if miss.rule == number]
        missed = [stage for stage in idle if any(miss.column == stage.target for miss in near)]
        named = idle if len(idle) == len(stages) else missed
        if not named:
            continue
        columns = " and ".join(repr(stage.target) for stage in named)
        said = [
            f"{quoted(miss.value)} ({counted(miss.rows, 'row')}) for {quoted(miss.entry)}"
            for miss in near
            if any(miss.column == stage.target for stage in named)
        ]
        but = f"; near misses: {examples(said)}" if said else ""
        text = f"{named[0].name} changed nothing in {columns}{but}"
        yield Hint(number, named[0].target, "no effect", text)


def _was_of_use(stage: Stage) -> bool:
    """Whether a rule changed something, or found that what it looks up was in order already."""
    return bool(stage.changed.any() or (stage.result.used is not None and stage.result.used.any()))


def _unused_pairs(outcome: Outcome) -> Iterable[Hint]:
    """Pairs that were found nowhere, of rules whose other pairs were."""
    unused: dict[int, list[str]] = {}
    for entry in outcome.unused:
        if entry["of"].startswith("pair"):
            unused.setdefault(entry["rule"], []).append(entry["entry"])
    for number, entries in unused.items():
        stages = [stage for stage in outcome.stages if stage.number == number]
        if len(entries) == len(stages[0].rewriter.entries):
            continue
        near = {miss.entry: miss for miss in reversed(outcome.near_misses) if miss.rule == number}
        said = [
            quoted(entry)
            + (
                f" (near miss: {quoted(near[entry].value)}, {counted(near[entry].rows, 'row')})"
                if entry in near
                else ""
            )
            for entry in sorted(entries, key=lambda entry: entry not in near)
        ]
        yield Hint(number, stages[0].target, "unused", f"{stages[0].name} found nowhere: {examples(said)}")


def _flagged(outcome: Outcome) -> Iterable[Hint]:
    for stage in outcome.stages:
        if getattr(stage.rule, "otherwise", "flag") != "flag":
            continue
        records = [
            r
            for r in outcome.unknown
            if (r.rule, r.column) == (stage.number, stage.target) and r.kind != "ruled out"
        ]
        if not records:
            continue
        what = _UNKNOWN[records[0].kind]
        rows = sum(record.rows for record in records)
        said = examples([f"{quoted(r.value)} ({counted(r.rows, 'row')})" for r in records])
        whose = f"{counted(len(records), 'value')} of column {stage.target!r} ({counted(rows, 'row')})"
        text = f"{stage.name}: {whose} {what}: {said}"
        if len(records) == 1:
            text = text.replace(what, _UNKNOWN_ONE.get(what, what))
        yield Hint(stage.number, stage.target, "unknown", text)


def _waiting(outcome: Outcome) -> Iterable[Hint]:
    for stage in outcome.stages:
        records = [one for one in outcome.open if (one.rule, one.column) == (stage.number, stage.target)]
        if not records:
            continue
        rows = counted(sum(one.rows for one in records), "row")
        said = examples([f"{quoted(one.value)} (perhaps {quoted(one.proposal)})" for one in records])
        whose = f"{counted(len(records), 'value')} of column {stage.target!r} ({rows})"
        waits = "waits" if len(records) == 1 else "wait"
        yield Hint(stage.number, stage.target, "open", f"{stage.name}: {whose} {waits} for a person: {said}")


def _merged_by_case(outcome: Outcome) -> Iterable[Hint]:
    for stage in outcome.stages:
        mask = stage.result.by_case
        if mask is None or not mask.any():
            continue
        said = [
            f"{quoted(before)} ({counted(rows, 'row')}) as {quoted(after)}"
            for before, after, rows in zip(
                stage.before.filter(pa.array(mask)).to_pylist(),
                stage.after.filter(pa.array(mask)).to_pylist(),
                stage.rows[mask].tolist(),
                strict=True,
            )
        ]
        text = f"{stage.name} took, because case is ignored: {examples(said)}"
        yield Hint(stage.number, stage.target, "merged", text)


def _unread(outcome: Outcome) -> Iterable[Hint]:
    """Values that a rule, or the limits of its condition, could not make sense of."""
    for stage in outcome.stages:
        masks = [stage.result.unread] if stage.result.unread is not None else []
        if stage.rule.when is not None:
            masks.append(stage.rule.when.unread(stage.before))
        for mask in masks:
            mask = mask & ~is_blank(stage.before)
            if mask.any():
                values = stage.before.filter(pa.array(mask)).to_pylist()
                rows = counted(int(stage.rows[mask].sum()), "row")
                said = examples(map(quoted, values))
                what = f"{counted(len(values), 'value')} of {stage.target!r} ({rows})"
                text = f"{stage.name} could not make sense of {what}: {said}"
                yield Hint(stage.number, stage.target, "unread", text)


def _noted(outcome: Outcome) -> Iterable[Hint]:
    for stage in outcome.stages:
        for note in stage.result.notes:
            yield Hint(stage.number, stage.target, "noted", f"{stage.name}: {note}")


def _numbers_once_spaced(outcome: Outcome) -> Iterable[Hint]:
    """Columns in which spaces were all that kept values from being numbers."""
    for stage in outcome.stages:
        later = {
            other.rule.do
            for other in outcome.stages
            if other.number > stage.number and stage.target in other.rule.columns
        }
        if (
            stage.rule.do != "spacing"
            or not stage.changed.any()
            or later & {"label", "match", "number", "bands"}
        ):
            continue
        telling = ~is_blank(stage.after)
        now, before = ~np.isnan(numbers(stage.after)), found(stage.before, PLAIN_NUMBER)
        if telling.any() and now[telling].all() and not before[telling].all():
            text = (
                f"{stage.name}: column {stage.target!r} holds nothing but numbers now that its spaces are right; "
                "it stays text (the rule 'number' would change that)"
            )
            yield Hint(stage.number, stage.target, "noted", text)


def _unstable(outcome: Outcome) -> Iterable[Hint]:
    """Rules that would change their own output again, and rulebooks that would."""
    told: set[int] = set()
    for stage in outcome.stages:
        # What depends on other columns, or is written elsewhere, isn't met again by the same rule.
        rule = stage.rule
        if rule.reads() or rule.when is not None or rule.into is not None or rule.restates:
            continue
        if stage.changed.any() and (example := _changes_again(stage)) is not None:
            told.add(stage.number)
            text = f"{stage.name} would change its own output again: {example}"
            yield Hint(stage.number, stage.target, "unstable", text)
    for column, trail in outcome.applied_again().items():
        moved = differs(trail.column.values, trail.clean)
        if not moved.any():
            continue
        first = int(np.flatnonzero(moved)[0])
        guilty = next(stage for stage in trail.stages if stage.changed[stage.places[first]])
        if guilty.number in told:
            continue
        steps = [trail.column.values[first].as_py()]
        for stage in trail.stages:
            if stage.changed[place := stage.places[first]]:
                steps.append(stage.after[place].as_py())
        text = (
            f"this rulebook applied to its own output would change {counted(int(moved.sum()), 'value')} of column "
            f"{column!r} again, from {guilty.name} on: {' → '.join(quoted(step) for step in steps)}"
        )
        yield Hint(guilty.number, column, "unstable", text)


def _changes_again(stage: Stage) -> str | None:
    made = stage.after.filter(pa.array(stage.changed)).unique()
    again = stage.rewriter.rewrite(made, {}).values
    moved = differs(made, again)
    if not moved.any():
        return None
    first = int(np.flatnonzero(moved)[0])
    return f"{quoted(made[first].as_py())} → {quoted(again[first].as_py())}"
