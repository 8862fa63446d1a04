"""Decision: how sure is sure enough. It loads nothing, so that the command line can show what is usual."""

from __future__ import annotations

from typing import NamedTuple


class Thresholds(NamedTuple):
    """When a likely match is taken.

    settle: the least score of a match that needs nobody. ask: the least probability that any entry is meant for a
    person to be asked. margin: how far a settled match must be ahead of the runner-up, where the scores of all of a
    value's candidates make 1.
    case_sensitive: texts that differ in case are never settled but by a spelling that is the same.
    """

    settle: float = 0.83
    ask: float = 0.5
    margin: float = 0.97
    case_sensitive: bool = False


USUAL = Thresholds()
