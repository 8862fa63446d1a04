"""The search for chains of steps that make of some texts what is wanted: best first, by what they cost."""

from __future__ import annotations

import contextlib
import heapq
import itertools
import signal
from collections.abc import Iterator, Sequence
from functools import lru_cache
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
# So many states of the texts are carried on; where that gives nothing, or nothing that costs less, so many more.
_MOST_STATES, _DEAR, _MOST_CHAINS = (40, 100), 5.0, 80
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
        """Take an interrupt within for a wish to stop; a request to end, which names its signal, isn't one."""
        try:
            yield
        except KeyboardInterrupt as error:
            if error.args not in ((), (signal.SIGINT,)):
                raise
            self.is_set = True


class CostedChain(NamedTuple):
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
        for step in _propose_for(text, target, from_stage):
            if step.words not in seen:
                seen.add(step.words)
                yield step


# The next example's search comes by the same texts again.
@lru_cache(maxsize=500)
def _propose_for(text: str, target: str, from_stage: int) -> tuple[RuleStep, ...]:
    staged = [(2, propose_readings(text, target))]
    if from_stage <= 1:
        staged.append((1, propose_cuts(text, target)))
    if from_stage <= 3:
        staged.append((3, propose_joins(text, target)))
    others = (step._replace(stage=stage) for stage, steps in staged for step in steps)
    return (*propose_rewriting(text, target, from_stage), *others)


class _Search:
    """States that were reached, and by which steps."""

    def __init__(self, texts: State, wanted: State) -> None:
        self._wanted = wanted
        self._edges: dict[State, list[_Edge]] = {}
        self._costs: dict[State, float] = {texts: 0.0}
        self._depths: dict[State, int] = {texts: 0}
        self._stages: dict[State, int] = {texts: 0}
        self._begin = texts
        self._lacking = [count_lacking(*pair) for pair in zip(texts, wanted, strict=True)]
        self._characters = 0
        self._count = itertools.count(1)
        self._queue = [(self._estimate(texts), 0, texts)]
        self._expanded: set[State] = set()

    def run(self, stop: Stop, most_states: Sequence[int]) -> list[CostedChain]:
        with stop.on_interrupt():
            for most in most_states:
                self._run(stop, most)
                if self._costs.get(self._wanted, float("inf")) <= _DEAR:
                    break
        return self._list_chains()

    def _run(self, stop: Stop, most_states: int) -> None:
        while self._queue and len(self._expanded) < most_states and self._characters < _MOST_CHARACTERS:
            total, _, state = self._queue[0]
            if stop.is_set or total > self._costs.get(self._wanted, float("inf")) + SEARCHED_BEYOND:
                break
            heapq.heappop(self._queue)
            if state in self._expanded or state == self._wanted:
                continue
            self._expanded.add(state)
            if self._depths[state] >= _MOST_STEPS:
                continue
            for new in self._expand(state):
                if new not in self._expanded:
                    place = (self._costs[new] + self._estimate(new), next(self._count), new)
                    heapq.heappush(self._queue, place)

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

    def _list_chains(self) -> list[CostedChain]:
        """The chains from the texts to what is wanted, cheapest first."""
        if self._wanted not in self._edges:
            return []
        count = itertools.count()
        queue: list[tuple[float, int, State, Chain, frozenset[State]]] = [
            (self._costs[self._wanted], next(count), self._wanted, (), frozenset({self._wanted}))
        ]
        chains: list[CostedChain] = []
        best = None
        while queue and len(chains) < _MOST_CHAINS:
            total, _, state, chain, passed = heapq.heappop(queue)
            if best is not None and total > best + WORTH_A_THOUGHT:
                break
            if state == self._begin:
                best = total if best is None else best
                chains.append(CostedChain(chain, total))
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
        return chains


def find_chains(
    texts: Sequence[str],
    wanted: Sequence[str],
    stop: Stop | None = None,
    most_states: Sequence[int] = _MOST_STATES,
) -> list[CostedChain]:
    """Find chains of steps that make of every text what is wanted.

    Args:
        texts: The texts of the examples.
        wanted: What is wanted of each.
        stop: Whether to come back with what there is by now.
        most_states: How many states of the texts are carried on; each further number is for where those before gave
            nothing, or nothing cheap.

    Returns:
        The chains, cheapest first.
    """
    pairs = dict(zip(texts, wanted, strict=True))
    if all(text == target for text, target in pairs.items()):
        return [CostedChain((), 0.0)]
    return _Search(tuple(pairs), tuple(pairs.values())).run(stop or Stop(), most_states)
