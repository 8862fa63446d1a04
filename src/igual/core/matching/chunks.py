"""Work on many values in chunks, several at a time; what a chunk gives doesn't depend on the others."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from typing import TypeVar

import numpy as np

from igual.core.matching.texts import Ints

Made = TypeVar("Made")
_FIRST = 500
# So many short texts come together, and longer ones by the room that they need.
_MOST, _SHORT, _LONG = 12_000, 20, 100
_ROOM = _MOST * _SHORT**2
# Most of the work lets others work beside it; more than two at a time would wait for each other.
_AT_A_TIME = 2
Tell = Callable[[int, int], None]


def by_chunks(
    places: Ints, lengths: Ints, work: Callable[[Ints], Made], tell: Tell | None = None
) -> Iterator[tuple[Ints, Made]]:
    """Chunks of places, with what was made of each.

    lengths: of the texts in these places, (places,). Texts of about one length come together, and the longer they
    are, the fewer: side by side as characters, they need little room. A few are done first and alone, since they
    build what the others share. tell: hears how many of how many are done. When the caller stops early, so does
    the work.
    """
    if not len(places):
        return
    chunks = [places[:_FIRST], *_alike(places[_FIRST:], lengths[_FIRST:])]
    yield chunks[0], work(chunks[0])
    if len(chunks) == 1:
        return
    pool = ThreadPoolExecutor(_AT_A_TIME)
    try:
        for number, made in enumerate(pool.map(work, chunks[1:]), 1):
            if tell is not None:
                tell(number + 1, len(chunks))
            yield chunks[number], made
    finally:
        pool.shutdown(cancel_futures=True)


def _alike(places: Ints, lengths: Ints) -> Iterator[Ints]:
    order = np.argsort(lengths, kind="stable")
    ordered, start = lengths[order], 0
    while start < len(order):
        # The room that texts need grows with their length, and that of their words side by side once more.
        room = np.clip(ordered[start : start + _MOST], _SHORT, _LONG) ** 2
        end = start + max(int(np.searchsorted(room * np.arange(1, len(room) + 1), _ROOM, "right")), 1)
        yield places[order[start:end]]
        start = end


def together_made(parts: Sequence[Callable[[], object]]) -> None:
    """Have several things made at a time."""
    with ThreadPoolExecutor(_AT_A_TIME) as pool:
        for _ in pool.map(lambda part: part(), parts):
            pass
