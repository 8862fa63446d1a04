"""Work done on several things at a time; what comes out is in the order of what goes in."""

from __future__ import annotations

from collections import deque
from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from typing import Any, Generic, TypeVar

Item = TypeVar("Item")
Made = TypeVar("Made")
Value = TypeVar("Value")
# Most of the work lets others work beside it; more than two at a time would wait for each other.
AT_A_TIME = 2


def may_start_threads() -> bool:
    """Whether threads can be started without a risk.

    Where the memory of the process is limited (`ulimit -v`), a new thread may find none for its first step: it ends
    without a word, and Python waits for its sign of life without end.
    """
    try:
        import resource
    except ImportError:  # on Windows
        return True
    limits = (resource.getrlimit(kind)[0] for kind in (resource.RLIMIT_AS, resource.RLIMIT_DATA))
    return all(limit == resource.RLIM_INFINITY for limit in limits)


def map_in_order(
    work: Callable[[Item], Made], items: Iterable[Item], threads: int = AT_A_TIME
) -> Iterator[Made]:
    """Do work on items in several threads, a few ahead; in turn where threads may not be started.

    When the caller stops early, so does the work.

    Args:
        work: What to do with an item.
        items: The items.
        threads: How many are worked on at a time.

    Yields:
        What was made of each, in the order of the items.

    Example:
        >>> list(map_in_order(len, ["oak", "maple"]))
        [3, 5]
    """
    if not may_start_threads():
        yield from map(work, items)
        return
    with ThreadPoolExecutor(threads) as pool:
        waiting: deque[Future[Made]] = deque()
        try:
            for item in items:
                waiting.append(pool.submit(work, item))
                if len(waiting) > threads:
                    yield waiting.popleft().result()
            while waiting:
                yield waiting.popleft().result()
        finally:
            for future in waiting:
                future.cancel()


class lazy_property(Generic[Value]):  # noqa: N801  # it stands where `property` does
    """A property that is computed when it is first asked for, as `functools.cached_property` does it, without a lock.

    Before Python 3.12 that has a lock for all instances of a class: while one thread computes the property of a part of
    a table, those at work on other parts wait. This is for what belongs to the part of one thread.

    Args:
        compute: Computes it.
    """

    def __init__(self, compute: Callable[[Any], Value]) -> None:
        self._compute = compute
        self.__doc__ = compute.__doc__

    def __get__(self, instance: object, owner: type) -> Value:
        # What stands in the instance under the same name is found first from now on.
        value = instance.__dict__[self._compute.__name__] = self._compute(instance)
        return value
