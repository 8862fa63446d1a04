"""Results as plain records: what `--json` prints and DataFrames are made of."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from typing import TYPE_CHECKING, Any

import numpy as np

from igual.matching.matched import SETTLED, STATUSES
from igual.report.reasons import format_reasons

if TYPE_CHECKING:
    # Type-only imports, to keep start-up fast.
    from igual.looking.comparison import CrossTable
    from igual.looking.survey import Survey
    from igual.looking.tally import Tally
    from igual.matching.lookalikes import Lookalike
    from igual.matching.matches import Matches
    from igual.matching.questions import Question
    from igual.matching.reasons import Reasons
    from igual.matching.related import Related
    from igual.runs.account import Account
    from igual.runs.draft import Draft
    from igual.runs.findings import Finding, FoundBy, Since
    from igual.runs.hints import Hint
    from igual.runs.list_versions import ListChanges, RenamedEntry
    from igual.runs.open_values import OpenValue
    from igual.runs.review import Review

Records = list[dict[str, Any]]

COLUMNS = ("column", "kind", "rows", "distinct", "missing", "blank", "shortest", "longest", "most_frequent")
ODDITIES = ("column", "oddity", "values", "rows", "groups", "examples")
QUESTIONS = ("question", "kind", "cause", "rows", "pairs")
TALLY = ("value", "rows", "share", "running_share")
EFFECTS = (
    "rule", "do", "column", "values", "rows", "unknown_values", "unknown_rows", "open_values", "near_misses", "note",
)  # fmt: skip
UNKNOWN = ("rule", "column", "value", "rows", "kind", "near")
OPEN = ("rule", "column", "value", "rows", "proposal", "score", "why", "reasons", "runners_up", "within")
MATCHES = ("value", "rows", "status", "proposal", "score", "runner_up", "runner_up_score", "why", "reasons")
CANDIDATES = ("value", "rank", "entry", "score")
RELATED = ("value", "rows", "other", "other_rows", "score", "why")
LOOKALIKES = ("group", "value", "rows", "proposal", "score", "why", "reasons")
RULINGS = ("column", "value", "ruling", "reason", "by", "on")
UNUSED = ("rule", "do", "of", "entry")
NEAR_MISSES = ("rule", "column", "entry", "value", "rows")
UNFIT = ("check", "column", "value", "rows", "note")
CHANGES = ("rule", "do", "column", "before", "after", "rows")
COMPARED = ("value", "rows_before", "rows_after", "status", "made_of")
RESTYLED = ("raw", "clean", "collided")
HINTS = ("rule", "column", "kind", "text", "values", "parts")
TAKEN = (
    "column", "value", "ruling", "reason", "by", "on", "row", "rows", "becomes", "kind", "overrules", "note", "within",
)  # fmt: skip
REJECTED = ("row", "column", "value", "why")
FINDINGS = ("kind", "column", "by", "values", "rows", "share", "allowed", "found")
SINCE = ("column", "new", "vanished", "changed", "moved")
LIST_CHANGES = ("what", "entry", "before", "why")
AFFECTED = ("rule", "do", "column", "kind", "parts")
DATE_FORMS = ("form", "values", "rows", "only")


def to_records(tuples: Sequence[Any]) -> Records:
    """Turn named tuples into records.

    Args:
        tuples: The named tuples.

    Returns:
        Their fields by name.
    """
    return [one._asdict() for one in tuples]


def list_columns(survey: Survey) -> Records:
    """List the columns of a survey."""
    return [dict(zip(COLUMNS, column[:-1], strict=True)) for column in survey.surveyed]


def list_oddities(survey: Survey) -> Records:
    """List what is odd about the columns of a survey."""
    return [
        dict(zip(ODDITIES, (column.name, *oddity[:-1], list(oddity.examples)), strict=True))
        for column in survey.surveyed
        for oddity in column.oddities
    ]


def list_tally(tally: Tally) -> Records:
    """List the values of a tally."""
    listed: Records = tally.counts.to_pylist()
    return listed


def from_cross_table(table: CrossTable, top: int | None) -> dict[str, Any]:
    """Turn a cross table into a record."""
    rows = zip(table.values[:top], table.rows.tolist(), strict=False)
    return {
        "headings": table.headings,
        "values": [{"value": value, "rows": counts} for value, counts in rows],
    }


def from_survey(survey: Survey) -> dict[str, Any]:
    """Turn a survey into a record."""
    return {"rows": survey.rows, "columns": list_columns(survey), "oddities": list_oddities(survey)}


def list_reasons(reasons: Reasons) -> Records:
    """List reasons as kinds and parts."""
    return [{"kind": reason.kind, "parts": list(reason.parts)} for reason in reasons]


def _explain(member: OpenValue | Lookalike) -> dict[str, Any]:
    return {"why": format_reasons(member.reasons, member.value), "reasons": list_reasons(member.reasons)}


def join_kinds(reasons: Sequence[Mapping[str, Any]]) -> str:
    """Write the kinds of reasons for a cell of a file."""
    return "; ".join(reason["kind"] for reason in reasons)


def list_unknown(account: Account) -> Records:
    """List unknown values."""
    return [one._asdict() | {"near": " or ".join(one.near) or None} for one in account.unknown]


def list_open(values: Sequence[OpenValue]) -> Records:
    """List values that need a decision."""
    return [
        {
            "rule": one.rule,
            "column": one.column,
            "value": one.value,
            "rows": one.rows,
            "proposal": one.proposal,
            "score": one.score,
            **_explain(one),
            "runners_up": [{"entry": entry, "score": score} for entry, score in one.runners_up],
            "within": one.within,
        }
        for one in values
    ]


def list_unused(account: Account) -> Records:
    """List entries that served for no value."""
    return [
        {"rule": one.rule, "do": one.do, "of": " ".join(filter(None, one.source)), "entry": one.entry}
        for one in account.unused
    ]


def list_near_misses(account: Account) -> Records:
    """List values that a rule nearly caught."""
    return [
        {
            "rule": one.rule,
            "column": one.column,
            "entry": " or ".join(one.entries),
            "value": one.value,
            "rows": one.rows,
        }
        for one in account.near_misses
    ]


def list_hints(hints: Sequence[Hint]) -> Records:
    """List hints."""
    return [
        {
            "rule": hint.rule,
            "column": hint.column,
            "kind": hint.kind,
            "text": hint.text,
            "values": to_records(hint.values),
            "parts": list(hint.parts),
        }
        for hint in hints
    ]


def from_account(account: Account, hints: Sequence[Hint]) -> dict[str, Any]:
    """Turn an account into a record."""
    return {
        "effects": to_records(account.effects),
        "unknown": list_unknown(account),
        "open": list_open(account.open),
        "unfit": to_records(account.unfit),
        "unused": list_unused(account),
        "near_misses": list_near_misses(account),
        "hints": list_hints(hints),
    }


def list_matches(matches: Matches) -> Records:
    """List the values of a column and how they match."""
    columns = match_columns(matches)
    return [dict(zip(columns, row, strict=True)) for row in zip(*columns.values(), strict=True)]


def match_columns(matches: Matches) -> dict[str, list[Any]]:
    """The columns of a table of matches, most rows first."""
    matched, order = matches.matched, np.array(matches.order, np.int64)
    values, reasons = matched.values.to_pylist(), matched.reasons
    names = [*matches.names, None]  # -1 is no entry
    columns = {
        "value": [values[place] for place in matches.order],
        "rows": matches.rows[order].tolist(),
        "status": [STATUSES[status] for status in matched.status[order].tolist()],
        "proposal": [names[entry] for entry in matched.entry[order].tolist()],
        "score": matched.score[order].tolist(),
        "runner_up": [names[entry] for entry in matched.runner_up[order].tolist()],
        "runner_up_score": matched.runner_up_score[order].tolist(),
        "why": [format_reasons(reasons[position], values[position]) for position in matches.order],
        "reasons": [list_reasons(reasons[position]) for position in matches.order],
    }
    if matches.given is not None:
        given = (*matches.given, None)
        settled = np.where(matched.status[order] == SETTLED, matched.entry[order], -1)
        columns["given"] = [given[entry] for entry in settled.tolist()]
    return columns


def list_candidates(matches: Matches) -> Records:
    """List the candidates of each value."""
    values = matches.matched.values.to_pylist()
    return [
        {"value": values[place], "rank": rank, "entry": matches.names[entry], "score": score}
        for place in matches.order
        for rank, (entry, score) in enumerate(matches.matched.rank_candidates(place), 1)
    ]


def format_rename(rename: RenamedEntry) -> str:
    """Write how a renamed entry is known to be the same."""
    if rename.why == "attribute":
        return f"the same {rename.parts[0]}, {rename.parts[1]}"
    return {
        "alias": "the old name is an alias",
        "folded": "differs only in case, accents, spaces or punctuation",
    }[rename.why]


def list_list_changes(changes: ListChanges) -> Records:
    """List what changed between two versions of a list."""
    return [
        *({"what": "added", "entry": entry, "before": None, "why": ""} for entry in changes.added),
        *({"what": "removed", "entry": entry, "before": entry, "why": ""} for entry in changes.removed),
        *(
            {"what": "renamed", "entry": one.now, "before": one.before, "why": format_rename(one)}
            for one in changes.renamed
        ),
    ]


def format_found_by(by: FoundBy) -> str:
    """Write what has found something, such as 'rule 3'."""
    if by.kind == "rulings":
        return "the file of rulings"
    return f"{by.kind} {by.number}" if by.kind else ""


def from_check(
    findings: Sequence[Finding], bad: Sequence[Finding], compared: Sequence[Since] | None, rows: int
) -> dict[str, Any]:
    """Turn the findings of a check into a record."""
    record: dict[str, Any] = {
        "in_order": not bad,
        "rows": rows,
        "findings": [
            {
                "kind": one.kind,
                "column": one.column,
                "by": format_found_by(one.by),
                "values": len(one.values),
                "rows": one.rows,
                "share": round(one.share, 6),
                "allowed": one not in bad,
                "found": [
                    value._asdict() | {"near": " or ".join(value.near) or None} for value in one.values
                ],
            }
            for one in findings
        ],
    }
    if compared is not None:
        record["since"] = [
            {
                "column": one.column,
                "new": [{"value": value.value, "rows": value.rows} for value in one.new],
                "vanished": [{"value": value.value, "rows": value.rows} for value in one.vanished],
                "changed": to_records(one.changed),
                "moved": [
                    {"value": clean, "share_before": round(old, 6), "share_now": round(new, 6)}
                    for clean, old, new in one.moved
                ],
            }
            for one in compared
        ]
    return record


def from_review(review: Review) -> dict[str, Any]:
    """Turn a review into a record."""
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
            for one in review.accepted
        ],
        "refused": to_records(review.rejected),
        "known": review.known,
        "unanswered": review.unanswered,
        "outdated": list(review.outdated),
    }


def list_lookalikes(members: Sequence[Lookalike]) -> Records:
    """List the members of groups of lookalikes."""
    return [
        {
            "group": one.group,
            "value": one.value,
            "rows": one.rows,
            "proposal": one.proposal,
            "score": one.score,
            **_explain(one),
        }
        for one in members
    ]


def list_related(related: Sequence[Related]) -> Records:
    """List values that may be one though they differ by words or initials."""
    return [
        {
            "value": one.value,
            "rows": one.rows,
            "other": one.other,
            "other_rows": one.other_rows,
            "score": one.score,
            "why": format_reasons(one.reasons, one.value, one.other),
        }
        for one in related
    ]


def list_questions(questions: Iterable[Question]) -> Records:
    """Questions about open values, most useful first: what they ask, the kind that a yes rules on, values and rows."""
    return [
        {
            "question": question.text,
            "kind": question.kind,
            "cause": None if question.cause is None else question.cause.text,
            "rows": question.rows,
            "pairs": dict(question.pairs),
        }
        for question in questions
    ]


def from_draft(draft: Draft, written: Sequence[str]) -> dict[str, Any]:
    """A drafted rulebook: its rules, what is to be decided, columns of codes, and the files that were written."""
    return {
        "rules": [
            {
                "certain": one.is_certain,
                "rows": one.rows,
                "evidence": one.evidence._asdict(),
                "examples": [list(example) for example in one.examples],
                **one.rule.dump_words(),
            }
            for one in draft.drafted
        ],
        "pairs": {column: dict(pairs.pairs) for column, pairs in draft.pairs.items()},
        "codes": {column: list(codes) for column, codes in draft.codes.items()},
        "headers": draft.headers,
        "not_used": to_records(draft.not_used),
        "written": list(written),
    }


def list_as_rulings(members: Sequence[Lookalike], column: str) -> Records:
    """List groups of lookalikes as rulings."""
    cells = (
        (column, one.value, one.proposal, format_reasons(one.reasons, one.value), "", "")
        for one in members
        if one.value != one.proposal
    )
    return [dict(zip(RULINGS, row, strict=True)) for row in cells]
