"""How a trail becomes the rows of a crosswalk."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from igual.column import TEXT
from igual.matching.lookups import How
from igual.matching.matched import OPEN, UNKNOWN, Matched
from igual.runs.stages import Stage
from igual.runs.trail import ColumnTrail

SCHEMA = {
    "column": TEXT, "raw": TEXT, "clean": TEXT, "rows": pa.int64(), "how": TEXT, "way": TEXT, "score": pa.float64(),
    "settled": pa.bool_(), "source": TEXT, "given": TEXT,
}  # fmt: skip
FUZZY, RULING = "fuzzy", "ruling"
_WAYS = {
    How.NONE: "unlisted",
    How.EXACT: "exact",
    How.FOLDED: "folded",
    How.ALIAS: "alias",
    How.ALIAS_FOLDED: "alias, folded",
    How.TWO_LETTERS: "folded",
    How.FUZZY: FUZZY,
    How.RULING: RULING,
    How.RULED_KIND: RULING,
}


def make_crosswalk_table(trail: ColumnTrail) -> pa.Table:
    """Make the crosswalk of one column.

    Args:
        trail: The column.

    Returns:
        A row for each distinct raw value; see SCHEMA. `how` has the rules that changed the value, and for a match
        its way: exact, folded, alias, fuzzy with the score, ruling, open, unlisted. `way`, `score` and `settled` say
        the same to programs. `source` is the column it is made from, `given` what stood in other columns that rules
        looked at.
    """
    values = trail.column.values
    name, source = (
        pa.array([text], TEXT).take(pa.array(np.zeros(len(values), np.int32)))
        for text in (trail.name, trail.source)
    )
    ways = [_ways_of(stage) for stage in trail.stages]
    columns = [
        name,
        values,
        trail.clean,
        pa.array(trail.column.counts),
        _join_steps(trail, ways),
        *_last_way(trail, ways),
        source,
        trail.given,
    ]
    return pa.table(columns, schema=pa.schema(SCHEMA))


class _Ways(NamedTuple):
    """How a stage came to know the values it met; (met,) each, null where it looked nothing up."""

    way: pa.Array
    score: pa.Array
    settled: pa.Array
    about: pa.Array


def _ways_of(stage: Stage) -> _Ways | None:
    if stage.details.matched is not None:
        return _ways_of_match(stage, stage.details.matched)
    if stage.details.unknown is None:
        return None
    is_unknown = pa.array(stage.details.unknown)
    way = pc.if_else(is_unknown, pa.scalar("unknown", TEXT), pa.scalar(None, TEXT))
    settled = pc.if_else(is_unknown, pa.scalar(False), pa.scalar(None, pa.bool_()))
    return _Ways(way, pa.nulls(len(way), pa.float64()), settled, pa.nulls(len(way), TEXT))


def _ways_of_match(stage: Stage, matched: Matched) -> _Ways:
    ways = np.array([_WAYS[How(how)] for how in range(len(How))], dtype=object)[matched.how]
    ways[matched.status == OPEN] = "open"
    is_unknown = matched.status == UNKNOWN
    ways[is_unknown] = np.where(matched.how[is_unknown] == How.RULING, "ruled out", "unlisted")
    is_fuzzy = np.array([way == FUZZY for way in ways.tolist()], np.bool_)
    score = pa.array(np.round(matched.score, 2), mask=~is_fuzzy)
    settled = pa.array(~is_unknown & (matched.status != OPEN))
    was_matched = stage.details.was_matched
    if was_matched is None:
        was_matched = np.zeros(len(stage.before), np.bool_)
    positions = pa.array(np.cumsum(was_matched) - 1, mask=~was_matched)
    return _Ways(
        pa.array(ways.tolist(), TEXT).take(positions),
        score.take(positions),
        settled.take(positions),
        _name_kinds(matched).take(positions),
    )


def _name_kinds(matched: Matched) -> pa.Array:
    """The words that a ruling on a kind is about, where one settled a value."""
    by_kind = matched.how == How.RULED_KIND
    words = np.full(len(by_kind), None, dtype=object)
    for position in np.flatnonzero(by_kind).tolist():
        about = [
            reason.parts[1] for reason in matched.reasons_of(position) if reason.kind == "ruling on kind"
        ]
        words[position] = " on " + " and ".join(f"‘{text}’" for text in about)
    return pa.array(words.tolist(), TEXT)


def _join_steps(trail: ColumnTrail, ways: Sequence[_Ways | None]) -> pa.Array:
    """The rules that changed each raw value or looked it up, such as 'spacing; match: fuzzy 0.93'."""
    nothing = pa.scalar("", TEXT)
    parts = []
    for stage, known in zip(trail.stages, ways, strict=True):
        step = pc.if_else(pa.array(stage.changed), pa.scalar(f"; {stage.rule.do}", TEXT), nothing)
        if known is not None:
            score = pc.if_else(known.score.is_valid(), _format_scores(known.score), known.about.fill_null(""))
            looked_up = pc.binary_join_element_wise(
                pa.scalar(f"; {stage.rule.do}: ", TEXT), known.way, score, nothing
            )
            step = pc.coalesce(looked_up, step)
        parts.append(step.take(pa.array(stage.positions)))
    if not parts:
        return pa.array([""] * len(trail.column.values), TEXT)
    joined = pc.binary_join_element_wise(*parts, nothing)
    return pc.utf8_slice_codeunits(joined, start=len("; "))


def _format_scores(scores: pa.Array) -> pa.Array:
    """Scores with two decimals and a space before them."""
    return pa.array(
        # Fuzzy scores stay below 1, also when rounded.
        [None if score is None else f" {min(score, 0.99):.2f}" for score in scores.to_pylist()],
        TEXT,
    )


def _last_way(trail: ColumnTrail, ways: Sequence[_Ways | None]) -> tuple[pa.Array, pa.Array, pa.Array]:
    """How the last rule that looked each raw value up came to know it, and whether all of them did."""
    size = len(trail.column.values)
    way, score, settled = (
        pa.nulls(size, TEXT),
        pa.nulls(size, pa.float64()),
        pa.array([True] * size, pa.bool_()),
    )
    for stage, known in zip(trail.stages, ways, strict=True):
        if known is None:
            continue
        positions = pa.array(stage.positions)
        here, score_here = known.way.take(positions), known.score.take(positions)
        score = pc.if_else(here.is_valid(), score_here, score)
        way = pc.coalesce(here, way)
        settled = pc.and_(settled, known.settled.take(positions).fill_null(True))
    return way, score, settled
