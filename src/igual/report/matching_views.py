"""Matches and lookalikes as tables for the terminal."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import groupby, zip_longest

from rich.console import Group, RenderableType
from rich.text import Text

from igual.matching.lookalikes import Lookalike
from igual.matching.lookups import How
from igual.matching.matched import OPEN, SETTLED, STATUSES, UNKNOWN
from igual.matching.matches import Matches
from igual.matching.related import Related
from igual.report.reasons import format_reasons
from igual.report.tables import Cell, draw_table, draw_value
from igual.report.wording import format_count, format_score

_SAME = 3
_STYLES = {"settled": "green", "open": "yellow", "unknown": "red"}


def matches_view(matches: Matches, column: str = "", most: int = 40) -> RenderableType:
    """What needs a decision first, then what has no entry, then what was settled by more than spelling."""
    counts = matches.count_statuses()
    said = [
        Text.assemble((f"{values:,} {status}", _STYLES[status]), f" ({format_count(rows, 'row')})")
        for status, (values, rows) in counts.items()
    ]
    title = Text(", ").join(said)
    if matches.blank_rows:
        title.append(f", {format_count(matches.blank_rows, 'blank row')}")
    named = Text.assemble((f"{draw_value(column)}: " if column else "", "bold"), title)
    matched = matches.matched
    # Whatever a look-up settled needs no looking at.
    is_settled = (matched.status == SETTLED) & (matched.how != How.FUZZY) & (matched.how != How.TWO_LETTERS)
    listed = [position for position in matches.order if not is_settled[position]]
    listed.sort(key=lambda position: (OPEN, UNKNOWN, SETTLED).index(int(matched.status[position])))
    rows: list[Sequence[Cell]] = [_draw_match(matches, position) for position in listed[:most]]
    records, looked_up = listed, len(matches.rows) - len(listed)
    if left := records[most:]:
        rows.append(("", Text(f"{len(left):,} more", "dim"), int(matches.rows[left].sum()), "", "", "", ""))
    if looked_up:
        values = format_count(looked_up, "value")
        said_so = f"{values} settled by looking up: as in the list, apart from case and the like"
        rows.append(
            (
                "",
                Text(said_so, "dim"),
                int(matches.rows[is_settled].sum()),
                "",
                "",
                "",
                "",
            )
        )
    if not records:
        return Group(
            named, Text("Every value is spelled as in the list, apart from case and the like.", style="green")
        )
    columns: tuple[str, ...] = ("status", "value", "rows#", "proposal", "score#", "or", "why")
    if matches.given is not None:
        columns = (*columns, "gives")
        gives = [_draw_given(matches, position) for position in listed[:most]]
        rows = [(*row, one) for row, one in zip_longest(rows, gives, fillvalue="")]
    return draw_table(named, columns, rows)


def _draw_match(matches: Matches, position: int) -> list[Cell]:
    """A line of a value: status, value, rows, proposal, score, runner-up, why."""
    matched, names = matches.matched, [*matches.names, ""]
    status = STATUSES[matched.status[position]]
    value, entry = matched.values[position].as_py(), names[matched.entry[position]]
    unknown = status == "unknown"
    rival = names[matched.runner_up[position]] if status == "open" else ""
    return [
        Text(status, _STYLES[status]),
        draw_value(value),
        int(matches.rows[position]),
        Text("–", "dim") if unknown or not entry else draw_value(entry),
        "" if unknown else format_score(float(matched.score[position])),
        draw_value(rival) if rival else Text(""),
        draw_value(format_reasons(matched.reasons_of(position), value, entry)),
    ]


def _draw_given(matches: Matches, position: int) -> Cell:
    """The attribute that an entry gives, where the value has one."""
    entry = matches.matched.entry[position]
    if matches.given is None or matches.matched.status[position] == UNKNOWN or entry < 0:
        return ""
    return draw_value(matches.given[entry])


def lookalikes_view(members: Sequence[Lookalike], column: str = "", most: int = 20) -> RenderableType:
    """Group by group: the spelling that is proposed, and those that are like it."""
    groups = [list(group) for _, group in groupby(members, key=lambda one: one.group)]
    # Slips first: what differs in case and the like is soon read.
    groups.sort(key=lambda group: all(_is_folded(one) for one in group[1:]))
    values = sum(one.value != one.proposal for one in members)
    of = f"{draw_value(column)}: " if column else ""
    if not groups:
        return Text(f"{of}nothing looks alike", style="green")
    rows: list[Sequence[Cell]] = []
    for group in groups[:most]:
        alike = [one for one in group[1:] if not _is_folded(one)]
        same = [one for one in group[1:] if _is_folded(one)]
        rows.append((draw_value(group[0].value, "bold"), "", group[0].rows, "", ""))
        for one in alike:
            why = format_reasons(one.reasons, one.value, one.proposal)
            rows.append(("", draw_value(one.value), one.rows, format_score(one.score), draw_value(why)))
        if same:
            spelled = Text(", ").join(draw_value(one.value) for one in same[:_SAME])
            spelled.append(f" and {len(same) - _SAME:,} more" if len(same) > _SAME else "")
            rows.append(("", spelled, sum(one.rows for one in same), "", "case, spaces and the like"))
    if left := groups[most:]:
        rows.append(
            (
                Text(f"{format_count(len(left), 'more group')}", "dim"),
                "",
                sum(one.rows for group in left for one in group),
                "",
                "",
            )
        )
    spellings = format_count(values, "spelling")
    title = f"{of}{format_count(len(groups), 'group')} that are probably one each; {spellings} to replace"
    return draw_table(title, ("proposal", "like it", "rows#", "score#", "why"), rows)


def related_view(related: Sequence[Related], most: int = 20) -> RenderableType:
    """Values that may be one though they differ by words or initials."""
    if not related:
        return Text("nothing differs by words or initials alone", style="green")
    rows: list[Sequence[Cell]] = [
        (
            draw_value(one.value),
            one.rows,
            draw_value(one.other),
            one.other_rows,
            draw_value(format_reasons(one.reasons, one.value, one.other)),
        )
        for one in related[:most]
    ]
    if left := related[most:]:
        rows.append((Text(f"{format_count(len(left), 'more pair')}", "dim"), "", "", "", ""))
    title = f"{format_count(len(related), 'pair')} that may be one each: only you can tell"
    return draw_table(title, ("value", "rows#", "other", "its rows#", "why"), rows)


def _is_folded(member: Lookalike) -> bool:
    """Whether a member differs from what is proposed only in case, spaces and the like."""
    return any(reason.kind == "folded" for reason in member.reasons)
