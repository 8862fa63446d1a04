"""How rules run over columns of distinct values: what a rulebook hands over, and what an account may ask again."""

from __future__ import annotations

import logging
import time
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from fnmatch import fnmatchcase

import numpy as np

from igual.column import Column
from igual.decisions import fold_contexts, join_context
from igual.errors import RulebookError, error_context
from igual.lists import ReferenceList, Shelf
from igual.rules.base import Rule
from igual.rules.rewriters import Rewriter
from igual.rulings import Rulings
from igual.runs.stages import Stage
from igual.runs.together import PreparedRule
from igual.runs.trail import ColumnTrail
from igual.text.wildcards import is_pattern

_LOGGER = logging.getLogger("igual")


def _is_meant(column: str, name: str) -> bool:
    """Whether a column is that of a name, or fits it as a pattern: without a table at hand it may be meant."""
    return column == name or (is_pattern(name) and fnmatchcase(column, name))


@dataclass(frozen=True)
class Plan:
    """Rules with their numbers, and all that they need.

    Attributes:
        rules: The rules with their places in the rulebook, from 1, in the order in which they act.
        shelf: The lists, codebooks and pair lists that they refer to by name.
        rulings: What was decided on single values.
        written: The rules as they were written, where patterns stood for columns; () where `rules` are these.
        prepared: Number to rule, ready for work, of those that have worked already.
    """

    rules: Sequence[tuple[int, Rule]]
    shelf: Shelf = field(default_factory=Shelf)
    rulings: Rulings = field(default_factory=Rulings)
    written: Sequence[Rule] = ()
    prepared: dict[int, Rewriter] = field(default_factory=dict, repr=False, compare=False)

    def run(self, trails: Mapping[str, ColumnTrail]) -> dict[str, ColumnTrail]:
        """Apply all rules.

        Args:
            trails: Column name to the column as it is.

        Returns:
            Column name to the column as the rules have left it; new ones at the end.
        """
        trails = dict(trails)
        for number, rule in self.rules:
            if number not in self.prepared:
                with error_context(f"rule {number} ({rule.do})", RulebookError):
                    self.prepared[number] = rule.rewriter(self.shelf)
            rewriter = self.prepared[number]
            took, has_worked = 0.0, False
            for name in rule.columns:
                target = rule.target_of(name)
                ready = rule.with_rulings(rewriter, self._choose_rulings(rule, target), target)
                step = PreparedRule(number, rule, ready, self.shelf)
                if trails[name].can_wait(step):
                    trails[name] = trails[name].wait(step)
                    continue
                others = sorted(rule.reads() - {name})
                for read in (name, *others):
                    trails[read] = _work_off(trails[read])
                started = time.perf_counter()
                beside = [trails[other] for other in others]
                for trail in trails[name].apply(step, beside):
                    trails[trail.name] = trail
                took, has_worked = took + time.perf_counter() - started, True
            if has_worked:
                _LOGGER.debug("rule %d (%s): %.3f s", number, rule.do, took)
        return {name: _work_off(trail).finish() for name, trail in trails.items()}

    def lists_of(self, column: str) -> dict[str, ReferenceList]:
        """Find the lists that values of a column are matched to.

        Args:
            column: The column that the match writes.

        Returns:
            Name to list.
        """
        names = [need.name for rule in self._list_asking(column) for need in rule.needs()[:1]]
        return {name: self.shelf.lists[name] for name in names}

    def list_contexts(self, column: str) -> set[str] | None:
        """List what stands beside entries of a column's lists, folded.

        Args:
            column: The column that the match writes.

        Returns:
            The texts; None where its rules look at values alone.
        """
        known: set[str] = set()
        looks_beside = False
        for rule in self._list_asking(column):
            name, contexts = self.name_list(rule, column), rule.list_contexts(self.shelf)
            looks_beside |= bool(name) or contexts is not None
            known |= {join_context(name, context) for context in contexts or ([""] if name else [])}
        return set(fold_contexts(known)) if looks_beside else None

    def name_list(self, rule: Rule, column: str) -> str:
        """Name the list that a rule matches a column to, where other rules match it to other lists.

        Args:
            rule: The rule.
            column: The column that it writes.

        Returns:
            The name; '' where the column is matched to no other list.
        """
        if not rule.takes_rulings:
            return ""
        own = rule.needs()[0].name
        # Most rulebooks have one list to match to, whatever their columns.
        others = {other.needs()[0].name for _, other in self.rules if other.takes_rulings} - {own}
        return own if others and not others.isdisjoint(self.lists_of(column)) else ""

    def _choose_rulings(self, rule: Rule, column: str) -> Rulings:
        """The rulings that a rule is to follow: where a column is matched to several lists, those for its own."""
        own = self.name_list(rule, column)
        return self.rulings.choose_for_list(column, own, self.lists_of(column)) if own else self.rulings

    def _list_asking(self, column: str) -> list[Rule]:
        """The rules on whose work on a column somebody may have to rule."""
        return [
            rule
            for _, rule in self.rules
            if rule.takes_rulings and any(_is_meant(column, rule.target_of(name)) for name in rule.columns)
        ]

    def run_again(self, trails: Mapping[str, ColumnTrail]) -> Mapping[str, ColumnTrail]:
        """Apply the rules that act in place to clean columns: a stable rulebook changes nothing there.

        Args:
            trails: Column name to the column as the rules have left it.

        Returns:
            Column name to what the rules make of the clean values.
        """
        clean = {
            name: Column(values := trail.merge().values, np.arange(len(values), dtype=np.int32))
            for name, trail in trails.items()
            if not trail.beside
        }
        in_place = [
            (number, rule)
            for number, rule in self.rules
            if rule.into is None
            and not rule.changes_notation
            and not rule.reads()
            and all(name in clean for name in rule.columns)
        ]
        return replace(self, rules=in_place).run(
            {name: ColumnTrail.begin(name, column) for name, column in clean.items()}
        )


def _work_off(trail: ColumnTrail) -> ColumnTrail:
    """Let the rules act that wait."""
    if not trail.waiting:
        return trail
    started = time.perf_counter()
    worked = trail.work_off()
    took = time.perf_counter() - started
    numbers = ", ".join(f"{step.number} ({step.rule.do})" for step in trail.waiting)
    _LOGGER.debug("rules %s together, %s: %.3f s", numbers, trail.name, took)
    return worked


def list_stages(trails: Mapping[str, ColumnTrail]) -> list[Stage]:
    """List the work of all rules on all columns.

    Args:
        trails: Column name to trail; a trail that another was made from shares stages with it.

    Returns:
        The stages by rule, and those of one rule by the order of the columns.
    """
    stages: dict[int, Stage] = {}
    for trail in trails.values():
        for stage in trail.stages:
            stages.setdefault(id(stage.changed), stage)
    rules = {stage.number: stage.rule for stage in stages.values()}
    places = {number: _place_columns(rule) for number, rule in rules.items()}
    return sorted(stages.values(), key=lambda stage: (stage.number, places[stage.number][stage.target]))


def _place_columns(rule: Rule) -> dict[str, int]:
    """The place of each column that a rule writes among these."""
    names = [*rule.columns, *rule.targets]
    return {name: place for place, name in reversed([*enumerate(names)])}
