"""Beginnings and endings that several entries have: what is left tells entries apart (`Cardiology`, `Radiology`)."""

from __future__ import annotations

from bisect import bisect_left
from collections import Counter
from itertools import takewhile

import pyarrow as pa

# A part has so many letters at least, and so many entries, or such a share of them; what is left has few letters.
_SHORTEST, _ENTRIES, _SHARE, _FEW = 3, 3, 0.05, 5
# Behind every letter.
_LAST = "\U0010ffff"


class CommonParts:
    """Tells which parts of texts are common among entries.

    Args:
        entries: The letters of the entries, (entries,).
    """

    def __init__(self, entries: pa.Array) -> None:
        letters = entries.to_pylist()
        self._beginnings = _Ordered(letters)
        self._endings = _Ordered([text[::-1] for text in letters])

    @property
    def are_any(self) -> bool:
        """Whether there are any."""
        return bool(self._beginnings.common or self._endings.common)

    def find(self, value: str, entry: str) -> str:
        """Find the parts that a value and an entry share with others, where only few letters are left.

        Args:
            value: The letters of a value.
            entry: Those of an entry.

        Returns:
            The parts, with a gap for what is left between; empty where more than few letters are left.
        """
        end = self._endings.find_longest(value[::-1], entry[::-1])
        left = min(len(value), len(entry)) - end
        begin = min(self._beginnings.find_longest(value, entry), left)
        if not begin + end or left - begin > _FEW:
            return ""
        return "…".join((value[:begin], value[len(value) - end :]))


class _Ordered:
    """Texts in order, in which those that begin alike stand together. texts: the texts, (texts,)."""

    def __init__(self, texts: list[str]) -> None:
        self._texts = sorted(texts)
        self._several = max(_ENTRIES, _SHARE * len(texts))
        times = Counter(text[:_SHORTEST] for text in texts)
        self.common = {part for part, count in times.items() if count >= self._several}

    def find_longest(self, one: str, other: str) -> int:
        """How long the longest beginning of two texts is that several have."""
        if one[:_SHORTEST] not in self.common:
            return 0
        shared = sum(1 for _ in takewhile(lambda both: both[0] == both[1], zip(one, other, strict=False)))
        for size in range(shared, _SHORTEST - 1, -1):
            part = one[:size]
            if bisect_left(self._texts, part + _LAST) - bisect_left(self._texts, part) >= self._several:
                return size
        return 0
