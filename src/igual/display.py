"""How results show themselves: the one place below `report/` that calls it, and only when something is shown."""

from __future__ import annotations

import os
from collections.abc import Sequence
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    import pandas as pd
    from matplotlib.figure import Figure


class Tabled:
    """Something that a notebook shows as tables with spaces drawn; what they have is decided in `report/frames.py`."""

    def _repr_html_(self) -> str:
        from igual.report.display import as_html

        return as_html(self)


class Displayed(Tabled):
    """A result that prints as a terminal shows it, as tables in a notebook, and gives DataFrames.

    What it looks like is decided in `report/`: `report/display.py` has the view of each class, `report/frames.py` the
    columns of its DataFrames.
    """

    def __repr__(self) -> str:
        from igual.report.display import as_plain_text

        return as_plain_text(self)

    def _frame(self, name: str) -> pd.DataFrame:
        from igual.report.frames import build_frame

        return build_frame(self, name)


class Reported(Displayed):
    """A result that can be written as a page to look at."""

    def report(self, path: str | os.PathLike[str], title: str | None = None) -> None:
        """Write the result as a page: one HTML file, with nothing to fetch.

        Values that are cut for length, and those beyond the first 5,000, are counted on the page.

        Args:
            path: The file (.html); only a page that Igual wrote is replaced.
            title: The heading; None: what the result is.

        Raises:
            OutputError: For another ending, where something else is there, or where the file can't be written.
        """
        from igual.files.pages import save_page
        from igual.report.pages.writing import render_result

        save_page(render_result(self, title), path)


def to_figure(result: Any, ax: Any, **given: Any) -> Figure:
    """Draw the figure of a result.

    Args:
        result: The result.
        ax: Matplotlib axes to draw on; None: those of a new figure.
        given: What else its figure shows.

    Returns:
        The figure.
    """
    from igual.report.figures import draw_figure

    return draw_figure(result, ax, **given)


def to_sentence(finding: Any) -> str:
    """Write one finding or hint as a sentence.

    Args:
        finding: A structured finding that `report/` has a sentence for.

    Returns:
        The sentence, with everything invisible drawn.
    """
    from igual.report.display import as_sentence

    return as_sentence(finding)


def format_short_list(texts: Sequence[str], most: int = 3) -> str:
    """Write the first few of some texts for a short `repr`, and count the others.

    Args:
        texts: The texts.
        most: How many to write out.

    Returns:
        Such as "'oak', 'elm' and 3 more".

    Example:
        >>> format_short_list(["oak", "elm", "ash", "yew"], 2)
        "'oak', 'elm' and 2 more"
    """
    more = f" and {len(texts) - most:,} more" if len(texts) > most else ""
    return ", ".join(map(repr, texts[:most])) + more
