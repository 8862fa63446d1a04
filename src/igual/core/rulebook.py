"""An ordered list of rules, and its run over columns of distinct values."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Self

from igual.core.checks import Check, unfit_for
from igual.core.column import Column
from igual.core.errors import RulebookError, did_you_mean, said_of
from igual.core.lists import Codebook, PairList, ReferenceList, Shelf
from igual.core.outcome import Outcome
from igual.core.rules import Match, Rule
from igual.core.rulings import Rulings
from igual.core.text.casing import Style
from igual.core.trail import ColumnTrail, Stage

# What a rulebook keeps for its rules, and what one of each is called.
SHELVES = {"lists": "list", "codebooks": "codebook", "pairs": "pair list"}


@dataclass(frozen=True)
class Rulebook:
    """An ordered list of rules with the lists, codebooks and pair lists they refer to by name.

    rules: applied from first to last, each to what the ones before it made.
    headers: a style for the names of the columns, once the rules are done (None: they stay).
    checks: what must hold of the clean columns.
    rulings: what was decided on single values; they are kept in a file of their own.
    """

    rules: Sequence[Rule]
    lists: Mapping[str, ReferenceList] = field(default_factory=dict)
    codebooks: Mapping[str, Codebook] = field(default_factory=dict)
    pairs: Mapping[str, PairList] = field(default_factory=dict)
    headers: Style | None = None
    checks: Sequence[Check] = ()
    rulings: Rulings = field(default=Rulings(), compare=False)  # rulings never change

    def __post_init__(self) -> None:
        object.__setattr__(self, "rules", tuple(self.rules))
        object.__setattr__(self, "checks", tuple(self.checks))
        if not self.rules:
            raise RulebookError("a rulebook needs at least one rule")
        for number, rule in enumerate(self.rules, 1):
            if not rule.columns:
                raise RulebookError(f"rule {number} ({rule.do}): 'column' is missing: which one is meant?")
            for kind, name in rule.needs():
                shelf: Mapping[str, object] = getattr(self, kind)
                if name not in shelf:
                    raise RulebookError(
                        f"rule {number} ({rule.do}): no {SHELVES[kind]} {name!r}{did_you_mean(name, shelf)}"
                    )

    def up_to(self, only: int | None) -> Self:
        """The rulebook with its first `only` rules, and no checks; None: as it is."""
        if only is None:
            return self
        if not 1 <= only <= len(self.rules):
            raise RulebookError(f"there is no rule {only}: the rulebook has {len(self.rules)}")
        return replace(self, rules=self.rules[:only], checks=())

    def source_columns(self, names: Sequence[str]) -> tuple[str, ...]:
        """The columns of a table that the rules read, in order of use.

        names: the table's columns. Raises RulebookError where a rule names a column that the table doesn't
        have (or has twice), or would write over one by `into`.
        """
        made: list[str] = []
        read: dict[str, None] = {}
        for number, rule in enumerate(self.rules, 1):
            where = f"rule {number} ({rule.do})"
            for name in (*rule.columns, *sorted(rule.reads())):
                if name in made:
                    continue
                if name not in names:
                    raise RulebookError(
                        f"{where}: the table has no column {name!r}{did_you_mean(name, [*names, *made])}"
                    )
                if (times := list(names).count(name)) > 1:
                    raise RulebookError(
                        f"{where}: the table has {times} columns {name!r}, so it isn't clear which is meant; "
                        "rename one"
                    )
                read[name] = None
            for target in rule.targets:
                if target in names or target in made:
                    raise RulebookError(
                        f"{where}: 'into' would write over the column {target!r}; take a new name"
                    )
                made.append(target)
        for number, check in enumerate(self.checks, 1):
            if check.column not in [*names, *made]:
                near = did_you_mean(check.column, [*names, *made])
                raise RulebookError(f"check {number}: the table has no column {check.column!r}{near}")
            if check.column not in made:
                read[check.column] = None
        return tuple(read)

    def run(self, names: Sequence[str], column: Callable[[str], Column]) -> Outcome:
        """Apply the rules to a table.

        names: the table's columns. column: gives the encoded column of a name; asked once for each needed.
        """
        trails = {name: ColumnTrail.begin(name, column(name)) for name in self.source_columns(names)}
        trails, stages = self._through(list(enumerate(self.rules, 1)), trails)
        touched = {stage.target for stage in stages}
        unfit = [
            found
            for number, check in enumerate(self.checks, 1)
            for found in unfit_for(number, check, trails[check.column], self.lists)
        ]
        clean = {name: trail for name, trail in trails.items() if name in touched}
        return Outcome(clean, tuple(stages), unfit, self._again)

    def _through(
        self, numbered: Sequence[tuple[int, Rule]], trails: Mapping[str, ColumnTrail]
    ) -> tuple[dict[str, ColumnTrail], list[Stage]]:
        trails, stages = dict(trails), []
        shelf = Shelf(self.lists, self.codebooks, self.pairs)
        for number, rule in numbered:
            with said_of(f"rule {number} ({rule.do})", RulebookError):
                rewriter = rule.rewriter(shelf)
            for name in rule.columns:
                others = [trails[other] for other in sorted(rule.reads() - {name})]
                ready = rule.ruled(rewriter, self.rulings.of(target_of(rule, name)))
                for trail in trails[name].through(number, rule, ready, others, shelf):
                    trails[trail.name] = trail
                    stages.append(trail.stages[-1])
        return trails, stages

    def lists_of(self, column: str) -> dict[str, ReferenceList]:
        """The lists that values of a column are matched to, by name."""
        return {
            rule.list: self.lists[rule.list]
            for rule in self.rules
            if isinstance(rule, Match) and column in {target_of(rule, name) for name in rule.columns}
        }

    def matched_columns(self) -> list[str]:
        """The columns on whose values somebody may have to rule."""
        found = [
            target_of(rule, name) for rule in self.rules if isinstance(rule, Match) for name in rule.columns
        ]
        return list(dict.fromkeys(found))

    def _again(self, clean: Mapping[str, Column]) -> Mapping[str, ColumnTrail]:
        """Apply the rules that change columns in place to the clean columns, for the check of stability."""
        in_place = [
            (number, rule)
            for number, rule in enumerate(self.rules, 1)
            if rule.into is None
            and not rule.restates
            and not rule.reads()
            and all(name in clean for name in rule.columns)
        ]
        return self._through(
            in_place, {name: ColumnTrail.begin(name, column) for name, column in clean.items()}
        )[0]


def target_of(rule: Rule, column: str) -> str:
    """Where a rule that writes one column puts what it makes of one."""
    return rule.into if isinstance(rule.into, str) else column


def columns_together(book: Rulebook, names: Sequence[str]) -> list[list[str]]:
    """The columns of a table in groups: rules read those of one group together, and none of two.

    names: the table's columns that the rules read.
    """
    group_of = {name: {name} for name in names}

    def join(one: str, other: str) -> None:
        joined = group_of.setdefault(one, {one}) | group_of.setdefault(other, {other})
        for name in joined:
            group_of[name] = joined

    for rule in book.rules:
        for name in rule.columns:
            for other in (*rule.targets, *rule.reads()):
                join(name, other)
    groups = {id(group): group for group in group_of.values()}
    return [[name for name in names if name in group] for group in groups.values()]
