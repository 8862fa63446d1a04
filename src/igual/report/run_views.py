"""Outcomes as tables for the terminal.

Whatever comes from a file passes through `visible`, so that nothing in it acts on the terminal.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import Any

from rich.console import Group, RenderableType
from rich.table import Table
from rich.text import Text

from igual.report.hints import format_hints, name_rule
from igual.report.reasons import format_reasons
from igual.report.tables import LONGEST, MOST_SHOWN, Cell, draw_in_context, draw_table, draw_text, draw_value
from igual.report.wording import format_count, format_score
from igual.runs.account import Account
from igual.runs.hints import Hint
from igual.runs.preview import Change, PreviewedRule, find_differences
from igual.text.characters import visible


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
        for effect in account.effects
    )
    names: tuple[str, ...] = (
        "rule#",
        "does",
        "column",
        "values changed#",
        "rows changed#",
        "unknown#",
        "open#",
        "near misses#",
    )
    if noted:
        names = (*names, "note")
    return draw_table("What each rule changed", names, rows, most=MOST_SHOWN)


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
    ] + _draw_rest(unknown[most:], 2)
    title = (
        f"Unknown: {format_count(len(unknown), 'value')}, {format_count(sum(u.rows for u in unknown), 'row')}"
    )
    names: tuple[str, ...] = ("column", "value", "rows#", "what", "nearest")
    if not any(u.near for u in unknown):
        names, rows = names[:-1], [row[:-1] for row in rows]
    return draw_table(title, names, rows)


def open_view(account: Account, most: int = 15) -> RenderableType:
    """Values that need a decision."""
    waiting = account.open
    rows: list[Sequence[Cell]] = [
        (
            draw_value(one.column),
            draw_in_context(one.value, one.within),
            one.rows,
            draw_value(one.proposal),
            format_score(one.score),
            draw_value(format_reasons(one.reasons, one.value)),
        )
        for one in waiting[:most]
    ] + _draw_rest(waiting[most:], 3)
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
    ] + _draw_rest(unfit[most:], 2)
    title = f"Not as it must be: {format_count(len(unfit), 'value')}, {format_count(sum(u.rows for u in unfit), 'row')}"
    return draw_table(title, ("column", "value", "rows#", "found by", "note"), rows)


def _draw_rest(left: Sequence[Any], behind: int) -> list[Sequence[Cell]]:
    """The line for values that aren't shown, if any: how many, and their rows, with so many empty cells behind."""
    if not left:
        return []
    return [("", Text(f"{len(left):,} more", "dim"), sum(value.rows for value in left), *[""] * behind)]


def hints_view(hints: Sequence[Hint]) -> RenderableType:
    """Warnings worth reading, one a paragraph."""
    lines = Table.grid(padding=(0, 1))
    for text in format_hints(hints, MOST_SHOWN):
        lines.add_row(Text(" !", style="bold yellow"), draw_text(text))
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
