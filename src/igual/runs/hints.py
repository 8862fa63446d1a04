"""Hints: what is worth a warning in an account, as kinds and parts; `report/hints.py` writes the sentences."""

from __future__ import annotations

from collections.abc import Callable, Hashable, Iterable, Sequence
from itertools import groupby
from typing import NamedTuple, TypeVar

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from igual.column import TEXT, TEXTS, Counts, Mask
from igual.display import to_sentence
from igual.distinct import find_distinct
from igual.errors import RulebookError
from igual.matching.lookups import How
from igual.matching.matched import SETTLED
from igual.rules.base import Rule
from igual.rules.kinds import OPEN, RULED_OUT
from igual.rules.rewriters import rewrite_in_pieces
from igual.runs.account import Account, NearlyCaught
from igual.runs.stages import Stage
from igual.runs.trail import ColumnTrail
from igual.text.arrays import differs, has_pattern
from igual.text.blanks import is_blank
from igual.text.cells import WHOLE
from igual.text.folding import folded_key
from igual.text.reading import PLAIN_NUMBER, numbers

Listed = TypeVar("Listed")
# Of values in fewer rows their number says nothing.
_MIN_FREQUENT_ROWS = 10


class HintValue(NamedTuple):
    """A value that a hint names.

    Attributes:
        value: The value, or the entry of a rule.
        rows: How many rows have it; 0 where that says nothing.
        other: What it became, what is proposed for it, or what it came close to.
    """

    value: str | None
    rows: int = 0
    other: str | None = None


class Hint(NamedTuple):
    """One warning.

    Attributes:
        rule: The rule's place in the rulebook, from 1.
        do: What the rule does.
        columns: The columns that it is about.
        kind: 'read', 'no effect', 'unused', 'unknown', 'open', 'as frequent', 'merged', 'unread', 'unstable',
            'unstable rulebook', 'numbers left', or the kind of a note that a rule leaves.
        values: The values that it names.
        parts: What else it names.
    """

    rule: int
    do: str
    columns: tuple[str, ...]
    kind: str
    values: tuple[HintValue, ...] = ()
    parts: tuple[str, ...] = ()

    @property
    def column(self) -> str:
        """The first column that it is about."""
        return self.columns[0]

    @property
    def text(self) -> str:
        """The hint as a sentence."""
        return to_sentence(self)

    def __str__(self) -> str:
        return self.text


def find_hints(account: Account) -> list[Hint]:
    """Find everything in an account that is worth a warning.

    Args:
        account: The account of a run.

    Returns:
        The hints, in the order of the rules.
    """
    hints = [
        *_list_read_columns(account),
        *_find_idle_rules(account),
        *_find_unused_pairs(account),
        *_list_unknown(account),
        *_list_open(account),
        *_find_frequent(account),
        *_list_merged_by_case(account),
        *_list_unread(account),
        *_list_notes(account),
        *_find_numbers_left(account),
        *_find_unstable(account),
    ]
    return sorted(hints, key=lambda hint: hint.rule)


def _list_read_columns(account: Account) -> Iterable[Hint]:
    """Columns of cells that aren't texts nor whole numbers: how these are read."""
    told: set[str] = set()
    for trail in account.trails.values():
        kind = trail.column.kind
        if kind in (TEXTS, WHOLE) or trail.source in told:
            continue
        told.add(trail.source)
        first = trail.stages[0]
        example = pc.min(trail.column.values).as_py()
        yield Hint(first.number, first.rule.do, (trail.source,), "read", (HintValue(example),), (kind,))


def _order(values: Iterable[HintValue]) -> list[HintValue]:
    """Most rows first, then by their characters: engines meet values in different orders."""
    return sorted(values, key=lambda one: (-one.rows, one.value or ""))


def _hint(stage: Stage, kind: str, values: Iterable[HintValue] = (), parts: Sequence[str] = ()) -> Hint:
    return Hint(stage.number, stage.rule.do, (stage.target,), kind, tuple(values), tuple(parts))


def _group(listed: Iterable[Listed], key: Callable[[Listed], Hashable]) -> dict[Hashable, list[Listed]]:
    groups: dict[Hashable, list[Listed]] = {}
    for one in listed:
        groups.setdefault(key(one), []).append(one)
    return groups


def _stages_by_rule(account: Account) -> Iterable[tuple[int, list[Stage]]]:
    for number, stages in groupby(account.stages, key=lambda stage: stage.number):
        yield number, list(stages)


