"""Work on many values in chunks, several at a time; what a chunk gives doesn't depend on the others."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence

import numpy as np

from igual.matching.pairs import Ints
from igual.threads import Made, map_in_order

_FIRST = 500
# So many short texts come together, and longer ones by the room that they need.
_MOST, _SHORT, _LONG = 12_000, 20, 100
_ROOM = _MOST * _SHORT**2
ProgressCallback = Callable[[int, int], None]


def work_in_chunks(
    positions: Ints, lengths: Ints, work: Callable[[Ints], Made], on_progress: ProgressCallback | None = None
) -> Iterator[tuple[Ints, Made]]:
    """Do some work in chunks, several at a time.

    Texts of about one length come together, and the longer they are, the fewer: side by side as characters, they
    need little room. A few are done first and alone, since they build what the others share. When the caller stops
    early, so does the work.

    Args:
        positions: What the work is to be done on, (positions,).
        lengths: Of the texts in these positions, (positions,).
        work: Is called with each chunk of positions.
        on_progress: Is called with how many of how many chunks are done.

    Yields:
        Chunks of positions, with what was made of each.
    """
    if not len(positions):
        return
    chunks = [positions[:_FIRST], *_split_by_length(positions[_FIRST:], lengths[_FIRST:])]
    yield chunks[0], work(chunks[0])
    if len(chunks) == 1:
        return
    for number, made in enumerate(map_in_order(work, chunks[1:]), 1):
        if on_progress is not None:
            on_progress(number + 1, len(chunks))
        yield chunks[number], made


def _split_by_length(positions: Ints, lengths: Ints) -> Iterator[Ints]:
    order = np.argsort(lengths, kind="stable")
    ordered, start = lengths[order], 0
    while start < len(order):
        # The room that texts need grows with their length, and that of their words side by side once more.
        room = np.clip(ordered[start : start + _MOST], _SHORT, _LONG) ** 2
        end = start + max(int(np.searchsorted(room * np.arange(1, len(room) + 1), _ROOM, "right")), 1)
        yield positions[order[start:end]]
        start = end


def run_in_threads(parts: Sequence[Callable[[], object]]) -> None:
    """Have several things made at a time."""
    for _ in map_in_order(lambda part: part(), parts):
        pass
