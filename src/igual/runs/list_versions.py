"""Two versions of a reference list side by side, and what of a rulebook depends on the difference."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from typing import NamedTuple

import pyarrow as pa

from igual.column import TEXT
from igual.lists import Need, ReferenceList
from igual.runs.account import Account
from igual.runs.review import find_stale_rulings
from igual.runs.rulebook import Rulebook
from igual.text.folding import folded_key


class RenamedEntry(NamedTuple):
    """An entry that has another name now.

    Attributes:
        before: Its old name.
        now: Its new name.
        why: How it is known to be the same: 'alias', 'attribute' or 'folded'.
        parts: The attribute and its text, for 'attribute'.
    """

    before: str
    now: str
    why: str
    parts: tuple[str, ...] = ()


class Affected(NamedTuple):
    """A rule or a ruling that the new version of a list concerns.

    Attributes:
        rule: The rule's place in the rulebook, from 1; 0 for a ruling.
        do: What the rule does; '' for a ruling.
        column: The column.
        kind: 'looks up', 'attribute gone', 'writes lost entry' or 'stale ruling'.
        parts: What it is about: the list, the attribute, the text, or value, ruling and author.
    """

    rule: int
    do: str
    column: str
    kind: str
    parts: tuple[str, ...]


class Unsettled(NamedTuple):
    """A value that a new version of a list leaves open or unknown, and the old one settled.

    Attributes:
        column: The column.
        value: The value.
        rows: How many rows have it.
        proposal: What is proposed for it now; '' where nothing comes near.
    """

    column: str
    value: str
    rows: int
    proposal: str


@dataclass(frozen=True)
class ListChanges:
    """What changed between two versions of a list.

    Attributes:
        added: New entries, in the order of the new list.
        removed: Entries that are gone, in the order of the old list.
        renamed: Entries that have another name now.
    """

    added: Sequence[str]
    removed: Sequence[str]
    renamed: Sequence[RenamedEntry]

    def __bool__(self) -> bool:
        return bool(self.added or self.removed or self.renamed)


def find_unsettled(before: Account, now: Account) -> list[Unsettled]:
    """Find the values that were settled, and aren't with a new version of a list.

    Args:
        before: The account of a run with the old version.
        now: The account of a run with the new one.

    Returns:
        The values, most rows first.
    """
    due = {(one.column, one.value) for one in before.open} | {
        (one.column, one.value) for one in before.unknown
    }
    left = [Unsettled(one.column, one.value, one.rows, one.proposal) for one in now.open]
    left += [Unsettled(one.column, one.value, one.rows, "") for one in now.unknown]
    unsettled = (one for one in left if (one.column, one.value) not in due)
    return sorted(unsettled, key=lambda one: (-one.rows, one.column, one.value))


def compare_versions(old: ReferenceList, new: ReferenceList) -> ListChanges:
    """Compare two versions of a list.

    An entry counts as renamed where the new version has its name as an alias, where an attribute whose texts are all
    different (a code, an address) is the same, or where only case, accents and the like differ.

    Args:
        old: The version before.
        new: The version now.

    Returns:
        What changed.
    """
    old_names, new_names = set(old.values), set(new.values)
    gone = [entry for entry in old.values if entry not in new_names]
    come = {entry: None for entry in new.values if entry not in old_names}
    search = _RenameSearch(old, new, gone, come)
    renamed = []
    for entry in gone:
        if (rename := search.find(entry)) is not None:
            renamed.append(rename)
            search.take(rename.now)
    before = {rename.before for rename in renamed}
    removed = tuple(entry for entry in gone if entry not in before)
    return ListChanges(tuple(search.free), removed, tuple(renamed))


class _RenameSearch:
    """Finds the new name of an old entry among the entries that are new and not yet taken."""

    def __init__(
        self, old: ReferenceList, new: ReferenceList, gone: Sequence[str], come: dict[str, None]
    ) -> None:
        self._entry_of = new.entry_of
        self.free = dict(come)
        positions = {entry: position for position, entry in enumerate(old.values)}
        self._attributes: list[tuple[str, dict[str, str], dict[str, str | None]]] = []
        for name in old.attributes:
            if name in new.attributes and _is_key(old.attributes[name]) and _is_key(new.attributes[name]):
                cells = zip(new.attributes[name], new.values, strict=True)
                entries = {text: entry for text, entry in cells if text}
                texts = {entry: old.attributes[name][position] for entry, position in positions.items()}
                self._attributes.append((name, entries, texts))
        self._by_key: dict[str, list[str]] = {}
        for entry, key in _keys(list(come)):
            self._by_key.setdefault(key, []).append(entry)
        self._key_of = dict(_keys(gone))

    def find(self, entry: str) -> RenamedEntry | None:
        if (owner := self._entry_of.get(entry)) is not None:
            return RenamedEntry(entry, owner, "alias")
        for name, entries, texts in self._attributes:
            text = texts[entry]
            if text and (now := entries.get(text)) in self.free and now is not None:
                return RenamedEntry(entry, now, "attribute", (name, text))
        free = (now for now in self._by_key.get(self._key_of[entry], ()) if now in self.free)
        return next((RenamedEntry(entry, now, "folded") for now in free), None)

    def take(self, entry: str) -> None:
        self.free.pop(entry, None)


def _keys(entries: Sequence[str]) -> Iterator[tuple[str, str]]:
    return zip(entries, folded_key(pa.array(entries, TEXT)).to_pylist(), strict=True)


def _is_key(texts: Sequence[str | None]) -> bool:
    """Whether an attribute tells entries apart: its texts are all different."""
    some = [text for text in texts if text]
    return bool(some) and len(set(some)) == len(some)


def find_affected(book: Rulebook, name: str, new: ReferenceList) -> list[Affected]:
    """Find the rules and rulings of a rulebook that a new version of its list concerns.

    Args:
        book: The rulebook, with the old version of the list.
        name: The list as the rulebook calls it.
        new: The new version.

    Returns:
        The rules in order, then the rulings.
    """
    changes = compare_versions(book.lists[name], new)
    lost = {*changes.removed, *(rename.before for rename in changes.renamed)}
    affected = []
    for number, rule in enumerate(book.rules, 1):
        columns = ", ".join(rule.columns)
        reasons: list[tuple[str, str]] = []
        if Need("lists", name) in rule.needs():
            reasons += [("looks up", name)] if changes else []
            reasons += [
                ("attribute gone", given) for given in rule.list_attributes() if given not in new.attributes
            ]
        reasons += [("writes lost entry", text) for text in sorted(lost & rule.written_texts())]
        affected += [Affected(number, rule.do, columns, kind, (part,)) for kind, part in reasons]
    before = set(find_stale_rulings(book))
    later = replace(book, lists={**book.lists, name: new})
    affected += [
        Affected(0, "", ruling.column, "stale ruling", (ruling.value, ruling.ruling, ruling.author))
        for ruling in find_stale_rulings(later)
        if ruling not in before
    ]
    return affected