def _find_idle_rules(account: Account) -> Iterable[Hint]:
    """Rules that changed nothing in any of their columns, or in one where something came near."""
    near_by_rule = _group(account.near_misses, lambda miss: miss.rule)
    for number, stages in _stages_by_rule(account):
        near = near_by_rule.get(number, [])
        missed = {miss.column for miss in near}
        idle = [stage for stage in stages if not _had_effect(stage)]
        named = idle if len(idle) == len(stages) else [stage for stage in idle if stage.target in missed]
        if named:
            columns = tuple(stage.target for stage in named)
            wanted = set(columns)
            values = tuple(_near_value(miss) for miss in near if miss.column in wanted)
            yield Hint(number, named[0].rule.do, columns, "no effect", values)


def _near_value(miss: NearlyCaught) -> HintValue:
    return HintValue(miss.value, miss.rows, miss.entries[0])


def _had_effect(stage: Stage) -> bool:
    """Whether a rule changed something, or found that what it looks up was in order already."""
    return bool(stage.changed.any() or (stage.details.used is not None and stage.details.used.any()))


def _find_unused_pairs(account: Account) -> Iterable[Hint]:
    """Pairs that were found nowhere, of rules whose other pairs were."""
    pairs = [entry for entry in account.unused if entry.source.kind in ("pairs", "pair list")]
    unused = _group(pairs, lambda entry: entry.rule)
    near_by_rule = _group(account.near_misses, lambda miss: miss.rule)
    for number, stages in _stages_by_rule(account):
        entries = [entry.entry for entry in unused.get(number, [])]
        if not entries or len(entries) == len(stages[0].rewriter.entries):
            continue
        near = {miss.entries[0]: miss for miss in reversed(near_by_rule.get(number, []))}
        values = [
            HintValue(entry, near[entry].rows, near[entry].value) if entry in near else HintValue(entry)
            for entry in sorted(entries, key=lambda entry: entry not in near)
        ]
        yield _hint(stages[0], "unused", values)


def _list_unknown(account: Account) -> Iterable[Hint]:
    unknown = _group(account.unknown, lambda one: (one.rule, one.column))
    for number, stages in _stages_by_rule(account):
        if not stages[0].rule.flags_unknown:
            continue
        having = [
            stage for stage in stages if stage.details.unknown is not None and stage.details.unknown.any()
        ]
        for target in dict.fromkeys(stage.target for stage in having):
            values = [
                HintValue(one.value, one.rows)
                for one in unknown.get((number, target), [])
                if one.kind != RULED_OUT.name
            ]
            if values:
                kind = stages[0].rule.unknown_kind
                yield Hint(
                    number, stages[0].rule.do, (target,), "unknown", tuple(values), (kind.one, kind.several)
                )


def _list_open(account: Account) -> Iterable[Hint]:
    waiting = _group(account.open, lambda one: (one.rule, one.column))
    for stage in account.stages:
        values = [
            HintValue(one.value, one.rows, one.proposal)
            for one in waiting.get((stage.number, stage.target), [])
        ]
        if values:
            yield _hint(stage, "open", values, (OPEN.one, OPEN.several))


def _find_frequent(account: Account) -> Iterable[Hint]:
    """Values settled by likeness that as many rows have as have the entry: they may be entries of their own."""
    for stage in account.stages:
        matched, was_matched = stage.details.matched, stage.details.was_matched
        if matched is None or was_matched is None:
            continue
        by_likeness = np.flatnonzero((matched.status == SETTLED) & (matched.how == How.FUZZY))
        if not len(by_likeness):
            continue
        keys, counts = _count_rows(stage.before, stage.rows)
        names = pa.array(stage.rewriter.entries, TEXT).take(pa.array(matched.entry[by_likeness]))
        values = matched.values.take(pa.array(by_likeness))
        own, of_entry = (_look_up_rows(texts, keys, counts) for texts in (values, names))
        is_frequent = (of_entry > 0) & (own >= np.maximum(of_entry, _MIN_FREQUENT_ROWS))
        if not is_frequent.any():
            continue
        flags = pa.array(is_frequent)
        cells = zip(
            values.filter(flags).to_pylist(),
            own[is_frequent].tolist(),
            names.filter(flags).to_pylist(),
            of_entry[is_frequent].tolist(),
            strict=True,
        )
        for value, rows, entry, entry_rows in sorted(cells):
            yield _hint(stage, "as frequent", [HintValue(value, rows, entry)], [str(entry_rows)])


def _count_rows(values: pa.Array, rows: Counts) -> tuple[pa.Array, Counts]:
    """Sum the rows of values that are the same but for case, spaces and the like: keys and their rows."""
    table = pa.table({"key": folded_key(values.fill_null("")), "rows": pa.array(rows)})
    counted = table.group_by("key", use_threads=False).aggregate([("rows", "sum")])
    return counted["key"].combine_chunks(), counted["rows_sum"].to_numpy()


