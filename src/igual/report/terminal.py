"""The one place that knows about consoles."""

from __future__ import annotations

import io
import logging
import sys
from typing import TYPE_CHECKING

from igual.text.characters import printable

if TYPE_CHECKING:
    from collections.abc import Iterator

    from rich.console import Console, ConsoleOptions, RenderableType
    from rich.segment import Segment

LOGGER = "igual"
# Where no terminal says how wide it is (a pipe, a file), lines may be this long.
_WIDTH = 110


def on_terminal() -> bool:
    """Whether standard output is a terminal, which can colour, and not a pipe or a file."""
    return sys.stdout is not None and sys.stdout.isatty()


def show_line(text: str) -> None:
    """Print a line to standard output, with everything that can't be seen drawn."""
    release_notes()
    print(printable(text))


def log_note(text: str) -> None:
    """Note something that is no result, under the logger `igual`: the command line shows it on standard error."""
    logging.getLogger(LOGGER).info("%s", printable(text))


def is_quiet() -> bool:
    """Whether notes and signs of life aren't wanted."""
    return logging.getLogger(LOGGER).level > logging.INFO


class _Notes(logging.Handler):
    """Holds what is logged until something is shown, since an error stands alone."""

    def __init__(self) -> None:
        super().__init__()
        self._held: list[str] = []

    def emit(self, record: logging.LogRecord) -> None:
        """Hold a record."""
        self._held.append(record.getMessage())

    def print_held(self) -> None:
        """Print what is held on standard error, a line each."""
        held, self._held = self._held, []
        if sys.stderr is not None:
            for line in held:
                print(line, file=sys.stderr)


def release_notes() -> None:
    """Print the notes so far: what comes now is no error."""
    for handler in logging.getLogger(LOGGER).handlers:
        if isinstance(handler, _Notes):
            handler.print_held()


def show_notes(level: int) -> None:
    """Show what is logged from a level on, and nothing of it elsewhere.

    Args:
        level: Of `logging`.
    """
    logger = logging.getLogger(LOGGER)
    logger.setLevel(level)
    logger.propagate = False
    if not any(isinstance(handler, _Notes) for handler in logger.handlers):
        logger.addHandler(_Notes())


def show(*renderables: RenderableType) -> None:
    """Print to standard output: coloured on a terminal, plain and without trailing spaces elsewhere."""
    release_notes()
    if not on_terminal():
        print(as_text(*renderables))
        return
    from rich.console import Console

    screen = Console(highlight=False, markup=False, emoji=False)
    for renderable in renderables:
        screen.print(_Printable(renderable))


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
        plain.print(_Printable(renderable))
    return "\n".join(line.rstrip() for line in out.getvalue().removesuffix("\n").split("\n"))


class _Printable:
    """Something to show, with whatever in it can't be seen drawn: a net below the views, which draw it themselves."""

    def __init__(self, shown: RenderableType) -> None:
        self._shown = shown

    def __rich_console__(self, console: Console, options: ConsoleOptions) -> Iterator[Segment]:
        from rich.segment import Segment

        for segment in console.render(self._shown, options):
            text = "\n".join(map(printable, segment.text.split("\n")))
            yield segment if segment.control else Segment(text, segment.style)
