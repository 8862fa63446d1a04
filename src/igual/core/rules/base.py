"""What every rule is: settings that can be checked and saved, and a pure function made from them."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any, ClassVar, NamedTuple, Protocol

import pyarrow as pa
from pydantic import model_validator

from igual.core.column import Mask
from igual.core.conditions import Condition
from igual.core.lists import Shelf
from igual.core.matching.matcher import Matched
from igual.core.rulings import Ruling
from igual.core.words import Worded


class Rewritten(NamedTuple):
    """What a rule made of some distinct values.

    values: the new values, one for each given.
    unknown: which of the given values the rule had no label or entry for (None: it looks nothing up).
    used: which of the rule's `entries` served for at least one value (None: it has no entries).
    by_case: which values only met an entry because case was set aside (None: it never is).
    unread: which values the rule could not make sense of, so that they stayed (None: it takes any text).
    open: which values wait for a person to decide (None: it never asks).
    account: how values were matched, for a rule that does.
    columns: for a rule that writes into several columns, the values of each.
    notes: what else is worth a hint.
    """

    values: pa.Array
    unknown: Mask | None = None
    used: Mask | None = None
    by_case: Mask | None = None
    unread: Mask | None = None
    columns: tuple[pa.Array, ...] | None = None
    notes: tuple[str, ...] = ()
    open: Mask | None = None
    account: Matched | None = None


class Gives(NamedTuple):
    """What a clean column is to be: 'text', 'number' or 'date'; and for labels, their order."""

    kind: str = "text"
    order: tuple[str, ...] | None = None


class NearMiss(NamedTuple):
    """A value that an entry of the rule would have caught but for case, outer spaces, accents, …"""

    place: int
    entry: str


class Rewriter(Protocol):
    """A rule made ready: its patterns and look-ups are built once and serve many columns."""

    @property
    def entries(self) -> Sequence[str]:
        """What the rule looks for or looks up: its pairs, codes or list entries."""

    def rewrite(self, values: pa.Array, beside: Mapping[str, pa.Array]) -> Rewritten:
        """New values for distinct `values`, one for each; the same for the same value, always.

        beside: what stands in the other columns that the rule `reads`, one text for each value.
        """

    def near_misses(self, values: pa.Array, unused: Sequence[str]) -> list[NearMiss]:
        """Values that came close to one of the entries `unused`."""


class Rule(Worded):
    """What all rules share.

    column, columns: the column to work on, or several.
    into: write the result to this new column and keep the given one as it is (one column only).
    when: a condition on the column, or on another: values that don't meet it stay as they are.
    note: why the rule is there; it appears in the account of the run.
    """

    # Whether the rule can write into several columns.
    splits: ClassVar[bool] = False
    # Whether it reads texts in one form and writes them in another, and so isn't meant for its own output.
    restates: ClassVar[bool] = False

    column: str | None = None
    columns: tuple[str, ...] = ()
    do: str
    into: str | tuple[str, ...] | None = None
    when: Condition | None = None
    note: str | None = None

    @model_validator(mode="before")
    @classmethod
    def _column_or_columns(cls, given: Any) -> Any:
        if not isinstance(given, dict):
            return given
        words = dict(given)
        if words.get("column") is not None:
            if words.get("columns") not in (None, (words["column"],)):
                raise ValueError("give 'column' or 'columns', not both")
            if not isinstance(words["column"], str):
                raise ValueError("'column' takes one text; give 'columns' for several")
            words["columns"] = (words["column"],)
        if isinstance(named := words.get("columns"), tuple) and len(named) == 1:
            words["column"] = named[0]
        return words

    @model_validator(mode="after")
    def _into_is_for_one(self) -> Rule:
        if len(set(self.columns)) < len(self.columns):
            raise ValueError("'columns' names a column twice")
        if self.into is not None and len(self.columns) > 1:
            raise ValueError("'into' takes the result of one column; give each column a rule of its own")
        targets = self.targets
        if "" in targets or self.into == () or len(set(targets)) < len(targets):
            raise ValueError("'into' takes one name, or several that differ; none may be empty")
        if isinstance(self.into, tuple) and not self.splits:
            raise ValueError("'into' takes one column")
        if set(targets) & set(self.columns):
            raise ValueError("'into' names the column itself; leave it out to change the column in place")
        return self

    @property
    def entries_from(self) -> str:
        """Where the entries that it looks for come from, as messages say it."""
        return "pairs"

    @property
    def targets(self) -> tuple[str, ...]:
        """The new columns that the rule writes into, if any."""
        return (self.into,) if isinstance(self.into, str) else self.into or ()

    def reads(self) -> set[str]:
        """The columns that the rule looks at besides its own."""
        return self.when.columns() if self.when is not None else set()

    def gives(self, shelf: Shelf) -> Gives:
        """What its results are to be in the clean table."""
        return Gives()

    def __eq__(self, other: object) -> bool:
        """Whether another rule says the same; it may be of a class derived from the same rule."""
        return isinstance(other, Rule) and self.words() == other.words()

    def __hash__(self) -> int:
        return hash((self.do, self.columns))

    def rewriter(self, shelf: Shelf) -> Rewriter:
        """The rule made ready, with its lists looked up on `shelf`."""
        raise NotImplementedError

    def ruled(self, rewriter: Rewriter, rulings: Mapping[str, Ruling]) -> Rewriter:
        """The rewriter for one column, which knows what was ruled on its values; only some rules ask for it."""
        return rewriter

    def needs(self) -> list[tuple[str, str]]:
        """The kinds and names of what the rule looks up, such as ('lists', 'species')."""
        return [("lists", name) for name in sorted(self.when.lists())] if self.when is not None else []

    def words(self) -> dict[str, Any]:
        """The rule as a rulebook file says it: only the words that differ from their defaults."""
        given = self.model_dump(exclude_defaults=True, mode="json", by_alias=True)
        for word in ("column", "columns", "do"):
            given.pop(word, None)
        one = len(self.columns) == 1
        named = {"column": self.columns[0]} if one else {"columns": list(self.columns)}
        return {**named, "do": self.do, **given}


class PlainRewriter:
    """For rules that look nothing up: they have no entries and no near misses."""

    entries: Sequence[str] = ()

    def near_misses(self, values: pa.Array, unused: Sequence[str]) -> list[NearMiss]:
        return []
