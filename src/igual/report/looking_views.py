"""Surveys, tallies and comparisons as tables for the terminal.

Whatever comes from a file passes through `visible`, so that nothing in it acts on the terminal.
"""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from typing import TYPE_CHECKING, Any

import numpy as np
from rich.console import Group, RenderableType
from rich.text import Text

from igual.report.tables import MOST_SHOWN, Cell, draw_table, draw_value, format_percent
from igual.report.wording import format_count
from igual.text.characters import visible

if TYPE_CHECKING:
    from igual.looking.comparison import ComparedValue, CrossTable
    from igual.looking.survey import Survey
    from igual.looking.tally import Tally

_NARROW = 20
# So many characters of a line are there for the columns of a cross table.
_ROOM = 80
_STATUSES = {"appeared": "green", "vanished": "red", "merged": "cyan", "changed": "yellow", "same": "dim"}


def survey_view(survey: Survey, name: str = "") -> RenderableType:
    """Columns first, then what is odd about them."""
    # It brings all that looks for oddities, which tallies do without.
    from igual.looking.survey import MOST_LOOKED_THROUGH

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
            for c in survey.surveyed[:MOST_SHOWN]
        ),
    )
    left = len(survey.surveyed) - MOST_SHOWN
    if left > 0:
        said = f"and {format_count(left, 'more column')}; --column shows single ones, --json tells of all\n"
        columns = Group(columns, Text(said))
    odd = [(column.name, oddity) for column in survey.surveyed for oddity in column.oddities]
    if not odd:
        return Group(columns, Text("Nothing odd was found.", style="green"))
    rows: list[Sequence[Cell]] = []
    previous = None
    for column, oddity in odd[:MOST_SHOWN]:
        groups = f" ({format_count(oddity.groups, 'group')})" if oddity.groups else ""
        named = draw_value(column, "bold") if column != previous else ""
        # A space inside a value is drawn, so spaces can stand between values.
        examples = Text(("\n" if oddity.groups else "   ").join(oddity.examples))
        rows.append((named, oddity.kind + groups, oddity.values, oddity.rows, examples))
        previous = column
    shown = "· space   → tab   ↵ line break   ⟨…⟩ other invisible characters"
    if len(odd) > MOST_SHOWN:
        more = len(odd) - MOST_SHOWN
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
