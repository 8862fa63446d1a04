"""The one place that knows about consoles."""

from __future__ import annotations

import io
import sys
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from rich.console import RenderableType

# Where no terminal says how wide it is (a pipe, a file), lines may be this long.
_WIDTH = 110


def on_terminal() -> bool:
    """Whether standard output is a terminal, which can colour, and not a pipe or a file."""
    return sys.stdout.isatty()


def show(*renderables: RenderableType) -> None:
    """Print to standard output: coloured on a terminal, plain and without trailing spaces elsewhere."""
    if not on_terminal():
        print(as_text(*renderables))
        return
    from rich.console import Console

    screen = Console(highlight=False, markup=False, emoji=False)
    for renderable in renderables:
        screen.print(renderable)


def as_text(*renderables: RenderableType, width: int = _WIDTH) -> str:
    """What a terminal would show, as plain text."""
    from rich.console import Console

    out = io.StringIO()
    # In a notebook the console would show what it prints, besides giving it back.
    plain = Console(
        file=out,
        width=width,
        color_system=None,
        force_jupyter=False,
        highlight=False,
        markup=False,
        emoji=False,
    )
    for renderable in renderables:
        plain.print(renderable)
    return "\n".join(line.rstrip() for line in out.getvalue().splitlines())
