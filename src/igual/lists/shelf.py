"""What the rules of a rulebook refer to by name."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from typing import Any, Literal, NamedTuple

from igual.errors import RulebookError, did_you_mean
from igual.lists.codebook import Codebook
from igual.lists.pair_list import PairList
from igual.lists.reference_list import ReferenceList

ShelfName = Literal["lists", "codebooks", "pairs"]
# What a rulebook keeps for its rules, and what one of each is called.
SHELVES: Mapping[ShelfName, str] = {"lists": "list", "codebooks": "codebook", "pairs": "pair list"}


class Need(NamedTuple):
    """Something that a rule looks up by name.

    Attributes:
        shelf: Where it is kept: lists, codebooks or pairs.
        name: Its name there.
    """

    shelf: ShelfName
    name: str


@dataclass(frozen=True)
class Shelf:
    """The lists, codebooks and pair lists that the rules of a rulebook refer to by name.

    Attributes:
        lists: Reference lists by name.
        codebooks: Codebooks by name.
        pairs: Pair lists by name.
    """

    lists: Mapping[str, ReferenceList] = field(default_factory=dict)
    codebooks: Mapping[str, Codebook] = field(default_factory=dict)
    pairs: Mapping[str, PairList] = field(default_factory=dict)

    def entries(self, shelf: ShelfName) -> Mapping[str, Any]:
        """List what is kept under one of the three names."""
        entries: Mapping[str, Any] = getattr(self, shelf)
        return entries

    def refuse_missing(self, needs: Iterable[Need]) -> None:
        """Check that everything a rule needs is there.

        Args:
            needs: What the rule looks up.

        Raises:
            RulebookError: Names what is missing and the nearest name that is there.
        """
        for shelf, name in needs:
            if name not in (entries := self.entries(shelf)):
                raise RulebookError(f"no {SHELVES[shelf]} {name!r}{did_you_mean(name, entries)}")
