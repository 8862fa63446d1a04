"""Work on many texts in pieces, two at a time.

What is made of a text must not depend on the others. Arrow's and NumPy's kernels let other threads work beside them.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator

import pyarrow as pa

from igual.threads import Made, map_in_order

# So many bytes of text, and so many texts at most: smaller ones would wait for each other more often.
_BYTES, _TEXTS = 1 << 21, 1 << 16


def cut_pieces(values: pa.Array, times: int = 1) -> list[tuple[int, int]]:
    """Where to cut texts: for each piece where it begins, and how many texts it has; one for few texts.

    Args:
        values: The texts, (values,).
        times: How many times smaller pieces are than usual, to hold less at once.
    """
    # Rounded down, so that a piece isn't cut again when its texts are a little longer than others, or become so.
    number = max(times * values.nbytes // _BYTES, -(-times * len(values) // _TEXTS), 1)
    size = max(-(-len(values) // number), 1)
    return [(start, size) for start in range(0, max(len(values), 1), size)]


def in_pieces(values: pa.Array, work: Callable[[int, int], Made]) -> list[Made]:
    """What some work makes of each piece of texts, in order.

    Args:
        values: The texts, (values,).
        work: Is called with where a piece begins, and how many texts it has at most.
    """
    return list(each_piece(values, work))


def each_piece(values: pa.Array, work: Callable[[int, int], Made], times: int = 1) -> Iterator[Made]:
    """The same one by one, so that what is made needn't all be held.

    Args:
        values: The texts, (values,).
        work: As for `in_pieces`.
        times: As for `cut_pieces`.
    """
    pieces = cut_pieces(values, times)
    if len(pieces) == 1:
        yield work(*pieces[0])
        return
    yield from map_in_order(lambda piece: work(*piece), pieces)
    # Release the memory of finished threads.
    pa.default_memory_pool().release_unused()


def change_pieces(values: pa.Array, change: Callable[[pa.Array], pa.Array]) -> pa.Array:
    """The same as `change(values)`, made in pieces."""
    made = in_pieces(values, lambda start, size: change(values.slice(start, size)))
    return made[0] if len(made) == 1 else pa.concat_arrays(made)
