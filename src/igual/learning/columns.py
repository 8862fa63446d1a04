"""First steps that read several columns: put together whole, one of them changed before, or one of them alone."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator, Sequence
from typing import Any, NamedTuple

from igual.errors import RulebookError
from igual.learning.prior import PER_PIECE, STEP
from igual.learning.steps import RuleStep, cost_of_own_text
from igual.rules.base import Rule
from igual.rules.compose import Compose

# What stands between the values of several columns in one text.
SEPARATOR = "\x1f"
# What whole columns are put together with, so that a pattern can take them apart again.
JOINTS = (" | ", " ¦ ", " ~ ")
_MOST_INNER, _MOST_COLUMNS = 12, 6

FindChains = Callable[[Sequence[str], Sequence[str]], Sequence[Any]]


class Template(NamedTuple):
    """Texts and the columns between them.

    Attributes:
        texts: Before, between and behind the columns.
        columns: Which columns, by position.
    """

    texts: tuple[str, ...]
    columns: tuple[int, ...]

    def fill(self, cells: Sequence[str]) -> str:
        """Write the cells as the rule `compose` does: blank ones are left out, with the text before them."""
        made = ""
        for before, column in zip(self.texts, self.columns, strict=False):
            if cells[column].strip():
                made += (before if made else "") + cells[column]
        return self.texts[0] + made + self.texts[-1] if made else ""

    def refuse_braces(self, names: Sequence[str]) -> None:
        """Raise RulebookError where a column's name, or a text, can't stand in a template."""
        for text in (*(names[column] for column in self.columns), *self.texts):
            if "{" in text or "}" in text:
                raise RulebookError(f"{text!r} can't stand in a template: it has braces")

    def write(self, names: Sequence[str]) -> str:
        """The template as the rule has it."""
        pieces = [
            text + f"{{{names[column]}}}" for text, column in zip(self.texts, self.columns, strict=False)
        ]
        return "".join(pieces) + self.texts[-1]


class ColumnStep(NamedTuple):
    """How a first step reads several columns: the words of its key.

    Attributes:
        template: How columns are put together; None: one column is taken alone.
        column: The column that is changed before, or taken alone; None: none is.
        inner: How it is changed.
    """

    template: Template | None
    column: int | None
    inner: tuple[RuleStep, ...] = ()

    def run(self, text: str) -> str | None:
        """Run it on the values of all columns."""
        cells = text.split(SEPARATOR)
        if self.column is not None:
            made = cells[self.column]
            for step in self.inner:
                new = step.run(made)
                if new is None:
                    return None
                made = new
            cells[self.column] = made
            if self.template is None:
                return made
        assert self.template is not None
        return self.template.fill(cells) or None

    def build(self, names: Sequence[str], into: str) -> list[Rule]:
        """Build the rules for columns of these names."""
        rules: list[Rule] = []
        known = list(names)
        if self.column is not None:
            for number, step in enumerate(self.inner):
                rules.append(step.build(known[self.column], into) if number == 0 else step.build(into))
            known[self.column] = into if self.inner else known[self.column]
        if self.template is not None:
            self.template.refuse_braces(known)
            target: dict[str, Any] = {"column": into} if self.inner else {"into": into}
            rules.append(Compose(template=self.template.write(known), **target))
        return rules


def column_step(reading: ColumnStep, cost: float) -> RuleStep:
    """A first step that reads several columns."""
    words = (
        ("do", "compose"),
        ("reading", (reading.template, reading.column, tuple(one.key for one in reading.inner))),
    )
    return RuleStep(words, cost, reading.run, stage=0)._replace(reading=reading)


def propose_columns(texts: Sequence[str], wanted: Sequence[str], find: FindChains) -> Iterator[RuleStep]:
    """Propose first steps for the values of several columns.

    Args:
        texts: The values of the columns with `SEPARATOR` between them, of each example.
        wanted: What is wanted of each.
        find: The search for what becomes of one column.

    Yields:
        The steps.
    """
    rows = [text.split(SEPARATOR) for text in texts]
    width = min(len(rows[0]), _MOST_COLUMNS)
    for column in range(width):
        yield column_step(ColumnStep(None, column), 0.3)
    for template in _find_templates(rows[0], wanted[0]):
        texts_cost = sum(0.3 * cost_of_own_text(text) for text in template.texts)
        yield column_step(ColumnStep(template, None), STEP["compose"] + texts_cost)
    joint = next(
        (one for one in JOINTS if not any(one.strip() in cell for row in rows for cell in row)), None
    )
    if joint is not None and width > 1:
        whole = Template(("", *[joint] * (width - 1), ""), tuple(range(width)))
        yield column_step(ColumnStep(whole, None), STEP["compose"] + 0.3)
    yield from _with_one_changed(rows, wanted, find)


def _find_templates(cells: Sequence[str], wanted: str, but: int | None = None) -> Iterator[Template]:
    """Ways in which whole cells make up what is wanted, but for case, with texts between them."""
    low = wanted.casefold()
    places = []
    for column, cell in enumerate(cells[:_MOST_COLUMNS]):
        if column != but and cell.strip() and (at := low.find(cell.casefold())) >= 0:
            places.append((at, at + len(cell), column))
    places.sort(key=lambda place: (place[0], -place[1]))
    chosen: list[tuple[int, int, int]] = []
    for place in places:
        if not chosen or place[0] >= chosen[-1][1]:
            chosen.append(place)
    if len(chosen) > 1 or (but is not None and chosen):
        yield _cut(wanted, chosen)


def _cut(wanted: str, places: Sequence[tuple[int, int, int]]) -> Template:
    ends = [0, *(end for _, end, _ in places)]
    starts = [*(start for start, _, _ in places), len(wanted)]
    texts = tuple(wanted[end:start] for end, start in zip(ends, starts, strict=True))
    return Template(texts, tuple(column for _, _, column in places))


def _with_one_changed(
    rows: Sequence[Sequence[str]], wanted: Sequence[str], find: FindChains
) -> Iterator[RuleStep]:
    """All columns but one stand whole in what is wanted; what is left over comes from that one."""
    for column in range(min(len(rows[0]), _MOST_COLUMNS)):
        for template in _find_templates(rows[0], wanted[0], but=column):
            for made in _put_in(template, column, rows[0], wanted[0]):
                targets = [
                    _left_over(made, column, row, target) for row, target in zip(rows, wanted, strict=True)
                ]
                if any(target is None or not target.strip() for target in targets):
                    continue
                cells = [row[column] for row in rows]
                for step in find(cells, [target or "" for target in targets])[:_MOST_INNER]:
                    if step.steps:
                        cost = STEP["compose"] + step.cost + PER_PIECE
                        cost += sum(0.3 * cost_of_own_text(text) for text in made.texts)
                        yield column_step(ColumnStep(made, column, step.steps), cost)


def _put_in(template: Template, column: int, cells: Sequence[str], wanted: str) -> Iterator[Template]:
    """A template with a further column where a text holds letters or digits: at each of its places."""
    for place, text in enumerate(template.texts):
        for run in re.finditer(r"\w+(?:[^\w]+\w+)*", text):
            texts = (
                *template.texts[:place],
                text[: run.start()],
                text[run.end() :],
                *template.texts[place + 1 :],
            )
            columns = (*template.columns[:place], column, *template.columns[place:])
            yield Template(texts, columns)


def _left_over(template: Template, column: int, cells: Sequence[str], wanted: str) -> str | None:
    """What a column has to become, so that the template gives what is wanted."""
    pattern = re.escape(template.texts[0])
    for text, number in zip(template.texts[1:], template.columns, strict=True):
        pattern += ("(.*)" if number == column else re.escape(cells[number])) + re.escape(text)
    rest = re.fullmatch(pattern, wanted, re.DOTALL)
    return None if rest is None else rest[1]
