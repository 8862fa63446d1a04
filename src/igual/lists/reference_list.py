"""Reference lists: the accepted values of a column."""

from __future__ import annotations

import os
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from igual.column import find_lone_surrogate
from igual.display import Tabled, format_short_list
from igual.errors import ListError, spell_given
from igual.values import value_or_same, values_of


@dataclass(frozen=True, repr=False)
class ReferenceList(Tabled):
    """The accepted values of a column.

    Attributes:
        values: The entries, in order, none twice; or a table with the columns `value`, perhaps `alias`, and
            attributes, as `load` takes them.
        aliases: Entry to other spellings of it. Published lists have aliases that two entries claim: values that are
            spelled so are open between these. An alias that is an entry itself means that entry.
        attributes: Further columns of the list by name, one text (or None) per entry.
        file: Where it was read from, as a rulebook that is saved will name it; None keeps it in the rulebook.
        read_with: Further words by which a rulebook names where it comes from (language; sql and database).
        entry_of: Every accepted spelling, entries and aliases, and the entry it stands for; not those in `contested`.
        contested: Each alias that several entries claim, or that is an entry itself, and the entries that claim it.

    Raises:
        ListError: For a blank or repeated entry, and for a blank alias.

    Example:
        >>> species = ReferenceList(["Norway maple", "Common oak"], aliases={"Norway maple": ["ACPL"]})
        >>> species.entry_of["ACPL"]
        'Norway maple'
        >>> species
        <igual.ReferenceList of 2 entries and 1 alias: 'Norway maple', 'Common oak'>
    """

    values: Sequence[str]
    aliases: Mapping[str, Sequence[str]] = field(default_factory=dict)
    attributes: Mapping[str, Sequence[str | None]] = field(default_factory=dict)
    file: str | None = field(default=None, compare=False)
    read_with: Mapping[str, str] = field(default_factory=dict, compare=False)
    entry_of: Mapping[str, str] = field(init=False, compare=False)
    contested: Mapping[str, Sequence[str]] = field(init=False, compare=False)

    def __post_init__(self) -> None:
        set_field = object.__setattr__  # the dataclass is frozen
        for word in ("aliases", "attributes"):
            if not isinstance(given := getattr(self, word), Mapping):
                raise ListError(f"{word!r} takes a mapping of names to lists; found {type(given).__name__}")
        if _is_table(self.values):
            self._take_table()
        for given in (self.values, *self.aliases.values(), *self.attributes.values()):
            if isinstance(given, str | bytes) or not isinstance(given, Iterable):
                raise ListError(
                    f"entries, aliases and attributes take lists of texts; found {spell_given(given)}"
                )
        set_field(self, "values", _as_values(self.values))
        aliases = values_of(self.aliases)
        set_field(self, "aliases", {entry: _as_values(given) for entry, given in aliases.items() if given})
        set_field(self, "attributes", {name: _as_values(column) for name, column in self.attributes.items()})
        if not self.values:
            raise ListError("a reference list needs at least one entry")
        _refuse_repeats(self.values)
        for name, column in self.attributes.items():
            if others := [cell for cell in column if not isinstance(cell, str | None)]:
                raise ListError(f"attribute {name!r} takes texts; found {spell_given(others[0])}")
            if len(column) != len(self.values):
                raise ListError(f"attribute {name!r} has {len(column)} values for {len(self.values)} entries")
        entry_of, contested = self._collect_spellings()
        set_field(self, "entry_of", entry_of)
        set_field(self, "contested", contested)
        if (bad := find_lone_surrogate(self.entry_of)) is not None:
            raise ListError(f"{bad!r} has half of a character, which can't be written anywhere")

    def _take_table(self) -> None:
        from igual.files.lists import read_reference_table

        if self.aliases or self.attributes:
            raise ListError("aliases and attributes stand in the table itself; give it alone")
        read = read_reference_table(self.values)
        for word in ("values", "aliases", "attributes"):
            object.__setattr__(self, word, getattr(read, word))

    @classmethod
    def load(
        cls, path: str | os.PathLike[str], *, encoding: str | None = None, language: str | None = None
    ) -> ReferenceList:
        """Read a reference list from a table file with the column `value`, perhaps `alias`, and attributes.

        Several aliases of an entry stand in one cell, separated by `|`. From SKOS (.ttl, .jsonld; requires the extra
        `skos`) preferred labels are the entries, alternative and hidden ones their aliases; uri, notation, broader
        and hidden are attributes.

        Args:
            path: The file: .csv, .xlsx, .parquet, .ttl or .jsonld.
            encoding: Of a text table, when it is known better than its bytes tell.
            language: Of the labels in a SKOS file; None takes the only language there is.

        Returns:
            The list.

        Raises:
            ListError: Names the row (the header is row 1) of a repeated or blank entry, or a blank alias.
        """
        from igual.files.lists import load_reference_list

        return load_reference_list(path, encoding, language)

    @classmethod
    def from_sql(cls, url: str, query: str) -> ReferenceList:
        """Read a reference list from what a query gives, with columns as for `load`; requires the extra `sql`.

        Args:
            url: Of the database, as SQLAlchemy writes it; it is never printed or kept.
            query: A query that only reads.

        Returns:
            The list.

        Raises:
            ListError: As for `load`, and for a query that does anything but read.
        """
        from igual.files.lists import query_reference_list

        return query_reference_list(url, query)

    def save_skos(self, path: str | os.PathLike[str], *, language: str | None = None) -> None:
        """Write the list as SKOS, Turtle or JSON-LD by the ending of the name. `load` reads the same list back.

        Args:
            path: The file to write: .ttl or .jsonld.
            language: Of the labels; None gives them none.

        Raises:
            OutputError: For another ending, or where the file can't be written.
        """
        from igual.files.skos import write_concepts

        write_concepts(self, path, language)

    def __repr__(self) -> str:
        aliases = sum(map(len, self.aliases.values()))
        with_aliases = f" and {aliases:,} alias{'' if aliases == 1 else 'es'}" if aliases else ""
        entries = "1 entry" if len(self.values) == 1 else f"{len(self.values):,} entries"
        return f"<igual.ReferenceList of {entries}{with_aliases}: {format_short_list(self.values)}>"

    def _collect_spellings(self) -> tuple[dict[str, str], dict[str, tuple[str, ...]]]:
        """Every spelling that stands for one entry, and those that stand for several."""
        known = dict(zip(self.values, self.values, strict=True))
        contested: dict[str, tuple[str, ...]] = {}
        for entry, given in self.aliases.items():
            if entry not in known:
                raise ListError(f"aliases are given for {entry!r}, which is not an entry")
            for alias in given:
                if not isinstance(alias, str) or not alias.strip():
                    raise ListError(f"an alias of {entry!r} is blank")
                owner = known.setdefault(alias, entry)
                if owner != entry:
                    claimed = contested.get(alias, (owner,))
                    contested[alias] = claimed if entry in claimed else (*claimed, entry)
        if not contested:
            return known, contested
        entries = set(self.values)
        return {
            text: entry for text, entry in known.items() if text not in contested or text in entries
        }, contested


