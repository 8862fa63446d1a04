"""Results as plain records: what `--json` prints and DataFrames are made of."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np

from igual.core.comparing import CrossTable
from igual.core.findings import Finding, Since
from igual.core.list_versions import ListChanges
from igual.core.matching.lookalikes import Lookalike
from igual.core.matching.matcher import SETTLED, STATUSES
from igual.core.matching.matches import Matches
from igual.core.outcome import Outcome
from igual.core.reviewing import Review
from igual.core.survey import Survey
from igual.core.tally import Tally

Records = list[dict[str, Any]]

COLUMNS = ("column", "kind", "rows", "distinct", "missing", "blank", "shortest", "longest", "most_frequent")
ODDITIES = ("column", "oddity", "values", "rows", "groups", "examples")
TALLY = ("value", "rows", "share", "running_share")
EFFECTS = (
    "rule", "do", "column", "values", "rows", "unknown_values", "unknown_rows", "open_values", "near_misses", "note",
)  # fmt: skip
UNKNOWN = ("rule", "column", "value", "rows", "kind", "near")
OPEN = ("rule", "column", "value", "rows", "proposal", "score", "why", "runners_up")
MATCHES = (
    "value", "rows", "status", "proposal", "score", "runner_up", "runner_up_score", "why",
)  # fmt: skip
CANDIDATES = ("value", "rank", "entry", "score")
LOOKALIKES = ("group", "value", "rows", "proposal", "score", "why")
RULINGS = ("column", "value", "ruling", "reason", "by", "on")
UNUSED = ("rule", "do", "of", "entry")
NEAR_MISSES = ("rule", "column", "entry", "value", "rows")
UNFIT = ("check", "column", "value", "rows", "note")
CHANGES = ("rule", "do", "column", "before", "after", "rows")
COMPARED = ("value", "rows_before", "rows_after", "status", "made_of")
RENAMED = ("raw", "clean", "collided")
HINTS = ("rule", "column", "kind", "text")
TAKEN = (
    "column", "value", "ruling", "reason", "by", "on", "row", "rows", "becomes", "kind", "overrules", "note",
)  # fmt: skip
REFUSED = ("row", "column", "value", "why")
FINDINGS = ("kind", "column", "by", "values", "rows", "share", "allowed", "found")
SINCE = ("column", "new", "vanished", "changed", "moved")
LIST_CHANGES = ("what", "entry", "before", "why")
TOUCHED = ("what", "column", "text")


def of_columns(survey: Survey) -> Records:
    return [dict(zip(COLUMNS, column[:-1], strict=True)) for column in survey.columns]


def of_oddities(survey: Survey) -> Records:
    return [
        dict(zip(ODDITIES, (column.name, *oddity[:-1], list(oddity.examples)), strict=True))
        for column in survey.columns
        for oddity in column.oddities
    ]


def of_tally(tally: Tally) -> Records:
    records: Records = tally.table.to_pylist()
    return records


def of_cross(found: CrossTable, top: int | None) -> dict[str, Any]:
    rows = zip(found.values[:top], found.rows.tolist(), strict=False)
    return {
        "headings": found.headings,
        "values": [{"value": value, "rows": counts} for value, counts in rows],
    }


def of_named(tuples: list[Any]) -> Records:
    return [record._asdict() for record in tuples]


def of_survey(survey: Survey) -> dict[str, Any]:
    return {"rows": survey.rows, "columns": of_columns(survey), "oddities": of_oddities(survey)}


def of_outcome(outcome: Outcome) -> dict[str, Any]:
    return {
        "effects": outcome.effects,
        "unknown": of_named(outcome.unknown),
        "open": of_named(outcome.open),
        "unfit": of_named(list(outcome.unfit)),
        "unused": outcome.unused,
        "near_misses": of_named(outcome.near_misses),
        "hints": of_named(outcome.hints),
    }


def of_matches(matches: Matches) -> Records:
    columns = match_columns(matches)
    return [dict(zip(columns, row, strict=True)) for row in zip(*columns.values(), strict=True)]


def match_columns(matches: Matches) -> dict[str, list[Any]]:
    """The columns of a table of matches, most rows first."""
    found, order = matches.found, np.array(matches.order, np.int64)
    values, why = found.values.to_pylist(), found.why
    names = [*matches.names, None]  # -1 is no entry
    columns = {
        "value": [values[place] for place in matches.order],
        "rows": matches.rows[order].tolist(),
        "status": [STATUSES[status] for status in found.status[order].tolist()],
        "proposal": [names[entry] for entry in found.entry[order].tolist()],
        "score": found.score[order].tolist(),
        "runner_up": [names[entry] for entry in found.runner_up[order].tolist()],
        "runner_up_score": found.runner_up_score[order].tolist(),
        "why": [why[place] for place in matches.order],
    }
    if matches.given is not None:
        given = (*matches.given, None)
        settled = np.where(found.status[order] == SETTLED, found.entry[order], -1)
        columns["given"] = [given[entry] for entry in settled.tolist()]
    return columns


def of_candidates(matches: Matches) -> Records:
    values = matches.found.values.to_pylist()
    return [
        {"value": values[place], "rank": rank, "entry": matches.names[entry], "score": score}
        for place in matches.order
        for rank, (entry, score) in enumerate(matches.found.ranked(place), 1)
    ]


def of_list_changes(changes: ListChanges) -> Records:
    return [
        *({"what": "added", "entry": entry, "before": None, "why": ""} for entry in changes.added),
        *({"what": "removed", "entry": entry, "before": entry, "why": ""} for entry in changes.removed),
        *(
            {"what": "renamed", "entry": one.now, "before": one.before, "why": one.why}
            for one in changes.renamed
        ),
    ]


def of_check(
    findings: Sequence[Finding], bad: Sequence[Finding], compared: Sequence[Since] | None, rows: int
) -> dict[str, Any]:
    found: dict[str, Any] = {
        "in_order": not bad,
        "rows": rows,
        "findings": [
            {
                "kind": one.kind,
                "column": one.column,
                "by": one.by,
                "values": len(one.values),
                "rows": one.rows,
                "share": round(one.share, 6),
                "allowed": one not in bad,
                "found": [value._asdict() for value in one.values],
            }
            for one in findings
        ],
    }
    if compared is not None:
        found["since"] = [
            {
                "column": one.column,
                "new": [{"value": value.value, "rows": value.rows} for value in one.new],
                "vanished": [{"value": value.value, "rows": value.rows} for value in one.vanished],
                "changed": [
                    dict(zip(("value", "before", "now", "rows"), change, strict=True))
                    for change in one.changed
                ],
                "moved": [
                    {"value": clean, "share_before": round(old, 6), "share_now": round(new, 6)}
                    for clean, old, new in one.moved
                ],
            }
            for one in compared
        ]
    return found


def of_review(review: Review) -> dict[str, Any]:
    return {
        "taken": [
            {
                **one.ruling._asdict(),
                "row": one.row,
                "rows": one.rows,
                "becomes": one.meaning.text,
                "kind": one.meaning.kind,
                "overrules": None if one.before is None else one.before._asdict(),
                "note": one.note,
            }
            for one in review.taken
        ],
        "refused": of_named(list(review.refused)),
        "known": review.known,
        "unanswered": review.unanswered,
    }


def of_rulings(found: Sequence[Lookalike], column: str) -> Records:
    return [
        dict(zip(RULINGS, (column, one.value, one.proposal, one.why, "", ""), strict=True))
        for one in found
        if one.value != one.proposal
    ]
