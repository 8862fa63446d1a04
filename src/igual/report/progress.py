"""A sign of life for work that takes longer than about a second."""

from __future__ import annotations

import contextlib
import sys
import time
from collections.abc import Callable, Iterator

from igual.report.terminal import is_quiet
from igual.text.characters import printable
from igual.threads import may_start_threads

_AFTER_SECONDS = 1.0


def is_notebook() -> bool:
    """Whether a notebook's kernel runs this."""
    if "ipykernel" not in sys.modules:
        return False
    from IPython import get_ipython

    return getattr(get_ipython(), "kernel", None) is not None


@contextlib.contextmanager
def show_progress(what: str) -> Iterator[Callable[[int, int | None], None]]:
    """Say on standard error what is being done, once it has taken a second, where a terminal or notebook is attached.

    Returns:
        A function to be told how many of how many parts are done, then a bar shows it; or how many rows, where nobody
        knows yet how many there are.
    """
    in_notebook = is_notebook()
    is_shown = in_notebook or (sys.stderr is not None and sys.stderr.isatty())
    if is_quiet() or not is_shown or not may_start_threads():
        yield lambda done, total: None
        return
    import threading

    from rich.console import Console
    from rich.progress import BarColumn, Progress, SpinnerColumn, TextColumn, TimeRemainingColumn

    columns = (
        SpinnerColumn(),
        TextColumn("{task.description}{task.fields[rows]}", markup=False),
        BarColumn(),
        TimeRemainingColumn(),
    )
    bar = Progress(*columns, console=Console(stderr=not in_notebook), transient=True)
    task = bar.add_task(printable(f"{what} …"), total=None, rows="")
    started = time.monotonic()
    timer = threading.Timer(_AFTER_SECONDS, bar.start)
    timer.start()

    def on_progress(done: int, total: int | None) -> None:
        taken = time.monotonic() - started
        rows = "" if total is not None else f" {done:,} rows, {done / max(taken, 0.001):,.0f} a second"
        bar.update(task, completed=done, total=total, rows=rows, refresh=taken > _AFTER_SECONDS)

    try:
        yield on_progress
    finally:
        timer.cancel()
        timer.join()
        bar.stop()
