"""The accounts of the pieces of a table as one."""

from __future__ import annotations

from collections.abc import Hashable, Iterable
from dataclasses import dataclass
from typing import Any, TypeVar

from igual.runs.account import Account, Effect, NearlyCaught, UnknownValue, UnusedEntry
from igual.runs.checks import UnfitValue
from igual.runs.open_values import OpenValue

_Listed = TypeVar("_Listed", UnknownValue, OpenValue, UnfitValue, NearlyCaught)
# How many values of a kind are listed; all are counted in the effects.
MOST_LISTED = 1_000_000


@dataclass(frozen=True, eq=False)
class GatheredAccount(Account):
    """The account of a table that was worked piece by piece: its trails are those of the first piece.

    Attributes:
        effects: What each rule did, added up; a value counts once for each piece that it stands in.
        unknown: Values without a label, entry or reading, the first million.
        open: Values that need a decision, the first million.
        unlisted: Values that no entry comes near, the first million.
        unused: Entries that served for no value of any piece.
        near_misses: Values that an entry nearly caught, the first million.
        pieces: How many pieces there were.
    """

    effects: list[Effect]
    unknown: list[UnknownValue]
    open: list[OpenValue]
    unlisted: list[OpenValue]
    unused: list[UnusedEntry]
    near_misses: list[NearlyCaught]
    pieces: int = 1


class Gatherer:
    """Adds up accounts."""

    def __init__(self) -> None:
        self._first: Account | None = None
        self._pieces = 0
        self._effects: dict[tuple[int, str], Effect] = {}
        self._unused: dict[UnusedEntry, None] = {}
        self._listed: dict[str, dict[Hashable, Any]] = {
            name: {} for name in ("unknown", "open", "unlisted", "unfit", "near_misses")
        }

    def add(self, account: Account) -> None:
        """Add the account of another piece."""
        unused = dict.fromkeys(account.unused)
        self._unused = {one: None for one in self._unused if one in unused} if self._first else unused
        self._first = self._first or account
        self._pieces += 1
        for effect in account.effects:
            known = self._effects.get((effect.rule, effect.column))
            self._effects[effect.rule, effect.column] = (
                effect if known is None else _add_effects(known, effect)
            )
        self._list("unknown", account.unknown, lambda one: (one.rule, one.column, one.value, one.kind))
        self._list("open", account.open, lambda one: (one.rule, one.key))
        self._list("unlisted", account.unlisted, lambda one: (one.rule, one.key))
        self._list("unfit", account.unfit, lambda one: (one.check, one.column, one.value))
        self._list(
            "near_misses", account.near_misses, lambda one: (one.rule, one.column, one.entries, one.value)
        )

    def _list(self, name: str, values: Iterable[Any], key_of: Any) -> None:
        listed = self._listed[name]
        for one in values:
            key = key_of(one)
            if key in listed:
                listed[key] = listed[key]._replace(rows=listed[key].rows + one.rows)
            elif len(listed) < MOST_LISTED:
                listed[key] = one

    def gather(self) -> Account:
        """Give the account of all pieces; that of a single piece is its own."""
        assert self._first is not None
        if self._pieces == 1:
            return self._first
        return GatheredAccount(
            self._first.trails,
            list(self._listed["unfit"].values()),
            self._first.plan,
            list(self._effects.values()),
            list(self._listed["unknown"].values()),
            list(self._listed["open"].values()),
            list(self._listed["unlisted"].values()),
            list(self._unused),
            list(self._listed["near_misses"].values()),
            self._pieces,
        )


def _add_effects(one: Effect, other: Effect) -> Effect:
    return one._replace(
        values=one.values + other.values,
        rows=one.rows + other.rows,
        unknown_values=one.unknown_values + other.unknown_values,
        unknown_rows=one.unknown_rows + other.unknown_rows,
        open_values=one.open_values + other.open_values,
        near_misses=one.near_misses + other.near_misses,
    )
