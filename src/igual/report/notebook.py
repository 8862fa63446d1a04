"""Results as fragments of HTML, for notebooks; whatever comes from a file is escaped."""

from __future__ import annotations

from collections.abc import Iterable
from html import escape
from typing import TYPE_CHECKING, Any

from igual.report.hints import name_rule
from igual.report.wording import format_count
from igual.runs.preview import Change, PreviewedRule, find_differences
from igual.text.characters import visible

if TYPE_CHECKING:
    import pandas as pd

_ROWS = 20
_LONGEST = 200
# Notebooks typeset what stands between dollar signs, unless one of these classes says that it is text.
_NO_MATH = "tex2jax_ignore mathjax_ignore"


def draw_table(title: str, frame: pd.DataFrame, count: int) -> str:
    """Draw the first rows of a DataFrame, and how many more there are.

    Args:
        title: What stands above it.
        frame: The DataFrame, or its first rows.
        count: How many rows there are.

    Returns:
        A heading and a table; spaces and what is invisible in texts is drawn.
    """
    head = "".join(f"<th>{escape(str(name))}</th>" for name in frame.columns)
    rows = "".join(
        f"<tr>{''.join(map(_draw_cell, row))}</tr>" for row in frame.head(_ROWS).itertuples(index=False)
    )
    more = f"<p>and {format_count(count - _ROWS, 'more row')}</p>" if count > _ROWS else ""
    return f"<h4>{escape(title)}</h4><table class='{_NO_MATH}'><tr>{head}</tr>{rows}</table>{more}"


def _draw_cell(cell: Any) -> str:
    if cell is None or cell != cell:  # nothing, or NaN
        return "<td></td>"
    if isinstance(cell, int | float):
        text = f"{cell:,}" if isinstance(cell, int) else f"{cell:,.4g}"
        return f"<td style='text-align:right'>{text}</td>"
    text = str(cell) if not isinstance(cell, list | tuple) else ", ".join(map(str, cell))
    return f"<td>{escape(visible(text, _LONGEST, every_space=False))}</td>"


def draw_frame(page: str) -> str:
    """Draw a page within another: it may run its own script and save files, and reaches nothing around it.

    Args:
        page: The page.

    Returns:
        The frame.
    """
    return (
        f'<iframe srcdoc="{escape(page)}" sandbox="allow-scripts allow-downloads" title="Decide open values" '
        'style="width:100%;height:42rem;border:1px solid #999"></iframe>'
    )


def draw_preview(previews: Iterable[PreviewedRule]) -> str:
    """Draw rule by rule a table of changes, with what went struck out and what came underlined.

    Args:
        previews: The rules.

    Returns:
        The tables.
    """
    return "".join(_draw_rule(preview) for preview in previews)


def _draw_rule(preview: PreviewedRule) -> str:
    stage, changes, values, _ = preview
    rule = name_rule(stage.number, stage.rule.do)
    title = f"{rule}, column {visible(stage.target)}: {format_count(values, 'value')} would change"
    rows = "".join(
        f"<tr>{_draw_change(change)}<td style='text-align:right'>{change.rows:,}</td></tr>"
        for change in changes
    )
    head = "<tr><th>before</th><th>after</th><th>rows</th></tr>"
    return f"<h4>{escape(title)}</h4>" + (
        f"<table class='{_NO_MATH}'>{head}{rows}</table>" if changes else ""
    )


def _draw_change(change: Change) -> str:
    if change.before is None or change.after is None:
        return "".join(f"<td>{escape(visible(text))}</td>" for text in (change.before, change.after))
    before = after = ""
    for old, new in find_differences(change.before, change.after):
        drawn_old, drawn_new = (
            escape(visible(text, every_space=old != new)) if text else "" for text in (old, new)
        )
        before += f"<del>{drawn_old}</del>" if old != new and old else drawn_old
        after += f"<ins>{drawn_new}</ins>" if old != new and new else drawn_new
    return f"<td>{before}</td><td>{after}</td>"
