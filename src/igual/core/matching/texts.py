"""Texts as matrices of characters: what every part of matching computes on."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np
import numpy.typing as npt

Ints = npt.NDArray[np.int64]
Matrix = npt.NDArray[np.uint16]

# Characters that edits look at; what is longer is matched by its words.
LONGEST = 64


@dataclass(frozen=True, eq=False)
class Texts:
    """Texts made ready for comparing.

    characters: code points, (texts, longest), 0 behind the end; those beyond 16 bits are folded into a private
        range. lengths: (texts,); texts are cut at LONGEST characters. cut: which ones were, (texts,).
    """

    characters: Matrix
    lengths: Ints

    @classmethod
    def of(cls, texts: Sequence[str], longest: int = LONGEST) -> Texts:
        longest = min(max((len(text) for text in texts), default=1) or 1, longest)
        points = np.array(texts, dtype=f"U{longest}").reshape(-1, 1).view(np.uint32)
        points = points.reshape(len(texts), longest)
        lengths = longest - (points[:, ::-1] != 0).argmax(axis=1)
        lengths[points.any(axis=1) == 0] = 0
        narrow = np.where(points > 0xFFFF, 0xE000 | (points & 0x1FFF), points).astype(np.uint16)
        return cls(narrow, lengths.astype(np.int64))

    def __len__(self) -> int:
        return len(self.lengths)

    def take(self, places: Ints) -> Texts:
        return Texts(self.characters[places], self.lengths[places])

    @cached_property
    def by_length(self) -> list[tuple[int, Ints]]:
        """Each length that occurs, with the places of its texts."""
        order = np.argsort(self.lengths, kind="stable")
        found, starts = np.unique(self.lengths[order], return_index=True)
        return list(zip(found.tolist(), np.split(order, starts[1:]), strict=True))


def spans(starts: Ints, lengths: Ints) -> Ints:
    """The numbers of several spans, one after another: start, start + 1, … of each."""
    ends = np.cumsum(lengths)
    whole = int(ends[-1]) if len(ends) else 0
    shift: Ints = np.repeat(starts - (ends - lengths), lengths)
    return shift + np.arange(whole)
