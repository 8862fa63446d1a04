"""What became of values that were matched."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Literal

import numpy as np
import numpy.typing as npt
import pyarrow as pa

from igual.decisions import Cause
from igual.matching.lookups import How
from igual.matching.pairs import Ints
from igual.matching.reasons import OF_LOOK_UP, Reasons
from igual.matching.scoring import Floats
from igual.threads import lazy_property

Status = Literal["settled", "open", "unknown"]
SETTLED, OPEN, UNKNOWN = range(3)
STATUSES: tuple[Status, ...] = ("settled", "open", "unknown")
# How many entries are proposed for a value, the best among them.
RANKS = 5


@dataclass(eq=False)
class Matched:
    """What became of distinct values, (values,) each.

    Attributes:
        values: The values.
        status: SETTLED, OPEN or UNKNOWN.
        entry: The position of the entry proposed, -1 for none.
        score: The score of the proposal, 0 to 1.
        runner_up: The position of the second best entry, -1 for none.
        runner_up_score: Its score.
        how: The way that found the proposal, a `How`.
        explained: The reasons of single values, where they are more than `how` says.
        rankings: Of values with several candidates all of these, in parts: positions of values, entries and scores,
            by value and most likely first.
        within: What stands beside each value, where that restricts the entries that it may mean, (values,).
        count_agreed: Counts the single rulings on each kind of difference; only questions ask for that.
    """

    values: pa.Array
    status: npt.NDArray[np.int8]
    entry: Ints
    score: Floats
    runner_up: Ints
    runner_up_score: Floats
    how: npt.NDArray[np.int8]
    explained: dict[int, Reasons] = field(default_factory=dict)
    rankings: list[tuple[Ints, Ints, Floats]] = field(default_factory=list)
    within: pa.Array | None = None
    count_agreed: Callable[[], Mapping[Cause, int]] = dict

    @classmethod
    def nothing(cls, values: pa.Array) -> Matched:
        """Start with values of which nothing is known.

        Args:
            values: The values, (values,).

        Returns:
            All of them unknown, without a proposal.
        """
        size = len(values)
        status, how = np.full(size, UNKNOWN, np.int8), np.full(size, How.NONE, np.int8)
        return cls(values, status, np.full(size, -1), np.zeros(size), np.full(size, -1), np.zeros(size), how)

    def reasons_of(self, position: int) -> Reasons:
        """Give the reasons why a value is matched as it is.

        Args:
            position: Of the value.

        Returns:
            Its reasons.
        """
        return self.explained.get(position) or (
            OF_LOOK_UP.get(How(self.how[position]), OF_LOOK_UP[How.NONE]),
        )

    @property
    def reasons(self) -> list[Reasons]:
        """The reasons of all values, (values,)."""
        of_look_up = {int(how): (reason,) for how, reason in OF_LOOK_UP.items()}
        return [
            self.explained.get(position) or of_look_up[how] for position, how in enumerate(self.how.tolist())
        ]

    @lazy_property
    def _sorted_rankings(self) -> tuple[Ints, Ints, Floats]:
        parts = self.rankings or [(np.zeros(0, np.int64), np.zeros(0, np.int64), np.zeros(0))]
        value, entry, score = (np.concatenate(column) for column in zip(*parts, strict=True))
        order = np.argsort(value, kind="stable")
        return value[order], entry[order], score[order]

    def rank_candidates(self, position: int) -> list[tuple[int, float]]:
        """List a value's candidates.

        Args:
            position: Of the value.

        Returns:
            Positions of entries and their scores, most likely first, up to RANKS of them.
        """
        if self.entry[position] < 0:
            return []
        values, entries, scores = self._sorted_rankings
        start, end = np.searchsorted(values, [position, position + 1]).tolist()
        end = min(end, start + RANKS)
        several = list(zip(entries[start:end].tolist(), scores[start:end].tolist(), strict=True))
        return several or [(int(self.entry[position]), float(self.score[position]))]

    def take(self, positions: Ints) -> Matched:
        """Choose some of the values.

        Args:
            positions: Which ones, in order, (chosen,).

        Returns:
            What became of these.
        """
        chosen = Matched.nothing(self.values.take(pa.array(positions)))
        for name in ("status", "entry", "score", "runner_up", "runner_up_score", "how"):
            getattr(chosen, name)[:] = getattr(self, name)[positions]
        place_of = np.full(len(self.values), -1)
        place_of[positions] = np.arange(len(positions))
        chosen.explained = {
            int(place_of[position]): reasons
            for position, reasons in self.explained.items()
            if place_of[position] >= 0
        }
        for value, entry, score in self.rankings:
            kept = place_of[value] >= 0
            chosen.rankings.append((place_of[value[kept]], entry[kept], score[kept]))
        return chosen

    def put_part(self, positions: Ints, part: Matched) -> None:
        """Put in what became of some of the values.

        Args:
            positions: Of these values, (part,).
            part: What became of them.
        """
        for name in ("status", "entry", "score", "runner_up", "runner_up_score", "how"):
            getattr(self, name)[positions] = getattr(part, name)
        places = positions[np.fromiter(part.explained, np.int64, len(part.explained))]
        self.explained.update(zip(places.tolist(), part.explained.values(), strict=True))
        self.rankings += [(positions[value], entry, score) for value, entry, score in part.rankings]
