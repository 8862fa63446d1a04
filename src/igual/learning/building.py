"""Rules built from chains of steps, and run on all values."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any, NamedTuple

import numpy as np
import pyarrow as pa

from igual.column import Column
from igual.display import to_sentence
from igual.errors import IgualError
from igual.learning.columns import JOINTS, SEPARATOR, ColumnStep, Template
from igual.learning.examples import Combined
from igual.learning.guards import Guard
from igual.learning.search import Chain
from igual.learning.steps import RuleStep
from igual.learning.weighing import Belief
from igual.lists import Shelf
from igual.rules.base import Rule
from igual.rules.replace import Replace
from igual.runs.plan import Plan
from igual.runs.trail import ColumnTrail
from igual.text.arrays import differs

# So many different outcomes are run on all values.
_MOST_CHAINS = 8
# How likely a chain is to be meant that only lists the examples.
_PAIRS_SCORE = 0.01


class Chained(NamedTuple):
    """A candidate: rules that make of the examples what is wanted.

    Attributes:
        rules: The rules, first to last.
        score: How likely they are what is meant, 0 to 1.
        values: What they make of each distinct value, (values,).
    """

    rules: tuple[Rule, ...]
    score: float
    values: pa.Array

    @property
    def sentence(self) -> str:
        """What the rules do, in words."""
        return to_sentence(self)


class ChainBuilder:
    """Builds the rules of chains, and runs them on all values."""

    def __init__(
        self, combined: Combined, target: str, blank_rules: tuple[tuple[Rule, ...], tuple[Rule, ...]]
    ) -> None:
        self._combined = combined
        self._target = target
        self._before, self._behind = blank_rules

    def first_rows(self) -> np.ndarray[Any, Any]:
        """For each distinct value the first row that has it."""
        codes = self._combined.codes
        first = np.full(len(self._combined.rows), len(codes), np.int64)
        np.minimum.at(first, codes, np.arange(len(codes)))
        return first

    def run_all(self, beliefs: Sequence[Belief], wanted: Mapping[int, str | None]) -> list[Chained]:
        """Run chains on all values; those that fail an example then are left out."""
        chains = []
        for belief in beliefs[:_MOST_CHAINS]:
            made = self._run_sound(belief.best.steps, wanted)
            if made is not None:
                rules, values = made
                chains.append(Chained(rules, round(belief.share, 4), values))
        return chains

    def _run_sound(
        self, steps: Chain, wanted: Mapping[int, str | None]
    ) -> tuple[tuple[Rule, ...], pa.Array] | None:
        """Run a chain; where a new column would lack what isn't found, it keeps the value in a second try."""
        for keeps_others in (False, True):
            try:
                rules = self.build(steps, keeps_others=keeps_others)
                values = self.run(rules)
            except IgualError:
                return None
            if all(self._is_as_wanted(values[place].as_py(), text) for place, text in wanted.items()):
                return rules, values
        return None

    def _is_as_wanted(self, made: str | None, text: str | None) -> bool:
        """Whether a value is as it is wanted; what means nothing is filled as what is missing is."""
        wanted = (text or "").strip()
        return (made or "").strip() == wanted or (not wanted and bool(self._behind))

    def build(self, steps: Chain, *, keeps_others: bool = False) -> tuple[Rule, ...]:
        """The rules of a chain, with those for blanks."""
        names = self._combined.names
        rules: list[Rule] = []
        column = names[0]
        for step in steps:
            if step.reading is not None:
                if step.reading.template is None and not step.reading.inner:
                    column = names[step.reading.column]
                    continue
                rules += step.reading.build(names, self._target)
                column = self._target
                continue
            guarded = _keep_others(step) if keeps_others and column != self._target else step
            rules.append(guarded.build(column, None if column == self._target else self._target))
            column = self._target
        if column != self._target:
            # One column as it is, under another name.
            rules.append(Replace(column=column, pairs={SEPARATOR: SEPARATOR}, into=self._target))
        return (*self._before, *rules, *self._behind)

    def run(self, rules: Sequence[Rule]) -> pa.Array:
        """What rules make of each distinct value, as texts."""
        combined = self._combined
        trails = {
            name: ColumnTrail.begin(name, Column.from_arrow(cells))
            for name, cells in zip(combined.names, combined.cells, strict=True)
        }
        done = Plan(list(enumerate(rules, 1)), Shelf({}, {}, {})).run(trails)
        trail = done[self._target]
        return trail.values.take(pa.array(trail.positions[trail.column.codes]))

    def list_pairs(self, said: Mapping[int, str]) -> list[Chained]:
        """The last resort: each example for itself."""
        name, target, names = self._combined.names[0], self._target, self._combined.names
        texts = {place: str(self._combined.texts[place].as_py()) for place in said}
        rules: list[Rule] = []
        if len(names) > 1:
            whole = Template(("", *[JOINTS[0]] * (len(names) - 1), ""), tuple(range(len(names))))
            texts = {place: whole.fill(text.split(SEPARATOR)) for place, text in texts.items()}
            reading = ColumnStep(whole, None)
            try:
                rules += reading.build(names, target)
            except IgualError:
                return []
            name = target
        pairs = {texts[place]: text for place, text in said.items() if texts[place]}
        into = None if name == target else target
        if pairs:
            rules.append(Replace(column=name, pairs=pairs, where="whole", into=into))
        rules = [*self._before, *rules, *self._behind]
        return [Chained(tuple(rules), _PAIRS_SCORE, self.run(rules))] if rules else []

    def find_difference(self, chains: Sequence[Chained], wanted: Mapping[int, str | None]) -> int | None:
        """A value beyond the sample of which the candidates make different things."""
        for chain in chains[1:]:
            differing = np.flatnonzero(differs(chains[0].values, chain.values))
            for place in differing.tolist():
                if place not in wanted:
                    return int(place)
        return None


def _keep_others(step: RuleStep) -> RuleStep:
    """The same step only for values that it can take."""
    pattern = dict(step.words).get("pattern")
    if step.guard is not None or step.do != "extract" or not isinstance(pattern, str):
        return step
    return step._replace(guard=Guard((("pattern", pattern),), lambda text: step.run(text) is not None, 0.0))
