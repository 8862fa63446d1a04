"""The one place that knows about consoles."""

from __future__ import annotations

import io
import sys
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from rich.console import Console, RenderableType

# Where no terminal says how wide it is (a pipe, a file), lines may be this long.
_WIDTH = 110


def console() -> Console:
    """Standard output: coloured on a terminal, plain in a pipe or a file."""
    from rich.console import Console

    on_terminal = sys.stdout.isatty()
    return Console(width=None if on_terminal else _WIDTH, highlight=False, soft_wrap=False, emoji=False)


def as_text(*renderables: RenderableType, width: int = _WIDTH) -> str:
    """What a console would show, as plain text."""
    from rich.console import Console

    out = io.StringIO()
    plain = Console(file=out, width=width, color_system=None, highlight=False, emoji=False)
    for renderable in renderables:
        plain.print(renderable)
    return "\n".join(line.rstrip() for line in out.getvalue().splitlines())
