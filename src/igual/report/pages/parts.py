"""What pages are made of: figures, grids, marked texts, lines. Templates draw them; nothing here is markup."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, NamedTuple

from igual.report.wording import format_count, format_score
from igual.runs.preview import find_differences
from igual.text.characters import visible

# Longer values are cut on a page; a crosswalk or a trail has them whole.
LONGEST = 160
# So many values stand on a page at most, all grids together but for summaries.
MOST_VALUES = 5_000
# Of a long grid so many rows stand in the page as they are.
_STANDING = 200
# Columns of a long grid are measured by so many rows, and are so wide, in characters.
_MEASURED, _NARROWEST, _WIDEST, _BAR_WIDTH = 60, 8, 40, 24


class Cell(NamedTuple):
    """A cell of a grid.

    Attributes:
        text: What it says, with everything invisible drawn.
        look: '', 'v' (a value), 'n' (a number), 'q' (quiet), 'good' or 'bad'; short, since a page has thousands.
        order: What it is sorted by, where its text doesn't tell.
    """

    text: str
    look: str = ""
    order: float | None = None


class Stretch(NamedTuple):
    """A stretch of a text.

    Attributes:
        text: The stretch.
        look: '' where nothing changes, 'went' or 'came'.
    """

    text: str
    look: str = ""


class MarkedCell(NamedTuple):
    """A cell with what differs marked.

    Attributes:
        stretches: Its text, piece by piece.
    """

    stretches: tuple[Stretch, ...]
    look: str = "marked"


class BarCell(NamedTuple):
    """A cell with a bar.

    Attributes:
        length: Of the bar, 0 to 100.
    """

    length: float
    look: str = "bar"


AnyCell = Cell | MarkedCell | BarCell


class Figure(NamedTuple):
    """A number that matters.

    Attributes:
        number: As it is shown.
        name: What it counts.
        is_due: Whether it asks for somebody.
    """

    number: str
    name: str
    is_due: bool = False


class Figures(NamedTuple):
    """Some numbers side by side."""

    figures: tuple[Figure, ...]
    part: str = "figures"


class Grid(NamedTuple):
    """A table.

    Attributes:
        title: What stands above it.
        headings: The names of its columns; one that ends in # has numbers.
        rows: Its rows.
        more: What isn't shown, in words.
        is_long: Whether it can be searched and sorted.
    """

    title: str
    headings: tuple[str, ...]
    rows: Sequence[Sequence[AnyCell]]
    more: str = ""
    is_long: bool = False
    part: str = "grid"

    @property
    def first(self) -> Sequence[Sequence[AnyCell]]:
        """The rows that stand in the page as they are."""
        return self.rows[:_STANDING] if self.is_long else self.rows

    @property
    def rest(self) -> list[list[Any]]:
        """The other rows as data, which a script puts behind them: a page of thousands is there at once.

        A cell is its text, where it looks as the one of the first row does. Else it is its look, text and order, or
        what a bar or a marked cell is made of.
        """
        looks = [one.look for one in self.rows[0]] if self.rows else []
        return [
            [_pack(one, look) for one, look in zip(row, looks, strict=True)]
            for row in self.rows[len(self.first) :]
        ]

    @property
    def widths(self) -> list[int]:
        """How wide the columns of a long grid are, per cent, by what stands in its first rows."""
        weights = []
        for place, heading in enumerate(self.headings):
            texts = [row[place] for row in self.rows[:_MEASURED]]
            lengths = sorted(len(one.text) for one in texts if isinstance(one, Cell) and one.text)
            usual = lengths[len(lengths) * 9 // 10] if lengths else _BAR_WIDTH
            weights.append(min(max(usual + 2, len(heading) + 4, _NARROWEST), _WIDEST))
        return [max(100 * weight // max(sum(weights), 1), 1) for weight in weights]


class Lines(NamedTuple):
    """Sentences, one under the other."""

    lines: tuple[str, ...]
    part: str = "lines"


class Ribbon(NamedTuple):
    """How one spelling runs into a clean value; lengths are in the units of the picture.

    Attributes:
        raw: The spelling, shortened.
        rows: How many rows have it.
        top: Where it begins at the left.
        bottom: Where it ends there.
        to_top: Where it begins at the right.
        to_bottom: Where it ends there.
        look: 'same', 'changed' or 'due'.
        said: All about it, for who points at it.
    """

    raw: str
    rows: str
    top: float
    bottom: float
    to_top: float
    to_bottom: float
    look: str
    said: str


class Pool(NamedTuple):
    """A clean value, and what runs into it.

    Attributes:
        clean: The value, shortened.
        rows: How many rows have it then.
        top: Where its bar begins.
        bottom: Where it ends.
        ribbons: The spellings.
    """

    clean: str
    rows: str
    top: float
    bottom: float
    ribbons: tuple[Ribbon, ...]


class Flow(NamedTuple):
    """The picture of a column: raw spellings at the left, running into clean values at the right.

    Attributes:
        column: The column.
        summary: What it comes to, in words.
        pools: The clean values.
        left: Where the picture begins at the left.
        width: Of the picture.
        height: Of the picture.
        more: What isn't drawn, in words.
        is_open: Whether it is unfolded from the beginning.
    """

    column: str
    summary: str
    pools: tuple[Pool, ...]
    left: float
    width: float
    height: float
    more: str
    is_open: bool
    part: str = "flow"


AnyPart = Figures | Grid | Lines | Flow


class Section(NamedTuple):
    """A part of a page under a heading.

    Attributes:
        anchor: Its name in the page's address.
        title: Its heading.
        parts: What it has.
        lead: A sentence under the heading.
    """

    anchor: str
    title: str
    parts: tuple[AnyPart, ...]
    lead: str = ""


class Page(NamedTuple):
    """A page.

    Attributes:
        title: Its heading.
        kind: What it shows, such as 'Run'.
        about: What was read and by whose rules: names and texts.
        sections: Its parts, in the order a reader asks.
        digests: Of what was read: names and texts.
    """

    title: str
    kind: str
    about: tuple[tuple[str, str], ...]
    sections: tuple[Section, ...]
    digests: tuple[tuple[str, str], ...] = ()


def _pack(one: AnyCell, look: str) -> Any:
    if isinstance(one, MarkedCell):
        return {"marks": [list(stretch) for stretch in one.stretches]}
    if isinstance(one, BarCell):
        return {"bar": round(one.length, 2)}
    return one.text if one.look == look and one.order is None else [one.look, one.text, one.order]


def draw(text: str | None) -> str:
    """Draw a text from outside: everything invisible in it, spaces at its ends and in runs; cut where it is long."""
    return visible(text, LONGEST, every_space=False)


def value(text: str | None, look: str = "v") -> Cell:
    """A cell with a value."""
    return Cell(draw(text), look)


def quiet(text: str) -> Cell:
    """A cell with something beside the matter; nothing where there is nothing to say."""
    return Cell(draw(text) if text else "", "q")


def number(count: int) -> Cell:
    """A cell with a whole number."""
    return Cell(f"{count:,}", "n")


def share(part: float) -> Cell:
    """A cell with a share, 0 to 1, as per cent."""
    return Cell(f"{100 * part:.1f} %", "n")


def score(given: float | None) -> Cell:
    """A cell with a score, 0 to 1."""
    return Cell("", "n") if given is None else Cell(format_score(given), "n", round(given, 4))


def mark(before: str | None, after: str | None) -> tuple[AnyCell, AnyCell]:
    """Two cells, before and after, with what differs marked and its spaces drawn."""
    if before is None or after is None or max(len(before), len(after)) > LONGEST:
        return value(before), value(after)
    sides: tuple[list[Stretch], list[Stretch]] = ([], [])
    for old, new in find_differences(before, after):
        differs = old != new
        for side, text, look in zip(sides, (old, new), ("went", "came"), strict=True):
            if text:
                side.append(Stretch(visible(text, every_space=differs), look if differs else ""))
    return MarkedCell(tuple(sides[0])), MarkedCell(tuple(sides[1]))


def cut(rows: Sequence[Sequence[AnyCell]], most: int, thing: str) -> tuple[Sequence[Sequence[AnyCell]], str]:
    """The first rows, and in words how many more there are."""
    left = len(rows) - most
    return rows[:most], f"and {format_count(left, f'more {thing}')}" if left > 0 else ""


def share_room(wanted: Sequence[int], room: int) -> list[int]:
    """Share room out: who wants little gets all of it, the others as much as each other.

    Args:
        wanted: How much each wants.
        room: How much there is.

    Returns:
        How much each gets.

    Example:
        >>> share_room([2, 100, 50], 22)
        [2, 10, 10]
    """
    given = [0] * len(wanted)
    left = room
    order = sorted(range(len(wanted)), key=lambda place: wanted[place])
    for done, place in enumerate(order):
        given[place] = min(wanted[place], left // (len(wanted) - done))
        left -= given[place]
    return given
