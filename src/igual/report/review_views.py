"""Rulings and what becomes of them, for the terminal."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from rich.console import Group, RenderableType
from rich.text import Text

from igual.report.hints import name_rule
from igual.report.records import list_list_changes
from igual.report.tables import MOST_SHOWN, Cell, draw_in_context, draw_table, draw_text, draw_value
from igual.report.wording import format_count, quote_value
from igual.rulings import Rulings
from igual.runs.crosswalk import UnknownToCrosswalk
from igual.runs.due_questions import RULES
from igual.runs.list_versions import Affected, ListChanges, Unsettled
from igual.runs.review import Accepted, Review

_EFFECTS = {
    "entry": "becomes {}",
    "alias": "becomes {}, and is proposed as an alias of it",
    "new": "becomes {}, which is proposed as an entry",
    "keep": "stays as it is",
    "unlisted": "is not in the list",
    "kind settled": "such values are settled",
    "kind asked": "such values are asked one by one",
}
_CHANGES = {"added": "green", "removed": "red", "renamed": "yellow"}


def format_effect(one: Accepted) -> str:
    """What a ruling makes of its value, in words."""
    return _EFFECTS[one.meaning.kind].format(draw_value(one.meaning.text))


def review_view(review: Review, most: int = 30) -> RenderableType:
    """What a sheet of rulings changes, and which of its rows can't be taken."""
    parts: list[RenderableType] = []
    if review.accepted:
        rows: list[Sequence[Cell]] = []
        for one in sorted(review.accepted, key=lambda one: (-one.rows, one.row))[:most]:
            said = format_effect(one)
            if one.before is not None:
                said += f"; overrules {one.before.ruling!r} {one.before.author}"
            said += f"; {one.note}" if one.note else ""
            many = one.rows or ""  # a sheet made by hand may not say
            about = draw_in_context(one.ruling.value, one.ruling.within)
            if one.ruling.kind:
                about = Text.assemble(draw_text(f"{one.ruling.kind}: ", "dim"), about)
            rows.append((one.row, draw_value(one.ruling.column), about, many, draw_text(said)))
        if left := len(review.accepted) - most:
            rows += [("", "", Text(f"{left:,} more", "dim"), "", "")] if left > 0 else []
        title = f"Rulings taken: {format_count(len(review.accepted), 'value')}"
        title += f", {format_count(review.rows, 'row')}" if review.rows else ""
        parts.append(
            draw_table(title, ("sheet row#", "column", "value", "rows#", "what becomes of it"), rows)
        )
    if review.rejected:
        refused: Iterable[Sequence[Cell]] = (
            (one.row, draw_value(one.column), draw_value(one.value), draw_text(one.why))
            for one in review.rejected
        )
        title = f"Not taken: {format_count(len(review.rejected), 'row')} of the sheet"
        names = ("sheet row#", "column", "value", "why")
        parts.append(draw_table(Text(title, "bold red"), names, refused, most=MOST_SHOWN))
    rest = [
        f"{format_count(number, 'row')} {what}"
        for number, what in ((review.known, "as ruled before"), (review.unanswered, "without a ruling"))
        if number
    ]
    if rest:
        parts.append(Text("; ".join(rest), "dim"))
    if review.outdated:
        parts.append(draw_text(format_outdated(review.outdated), "yellow"))
    return Group(*parts) if parts else Text("The sheet has no rulings.")


def format_outdated(outdated: Sequence[str]) -> str:
    """Say that a sheet was made for another version of the rules or of lists."""
    changed = " and ".join(name if name == RULES else f"the list {name!r}" for name in outdated)
    return (
        f"The page was made before {changed} changed. Each ruling was checked against what is there now; "
        "make the page anew for what is left."
    )


def list_changes_view(
    changes: ListChanges, affected: Sequence[Affected] | None, most: int = 40
) -> RenderableType:
    """What changed between two versions of a list, and which rules and rulings that touches."""
    rows: list[Sequence[Cell]] = []
    for one in list_list_changes(changes):
        before = draw_value(one["before"]) if one["before"] else ""
        now = draw_value(one["entry"]) if one["what"] != "removed" else ""
        rows.append((Text(one["what"], _CHANGES[one["what"]]), before, now, one["why"]))
    if not rows:
        return Text("The two versions have the same entries.", "green")
    title = (
        f"{len(changes.added):,} added, {len(changes.removed):,} removed, {len(changes.renamed):,} renamed"
    )
    if (left := len(rows) - most) > 0:
        rows = [*rows[:most], ("", Text(f"{left:,} more", "dim"), "", "")]
    parts = [draw_table(title, ("what", "before", "now", "why"), rows)]
    if affected:
        told: Iterable[Sequence[Cell]] = (
            (_name_affected(one), draw_value(one.column), draw_text(_format_affected(one)))
            for one in affected
        )
        parts.append(draw_table("What that touches", ("what", "column", "why"), told, most=MOST_SHOWN))
    elif affected is not None:
        parts.append(Text("No rule or ruling is touched."))
    return Group(*parts)


def list_unsettled(unsettled: Sequence[Unsettled], most: int = 20) -> list[str]:
    """Say which settled values a change to lists leaves open or unknown, most rows first.

    Args:
        unsettled: The values.
        most: How many lines at most.

    Returns:
        A line for each, and one for what is left out.
    """
    lines = [
        f"{quote_value(one.column)}: {quote_value(one.value)} ({format_count(one.rows, 'row')}) is settled now, and "
        + (
            f"would be open: perhaps {quote_value(one.proposal)}"
            if one.proposal
            else "would not be in the list"
        )
        for one in unsettled[:most]
    ]
    left = unsettled[most:]
    if left:
        rows = sum(one.rows for one in left)
        lines.append(f"and {format_count(len(left), 'more value')} ({format_count(rows, 'row')})")
    return lines


def _name_affected(one: Affected) -> str:
    return name_rule(one.rule, one.do) if one.rule else "ruling"


def _format_affected(one: Affected) -> str:
    first = str(draw_value(one.parts[0]))
    if one.kind == "stale ruling":
        _, ruling, author = one.parts
        return f"'{first}' was ruled '{draw_value(ruling)}' {author}".rstrip()
    return {
        "looks up": f"it looks into list '{first}'",
        "attribute gone": f"it takes the attribute '{first}', which the new version lacks",
        "writes lost entry": f"it writes '{first}', which is no entry any more",
    }[one.kind]


def rulings_view(rulings: Rulings, most: int) -> RenderableType:
    """The first rulings, and how many more there are."""
    rows: list[Sequence[Cell]] = [
        (
            draw_value(one.column),
            draw_in_context(one.value, one.within),
            draw_value(one.ruling),
            draw_value(one.by),
            one.on,
        )
        for one in rulings.rulings[:most]
    ]
    if (left := len(rulings.rulings) - most) > 0:
        rows.append((Text(f"{left:,} more", "dim"), "", "", "", ""))
    title = format_count(len(rulings.rulings), "ruling")
    return draw_table(title, ("column", "value", "ruling", "by", "on"), rows)


def not_known_view(values: Sequence[UnknownToCrosswalk], most: int = 10) -> RenderableType:
    """The values that a crosswalk doesn't know."""
    rows: list[Sequence[Cell]] = [
        (draw_value(one.column), draw_value(one.value), one.rows, one.why) for one in values[:most]
    ]
    if left := values[most:]:
        rows.append((Text(f"{len(left):,} more", "dim"), "", sum(one.rows for one in left), ""))
    title = f"Not in the crosswalk: {format_count(len(values), 'value')}"
    return draw_table(title, ("column", "value", "rows#", "why"), rows)
