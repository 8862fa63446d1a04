"""Work on many values in chunks, several at a time; what a chunk gives doesn't depend on the others."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from typing import TypeVar

from igual.core.matching.texts import Ints

Made = TypeVar("Made")
_FIRST = 500
# Most of the work lets others work beside it; more than two at a time would wait for each other.
_AT_A_TIME = 2
Tell = Callable[[int, int], None]


def by_chunks(
    places: Ints, size: int, work: Callable[[Ints], Made], tell: Tell | None = None
) -> Iterator[tuple[Ints, Made]]:
    """Chunks of places, with what was made of each, in order.

    A few are done first and alone, since they build what the others share. tell: hears how many of how many are
    done. When the caller stops early, so does the work.
    """
    chunks = [places[:_FIRST], *(places[at : at + size] for at in range(_FIRST, len(places), size))]
    if not len(places):
        return
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


def together_made(parts: Sequence[Callable[[], object]]) -> None:
    """Have several things made at a time."""
    with ThreadPoolExecutor(_AT_A_TIME) as pool:
        for _ in pool.map(lambda part: part(), parts):
            pass
