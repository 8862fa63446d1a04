"""Surveys, tallies and outcomes as tables for the terminal.

Whatever comes from a file passes through `visible`, so that nothing in it acts on the terminal.
"""

from __future__ import annotations

import itertools
from collections.abc import Iterable, Sequence
from typing import Any

import numpy as np
from rich.console import Group, RenderableType
from rich.table import Table
from rich.text import Text

from igual.looking.comparison import ComparedValue, CrossTable
from igual.looking.survey import MOST_LOOKED_THROUGH, Survey
from igual.looking.tally import Tally
from igual.report.hints import name_rule
from igual.report.reasons import format_reasons
from igual.report.tables import LONGEST, Cell, draw_table, draw_text, draw_value, format_percent
from igual.report.wording import format_count, format_score
from igual.runs.account import Account
from igual.runs.hints import Hint
from igual.runs.preview import Change, PreviewedRule, find_differences
from igual.text.characters import visible

_NARROW = 20
# So many characters of a line are there for the columns of a cross table.
_ROOM = 80
_STATUSES = {"appeared": "green", "vanished": "red", "merged": "cyan", "changed": "yellow", "same": "dim"}


# More lines than that nobody reads on a terminal.
_MOST_SHOWN = 200


def survey_view(survey: Survey, name: str = "") -> RenderableType:
    """Columns first, then what is odd about them."""
    columns: RenderableType = draw_table(
        f"{name + ': ' if name else ''}{format_count(survey.rows, 'row')}, "
        f"{format_count(len(survey.surveyed), 'column')}",
        ("column", "distinct#", "missing#", "blank#", "shortest#", "longest#", "most frequent"),
        (
            (
                draw_value(c.name) if c.kind == "text" else Text.assemble(draw_value(c.name), f" ({c.kind})"),
                c.distinct,
                c.missing,
                c.blank,
                c.shortest,
                c.longest,
                draw_value(c.most_frequent) if c.most_frequent is not None else "",
            )
            for c in survey.surveyed[:_MOST_SHOWN]
        ),
    )
    left = len(survey.surveyed) - _MOST_SHOWN
    if left > 0:
        said = f"and {format_count(left, 'more column')}; --column shows single ones, --json tells of all\n"
        columns = Group(columns, Text(said))
    odd = [(column.name, oddity) for column in survey.surveyed for oddity in column.oddities]
    if not odd:
        return Group(columns, Text("Nothing odd was found.", style="green"))
    rows: list[Sequence[Cell]] = []
    previous = None
    for column, oddity in odd[:_MOST_SHOWN]:
        groups = f" ({format_count(oddity.groups, 'group')})" if oddity.groups else ""
        named = draw_value(column, "bold") if column != previous else ""
        # A space inside a value is drawn, so spaces can stand between values.
        examples = Text(("\n" if oddity.groups else "   ").join(oddity.examples))
        rows.append((named, oddity.kind + groups, oddity.values, oddity.rows, examples))
        previous = column
    shown = "· space   → tab   ↵ line break   ⟨…⟩ other invisible characters"
    if len(odd) > _MOST_SHOWN:
        more = len(odd) - _MOST_SHOWN
        shown = f"and {more:,} more lines; --column shows single columns, --json tells of all\n\n{shown}"
    if len(survey.surveyed) > MOST_LOOKED_THROUGH:
        shown += "\nSo many columns are not searched for values that are probably one; --column does that."
    key = Text(shown, style="dim")
    return Group(
        columns, draw_table("What is odd", ("column", "what", "values#", "rows#", "examples"), rows), key
    )


def tally_view(tally: Tally, column: str = "", top: int | None = None) -> RenderableType:
    """Values with their rows and shares, and a bar to see the shape; with `top`, the rest in one line."""
    records = tally.counts.to_pylist()
    most = max((record["rows"] for record in records), default=1)
    rows: list[Sequence[Cell]] = [
        (
            draw_value(record["value"]),
            record["rows"],
            format_percent(record["share"]),
            format_percent(record["running_share"]),
            Text("━" * max(1, round(30 * record["rows"] / most)), style="cyan"),
        )
        for record in records[:top]
    ]
    rest = records[top:] if top is not None else []
    if rest:
        left = sum(record["rows"] for record in rest)
        rows.append(
            (
                Text(f"{format_count(len(rest), 'other value')}", "dim"),
                left,
                format_percent(left / max(tally.rows, 1)),
                format_percent(rest[-1]["running_share"]),
                "",
            )
        )
    of = f"{draw_value(column)}: " if column else ""
    rows_counted = f"{tally.counted:,} of {format_count(tally.rows, 'row')}"
    title = f"{of}{format_count(len(records), 'distinct value')}, {rows_counted}"
    return draw_table(title, ("value", "rows#", "share#", "running#", ""), rows)


