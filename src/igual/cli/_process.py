"""The command line as a process: its signals, its streams, and how it says what went wrong."""

from __future__ import annotations

import contextlib
import gc
import os
import signal
import sys
import threading
import traceback
from typing import NoReturn

import click

from igual.errors import IgualError
from igual.text.characters import printable

_INTERRUPTED = 130
_EPOCH = "SOURCE_DATE_EPOCH"
# An error is a line, and perhaps a second one that says what to do; neither is longer than this.
_LONGEST_LINE = 600
# What Python and the linker say where memory is short.
_NO_MEMORY = ("failed to map segment", "annot allocate memory", "can't start new thread")
_REPORT = (
    "This is a mistake in Igual: please report it with the call (IGUAL_DEBUG=1 shows where it happened)."
)


def take_signals(came: threading.Event) -> None:
    """Make an interrupt, a hang-up and a request to end stop the work in the same orderly way.

    Args:
        came: Is set once one of them has come: in the middle of an import it can show itself as another error.
    """

    def stop(number: int, frame: object) -> None:
        came.set()
        raise KeyboardInterrupt(number)

    for name in ("SIGINT", "SIGTERM", "SIGHUP"):
        number = getattr(signal, name, None)
        # Who starts us may want one ignored, as nohup does.
        if number is not None and signal.getsignal(number) is not signal.SIG_IGN:
            signal.signal(number, stop)


def wants_traceback() -> bool:
    """Whether an error is to end in a traceback, for those who look for a mistake in Igual."""
    return os.environ.get("IGUAL_DEBUG", "0") not in ("", "0")


def print_traceback(error: Exception) -> None:
    """Print where an error came from, with whatever a terminal would take for commands drawn."""
    lines = "".join(traceback.format_exception(error)).splitlines()
    print("\n".join(map(printable, lines)), file=sys.stderr)


def mend_environment() -> None:
    """Set aside a SOURCE_DATE_EPOCH that is no number: NumPy and others fail over it while they are imported."""
    if not os.environ.get(_EPOCH, "0").isdecimal():
        del os.environ[_EPOCH]


def soften_streams() -> None:
    """Write what a stream's encoding lacks as a question mark, rather than fail when the work is done.

    What goes wrong while objects are cleared away, after the error has been told, isn't told again.
    """
    if not wants_traceback():
        sys.unraisablehook = lambda _: None
    for stream in (sys.stdout, sys.stderr):
        if hasattr(stream, "reconfigure"):
            stream.reconfigure(errors="replace")


def flush_streams() -> None:
    """Hand over what was printed, so that a reader who has gone is noticed now."""
    for stream in (sys.stdout, sys.stderr):
        if stream is not None:
            stream.flush()


def _ignore_signals() -> None:
    """Let nothing stop what is done; one that comes while the last is set aside is too late, too."""
    try:
        for name in ("SIGINT", "SIGTERM", "SIGHUP"):
            if hasattr(signal, name):
                signal.signal(getattr(signal, name), signal.SIG_IGN)
    except KeyboardInterrupt:
        _ignore_signals()


def leave(status: int) -> NoReturn:
    """End the process, with nothing printed on the way out.

    Args:
        status: The exit status.
    """
    _ignore_signals()
    for stream in (sys.stdout, sys.stderr):
        try:
            if stream is not None:
                stream.flush()
        except (OSError, ValueError):
            # What can't be written now can't be written at the end either, and Python would complain then.
            with contextlib.suppress(OSError):
                os.dup2(os.open(os.devnull, os.O_WRONLY), stream.fileno())
    # What goes with the process needn't be searched for cycles; that would take a fifth of a short call.
    gc.freeze()
    sys.exit(status)


def explain_failure(error: BaseException, *, was_interrupted: bool) -> int:
    """Say on standard error why a call failed.

    Args:
        error: What was raised.
        was_interrupted: Whether a signal had asked to stop.

    Returns:
        The exit status.
    """
    if was_interrupted or isinstance(error, KeyboardInterrupt | EOFError | click.exceptions.Abort):
        notes = getattr(error, "__notes__", ())
        _print_error("; ".join(["stopped", *notes]))
        return _INTERRUPTED
    if isinstance(error, click.ClickException):
        context = getattr(error, "ctx", None)
        path = context.command_path if context is not None else "igual"
        _print_error(error.format_message(), f"See '{path} --help'.")
    else:
        _print_error(*_format_error(error))
    return 2


def _format_error(error: BaseException) -> tuple[str, ...]:
    if isinstance(error, IgualError):
        return (str(error),)
    if _is_short_of_memory(error):
        return ("the computer has too little free memory for this table",)
    if isinstance(error, OSError) and error.strerror:
        if error.filename is None:
            return (f"standard output: {error.strerror}; files that were to be written are written",)
        return (f"{error.filename}: {error.strerror}",)
    return (f"unforeseen error, {type(error).__name__}: {error}", _REPORT)


def _is_short_of_memory(error: BaseException | None) -> bool:
    """Whether an error, or one that it came of, says so: packages that can't be loaded word it anew."""
    while error is not None:
        if isinstance(error, MemoryError) or any(words in str(error) for words in _NO_MEMORY):
            return True
        error = error.__cause__ or error.__context__
    return False


def _print_error(*lines: str) -> None:
    if sys.stderr is None:
        return
    cut = [
        line if len(line) <= _LONGEST_LINE else f"{line[: _LONGEST_LINE - 1]}…"
        for line in map(printable, (f"igual: {lines[0]}", *lines[1:]))
    ]
    with contextlib.suppress(OSError, ValueError):
        print("\n".join(cut), file=sys.stderr, flush=True)
