"""Which entries of a list free texts mention: whole words, the longest entry at each place."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence

# A word with the hyphens and apostrophes inside it: `Guinea-Bissau` is one, so that it doesn't mention `Guinea`.
_WORD = re.compile(r"[^\W_]+(?:['’\-‐][^\W_]+)*")
_WordTuple = tuple[str, ...]


class Mentions:
    """Spellings of entries, ready to be found in texts.

    A text is read from left to right; where several spellings begin at a word the longest is taken, and
    reading goes on behind it.
    """

    def __init__(self, spellings: Mapping[str, int]) -> None:
        """spellings: texts and the place of the entry that each stands for."""
        self._entry_of: dict[_WordTuple, int] = {}
        lengths: dict[str, set[int]] = {}
        for spelling, entry in spellings.items():
            words = tuple(_WORD.findall(spelling))
            if words and words not in self._entry_of:
                self._entry_of[words] = entry
                lengths.setdefault(words[0], set()).add(len(words))
        self._lengths = {first: sorted(sizes, reverse=True) for first, sizes in lengths.items()}

    def find_in(self, texts: Sequence[str | None]) -> list[tuple[int, ...]]:
        """For each text the entries it mentions, each once, in the order of first mention."""
        return [self._in_one(text) if text else () for text in texts]

    def _in_one(self, text: str) -> tuple[int, ...]:
        words = _WORD.findall(text)
        lengths = self._lengths
        if lengths.keys().isdisjoint(words):
            return ()
        found: list[int] = []
        behind = 0
        for at, word in enumerate(words):
            sizes = lengths.get(word)
            if sizes is None or at < behind:
                continue
            for size in sizes:
                entry = self._entry_of.get(tuple(words[at : at + size]) if size > 1 else (word,))
                if entry is not None:
                    behind = at + size
                    if entry not in found:
                        found.append(entry)
                    break
        return tuple(found)
