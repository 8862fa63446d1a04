"""Two versions of a reference list side by side, and what of a rulebook hangs on the difference."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import NamedTuple

import pyarrow as pa

from igual.core.column import TEXT
from igual.core.lists import ReferenceList
from igual.core.reviewing import stale
from igual.core.rulebook import Rulebook
from igual.core.text.folding import folded_key


class Renamed(NamedTuple):
    """An entry that has another name now, and what tells that it is the same."""

    before: str
    now: str
    why: str


class Touched(NamedTuple):
    """A rule or a ruling that the new version of a list concerns. what: 'rule 6 (match)' or 'ruling'."""

    what: str
    column: str
    text: str


@dataclass(frozen=True)
class ListChanges:
    """Entries that the new version has, lacks or calls otherwise, each in the order of its list."""

    added: Sequence[str]
    removed: Sequence[str]
    renamed: Sequence[Renamed]

    def __bool__(self) -> bool:
        return bool(self.added or self.removed or self.renamed)


def compare_lists(old: ReferenceList, new: ReferenceList) -> ListChanges:
    """What changed between two versions of a list.

    An entry counts as renamed where the new version has its name as an alias, where an attribute whose texts are all
    different (a code, an address) is the same, or where only case, accents and the like differ.
    """
    gone = [entry for entry in old.values if entry not in set(new.values)]
    come = dict.fromkeys(entry for entry in new.values if entry not in set(old.values))
    keys = _keys(old, new)
    renamed = []
    for entry in gone:
        now, why = _same(entry, new, come, keys, old)
        if now is not None:
            renamed.append(Renamed(entry, now, why))
            come.pop(now, None)
    before = {one.before for one in renamed}
    return ListChanges(tuple(come), tuple(entry for entry in gone if entry not in before), tuple(renamed))


def _keys(old: ReferenceList, new: ReferenceList) -> dict[str, dict[str, str]]:
    """For each attribute that tells entries apart in both versions: the new entry with each text."""
    found = {}
    for name in old.attributes:
        if name in new.attributes and _telling(old.attributes[name]) and _telling(new.attributes[name]):
            found[name] = {
                text: entry for text, entry in zip(new.attributes[name], new.values, strict=True) if text
            }
    return found


def _telling(texts: Sequence[str | None]) -> bool:
    some = [text for text in texts if text]
    return bool(some) and len(set(some)) == len(some)


def _same(
    entry: str, new: ReferenceList, come: dict[str, None], keys: dict[str, dict[str, str]], old: ReferenceList
) -> tuple[str | None, str]:
    if (owner := new.entry_of.get(entry)) is not None:
        return owner, "the old name is an alias"
    place = old.values.index(entry)
    for name, entries in keys.items():
        text = old.attributes[name][place]
        if text and (now := entries.get(text)) in come:
            return now, f"the same {name}, {text}"
    folded = folded_key(pa.array([entry, *come], TEXT)).to_pylist()
    for name, key in zip(come, folded[1:], strict=True):
        if key == folded[0]:
            return name, "but for case, accents, spaces or punctuation"
    return None, ""


def touched(book: Rulebook, name: str, new: ReferenceList) -> list[Touched]:
    """The rules and rulings of a rulebook that a new version of its list concerns.

    name: the list as the rulebook calls it.
    """
    from dataclasses import replace

    changes = compare_lists(book.lists[name], new)
    lost = {*changes.removed, *(one.before for one in changes.renamed)}
    found = []
    for number, rule in enumerate(book.rules, 1):
        said = f"rule {number} ({rule.do})"
        columns = ", ".join(rule.columns)
        if ("lists", name) in rule.needs() and changes:
            found.append(Touched(said, columns, f"it looks into list {name!r}"))
        give = getattr(rule, "give", None)
        if getattr(rule, "list", None) == name and give and give not in new.attributes:
            found.append(
                Touched(said, columns, f"it gives the attribute {give!r}, which the new version lacks")
            )
        found += [
            Touched(said, columns, f"it writes {text!r}, which is no entry any more")
            for text in _texts(rule, lost)
        ]
    before = {one for one, _ in stale(book)}
    later = replace(book, lists={**book.lists, name: new})
    found += [
        Touched("ruling", one.column, f"{one.value!r} was ruled {one.ruling!r} {one.who}".rstrip())
        for one, _ in stale(later)
        if one not in before
    ]
    return found


def _texts(rule: object, lost: set[str]) -> list[str]:
    """Texts that a rule writes and that are no entries any more."""
    pairs = getattr(rule, "pairs", None)
    return sorted(lost & set(pairs.values())) if isinstance(pairs, dict) else []
