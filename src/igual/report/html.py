"""Results as fragments of HTML, for notebooks; whatever comes from a file is escaped."""

from __future__ import annotations

from collections.abc import Iterable
from html import escape

from igual.core.preview import Change, Previewed, differences
from igual.core.text.characters import visible
from igual.core.text.saying import counted


def of_preview(previews: Iterable[Previewed]) -> str:
    """Rule by rule a table of changes, with what went struck out and what came underlined."""
    return "".join(_one(previewed) for previewed in previews)


def _one(previewed: Previewed) -> str:
    stage, changes, values, _ = previewed
    title = f"{stage.name}, column {visible(stage.target)}: {counted(values, 'value')} would change"
    rows = "".join(
        f"<tr>{_cells(change)}<td style='text-align:right'>{change.rows:,}</td></tr>" for change in changes
    )
    head = "<tr><th>before</th><th>after</th><th>rows</th></tr>"
    return f"<h4>{escape(title)}</h4>" + (f"<table>{head}{rows}</table>" if changes else "")


def _cells(change: Change) -> str:
    if change.before is None or change.after is None:
        return "".join(f"<td>{escape(visible(text))}</td>" for text in (change.before, change.after))
    before = after = ""
    for one, other in differences(change.before, change.after):
        drawn, drawn_other = (
            escape(visible(text, every_space=one != other)) if text else "" for text in (one, other)
        )
        before += f"<del>{drawn}</del>" if one != other and one else drawn
        after += f"<ins>{drawn_other}</ins>" if one != other and other else drawn_other
    return f"<td>{before}</td><td>{after}</td>"
