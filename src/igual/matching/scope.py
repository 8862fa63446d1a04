"""Which entries of a list each value may mean, where other columns of its row restrict them."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from igual.column import Mask
from igual.matching.pairs import Ints


class Scope(NamedTuple):
    """Which entries of a list each value may mean, by attributes of the entries.

    Attributes:
        wanted: The number of what each attribute has to be; -1: anything, (values, attributes).
        held: The number of what it is, (entries, attributes).
        sizes: How many entries each value may mean, (values,).
    """

    wanted: Ints
    held: Ints
    sizes: Ints

    @classmethod
    def of(cls, wanted: Ints, held: Ints) -> Scope:
        """Find out how many entries each value may mean.

        Args:
            wanted: The number of what each attribute has to be; -1: anything, (values, attributes).
            held: The number of what it is, (entries, attributes).

        Returns:
            The scope.
        """
        sizes = np.zeros(len(wanted), np.int64)
        # By which attributes there are: a few combinations.
        patterns, pattern_of = np.unique(wanted >= 0, axis=0, return_inverse=True)
        for number, pattern in enumerate(patterns):
            places = np.flatnonzero(pattern_of.ravel() == number)
            both = np.concatenate([wanted[places][:, pattern], held[:, pattern]])
            kind_of = np.zeros(len(both), np.int64)
            for column in both.T:
                _, kind_of = np.unique(kind_of * (column.max() + 1) + column, return_inverse=True)
            has = np.bincount(kind_of[len(places) :], minlength=kind_of.max(initial=0) + 1)
            sizes[places] = has[kind_of[: len(places)]]
        return cls(wanted, held, sizes)

    @property
    def is_restricted(self) -> Mask:
        """Which values may not mean every entry, (values,)."""
        restricted: Mask = self.sizes < len(self.held)
        return restricted

    def take(self, positions: Ints) -> Scope:
        """Choose some of the values by position."""
        return Scope(self.wanted[positions], self.held, self.sizes[positions])

    def for_spellings(self, owners: Ints | None) -> Scope:
        """Give the same for spellings of the entries.

        Args:
            owners: The entry of each spelling, (spellings,); None where each is its own.

        Returns:
            A scope of spellings; its sizes count entries.
        """
        return self if owners is None else self._replace(held=self.held[owners])

    def allows(self, value_idx: Ints, entry_idx: Ints) -> Mask:
        """Tell which pairs are within the scope.

        Args:
            value_idx: Positions of values, (pairs,).
            entry_idx: Positions of entries, (pairs,).

        Returns:
            Whether the entry may be meant, (pairs,).
        """
        is_allowed = np.ones(len(value_idx), np.bool_)
        for wanted, held in zip(self.wanted.T, self.held.T, strict=True):
            sought = wanted[value_idx]
            is_allowed &= (sought < 0) | (sought == held[entry_idx])
        return is_allowed


def keep_allowed(scope: Scope | None, value_idx: Ints, entry_idx: Ints) -> tuple[Ints, Ints]:
    """Keep the pairs that are within a scope, if there is one.

    Args:
        scope: Which entries each value may mean; None: every one.
        value_idx: Positions of values, (pairs,).
        entry_idx: Positions of entries, (pairs,).

    Returns:
        The positions that are left, (kept,) each.
    """
    if scope is None:
        return value_idx, entry_idx
    is_allowed = scope.allows(value_idx, entry_idx)
    return value_idx[is_allowed], entry_idx[is_allowed]
