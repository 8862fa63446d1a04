"""Codebooks (code to label) and reference lists (the accepted values with their aliases)."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field

from igual.core.codes import Coded, checked
from igual.core.errors import ListError


@dataclass(frozen=True)
class Codebook:
    """Codes and their labels, in order.

    labels: code to label; every code and every label is a text that isn't blank.
    special: what plain codes can't say: ranges of numbers, and meanings for some time only.
    file: where it was read from, as a rulebook that is saved will name it; None keeps it in the rulebook.
    read_with: further words by which a rulebook names where it comes from (language; sql and database).

    >>> Codebook({"1": "good", "2": "fair"}).labels["2"]
    'fair'
    """

    labels: Mapping[str, str]
    special: Sequence[Coded] = ()
    file: str | None = field(default=None, compare=False)
    read_with: Mapping[str, str] = field(default_factory=dict, compare=False)

    def __post_init__(self) -> None:
        object.__setattr__(self, "special", tuple(Coded(*one) for one in self.special))
        if not self.labels and not self.special:
            raise ListError("a codebook needs at least one code")
        codes = [*self.labels.items(), *((one.code, one.label) for one in self.special)]
        for code, label in codes:
            if not isinstance(code, str) or not isinstance(label, str):
                raise ListError(f"a codebook holds texts; found {code!r}: {label!r}")
            if not label.strip():
                raise ListError(f"code {code!r} has no label")
        checked(self.special)

    @property
    def order(self) -> tuple[str, ...]:
        """The labels in the order of their codes, each once."""
        return tuple(dict.fromkeys([*self.labels.values(), *(one.label for one in self.special)]))

    @property
    def is_dated(self) -> bool:
        """Whether what a code means depends on the day."""
        return any(one.since or one.until for one in self.special)


@dataclass(frozen=True)
class ReferenceList:
    """The accepted values of a column.

    values: the entries, in order, none twice.
    aliases: entry to other spellings of it; an alias belongs to one entry only and is no entry itself.
    attributes: further columns of the list by name, one text (or None) per entry.
    file, read_with: where it was read from, as for a `Codebook`.

    >>> species = ReferenceList(["Norway maple", "Common oak"], aliases={"Norway maple": ["ACPL"]})
    >>> species.entry_of["ACPL"]
    'Norway maple'
    """

    values: Sequence[str]
    aliases: Mapping[str, Sequence[str]] = field(default_factory=dict)
    attributes: Mapping[str, Sequence[str | None]] = field(default_factory=dict)
    file: str | None = field(default=None, compare=False)
    read_with: Mapping[str, str] = field(default_factory=dict, compare=False)

    def __post_init__(self) -> None:
        set_field = object.__setattr__  # the dataclass is frozen: made even before anyone sees it
        set_field(self, "values", tuple(self.values))
        set_field(self, "aliases", {entry: tuple(given) for entry, given in self.aliases.items() if given})
        set_field(self, "attributes", {name: tuple(column) for name, column in self.attributes.items()})
        if not self.values:
            raise ListError("a reference list needs at least one entry")
        _refuse_repeats(self.values)
        for name, column in self.attributes.items():
            if len(column) != len(self.values):
                raise ListError(f"attribute {name!r} has {len(column)} values for {len(self.values)} entries")
        set_field(self, "entry_of", self._spellings())

    # Every accepted spelling (entries and aliases) and the entry it stands for.
    entry_of: Mapping[str, str] = field(init=False, compare=False, repr=False)

    def _spellings(self) -> dict[str, str]:
        known = {entry: entry for entry in self.values}
        for entry, given in self.aliases.items():
            if entry not in known:
                raise ListError(f"aliases are given for {entry!r}, which is not an entry")
            for alias in given:
                if not isinstance(alias, str) or not alias.strip():
                    raise ListError(f"an alias of {entry!r} is blank")
                owner = known.setdefault(alias, entry)
                if owner != entry:
                    raise ListError(f"alias {alias!r} stands for two entries: {owner!r} and {entry!r}")
        return known


def _refuse_repeats(values: Iterable[str]) -> None:
    seen: set[str] = set()
    for value in values:
        if not isinstance(value, str) or not value.strip():
            raise ListError(f"entry {len(seen) + 1} of a reference list is blank or not a text: {value!r}")
        if value in seen:
            raise ListError(f"entry {value!r} stands twice in the reference list")
        seen.add(value)


@dataclass(frozen=True)
class PairList:
    """Texts and what to put in their places, as stewards keep them in a file.

    pairs: text to text; none of those to look for is empty. file: as for a `Codebook`.
    """

    pairs: Mapping[str, str]
    file: str | None = field(default=None, compare=False)

    def __post_init__(self) -> None:
        if not self.pairs:
            raise ListError("a pair list needs at least one pair")
        if "" in self.pairs:
            raise ListError("a pair list has an empty text to look for")


@dataclass(frozen=True)
class Shelf:
    """The lists, codebooks and pair lists that the rules of a rulebook refer to by name."""

    lists: Mapping[str, ReferenceList] = field(default_factory=dict)
    codebooks: Mapping[str, Codebook] = field(default_factory=dict)
    pairs: Mapping[str, PairList] = field(default_factory=dict)
