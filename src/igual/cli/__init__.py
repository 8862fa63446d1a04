"""The command line: one thin module per command.

A command is a module of this package whose name doesn't start with an underscore, and the click command of the same
name in it. Command modules import only click at the top, so that `--help` is fast; what they need they import when run.
"""

from __future__ import annotations

import contextlib
import importlib
import logging
import os
import pkgutil
import sys
import threading
from importlib.abc import MetaPathFinder
from typing import Any

import click

from igual.cli._process import (
    explain_failure,
    flush_streams,
    leave,
    mend_environment,
    print_traceback,
    soften_streams,
    take_signals,
    wants_traceback,
)

# In the order in which people work; other commands come after these.
_IN_ORDER = (
    "survey", "tally", "lookalikes", "draft", "learn", "match", "apply", "review", "check", "crosswalk", "rules",
    "lists", "demo",
)  # fmt: skip


# What the names of files and folders are called in help.
_FILES = {"FILE", "TABLE", "RULEBOOK", "LIST", "CROSSWALK", "SHEET", "FOLDER", "OLD", "NEW"}
_QUIET, _VERBOSE = "Show results and errors only.", "Tell what was read and how long rules took, too."


def _verbosity_option(name: str, letter: str, said: str) -> click.Option:
    """An option of every command: how much is noted on standard error."""

    def listen(context: click.Context, _: click.Parameter, wanted: bool) -> None:
        if wanted:
            from igual.report.terminal import show_notes

            show_notes(logging.WARNING if name == "quiet" else logging.DEBUG)

    return click.Option([letter, f"--{name}"], is_flag=True, expose_value=False, callback=listen, help=said)


class _FileName(click.types.StringParamType):
    """The name of a file or folder: any text but an empty one, which a variable of a shell gives that isn't set."""

    def convert(self, value: Any, param: click.Parameter | None, ctx: click.Context | None) -> Any:
        if value == "":
            self.fail("the name of a file is empty", param, ctx)
        return super().convert(value, param, ctx)


class _Commands(click.Group):
    """Finds its commands in the modules of this package, and imports those that are asked for."""

    def list_commands(self, ctx: click.Context) -> list[str]:
        names = [module.name for module in pkgutil.iter_modules(__path__) if module.name[0] != "_"]
        return [name for name in dict.fromkeys([*_IN_ORDER, *sorted(names)]) if name in names]

    def get_command(self, ctx: click.Context, cmd_name: str) -> click.Command | None:
        if cmd_name not in self.list_commands(ctx):
            return None
        command: click.Command = getattr(importlib.import_module(f"{__name__}.{cmd_name}"), cmd_name)
        if not any(parameter.name == "quiet" for parameter in command.params):
            command.params += [
                _verbosity_option("quiet", "-q", _QUIET),
                _verbosity_option("verbose", "-v", _VERBOSE),
            ]
            for parameter in command.params:
                called = parameter.metavar or (parameter.name or "").upper()
                if called.rstrip(".") in _FILES and parameter.type is click.STRING:
                    parameter.type = _FileName()
        return command


def _print_version(context: click.Context, _: click.Parameter, wanted: bool) -> None:
    if wanted and not context.resilient_parsing:
        from importlib.metadata import version

        click.echo(f"igual {version('igual')}")
        context.exit()


@click.group(
    cls=_Commands,
    invoke_without_command=True,
    context_settings={"help_option_names": ["-h", "--help"], "max_content_width": 100},
)
@click.pass_context
@click.option(
    "--version",
    is_flag=True,
    is_eager=True,
    expose_value=False,
    callback=_print_version,
    help="Show the version.",
)
def igual(context: click.Context) -> None:
    """Make the values of a column equal where they mean the same.

    Look first (survey, tally, lookalikes, match), then apply a rulebook, decide once on what stays open
    (review), and keep the column standard with check.

    New here? Run:  igual demo
    """
    if context.invoked_subcommand is None:
        click.echo(context.get_help())


class _WithoutPandas(MetaPathFinder):
    """Tells Arrow that there is no pandas.

    Arrow imports it with its first array, to recognise pandas objects. The command line has none, and
    the import alone would take longer than most commands.
    """

    def find_spec(self, fullname: str, path: object = None, target: object = None) -> None:
        if fullname == "pandas":
            raise ModuleNotFoundError("the command line does without pandas", name=fullname)


def forbid_pandas() -> None:
    """Make Arrow work without pandas, for a start twice as fast."""
    if not any(isinstance(finder, _WithoutPandas) for finder in sys.meta_path):
        sys.meta_path.insert(0, _WithoutPandas())


def main() -> None:
    """Run the command line; an error is a line or two, never a traceback."""
    status: object = 2
    interrupted = threading.Event()
    from igual.report.terminal import release_notes, show_notes

    try:
        mend_environment()
        forbid_pandas()
        take_signals(interrupted)
        soften_streams()
        show_notes(logging.INFO)
        if "_IGUAL_COMPLETE" in os.environ:
            igual.main()
        with igual.make_context("igual", sys.argv[1:]) as context:
            status = igual.invoke(context)
        release_notes()
        flush_streams()
    except click.exceptions.Exit as done:
        status = done.exit_code
        with contextlib.suppress(OSError):
            release_notes()
            flush_streams()
    except BrokenPipeError:
        # Whoever read the output has gone, as `head` does; the rest is of no use to anyone.
        status = 0
    except BaseException as error:
        if isinstance(error, SystemExit):
            raise
        if wants_traceback() and isinstance(error, Exception):
            print_traceback(error)
        status = explain_failure(error, was_interrupted=interrupted.is_set())
    while True:
        # One that comes on the way here is too late.
        with contextlib.suppress(KeyboardInterrupt):
            leave(status if isinstance(status, int) else 0)
