"""The search for chains of steps that make of some texts what is wanted: best first, by what they cost."""

from __future__ import annotations

import contextlib
import heapq
import itertools
from collections.abc import Iterator, Sequence
from typing import NamedTuple

from igual.learning.columns import SEPARATOR, propose_columns
from igual.learning.cutting import propose_cuts
from igual.learning.joining import propose_joins
from igual.learning.measures import count_lacking, measure_distance
from igual.learning.prior import MOST_LOST, PER_LOST, SEARCHED_BEYOND, WORTH_A_THOUGHT
from igual.learning.reading import propose_readings
from igual.learning.rewriting import propose_rewriting
from igual.learning.steps import LONGEST, RuleStep

State = tuple[str, ...]
Chain = tuple[RuleStep, ...]

_MOST_STEPS = 4
_MOST_STATES, _MOST_CHAINS = 40, 80
# So many characters may pass through steps, whatever the values are: no value makes the search endless.
_MOST_CHARACTERS = 4_000_000


class Stop:
    """Whether a search is to come back with what it has: once it is interrupted, all that follows is brief.

    Attributes:
        is_set: Whether it is.
    """

    def __init__(self) -> None:
        self.is_set = False

    @contextlib.contextmanager
    def on_interrupt(self) -> Iterator[None]:
        """Take an interrupt within for a wish to stop."""
        try:
            yield
        except KeyboardInterrupt:
            self.is_set = True


class Found(NamedTuple):
    """A chain that explains the examples.

    Attributes:
        steps: The chain.
        cost: By its steps alone.
    """

    steps: Chain
    cost: float


class _Edge(NamedTuple):
    step: RuleStep
    before: State


def _propose(texts: State, wanted: State, from_stage: int) -> Iterator[RuleStep]:
    if SEPARATOR in texts[0]:
        yield from propose_columns(texts, wanted, find_chains)
        return
    seen = set()
    for text, target in dict.fromkeys(zip(texts, wanted, strict=True)):
        if len(text) > LONGEST or len(target) > LONGEST:
            continue
        for stage, steps in (
            (None, propose_rewriting(text, target, from_stage)),
            (2, propose_readings(text, target)),
            (1, propose_cuts(text, target)),
            (3, propose_joins(text, target)),
        ):
            for step in steps if stage is None or stage == 2 or stage >= from_stage else ():
                if step.words not in seen:
                    seen.add(step.words)
                    yield step if stage is None else step._replace(stage=stage)


class _Search:
    """States that were reached, and by which steps."""

    def __init__(self, texts: State, wanted: State, most_states: int) -> None:
        self._most_states = most_states
        self._wanted = wanted
        self._edges: dict[State, list[_Edge]] = {}
        self._costs: dict[State, float] = {texts: 0.0}
        self._depths: dict[State, int] = {texts: 0}
        self._stages: dict[State, int] = {texts: 0}
        self._begin = texts
        self._lacking = [count_lacking(*pair) for pair in zip(texts, wanted, strict=True)]
        self._characters = 0

    def run(self, stop: Stop) -> list[Found]:
        with stop.on_interrupt():
            self._run(stop)
        return self._list_chains()

    def _run(self, stop: Stop) -> None:
        queue = [(self._estimate(self._begin), 0, self._begin)]
        expanded: set[State] = set()
        count = itertools.count(1)
        while queue and len(expanded) < self._most_states and self._characters < _MOST_CHARACTERS:
            total, _, state = heapq.heappop(queue)
            best = self._costs.get(self._wanted, float("inf"))
            if state in expanded or state == self._wanted:
                continue
            if total > best + SEARCHED_BEYOND or stop.is_set:
                break
            expanded.add(state)
            if self._depths[state] >= _MOST_STEPS:
                continue
            for new in self._expand(state):
                if new not in expanded:
                    heapq.heappush(queue, (self._costs[new] + self._estimate(new), next(count), new))

    def _estimate(self, state: State) -> float:
        steps = max(measure_distance(*pair).steps for pair in zip(state, self._wanted, strict=True))
        lost = max(
            count_lacking(text, wanted) - lacking
            for text, wanted, lacking in zip(state, self._wanted, self._lacking, strict=True)
        )
        return steps + PER_LOST * min(max(lost, 0), MOST_LOST)

    def _expand(self, state: State) -> Iterator[State]:
        """Take every step from a state; gives the states that are new, or reached at less cost."""
        near = [measure_distance(*pair) for pair in zip(state, self._wanted, strict=True)]
        stage = self._stages[state]
        for step in _propose(state, self._wanted, stage):
            if step.stage < stage and step.stage not in (0, 2):
                continue
            made = self._take(step, state)
            if made is None or made in (state, self._begin):
                continue
            if made != self._wanted:
                after = [measure_distance(*pair) for pair in zip(made, self._wanted, strict=True)]
                loses = any(new.missing > old.missing for new, old in zip(after, near, strict=True))
                if loses and step.do not in ("date", "compose"):
                    continue
                if any(not text for text in made):
                    continue
            borrowed = step.cost_of_borrowing(self._begin)
            if borrowed:
                step = step._replace(cost=step.cost + borrowed)
            self._edges.setdefault(made, []).append(_Edge(step, state))
            cost = self._costs[state] + step.cost
            if cost < self._costs.get(made, float("inf")):
                self._costs[made] = cost
                self._depths[made] = self._depths[state] + 1
                self._stages[made] = max(stage, step.stage)
                if made != self._wanted:
                    yield made

    def _take(self, step: RuleStep, state: State) -> State | None:
        made = []
        for text in state:
            self._characters += len(text)
            new = step.run(text) if len(text) <= LONGEST else None
            if new is None and step.leaves_others:
                new = text
            if new is None or len(new) > 4 * LONGEST:
                return None
            made.append(new)
        return tuple(made) if any(old != new for old, new in zip(state, made, strict=True)) else None

    def _list_chains(self) -> list[Found]:
        """The chains from the texts to what is wanted, cheapest first."""
        if self._wanted not in self._edges:
            return []
        count = itertools.count()
        queue: list[tuple[float, int, State, Chain, frozenset[State]]] = [
            (self._costs[self._wanted], next(count), self._wanted, (), frozenset({self._wanted}))
        ]
        found: list[Found] = []
        best = None
        while queue and len(found) < _MOST_CHAINS:
            total, _, state, chain, passed = heapq.heappop(queue)
            if best is not None and total > best + WORTH_A_THOUGHT:
                break
            if state == self._begin:
                best = total if best is None else best
                found.append(Found(chain, total))
                continue
            if len(chain) == _MOST_STEPS:
                continue
            behind = total - self._costs[state]
            for edge in self._edges.get(state, ()):
                if edge.before not in passed:
                    cost = behind + edge.step.cost + self._costs[edge.before]
                    heapq.heappush(
                        queue, (cost, next(count), edge.before, (edge.step, *chain), passed | {edge.before})
                    )
        return found


def find_chains(
    texts: Sequence[str], wanted: Sequence[str], stop: Stop | None = None, most_states: int = _MOST_STATES
) -> list[Found]:
    """Find chains of steps that make of every text what is wanted.

    Args:
        texts: The texts of the examples.
        wanted: What is wanted of each.
        stop: Whether to come back with what there is by now.
        most_states: How many states of the texts are carried on.

    Returns:
        The chains, cheapest first.
    """
    pairs = dict(zip(texts, wanted, strict=True))
    if all(text == target for text, target in pairs.items()):
        return [Found((), 0.0)]
    return _Search(tuple(pairs), tuple(pairs.values()), most_states).run(stop or Stop())
