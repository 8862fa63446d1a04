"""A Matplotlib figure that a notebook shows without being asked to."""

from __future__ import annotations

import io

from matplotlib.figure import Figure


class DrawnFigure(Figure):
    """A figure that belongs to no window and no global state, and shows itself in a notebook."""

    def _repr_png_(self) -> bytes:
        made = io.BytesIO()
        self.savefig(made, format="png", dpi=100)
        return made.getvalue()