def cross_view(crossed: CrossTable, column: str, by: Sequence[str], top: int | None = None) -> RenderableType:
    """Values by the values of other columns; as many headings as a terminal can hold, the rest summed."""
    headings = [" / ".join(visible(text, _NARROW, every_space=False) for text in h) for h in crossed.headings]
    held = sum(
        room <= _ROOM for room in itertools.accumulate(max(len(heading), 5) + 3 for heading in headings)
    )
    names = [draw_value(column).plain, *(f"{heading}#" for heading in headings[:held])]
    names += [f"{len(headings) - held:,} others#"] if len(headings) > held else []

    def line(name: Cell, counts: np.ndarray[Any, Any]) -> list[Cell]:
        others = [int(counts[held:].sum())] if len(headings) > held else []
        return [name, *map(int, counts[:held]), *others]

    rows = [
        line(draw_value(value), counts)
        for value, counts in zip(crossed.values[:top], crossed.rows, strict=False)
    ]
    if top is not None and len(crossed.values) > top:
        rest = crossed.rows[top:]
        rows.append(line(Text(format_count(len(rest), "other value"), "dim"), rest.sum(axis=0)))
    return draw_table(f"{draw_value(column)} by {', '.join(by)}", names, rows)


def compared_view(compared: Sequence[ComparedValue], column: str, top: int | None = None) -> RenderableType:
    """Values before and after, with what became of them."""
    counts = {status: sum(one.status == status for one in compared) for status in _STATUSES}
    said = ", ".join(f"{count:,} {status}" for status, count in counts.items() if count)
    rows: list[Sequence[Cell]] = []
    for one in compared[:top]:
        made_of = Text()
        if one.status == "merged":
            made_of = Text(", ").join(draw_value(text) for text in one.made_of[:4])
            made_of.append(f" and {len(one.made_of) - 4:,} more" if len(one.made_of) > 4 else "")
        what = Text(one.status, _STATUSES[one.status])
        rows.append((draw_value(one.value), one.rows_before, one.rows_after, what, made_of))
    left = compared[len(rows) :]
    if left:
        before, after = (sum(counts) for counts in zip(*(one[1:3] for one in left), strict=True))
        rows.append((Text(format_count(len(left), "other value"), "dim"), before, after, "", ""))
    return draw_table(
        f"{draw_value(column)}: {said}", ("value", "rows before#", "rows after#", "what", "made of"), rows
    )


def effects_view(account: Account) -> RenderableType:
    """What each rule did."""
    noted = any(effect.note for effect in account.effects)
    rows = (
        (
            str(effect.rule),
            effect.do,
            draw_value(effect.column),
            effect.values,
            effect.rows,
            effect.unknown_values,
            effect.open_values,
            effect.near_misses,
            *([draw_value(effect.note) if effect.note else ""] if noted else []),
        )
        for effect in account.effects[:_MOST_SHOWN]
    )
    names = (
        "rule#",
        "does",
        "column",
        "values changed#",
        "rows changed#",
        "unknown#",
        "open#",
        "near misses#",
    )
    table = draw_table("What each rule changed", (*names, "note") if noted else names, rows)
    left = len(account.effects) - _MOST_SHOWN
    return Group(table, Text(f"and {left:,} more lines; --json tells of all", "dim")) if left > 0 else table


def unknown_view(account: Account, most: int = 15) -> RenderableType:
    """Values without a label or an entry."""
    unknown = account.unknown
    rows: list[Sequence[Cell]] = [
        (
            draw_value(u.column),
            draw_value(u.value),
            u.rows,
            f"{u.kind}, rule {u.rule}",
            draw_value(" or ".join(u.near)) if u.near else "",
        )
        for u in unknown[:most]
    ]
    if len(unknown) > most:
        left = sum(u.rows for u in unknown[most:])
        rows.append(("", Text(f"{len(unknown) - most:,} more", "dim"), left, "", ""))
    title = (
        f"Unknown: {format_count(len(unknown), 'value')}, {format_count(sum(u.rows for u in unknown), 'row')}"
    )
    names: tuple[str, ...] = ("column", "value", "rows#", "what", "nearest")
    if not any(u.near for u in unknown):
        names, rows = names[:-1], [row[:-1] for row in rows]
    return draw_table(title, names, rows)


