"""Chains with conditions: some values this way, the others that way."""

from __future__ import annotations

import itertools
from collections.abc import Iterator, Sequence

from igual.learning.guards import Guard, find_guards
from igual.learning.prior import STEP
from igual.learning.search import Chain, CostedChain, Stop, find_chains
from igual.learning.steps import LONGEST, cost_of_own_text, escape_given, substitute

_MOST_EXAMPLES, _MOST_GUARDS, _MOST_CHAINS, _MOST_STATES = 6, 8, 6, (20,)


def find_branches(texts: Sequence[str], wanted: Sequence[str], stop: Stop | None = None) -> list[CostedChain]:
    """Find chains of which some steps are for some of the values only.

    Args:
        texts: The texts of the examples.
        wanted: What is wanted of each.
        stop: Whether to come back with what there is by now.

    Returns:
        The chains, cheapest first.
    """
    pairs = dict(list(dict(zip(texts, wanted, strict=True)).items())[:_MOST_EXAMPLES])
    known: dict[tuple[str, ...], list[CostedChain]] = {}

    def chains_of(group: tuple[str, ...]) -> list[CostedChain]:
        if group not in known:
            targets = [pairs[text] for text in group]
            chains = find_chains(group, targets, stop, _MOST_STATES)[: 2 * _MOST_CHAINS]
            known[group] = sorted([*_constants(group, targets), *chains], key=lambda one: one.cost)[
                :_MOST_CHAINS
            ]
        return known[group]

    chains: list[CostedChain] = []
    stop = stop or Stop()
    with stop.on_interrupt():
        for group, others in _splits(tuple(pairs)):
            if stop.is_set:
                break
            for guard in itertools.islice(find_guards(group, others), _MOST_GUARDS):
                for one, other in itertools.product(chains_of(group), chains_of(others)):
                    if [step.key for step in one.steps] == [step.key for step in other.steps]:
                        continue
                    chains += _join(one, other, guard, pairs)
    return sorted(chains, key=lambda one: one.cost)


def _splits(texts: tuple[str, ...]) -> Iterator[tuple[tuple[str, ...], tuple[str, ...]]]:
    """All ways to part the texts in two."""
    for size in range(1, len(texts)):
        for group in itertools.combinations(texts, size):
            yield group, tuple(text for text in texts if text not in group)


def _constants(texts: Sequence[str], targets: Sequence[str]) -> list[CostedChain]:
    """What is wanted is the same of all: a constant."""
    if len(set(targets)) > 1 or not targets[0]:
        return []
    cost = STEP["add"] + 0.4 + 0.5 * cost_of_own_text(targets[0])
    step = substitute("(?s).*", escape_given(targets[0]), cost, is_constant=True)
    return [CostedChain((step,), cost + step.cost_of_borrowing(texts))]


def _join(one: CostedChain, other: CostedChain, guard: Guard, pairs: dict[str, str]) -> Iterator[CostedChain]:
    """The steps of two chains for one column, in the order in which neither touches what the other made."""
    # A condition is left out where the chain leaves the other values alone, or can't take them.
    for is_guarded, is_other_guarded in ((False, False), (True, False), (False, True), (True, True)):
        first = _guard(one.steps, guard) if is_guarded else one.steps
        second = _guard(other.steps, guard.negate()) if is_other_guarded else other.steps
        cost = one.cost + other.cost + guard.cost * (is_guarded or is_other_guarded)
        cost += 0.3 * (is_guarded and is_other_guarded)
        for steps in dict.fromkeys(((*first, *second), (*second, *first))):
            if steps and all(_run(steps, text) == target for text, target in pairs.items()):
                yield CostedChain(steps, cost)
                return


def _guard(steps: Chain, guard: Guard) -> Chain:
    return tuple(step._replace(guard=guard) for step in steps)


def _run(steps: Chain, text: str) -> str:
    for step in steps:
        made = step.run_guarded(text) if len(text) <= LONGEST else None
        text = text if made is None else made
    return text
