"""Rulings and what becomes of them, for the terminal."""

from __future__ import annotations

from collections.abc import Sequence

from rich.console import Group, RenderableType
from rich.text import Text

from igual.core.list_versions import ListChanges, Touched
from igual.core.reviewing import Review, Taken
from igual.core.text.saying import counted
from igual.report.records import of_list_changes
from igual.report.tables import Cell, shown, table

_EFFECTS = {
    "entry": "becomes {}",
    "alias": "becomes {}, and is proposed as an alias of it",
    "new": "becomes {}, which is proposed as an entry",
    "keep": "stays as it is",
    "unlisted": "is not in the list",
}
_CHANGES = {"added": "green", "removed": "red", "renamed": "yellow"}


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
            many = one.rows or ""  # a sheet made by hand may not say
            rows.append((one.row, shown(one.ruling.column), shown(one.ruling.value), many, Text(said)))
        if left := len(review.taken) - most:
            rows += [("", "", Text(f"{left:,} more", "dim"), "", "")] if left > 0 else []
        title = f"Rulings taken: {counted(len(review.taken), 'value')}"
        title += f", {counted(review.rows, 'row')}" if review.rows else ""
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


def list_changes_view(
    changes: ListChanges, touches: Sequence[Touched] | None, most: int = 40
) -> RenderableType:
    """What changed between two versions of a list, and which rules and rulings that touches."""
    rows: list[Sequence[Cell]] = []
    for one in of_list_changes(changes):
        before = shown(one["before"]) if one["before"] else ""
        now = shown(one["entry"]) if one["what"] != "removed" else ""
        rows.append((Text(one["what"], _CHANGES[one["what"]]), before, now, one["why"]))
    if not rows:
        return Text("The two versions have the same entries.", "green")
    title = (
        f"{len(changes.added):,} added, {len(changes.removed):,} removed, {len(changes.renamed):,} renamed"
    )
    if (left := len(rows) - most) > 0:
        rows = [*rows[:most], ("", Text(f"{left:,} more", "dim"), "", "")]
    parts = [table(title, ("what", "before", "now", "why"), rows)]
    if touches:
        told = [(one.what, shown(one.column), Text(one.text)) for one in touches]
        parts.append(table("What that touches", ("what", "column", "why"), told))
    elif touches is not None:
        parts.append(Text("No rule or ruling is touched."))
    return Group(*parts)
