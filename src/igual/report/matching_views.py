"""Matches and lookalikes as tables for the terminal."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import groupby

from rich.console import Group, RenderableType
from rich.text import Text

from igual.core.matching.lookalikes import Lookalike
from igual.core.matching.matches import Matches
from igual.core.text.saying import counted, score_said
from igual.report.records import of_matches
from igual.report.tables import Cell, shown, table, without_both

# The least score of what a look-up settles.
_LOOKED_UP = 0.998
_SAME = 3
_STYLES = {"settled": "green", "open": "yellow", "unknown": "red"}


def matches_view(matches: Matches, column: str = "", most: int = 40) -> RenderableType:
    """What waits for a person first, then what has no entry, then what was settled by more than spelling."""
    counts = matches.counts()
    said = [
        Text.assemble((f"{values:,} {status}", _STYLES[status]), f" ({counted(rows, 'row')})")
        for status, (values, rows) in counts.items()
    ]
    title = Text(", ").join(said)
    if matches.blank_rows:
        title.append(f", {counted(matches.blank_rows, 'blank row')}")
    named = Text.assemble((f"{shown(column)}: " if column else "", "bold"), title)
    # Whatever a look-up settled needs no looking at.
    records = [
        record
        for record in of_matches(matches)
        if record["status"] != "settled" or record["score"] < _LOOKED_UP
    ]
    records.sort(key=lambda record: ("open", "unknown", "settled").index(record["status"]))
    looked_up = len(matches.rows) - len(records)
    rows: list[Sequence[Cell]] = []
    for record in records[:most]:
        unknown = record["status"] == "unknown"
        proposal = Text("–", "dim") if unknown or record["proposal"] is None else shown(record["proposal"])
        rival = shown(record["runner_up"]) if record["runner_up"] and record["status"] == "open" else Text("")
        status = Text(record["status"], _STYLES[record["status"]])
        score = "" if unknown else score_said(record["score"])
        why = shown(without_both(record["why"], record["value"], record["proposal"] or ""))
        rows.append((status, shown(record["value"]), record["rows"], proposal, score, rival, why))
    if left := records[most:]:
        rows.append(
            ("", Text(f"{len(left):,} more", "dim"), sum(one["rows"] for one in left), "", "", "", "")
        )
    if looked_up:
        said_so = f"{counted(looked_up, 'value')} settled by looking up: as in the list, or but for case and the like"
        rows.append(
            (
                "",
                Text(said_so, "dim"),
                int(matches.rows.sum()) - sum(one["rows"] for one in records),
                "",
                "",
                "",
                "",
            )
        )
    if not records:
        return Group(
            named, Text("Every value is spelled as in the list, or but for case and the like.", style="green")
        )
    columns = ("status", "value", "rows#", "proposal", "score#", "or", "why")
    return table(named, columns, rows)


def lookalikes_view(found: Sequence[Lookalike], column: str = "", most: int = 20) -> RenderableType:
    """Group by group: the spelling that is proposed, and those that are like it."""
    groups = [list(group) for _, group in groupby(found, key=lambda one: one.group)]
    # Slips first: what differs in case and the like is soon read.
    groups.sort(key=lambda group: min(one.score for one in group) >= _LOOKED_UP)
    values = sum(one.value != one.proposal for one in found)
    of = f"{shown(column)}: " if column else ""
    if not groups:
        return Text(f"{of}nothing looks alike", style="green")
    rows: list[Sequence[Cell]] = []
    for group in groups[:most]:
        alike = [one for one in group[1:] if one.score < _LOOKED_UP]
        same = [one for one in group[1:] if one.score >= _LOOKED_UP]
        rows.append((shown(group[0].value, "bold"), "", group[0].rows, "", ""))
        for one in alike:
            why = without_both(one.why, one.value, one.proposal)
            rows.append(("", shown(one.value), one.rows, f"{one.score:.2f}", shown(why)))
        if same:
            spelled = Text(", ").join(shown(one.value) for one in same[:_SAME])
            spelled.append(f" and {len(same) - _SAME:,} more" if len(same) > _SAME else "")
            rows.append(("", spelled, sum(one.rows for one in same), "", "but for case, spaces and the like"))
    if left := groups[most:]:
        rows.append(
            (
                Text(f"{counted(len(left), 'more group')}", "dim"),
                "",
                sum(one.rows for group in left for one in group),
                "",
                "",
            )
        )
    title = f"{of}{counted(len(groups), 'group')} that are probably one each; {counted(values, 'spelling')} to replace"
    return table(title, ("proposal", "like it", "rows#", "score#", "why"), rows)
