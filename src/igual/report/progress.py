"""A sign of life for work that takes longer than about a second."""

from __future__ import annotations

import contextlib
import sys
import threading
from collections.abc import Iterator

_AFTER_SECONDS = 1.0


@contextlib.contextmanager
def waiting(what: str) -> Iterator[None]:
    """Say on standard error what is being done, once it has taken a second, where a terminal is attached."""
    if not sys.stderr.isatty():
        yield
        return
    from rich.console import Console

    status = Console(stderr=True).status(f"{what} …")
    timer = threading.Timer(_AFTER_SECONDS, status.start)
    timer.start()
    try:
        yield
    finally:
        timer.cancel()
        timer.join()
        status.stop()
