"""The command line: one thin module per command.

Command modules import only click at the top, so that `--help` is fast; what they need they import when run.
"""

from __future__ import annotations

import signal
import sys
from importlib.abc import MetaPathFinder
from typing import Any

import click

from igual.cli.apply import apply
from igual.cli.check import check
from igual.cli.demo import demo
from igual.cli.lists import lists
from igual.cli.lookalikes import lookalikes
from igual.cli.match import match
from igual.cli.review import review
from igual.cli.survey import survey
from igual.cli.tally import tally


def _print_version(context: click.Context, _: click.Parameter, wanted: bool) -> None:
    if wanted and not context.resilient_parsing:
        from importlib.metadata import version

        click.echo(f"igual {version('igual')}")
        context.exit()


@click.group(
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


for command in (survey, tally, lookalikes, match, apply, review, check, lists, demo):
    igual.add_command(command)


class _WithoutPandas(MetaPathFinder):
    """Tells Arrow that there is no pandas.

    Arrow imports it with its first array, to recognise pandas objects. The command line has none, and
    the import alone would take longer than most commands.
    """

    def find_spec(self, fullname: str, path: object = None, target: object = None) -> None:
        if fullname == "pandas":
            raise ModuleNotFoundError("the command line does without pandas", name=fullname)


def _stop(_: int, __: Any) -> None:
    raise KeyboardInterrupt


def main() -> None:
    """Run the command line; errors are said in a line or two, never as a traceback."""
    sys.meta_path.insert(0, _WithoutPandas())
    signal.signal(signal.SIGTERM, _stop)
    try:
        status = igual.main(standalone_mode=False)
    except click.exceptions.Abort:
        _say("stopped; nothing was written")
        sys.exit(130)
    except click.ClickException as error:
        context = getattr(error, "ctx", None)
        path = context.command_path if context is not None else "igual"
        _say(f"{error.format_message()}\nSee '{path} --help'.")
        sys.exit(2)
    except BrokenPipeError:
        # Whoever read the output has gone, as `head` does; the rest is of no use to anyone.
        sys.stderr.close()
        sys.exit(0)
    except Exception as error:
        from igual.core.errors import IgualError

        if not isinstance(error, IgualError | OSError | MemoryError):
            raise
        _say(_said(error))
        sys.exit(2)
    sys.exit(status if isinstance(status, int) else 0)


def _said(error: Exception) -> str:
    if isinstance(error, MemoryError):
        return "the computer has too little free memory for this table"
    if isinstance(error, OSError) and error.strerror:
        return f"{error.filename or 'a file'}: {error.strerror}"
    return str(error)


def _say(text: str) -> None:
    click.echo(f"igual: {text}", err=True)
