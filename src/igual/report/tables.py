"""The one style of tables in a terminal."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from itertools import islice

from rich.box import SIMPLE_HEAD
from rich.console import Console, ConsoleOptions, Group, RenderableType
from rich.table import Table
from rich.text import Text

from igual.report.wording import format_count
from igual.text.characters import printable, visible

LONGEST = 60
# More lines than that nobody reads on a terminal.
MOST_SHOWN = 200
# Nobody reads on, and to break a text of a million characters into lines takes minutes.
_MOST = 2_000
Cell = str | int | float | Text | None


def draw_table(
    title: str | Text, columns: Sequence[str], rows: Iterable[Sequence[Cell]], *, most: int | None = None
) -> RenderableType:
    """A table in the one style of all views.

    Args:
        title: What stands above it.
        columns: The names of the columns; one that ends with `#` is set flush right.
        rows: The cells of each row.
        most: How many rows are shown; the others are counted beneath. All unless given.
    """
    rows = iter(rows)
    view = _Rows(columns, [[_cell(cell) for cell in row] for row in islice(rows, most)])
    # The title stands by itself: as part of the table it would be broken to the table's width.
    parts: list[RenderableType] = [title if isinstance(title, Text) else draw_text(title, "bold"), view]
    if left := sum(1 for _ in rows):
        parts.append(Text(f"and {format_count(left, 'more line')}; --json tells of all", "dim"))
    return Group(*parts)


class _Rows:
    """The rows of a table under their headings."""

    def __init__(self, columns: Sequence[str], rows: Sequence[Sequence[Text]]) -> None:
        self._columns = columns
        self._rows = rows

    def __rich_console__(self, console: Console, options: ConsoleOptions) -> Iterator[RenderableType]:
        # Where nothing needs breaking, all lines of a column are as one cell: that takes less than half the time.
        joined = [Text("\n").join(column) for column in zip(*self._rows, strict=True)]
        whole = self._lay_out([joined] if self._rows else [])
        has_lines = any("\n" in cell.plain for row in self._rows for cell in row)
        fits = not has_lines and console.measure(whole, options=options).maximum < options.max_width
        yield whole if fits else self._lay_out(self._rows)

    def _lay_out(self, rows: Iterable[Sequence[Text]]) -> Table:
        view = Table(box=SIMPLE_HEAD, pad_edge=False)
        for name in self._columns:
            right = name.endswith("#")
            view.add_column(
                draw_text(name.removesuffix("#")),
                justify="right" if right else "left",
                no_wrap=right,
                overflow="fold",
            )
        for row in rows:
            view.add_row(*row)
        return view


def _cell(cell: Cell) -> Text:
    if isinstance(cell, Text):
        return cell
    if isinstance(cell, int):
        return Text(f"{cell:,}", style="" if cell else "dim")
    return Text("") if cell is None else draw_text(str(cell))


def draw_text(text: str, style: str = "") -> Text:
    """A text that may hold something from outside, with everything that can't be seen drawn, and of bounded length."""
    return Text(printable(text if len(text) <= _MOST else f"{text[:_MOST]}…"), style=style)


def draw_value(value: str | None, style: str = "") -> Text:
    """A value with odd spaces visible; missing and empty ones dimmed."""
    return Text(visible(value, LONGEST, every_space=False), style=style if value else "dim")


def draw_in_context(value: str, within: str, style: str = "") -> Text:
    """A value, and what stands beside it where that restricts what it may mean."""
    drawn = draw_value(value, style)
    return drawn if not within else Text.assemble(drawn, ("  within ", "dim"), draw_value(within, "dim"))


def format_percent(share: float) -> str:
    """Write a share in percent."""
    return f"{100 * share:.1f} %"
