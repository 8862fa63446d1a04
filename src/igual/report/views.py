"""Surveys, tallies and outcomes as tables for the terminal.

Whatever comes from a file passes through `visible`, so that nothing in it acts on the terminal.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from rich.box import SIMPLE_HEAD
from rich.console import Group, RenderableType
from rich.table import Table
from rich.text import Text

from igual.core.outcome import Outcome
from igual.core.survey import Survey
from igual.core.tally import Tally
from igual.core.text.characters import visible
from igual.core.text.saying import counted
from igual.core.trail import Stage

_LONGEST = 60
Cell = str | int | float | Text | None


def table(title: str, columns: Sequence[str], rows: Iterable[Sequence[Cell]]) -> RenderableType:
    """A table in the one style of all views; a column name that ends with `#` is set flush right."""
    view = Table(box=SIMPLE_HEAD, pad_edge=False)
    for name in columns:
        right = name.endswith("#")
        view.add_column(
            name.removesuffix("#"),
            justify="right" if right else "left",
            no_wrap=right,
            overflow="fold",
        )
    for row in rows:
        view.add_row(*(_cell(cell) for cell in row))
    # The title stands by itself: as part of the table it would be broken to the table's width.
    return Group(Text(title, style="bold"), view)


def _cell(cell: Cell) -> Text:
    if isinstance(cell, Text):
        return cell
    if isinstance(cell, int):
        return Text(f"{cell:,}", style="" if cell else "dim")
    return Text("" if cell is None else str(cell))


def shown(value: str | None, style: str = "") -> Text:
    """A value with odd spaces visible; missing and empty ones dimmed."""
    return Text(visible(value, _LONGEST, every_space=False), style=style if value else "dim")


def percent(share: float) -> str:
    return f"{100 * share:.1f} %"


def survey_view(survey: Survey, name: str = "") -> RenderableType:
    """Columns first, then what is odd about them."""
    columns = table(
        f"{name + ': ' if name else ''}{counted(survey.rows, 'row')}, {counted(len(survey.columns), 'column')}",
        ("column", "distinct#", "missing#", "blank#", "shortest#", "longest#", "most frequent"),
        (
            (
                shown(c.name) if c.kind == "text" else Text.assemble(shown(c.name), f" ({c.kind})"),
                c.distinct,
                c.missing,
                c.blank,
                c.shortest,
                c.longest,
                shown(c.commonest) if c.commonest is not None else "",
            )
            for c in survey.columns
        ),
    )
    odd = [(column.name, oddity) for column in survey.columns for oddity in column.oddities]
    if not odd:
        return Group(columns, Text("Nothing odd was found.", style="green"))
    rows: list[Sequence[Cell]] = []
    previous = None
    for column, oddity in odd:
        groups = f" ({counted(oddity.groups, 'group')})" if oddity.groups else ""
        named = shown(column, "bold") if column != previous else ""
        rows.append((named, oddity.kind + groups, oddity.values, oddity.rows, "\n".join(oddity.examples)))
        previous = column
    key = Text("· space   → tab   ↵ line break   ⟨…⟩ other invisible characters", style="dim")
    return Group(columns, table("What is odd", ("column", "what", "values#", "rows#", "examples"), rows), key)


def tally_view(tally: Tally, column: str = "", top: int | None = None) -> RenderableType:
    """Values with their rows and shares, and a bar to see the shape; with `top`, the rest in one line."""
    records = tally.table.to_pylist()
    most = max((record["rows"] for record in records), default=1)
    rows: list[Sequence[Cell]] = [
        (
            shown(record["value"]),
            record["rows"],
            percent(record["share"]),
            percent(record["running_share"]),
            Text("━" * max(1, round(30 * record["rows"] / most)), style="cyan"),
        )
        for record in records[:top]
    ]
    rest = records[top:] if top is not None else []
    if rest:
        left = sum(record["rows"] for record in rest)
        rows.append(
            (
                Text(f"{counted(len(rest), 'other value')}", "dim"),
                left,
                percent(left / max(tally.rows, 1)),
                percent(rest[-1]["running_share"]),
                "",
            )
        )
    of = f"{shown(column)}: " if column else ""
    title = (
        f"{of}{counted(len(records), 'distinct value')}, {tally.counted:,} of {counted(tally.rows, 'row')}"
    )
    return table(title, ("value", "rows#", "share#", "running#", ""), rows)


def effects_view(outcome: Outcome) -> RenderableType:
    """What each rule did."""
    noted = any(effect["note"] for effect in outcome.effects)
    rows = (
        (
            str(effect["rule"]),
            effect["do"],
            shown(effect["column"]),
            effect["values"],
            effect["rows"],
            effect["unknown_values"],
            effect["near_misses"],
            *([shown(effect["note"]) if effect["note"] else ""] if noted else []),
        )
        for effect in outcome.effects
    )
    names = ("rule#", "does", "column", "values changed#", "rows changed#", "unknown#", "near misses#")
    return table("What each rule changed", (*names, "why") if noted else names, rows)


def unknown_view(outcome: Outcome, most: int = 15) -> RenderableType:
    """Values without a label or an entry."""
    unknown = outcome.unknown
    rows: list[Sequence[Cell]] = [
        (shown(u.column), shown(u.value), u.rows, f"{u.kind}, rule {u.rule}", shown(u.near) if u.near else "")
        for u in unknown[:most]
    ]
    if len(unknown) > most:
        left = sum(u.rows for u in unknown[most:])
        rows.append(("", Text(f"{len(unknown) - most:,} more", "dim"), left, "", ""))
    title = f"Unknown: {counted(len(unknown), 'value')}, {counted(sum(u.rows for u in unknown), 'row')}"
    names: tuple[str, ...] = ("column", "value", "rows#", "what", "nearest")
    if not any(u.near for u in unknown):
        names, rows = names[:-1], [row[:-1] for row in rows]
    return table(title, names, rows)


def hints_view(outcome: Outcome) -> RenderableType:
    """Warnings worth reading, one a paragraph."""
    lines = Table.grid(padding=(0, 1))
    for hint in outcome.hints:
        lines.add_row(Text(" !", style="bold yellow"), Text(hint.text))
    return Group(Text("Hints", style="bold"), lines)


def preview_view(stages: Iterable[Stage], most: int) -> RenderableType:
    """Rule by rule the distinct values that change, before and after, most rows first."""
    views: list[RenderableType] = []
    for stage in stages:
        order = sorted(stage.changed.nonzero()[0].tolist(), key=lambda place: -int(stage.rows[place]))
        title = f"{stage.name}, column {shown(stage.target)}: {counted(len(order), 'value')} would change"
        if not order:
            views.append(Text(f"{title}\n", style="dim"))
            continue
        rows: list[Sequence[Cell]] = [
            (
                shown(stage.before[place].as_py()),
                "→",
                shown(stage.after[place].as_py()),
                int(stage.rows[place]),
            )
            for place in order[:most]
        ]
        if left := order[most:]:
            rows.append((Text(f"{len(left):,} more", "dim"), "", "", int(stage.rows[left].sum())))
        views.append(table(title, ("before", "", "after", "rows#"), rows))
    return Group(*views)


def outcome_view(outcome: Outcome) -> RenderableType:
    """The whole account: effects, unknown values, hints."""
    parts = [effects_view(outcome)]
    if outcome.unknown:
        parts.append(unknown_view(outcome))
    if outcome.unused:
        parts.append(unused_line(outcome))
    if outcome.hints:
        parts.append(hints_view(outcome))
    return Group(*parts)


def unused_line(outcome: Outcome, most: int = 6) -> Text:
    """Codes and entries that served for no value, counted by where they come from."""
    by: dict[str, list[str]] = {}
    for entry in outcome.unused:
        by.setdefault(f"rule {entry['rule']}, {entry['of']}", []).append(str(shown(entry["entry"])))
    said = [
        f"{of}: {', '.join(entries[:most])}"
        + (f" and {len(entries) - most:,} more" if len(entries) > most else "")
        for of, entries in by.items()
    ]
    return Text.assemble(("Never used\n", "bold"), *(f"  {line}\n" for line in said))