def _is_table(given: object) -> bool:
    """Whether something has columns: as a sequence of entries it would be its column names."""
    has_columns = hasattr(type(given), "columns") or hasattr(type(given), "column_names")
    return isinstance(given, Mapping) or has_columns


def as_reference_list(given: ReferenceList | Iterable[str]) -> ReferenceList:
    """Take a reference list, or make one of its entries.

    Args:
        given: The list, or the entries alone.

    Returns:
        The list.

    Raises:
        ListError: Where no list can be made of it.

    Example:
        >>> as_reference_list(["Elm"]).values
        ('Elm',)
    """
    return given if isinstance(given, ReferenceList) else ReferenceList(given)  # type: ignore[arg-type]


def _as_values(cells: Iterable[Any]) -> tuple[Any, ...]:
    cells = tuple(cells)
    if {*map(type, cells)} == {str}:
        return cells
    return tuple(cell if type(cell) is str else value_or_same(cell) for cell in cells)


def _refuse_repeats(values: Sequence[str]) -> None:
    if {*map(type, values)} == {str} and all(map(str.strip, values)) and len({*values}) == len(values):
        return
    seen: set[str] = set()
    for value in values:
        if not isinstance(value, str) or not value.strip():
            raise ListError(
                f"entry {len(seen) + 1} of a reference list is blank or not a text: {spell_given(value)}"
            )
        if value in seen:
            raise ListError(f"entry {value!r} stands twice in the reference list")
        seen.add(value)
