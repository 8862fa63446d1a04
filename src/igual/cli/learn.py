"""`igual learn`."""

from __future__ import annotations

import sys
from collections.abc import Mapping
from typing import TYPE_CHECKING

import click

from igual.cli._options import TableSource, json_option, print_json, table_argument

if TYPE_CHECKING:
    from igual.learning.examples import Combined
    from igual.learning.learned import Learned


_COLUMN = "The column; give it several times to make one out of several."
_EXAMPLE = "What a value is to become; of several columns RAW has | between them."


@click.command(short_help="Learn rules from examples.")
@table_argument
@click.option("--column", "-c", "columns", metavar="NAME", multiple=True, required=True, help=_COLUMN)
@click.option("--example", "-e", "examples", metavar="RAW WANTED", nargs=2, multiple=True, help=_EXAMPLE)
@click.option("--wanted", metavar="NAME", help="A column that has what is wanted, where it isn't blank.")
@click.option("--into", metavar="NAME", help="Write the result to this new column.")
@click.option("--add", metavar="RULEBOOK", help="Add the rules to this rulebook (.toml), or begin it.")
@json_option
def learn(
    table: TableSource,
    columns: tuple[str, ...],
    examples: tuple[tuple[str, str], ...],
    wanted: str | None,
    into: str | None,
    add: str | None,
    as_json: bool,
) -> int:
    """Learn rules from examples of what values are to become.

    On a terminal it asks about one value after another, each the one whose answer tells most, until it is sure. Exit
    status 1 where nothing was learned.

    Example:  igual learn trees.csv -c species -e "Maple, Norway" "Norway maple"
    """
    from igual.cli._loading import count_file, open_table, report_reading
    from igual.errors import RulebookError, TableError
    from igual.files.rulebook_additions import add_rules
    from igual.learning.examples import Combined, find_examples
    from igual.report.learned_views import format_note, from_learned, learned_view
    from igual.report.terminal import on_terminal, show, show_line

    opened = open_table(table)
    if into is not None and into in opened.names:
        raise RulebookError(f"'--into' would write over the column {into!r}; take a new name")
    if len(set(columns)) < len(columns):
        raise RulebookError("'--column' names a column twice")
    if wanted in columns:
        raise TableError(f"column {wanted!r} can't be both what is there and what is wanted")
    counted = count_file(opened, [[*columns, *([wanted] if wanted else [])]])
    combined = Combined.from_columns(columns, [counted.source.column(name) for name in columns])
    said = find_examples(combined, counted.source.column(wanted), blank_is_said=False) if wanted else {}
    given = {tuple(raw.split("|")) if len(columns) > 1 else raw: text for raw, text in examples}
    if len(given) < len(examples):
        raise TableError("two examples are for the same value; give one of them")
    said |= find_examples(combined, {_strip(raw): text for raw, text in given.items()})
    asks = on_terminal() and sys.stdin.isatty() and not as_json
    learned = _learn(combined, said, into, asks)
    has_rules = bool(learned.rules and learned.rules[0].rules)
    # What is written is safe before anything is printed: whoever reads may leave early.
    is_added = bool(add and has_rules and not asks)
    if add and is_added:
        add_rules(add, learned.rulebook(format_note(learned)))
    if as_json:
        print_json(from_learned(learned))
    else:
        report_reading(opened)
        show(learned_view(learned))
    if add and has_rules and asks and click.confirm(f"Add the rules to {add}?", default=True):
        add_rules(add, learned.rulebook(format_note(learned)))
        is_added = True
    if is_added and not as_json:
        show_line(f"written: {add}")
    return int(not (learned.rules and learned.wanted))


def _strip(raw: str | tuple[str, ...]) -> str | tuple[str, ...]:
    return tuple(cell.strip() for cell in raw) if isinstance(raw, tuple) else raw


def _learn(combined: Combined, said: Mapping[int, str | None], into: str | None, asks: bool) -> Learned:
    """Learn from what is said, and on a terminal from one answer after another."""
    from igual.learning.learned import learn_rules
    from igual.report.learned_views import learned_view, list_results, question_view
    from igual.report.terminal import show

    said = dict(said)
    learned = learn_rules(combined, said, into)
    while asks and learned.ask is not None:
        results = list_results(learned, learned.ask)
        show("", learned_view(learned, asks=True), "", question_view(learned, learned.ask))
        try:
            answer = click.prompt("", default="1" if results else "", prompt_suffix="> ", show_default=False)
        except (click.Abort, KeyboardInterrupt, EOFError):
            break
        if answer in ("q", ""):
            break
        if answer.isdecimal() and 1 <= int(answer) <= len(results):
            answer = results[int(answer) - 1]
        said[int(combined.codes[learned.ask])] = answer.removeprefix("=")
        learned = learn_rules(combined, said, into)
    return learned
