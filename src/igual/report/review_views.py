"""Rulings and what becomes of them, for the terminal."""

from __future__ import annotations

from collections.abc import Sequence

from rich.console import Group, RenderableType
from rich.text import Text

from igual.core.reviewing import Review, Taken
from igual.core.text.saying import counted
from igual.report.tables import Cell, shown, table

_EFFECTS = {
    "entry": "becomes {}",
    "alias": "becomes {}, and is proposed as an alias of it",
    "new": "becomes {}, which is proposed as an entry",
    "keep": "stays as it is",
    "unlisted": "is not in the list",
}


def effect_of(one: Taken) -> str:
    """What a ruling makes of its value, in words."""
    return _EFFECTS[one.meaning.kind].format(shown(one.meaning.text))


def review_view(review: Review, most: int = 30) -> RenderableType:
    """What a sheet of rulings changes, and which of its rows can't be taken."""
    parts: list[RenderableType] = []
    if review.taken:
        rows: list[Sequence[Cell]] = []
        for one in sorted(review.taken, key=lambda one: (-one.rows, one.row))[:most]:
            said = effect_of(one)
            if one.before is not None:
                said += f"; overrules {one.before.ruling!r} {one.before.who}"
            said += f"; {one.note}" if one.note else ""
            rows.append((one.row, shown(one.ruling.column), shown(one.ruling.value), one.rows, Text(said)))
        if left := len(review.taken) - most:
            rows += [("", "", Text(f"{left:,} more", "dim"), "", "")] if left > 0 else []
        title = f"Rulings taken: {counted(len(review.taken), 'value')}, {counted(review.rows, 'row')}"
        parts.append(table(title, ("sheet row#", "column", "value", "rows#", "what becomes of it"), rows))
    if review.refused:
        refused = [(one.row, shown(one.column), shown(one.value), Text(one.why)) for one in review.refused]
        title = f"Not taken: {counted(len(review.refused), 'row')} of the sheet"
        names = ("sheet row#", "column", "value", "why")
        parts.append(table(Text(title, "bold red"), names, refused))
    rest = [
        f"{counted(number, 'row')} {what}"
        for number, what in ((review.known, "as ruled before"), (review.unanswered, "without a ruling"))
        if number
    ]
    if rest:
        parts.append(Text("; ".join(rest), "dim"))
    return Group(*parts) if parts else Text("The sheet has no rulings.")
