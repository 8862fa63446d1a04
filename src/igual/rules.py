"""The rules by their class names, one per word that a rulebook's `do` takes.

Each works in a rulebook, and alone on the values of one column:

>>> from igual.rules import Case
>>> Case(style="sentence").on(["NORWAY MAPLE", None])
['Norway maple', None]
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from igual.core import rules as core
from igual.core.checks import Check
from igual.core.conditions import Condition
from igual.core.lists import Codebook, PairList, ReferenceList
from igual.core.rulebook import Rulebook
from igual.core.rules import Band, OtherText
from igual.core.rules.base import Rule as CoreRule
from igual.engines import engine_of, one_column, text_column

__all__ = [
    "KINDS",
    "Band",
    "Bands",
    "Blanks",
    "Case",
    "Characters",
    "Check",
    "Compose",
    "Condition",
    "Date",
    "Extract",
    "Label",
    "Match",
    "Mention",
    "Number",
    "OtherText",
    "Overlay",
    "Part",
    "Replace",
    "Spacing",
]  # fmt: skip


class Alone(CoreRule):
    """What lets a rule work without a rulebook."""

    def on(
        self,
        values: Any,
        *,
        lists: Mapping[str, ReferenceList] | None = None,
        codebooks: Mapping[str, Codebook] | None = None,
        pairs: Mapping[str, PairList] | None = None,
    ) -> Any:
        """Apply the rule to the values of one column, and give as many back, of the same kind.

        values: a Series, an Arrow array, or a sequence of texts; None, NaN and NA are missing.
        lists, codebooks, pairs: what the rule refers to by name.

        A rule that writes into several columns gives a table of them. Raises RulebookError for a rule that
        looks at other columns, TableError for values that aren't texts.
        """
        table, back = one_column(values)
        several = isinstance(self.into, tuple)
        alone = self.model_copy(
            update={"column": "values", "columns": ("values",), "into": self.into if several else None}
        )
        engine = engine_of(table)
        book = Rulebook([alone], lists or {}, codebooks or {}, pairs or {})
        outcome = book.run(engine.names(table), lambda name: text_column(engine, table, name))
        rebuilt = engine.rebuilt(table, outcome.trails)
        return {name: back(rebuilt, name) for name in self.targets} if several else back(rebuilt, "values")


class Spacing(core.Spacing, Alone):
    __doc__ = core.Spacing.__doc__


class Case(core.Case, Alone):
    __doc__ = core.Case.__doc__


class Characters(core.Characters, Alone):
    __doc__ = core.Characters.__doc__


class Replace(core.Replace, Alone):
    __doc__ = core.Replace.__doc__


class Overlay(core.Overlay, Alone):
    __doc__ = core.Overlay.__doc__


class Part(core.Part, Alone):
    __doc__ = core.Part.__doc__


class Extract(core.Extract, Alone):
    __doc__ = core.Extract.__doc__


class Mention(core.Mention, Alone):
    __doc__ = core.Mention.__doc__


class Label(core.Label, Alone):
    __doc__ = core.Label.__doc__


class Bands(core.Bands, Alone):
    __doc__ = core.Bands.__doc__


class Match(core.Match, Alone):
    __doc__ = core.Match.__doc__


class Blanks(core.Blanks, Alone):
    __doc__ = core.Blanks.__doc__


class Number(core.Number, Alone):
    __doc__ = core.Number.__doc__


class Date(core.Date, Alone):
    __doc__ = core.Date.__doc__


class Compose(core.Compose):
    __doc__ = core.Compose.__doc__


KINDS: tuple[type[CoreRule], ...] = (
    Spacing, Case, Characters, Replace, Overlay, Part, Extract, Mention, Compose, Label, Bands, Match, Blanks, Number,
    Date,
)  # fmt: skip
