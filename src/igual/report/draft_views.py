"""What a draft looks like."""

from __future__ import annotations

from collections.abc import Sequence

from rich.console import Group, RenderableType
from rich.text import Text

from igual.lists import SHELVES
from igual.report.evidence import format_share
from igual.report.tables import MOST_SHOWN, Cell, draw_table, draw_text, draw_value
from igual.report.wording import format_count, quote_value
from igual.runs.draft import Draft, Drafted, NotUsed
from igual.text.characters import visible

_LONGEST = 24
_COLUMNS = ("does", "columns", "rows#", "for example", "why")


def _draw_examples(drafted: Drafted) -> Text:
    """The first change that a rule makes."""
    if not drafted.examples:
        return Text("")
    before, after = drafted.examples[0]
    if before is not None and after is not None and len(before) > _LONGEST:
        # Of a long text what differs, with a little before it.
        pairs = enumerate(zip(before, after, strict=False))
        start = max(next((place for place, (one, other) in pairs if one != other), len(after)) - 8, 0)
        lead = "…" if start else ""
        before, after = lead + before[start:], lead + after[start:]
    return Text(
        f"{visible(before, _LONGEST, every_space=False)} → {visible(after, _LONGEST, every_space=False)}"
    )


def draft_view(draft: Draft) -> RenderableType:
    """The rules in force, those that a steward has to decide on, and columns of codes."""
    parts: list[RenderableType] = []
    if not draft.drafted and not draft.codes and draft.headers is None:
        parts.append(Text("Nothing needs a rule.", style="green"))
    for title, is_certain in (("rule", True), ("rule to decide on (commented out)", False)):
        rows: list[Sequence[Cell]] = [
            (
                one.rule.do,
                draw_text(", ".join(one.rule.columns)),
                one.rows,
                _draw_examples(one),
                draw_value(one.rule.note or ""),
            )
            for one in draft.drafted
            if one.is_certain == is_certain
        ]
        if rows:
            several = title.replace("rule", "rules", 1)
            parts.append(
                draw_table(
                    format_count(len(rows), title, several),
                    _COLUMNS,
                    rows,
                    most=MOST_SHOWN,
                )
            )
    if draft.codes:
        listed = [(draw_value(column), draw_value(", ".join(codes))) for column, codes in draft.codes.items()]
        title = f"{format_count(len(listed), 'column')} of few short codes: a codebook to fill in"
        parts.append(draw_table(title, ("column", "codes"), listed))
    if draft.headers is not None:
        parts.append(Text(f'Most column names are written so: headers = "{draft.headers}" (commented out)'))
    parts += [Text(format_not_used(one)) for one in draft.not_used]
    return Group(*parts)


def format_not_used(one: NotUsed) -> str:
    """Say why a list or codebook that was given is not used.

    Args:
        one: The list or codebook.

    Returns:
        A sentence.
    """
    what = f"{SHELVES[one.shelf]} {quote_value(one.name)} is not used"
    if not one.column or not one.share:
        near = (
            f" ({quote_value(one.value)} in column {quote_value(one.column)} is near {quote_value(one.near)})"
        )
        return f"{what}: it knows no value of any column{near if one.near else ''}"
    example = (
        f" {quote_value(one.value)} for {quote_value(one.near)}" if one.near else f" {quote_value(one.value)}"
    )
    return (
        f"{what}: it knows {format_share(one.share)} of the rows of column {quote_value(one.column)}, and "
        f"{format_share(one.needed)} are needed; not, for example,{example}"
    )
