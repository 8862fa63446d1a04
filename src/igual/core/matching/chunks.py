"""Work on many values in chunks, several at a time; what a chunk gives doesn't depend on the others."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from typing import TypeVar

from igual.core.matching.texts import Ints

Made = TypeVar("Made")
Tell = Callable[[int, int], None]


def by_chunks(
    places: Ints, size: int, work: Callable[[Ints], Made], tell: Tell | None = None
) -> Iterator[tuple[Ints, Made]]:
    """Chunks of places, with what was made of each, in order.

    The first is done alone, since it builds what the others share. tell: hears how many of how many are done.
    When the caller stops early, so does the work.
    """
    chunks = [places[at : at + size] for at in range(0, len(places), size)]
    if not chunks:
        return
    yield chunks[0], work(chunks[0])
    if len(chunks) == 1:
        return
    pool = ThreadPoolExecutor(2)
    try:
        for number, made in enumerate(pool.map(work, chunks[1:]), 1):
            if tell is not None:
                tell(number + 1, len(chunks))
            yield chunks[number], made
    finally:
        pool.shutdown(cancel_futures=True)