def _look_up_rows(texts: pa.Array, keys: pa.Array, counts: Counts) -> Counts:
    """Find the rows of texts by their folded keys, 0 for those that aren't there."""
    places = pc.index_in(folded_key(texts), keys).fill_null(len(keys)).to_numpy(zero_copy_only=False)
    rows: Counts = np.append(counts, 0)[places].astype(np.int64)
    return rows


def _list_merged_by_case(account: Account) -> Iterable[Hint]:
    for stage in account.stages:
        mask = stage.details.by_case
        if mask is not None and mask.any():
            flags = pa.array(mask)
            texts = (texts.filter(flags).to_pylist() for texts in (stage.before, stage.after))
            cells = zip(*texts, stage.rows[mask].tolist(), strict=True)
            merged = _order(HintValue(before, rows, after) for before, after, rows in cells)
            yield _hint(stage, "merged", merged)


def _list_unread(account: Account) -> Iterable[Hint]:
    """Values that a rule, or the limits of its condition, could not make sense of."""
    for stage in account.stages:
        masks: list[tuple[Mask, str]] = []
        if stage.details.unread is not None:
            masks.append((stage.details.unread, stage.rule.unread_as))
        if stage.rule.condition is not None:
            masks.append((stage.rule.condition.unread(stage.before), Rule.unread_as))
        for mask, unread_as in masks:
            mask = mask & ~is_blank(stage.before)
            if mask.any():
                values = stage.before.filter(pa.array(mask)).to_pylist()
                cells = zip(values, stage.rows[mask].tolist(), strict=True)
                unread = _order(HintValue(value, rows) for value, rows in cells)
                yield _hint(stage, "unread", unread, (unread_as,))


def _list_notes(account: Account) -> Iterable[Hint]:
    for stage in account.stages:
        for note in stage.details.notes:
            yield _hint(stage, note.kind, parts=note.parts)


def _find_numbers_left(account: Account) -> Iterable[Hint]:
    """Columns in which spaces were all that kept values from being numbers."""
    rules = {stage.number: stage.rule for stage in account.stages}
    last_taken = {
        column: number
        for number, rule in sorted(rules.items())
        if rule.takes_numbers
        for column in rule.columns
    }
    for stage in account.stages:
        if not stage.rule.only_respaces or not stage.changed.any():
            continue
        if last_taken.get(stage.target, 0) > stage.number:
            continue
        is_text = ~is_blank(stage.after)
        now, before = ~np.isnan(numbers(stage.after)), has_pattern(stage.before, PLAIN_NUMBER)
        if is_text.any() and now[is_text].all() and not before[is_text].all():
            yield _hint(stage, "numbers left")


def _find_unstable(account: Account) -> Iterable[Hint]:
    """Rules that would change their own output again, and rulebooks that would."""
    reported: set[int] = set()
    for stage in account.stages:
        # What depends on other columns, or is written elsewhere, isn't met again by the same rule.
        rule = stage.rule
        if rule.reads() or rule.condition is not None or rule.into is not None or rule.changes_notation:
            continue
        if stage.changed.any() and (example := _change_again(stage)) is not None:
            reported.add(stage.number)
            yield _hint(stage, "unstable", [example])
    try:
        again = account.plan.run_again(account.trails)
    except RulebookError:  # values that would grow beyond bounds
        return
    for column, trail in again.items():
        moved = differs(trail.column.values, trail.clean)
        if not moved.any():
            continue
        first = _find_first(trail.column.values, moved)
        guilty = next(stage for stage in trail.stages if stage.changed[stage.positions[first]])
        if guilty.number not in reported:
            steps = tuple(_list_steps(trail, first))
            values = (HintValue(trail.column.values[first].as_py(), int(moved.sum())),)
            yield Hint(guilty.number, guilty.rule.do, (column,), "unstable rulebook", values, steps)


def _list_steps(trail: ColumnTrail, position: int) -> Iterable[str]:
    """What one value becomes, change after change."""
    yield trail.column.values[position].as_py() or ""
    for stage in trail.stages:
        if stage.changed[met := stage.positions[position]]:
            yield stage.after[met].as_py() or ""


def _change_again(stage: Stage) -> HintValue | None:
    """A value that a rule would change once more."""
    made = find_distinct(stage.after.filter(pa.array(stage.changed))).values
    again = rewrite_in_pieces(stage.rewriter, made, {}).values
    moved = differs(made, again)
    if not moved.any():
        return None
    first = _find_first(made, moved)
    return HintValue(made[first].as_py(), 0, again[first].as_py())


def _find_first(values: pa.Array, chosen: Mask) -> int:
    """The position of the chosen value whose characters come first."""
    places = np.flatnonzero(chosen)
    order = pc.sort_indices(values.take(pa.array(places)))
    return int(places[order[0].as_py()])
