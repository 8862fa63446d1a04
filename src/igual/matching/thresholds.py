"""Decision: how sure is sure enough. It imports nothing, so that the command line can show the defaults quickly."""

from __future__ import annotations

from typing import NamedTuple


class Thresholds(NamedTuple):
    """When a likely match is accepted.

    Attributes:
        settle: Minimum score to accept a match without review, 0 to 1.
        ask: Minimum probability that any entry is meant, 0 to 1, for the value to be open rather than unknown.
        margin: How clear the best entry must be for a match to be settled: its lead over the second best, as a share
            of the scores of all entries that come into question, 0 to 1.
        case_sensitive: Texts that differ in case are only settled by a spelling that is the same.
    """

    settle: float = 0.83
    ask: float = 0.5
    margin: float = 0.97
    case_sensitive: bool = False


DEFAULTS = Thresholds()