def open_view(account: Account, most: int = 15) -> RenderableType:
    """Values that wait for a person."""
    waiting = account.open
    rows: list[Sequence[Cell]] = [
        (
            draw_value(one.column),
            draw_value(one.value),
            one.rows,
            draw_value(one.proposal),
            format_score(one.score),
            draw_value(format_reasons(one.reasons, one.value)),
        )
        for one in waiting[:most]
    ]
    if left := waiting[most:]:
        rows.append(("", Text(f"{len(left):,} more", "dim"), sum(one.rows for one in left), "", "", ""))
    title = f"Open: {format_count(len(waiting), 'value')}, {format_count(sum(one.rows for one in waiting), 'row')}"
    return draw_table(title, ("column", "value", "rows#", "perhaps", "score#", "why"), rows)


def unfit_view(account: Account, most: int = 15) -> RenderableType:
    """Clean values that don't meet a check."""
    unfit = account.unfit
    rows: list[Sequence[Cell]] = [
        (
            draw_value(u.column),
            draw_value(u.value),
            u.rows,
            f"check {u.check}",
            draw_value(u.note) if u.note else "",
        )
        for u in unfit[:most]
    ]
    if left := unfit[most:]:
        rows.append(("", Text(f"{len(left):,} more", "dim"), sum(u.rows for u in left), "", ""))
    title = f"Not as it must be: {format_count(len(unfit), 'value')}, {format_count(sum(u.rows for u in unfit), 'row')}"
    return draw_table(title, ("column", "value", "rows#", "found by", "note"), rows)


def hints_view(hints: Sequence[Hint]) -> RenderableType:
    """Warnings worth reading, one a paragraph."""
    lines = Table.grid(padding=(0, 1))
    for hint in hints:
        lines.add_row(Text(" !", style="bold yellow"), draw_text(hint.text))
    return Group(Text("Hints", style="bold"), lines)


def preview_view(previews: Iterable[PreviewedRule], plain: bool = False) -> RenderableType:
    """Rule by rule the distinct values that change, before and after, with what differs marked.

    Args:
        previews: The rules and their examples.
        plain: Mark by ‹ and › what colours mark elsewhere.
    """
    views: list[RenderableType] = []
    for stage, changes, values, rows in previews:
        rule = f"{name_rule(stage.number, stage.rule.do)}, column {draw_value(stage.target)}"
        title = f"{rule}: {format_count(values, 'value')} would change"
        if not changes:
            views += [draw_text(title, "dim"), Text("")]
            continue
        lines: list[Sequence[Cell]] = [(*_marked(change, plain), change.rows) for change in changes]
        if values > len(changes):
            left = rows - sum(change.rows for change in changes)
            lines.append((Text(f"{values - len(changes):,} more", "dim"), "", "", left))
        views.append(draw_table(title, ("before", "", "after", "rows#"), lines))
    return Group(*views)


def _marked(change: Change, plain: bool) -> tuple[Cell, Cell, Cell]:
    """Before and after of a change, with the stretches that differ marked."""
    if not change.before or not change.after or len(change.before) > LONGEST or len(change.after) > LONGEST:
        return draw_value(change.before), "→", draw_value(change.after)
    sides = (Text(), Text())
    for old, new in find_differences(change.before, change.after):
        for side, stretch, style in zip(sides, (old, new), ("white on red", "black on green"), strict=True):
            differs = old != new
            drawn = visible(stretch, every_space=differs) if stretch else ""
            side.append(f"‹{drawn}›" if plain and differs and drawn else drawn, style if differs else "")
    return sides[0], "→", sides[1]


def outcome_view(account: Account, hints: Sequence[Hint], ran_inside: Sequence[str] = ()) -> RenderableType:
    """The whole account: effects, unknown values, hints."""
    parts = [effects_view(account)]
    if ran_inside:
        names = ", ".join(str(draw_value(name)) for name in ran_inside)
        parts.insert(
            0,
            Text(
                f"{names}: more distinct values than the driver takes. The rules ran inside the executors; this "
                "account is of a sample of the rows.\n"
            ),
        )
    if account.unknown:
        parts.append(unknown_view(account))
    if account.open:
        parts.append(open_view(account))
    if account.unfit:
        parts.append(unfit_view(account))
    if account.unused:
        parts.append(unused_line(account))
    if hints:
        parts.append(hints_view(hints))
    return Group(*parts)


def unused_line(account: Account, most: int = 6) -> Text:
    """Codes and entries that served for no value, counted by where they come from."""
    by: dict[str, list[str]] = {}
    for entry in account.unused:
        of = " ".join(str(draw_value(part)) for part in entry.source if part)
        by.setdefault(f"rule {entry.rule}, {of}", []).append(str(draw_value(entry.entry)))
    said = [
        f"{of}: {', '.join(entries[:most])}"
        + (f" and {len(entries) - most:,} more" if len(entries) > most else "")
        for of, entries in by.items()
    ]
    return Text.assemble(("Never used\n", "bold"), *(f"  {line}\n" for line in said))
