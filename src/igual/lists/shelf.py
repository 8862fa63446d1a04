"""What the rules of a rulebook refer to by name."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, field
from typing import Any, Literal, NamedTuple

from igual.errors import ListError, RulebookError, error_context
from igual.lists.codebook import Codebook
from igual.lists.pair_list import PairList
from igual.lists.reference_list import ReferenceList, as_reference_list

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


_KINDS: Mapping[ShelfName, Callable[[Any], Any]] = {
    "lists": as_reference_list,
    "codebooks": lambda given: given if isinstance(given, Codebook) else Codebook(given),
    "pairs": lambda given: given if isinstance(given, PairList) else PairList(given),
}


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

    def __post_init__(self) -> None:
        for shelf, kind in _KINDS.items():
            object.__setattr__(self, shelf, _name_entries(shelf, kind, getattr(self, shelf)))

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
                raise RulebookError.from_unknown(f"no {SHELVES[shelf]} {name!r}", name, entries)


def _name_entries(shelf: ShelfName, make: Callable[[Any], Any], given: Any) -> dict[str, Any]:
    """What is kept under one of the three names; plain lists and mappings become what they stand for."""
    if not isinstance(given, Mapping):
        kind = type(given).__name__
        raise RulebookError(f"{shelf!r} takes a mapping of names to {SHELVES[shelf]}s; found {kind}")
    made = {}
    for name, entry in given.items():
        with error_context(f"the {SHELVES[shelf]} {name!r}", ListError):
            made[name] = make(entry)
    return made
