"""Arguments and options that several commands share."""

from __future__ import annotations

import functools
import json
import sys
from collections.abc import Callable
from typing import Any, NamedTuple, TypeVar

import click

Command = TypeVar("Command", bound=Callable[..., Any])

rulebook_argument = click.argument("rulebook")
encoding_option = click.option(
    "--encoding", metavar="NAME", help="Encoding of a text table, when its bytes don't tell (such as cp1250)."
)


class TableSource(NamedTuple):
    """Which table is meant, and what is known of it.

    Attributes:
        paths: Its files, patterns that name some, or `-` for standard input.
        encoding: Of a text table.
        sheet: Of a workbook.
        header_row: The row that has the column names, from 1.
        with_source: Whether a column tells which file a row stands in.
    """

    paths: tuple[str, ...]
    encoding: str | None = None
    sheet: str | None = None
    header_row: int | None = None
    with_source: bool = False

    @property
    def shown(self) -> str:
        """The files as they were given."""
        return " ".join(self.paths)


def table_argument(command: Command) -> Command:
    """A table, of one file or several, with what is known of it; the command takes it as `table`."""

    @functools.wraps(command)
    def with_table(tables: tuple[str, ...], *args: Any, **words: Any) -> Any:
        known = {name: words.pop(name) for name in ("encoding", "sheet", "header_row", "with_source")}
        return command(*args, table=TableSource(tables, **known), **words)

    decorated: Any = with_table
    for decorate in reversed(
        (
            click.argument("tables", metavar="TABLE...", nargs=-1, required=True),
            click.option(
                "--sheet", metavar="NAME|N", help="Which sheet of a workbook; the first unless given."
            ),
            click.option(
                "--header-row",
                type=click.IntRange(min=1),
                metavar="N",
                help="Which row has the column names.",
            ),
            click.option(
                "--source-file",
                "with_source",
                is_flag=True,
                help="Add a column source_file: which of several files a row stands in.",
            ),
            encoding_option,
        )
    ):
        decorated = decorate(decorated)
    return decorated  # type: ignore[no-any-return]


class ProbabilityType(click.FloatRange):
    """A number from a least one up to 1; NaN, which no bound keeps out, is none."""

    def __init__(self, least: float = 0) -> None:
        super().__init__(least, 1)

    def convert(self, value: Any, param: click.Parameter | None, ctx: click.Context | None) -> float:
        """Read a number, or say what is wrong with it."""
        number = float(super().convert(value, param, ctx))
        if number != number:
            self.fail(f"{value!r} is no number.", param, ctx)
        return number


columns_option = click.option(
    "--column",
    "-c",
    "wanted",
    metavar="COLUMN",
    multiple=True,
    help="Only this column, or those that fit (height*); may be repeated.",
)


def _page_name(context: click.Context, parameter: click.Parameter, path: str | None) -> str | None:
    """Refuse the name of a page before any work is done."""
    from igual.files.pages import page_ending

    if path:
        page_ending(path)
    return path


report_option = click.option(
    "--report",
    metavar="FILE",
    callback=_page_name,
    help="Write what was found as a page to look at (.html).",
)
force_option = click.option(
    "--force", is_flag=True, help="Replace whatever stands where an output goes, except for the inputs."
)
escape_option = click.option(
    "--escape-formulas",
    is_flag=True,
    help="In text outputs put ' before cells and column names that spreadsheets take for formulas.",
)
allow_outside_option = click.option(
    "--allow-outside",
    metavar="FOLDER",
    multiple=True,
    help="Let the rulebook read lists, and write to them, in FOLDER, outside its own.",
)
most_values_option = click.option(
    "--most-values",
    type=click.IntRange(min=1),
    default=20_000_000,
    show_default=True,
    metavar="N",
    help="How many distinct values of a column are held at once; tables with more are worked piece by piece.",
)
json_option = click.option("--json", "as_json", is_flag=True, help="Print JSON for machines.")


def condition_options(command: Command) -> Command:
    """The words of a condition as options."""
    options = [
        click.option("--equals", metavar="TEXT", help="Only values that equal TEXT."),
        click.option("--contains", metavar="TEXT", help="Only values that contain TEXT."),
        click.option("--starts", metavar="TEXT", help="Only values that start with TEXT."),
        click.option("--ends", metavar="TEXT", help="Only values that end with TEXT."),
        click.option("--word", metavar="TEXT", help="Only values that hold TEXT as a word."),
        click.option(
            "--like", metavar="TEXT", help="Only values like TEXT, where * is anything and ? a character."
        ),
        click.option(
            "--pattern", metavar="PATTERN", help="Only values in which a regular expression is found."
        ),
        click.option("--above", metavar="N", help="Only numbers above N, or dates after N (2024-05-31)."),
        click.option("--at-least", metavar="N", help="Only numbers from N on, or dates."),
        click.option("--below", metavar="N", help="Only numbers below N, or dates."),
        click.option("--at-most", metavar="N", help="Only numbers up to N, or dates."),
        click.option("--between", metavar="N N", nargs=2, help="Only numbers or dates from N to N."),
        click.option("--length", metavar="N", type=int, help="Only values of N characters."),
        click.option(
            "--one-of", metavar="TEXT", multiple=True, help="Only these values; give it several times."
        ),
        click.option(
            "--blank/--not-blank", default=None, help="Only values that are blank or missing, or not."
        ),
        click.option("--ignore-case", is_flag=True, help="Compare with case set aside."),
    ]
    for option in reversed(options):
        command = option(command)
    return command


def print_json(result: Any) -> None:
    """Print records as JSON: keys in a fixed order, two spaces deep; what can't be seen or encoded is escaped."""
    from igual.text.characters import escape_unseen

    is_unicode = (getattr(sys.stdout, "encoding", None) or "").lower().startswith("utf")
    click.echo(escape_unseen(json.dumps(result, ensure_ascii=not is_unicode, indent=2)))
