"""What is learned from a column and some examples: chains of steps, best first, and what to ask next."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import NamedTuple

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from igual.learning.branches import find_branches
from igual.learning.columns import SEPARATOR
from igual.learning.search import Chain, Stop, find_chains
from igual.learning.weighing import Belief, ChainOutput, Floats, Weighing, look_at, measure_doubt, weigh

_SAMPLE = 200
# Only values of so many characters are looked at besides the examples.
_LONGEST = 300
# From which cost on it is tried whether some values are meant this way, and others that way.
_DEAR = 8.0
# The search begins with so many examples; those that its chains don't explain join it, up to so many.
_FIRST_EXAMPLES, _MOST_EXAMPLES = 3, 6
# How much is in doubt of a value that is like no example, though all chains agree on it.
_NOT_TAKEN, _NOT_CHANGED = 0.3, 0.02


class Inferred(NamedTuple):
    """What was learned from examples.

    Attributes:
        beliefs: Chains, most likely first.
        ask: The position of the value whose answer would tell most; None where nothing is in doubt.
        breaks: The position of an example that no chain explains together with the others.
    """

    beliefs: Sequence[Belief]
    ask: int | None
    breaks: int | None = None


def infer(values: pa.Array, wanted: Mapping[int, str], stop: Stop | None = None) -> Inferred:
    """Learn chains from examples.

    Args:
        values: Distinct texts, none of them blank, (values,).
        wanted: What is wanted of some, by position.
        stop: Whether to come back with what there is by now.

    Returns:
        What was learned.
    """
    if not wanted:
        return Inferred([], choose_first(values))
    examples = sorted(wanted)
    is_short = pc.less_equal(pc.utf8_length(values), _LONGEST).to_pylist()
    rest = [place for place in range(len(values)) if place not in wanted and is_short[place]]
    step = max(len(rest) / _SAMPLE, 1.0)
    places = [*examples, *(rest[int(number * step)] for number in range(min(len(rest), _SAMPLE)))]
    texts: list[str] = values.take(pa.array(places)).to_pylist()
    targets = [wanted[place] for place in examples]
    outputs, breaks = _explain(texts, targets, stop or Stop())
    beliefs = weigh(outputs)
    if not beliefs:
        where = None if breaks is None else examples[breaks]
        return Inferred([], rest[0] if rest else None, where)
    doubt = measure_doubt(beliefs, len(places)) + _doubt_unlike_examples(beliefs[0], texts, len(examples))
    doubt[: len(examples)] = 0
    ask = int(np.argmax(doubt))
    return Inferred(beliefs, places[ask] if doubt[ask] > 0 else None)


def list_unmatched_values(values: pa.Array, beliefs: Sequence[Belief]) -> list[int]:
    """List the positions of values that no chain takes.

    Args:
        values: Distinct texts, (values,).
        beliefs: The chains.

    Returns:
        The positions, in ascending order.
    """
    left = list(range(len(values)))
    for belief in beliefs:
        now: list[str | None] = values.take(pa.array(left, pa.int64())).to_pylist()
        for step in belief.best.steps:
            now = step.run_on(now)
        left = [place for place, text in zip(left, now, strict=True) if not (text or "").strip()]
        if not left:
            break
    return left


def _explain(
    texts: Sequence[str], targets: Sequence[str], stop: Stop
) -> tuple[list[ChainOutput], int | None]:
    """Chains that explain all examples; without one, the place of an example that breaks those that explain others."""
    weighing = Weighing(texts, targets)
    chosen = _choose_different(texts[: len(targets)])
    while True:
        some, wanted = [texts[place] for place in chosen], [targets[place] for place in chosen]
        chains = find_chains(some, wanted, stop)
        outputs = weighing.evaluate(chains, stop)
        if len(chosen) > 1 and SEPARATOR not in texts[0] and (not outputs or outputs[0].score > _DEAR):
            branches = find_branches(some, wanted, stop)
            outputs = sorted([*outputs, *weighing.evaluate(branches, stop)], key=lambda one: one.score)
            chains = chains or branches
        if outputs:
            return outputs, None
        broken = weighing.find_broken(chains) if chains else None
        if broken is None or len(chosen) >= _MOST_EXAMPLES or broken in chosen or stop.is_set:
            return [], chosen[-1] if broken is None else broken
        chosen.append(broken)


def _choose_different(texts: Sequence[str]) -> list[int]:
    """A few examples that look different, for the search to begin with."""
    by_look: dict[int, int] = {}
    for place, text in enumerate(texts):
        by_look.setdefault(look_at(text), place)
    others = [place for place in range(len(texts)) if place not in by_look.values()]
    return [*by_look.values(), *others][:_FIRST_EXAMPLES]


def _doubt_unlike_examples(belief: Belief, texts: Sequence[str], examples: int) -> Floats:
    """Doubt about values that the best chain treats in a way that no example shows, (values,)."""
    doubt = np.zeros(len(texts))
    keys = _list_keys(belief.best.steps, texts)
    known = set(keys[:examples])
    taken = belief.best.is_taken
    for place in range(examples, len(texts)):
        if keys[place] not in known:
            doubt[place] = _NOT_CHANGED if taken[place] else _NOT_TAKEN
    return doubt


def _list_keys(steps: Chain, texts: Sequence[str]) -> list[tuple[object, ...]]:
    """How a chain treats each value: whether it changes, gets zeros before it, and which steps take it.

    Of no steps it is the looks of the value.
    """
    if not steps:
        return [(look_at(text), len(text)) for text in texts]
    now: list[str] = list(texts)
    taken: list[list[bool]] = []
    for step in steps:
        made = step.run_on(now)
        taken.append([new is not None for new in made])
        now = [old if new is None else new for old, new in zip(now, made, strict=True)]
    changed = [old != new for old, new in zip(texts, now, strict=True)]
    has_zeros = [len(new) > 1 and new[0] == "0" for new in now]
    return list(zip(changed, has_zeros, *taken, strict=True))


def shape_of(values: pa.Array) -> pa.Array:
    """Give the shape of texts: runs of letters as `a`, of digits as `9`, of spaces as one, all marks as they are.

    Args:
        values: Texts, (values,).

    Returns:
        Their shapes, (values,).

    Example:
        >>> shape_of(pa.array(["12. May 2024", "Dubois, M."])).to_pylist()
        ['9. a 9', 'a, a.']
    """
    shapes = values
    for pattern, given in ((r"\p{L}+", "a"), ("[0-9]+", "9"), (r"\s+", " ")):
        shapes = pc.replace_substring_regex(shapes, pattern=pattern, replacement=given)
    return shapes


def choose_first(values: pa.Array) -> int | None:
    """Which value to ask about before anything is known: of the commonest shape, the one with least twice in it."""
    if not len(values):
        return None
    shapes = shape_of(values)
    counted = shapes.value_counts()
    order = np.argsort(-counted.field(1).to_numpy(), kind="stable")
    commonest = counted.field(0)[int(order[0])]
    places = np.flatnonzero(pc.equal(shapes, commonest).to_numpy(zero_copy_only=False))[:200]
    texts = values.take(pa.array(places)).to_pylist()
    return int(places[max(range(len(texts)), key=lambda place: (_variety(texts[place]), -place))])


def _variety(text: str) -> float:
    return len(set(text.casefold())) / max(len(text), 1)
