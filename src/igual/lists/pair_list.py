"""Pair lists: texts and what to put in their places."""

from __future__ import annotations

import os
from collections.abc import Mapping
from dataclasses import dataclass, field

from igual.column import find_lone_surrogate
from igual.display import Tabled
from igual.errors import ListError, spell_given
from igual.values import values_of


@dataclass(frozen=True, repr=False)
class PairList(Tabled):
    """Texts and what to put in their places, as stewards keep them in a file.

    Attributes:
        pairs: Text to text; none of those to look for is empty.
        file: Where it was read from, as a rulebook that is saved will name it; None keeps it in the rulebook.

    Raises:
        ListError: Where there is no pair, or an empty text to look for.

    Example:
        >>> PairList({"mapel": "maple"})
        <igual.PairList of 1 pair: 'mapel' → 'maple'>
    """

    pairs: Mapping[str, str]
    file: str | None = field(default=None, compare=False)

    def __post_init__(self) -> None:
        if not isinstance(self.pairs, Mapping):
            raise ListError(f"a pair list takes a mapping of text to text; found {type(self.pairs).__name__}")
        object.__setattr__(self, "pairs", values_of(self.pairs))
        if not self.pairs:
            raise ListError("a pair list needs at least one pair")
        if "" in self.pairs:
            raise ListError("a pair list has an empty text to look for")
        if bad := [text for pair in self.pairs.items() for text in pair if not isinstance(text, str)]:
            raise ListError(f"a pair list holds texts; found {spell_given(bad[0])}")
        if (half := find_lone_surrogate(text for pair in self.pairs.items() for text in pair)) is not None:
            raise ListError(f"{half!r} has half of a character, which can't be written anywhere")

    @classmethod
    def load(cls, path: str | os.PathLike[str], *, encoding: str | None = None) -> PairList:
        """Read a pair list from a table file with the columns `from` and `to`. Other columns are left alone.

        Args:
            path: The file: .csv, .xlsx or .parquet.
            encoding: Of a text table, when it is known better than its bytes tell.

        Returns:
            The pair list.

        Raises:
            ListError: Names the row (the header is row 1) of a text that stands twice or is empty.
        """
        from igual.files.lists import load_pair_list

        return load_pair_list(path, encoding)

    def __repr__(self) -> str:
        pairs = [f"{sought!r} → {given!r}" for sought, given in self.pairs.items()]
        more = f" and {len(pairs) - 3:,} more" if len(pairs) > 3 else ""
        count = "1 pair" if len(pairs) == 1 else f"{len(pairs):,} pairs"
        return f"<igual.PairList of {count}: {', '.join(pairs[:3])}{more}>"
