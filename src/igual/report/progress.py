"""A sign of life for work that takes longer than about a second."""

from __future__ import annotations

import contextlib
import sys
import time
from collections.abc import Callable, Iterator

from igual.text.characters import printable

_AFTER_SECONDS = 1.0


@contextlib.contextmanager
def show_progress(what: str) -> Iterator[Callable[[int, int], None]]:
    """Say on standard error what is being done, once it has taken a second, where a terminal is attached.

    Returns:
        A function to be told how many of how many parts are done; then a bar shows it.
    """
    if sys.stderr is None or not sys.stderr.isatty():
        yield lambda done, total: None
        return
    import threading

    from rich.console import Console
    from rich.progress import BarColumn, Progress, SpinnerColumn, TextColumn, TimeRemainingColumn

    columns = (
        SpinnerColumn(),
        TextColumn("{task.description}", markup=False),
        BarColumn(),
        TimeRemainingColumn(),
    )
    bar = Progress(*columns, console=Console(stderr=True), transient=True)
    task = bar.add_task(printable(f"{what} …"), total=None)
    started = time.monotonic()
    timer = threading.Timer(_AFTER_SECONDS, bar.start)
    timer.start()

    def on_progress(done: int, total: int) -> None:
        bar.update(task, completed=done, total=total, refresh=time.monotonic() - started > _AFTER_SECONDS)

    try:
        yield on_progress
    finally:
        timer.cancel()
        timer.join()
        bar.stop()
