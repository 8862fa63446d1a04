"""Rules prepared for work: what they make of distinct values, and how they go about it."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import NamedTuple, Protocol

import numpy as np
import pyarrow as pa

from igual.column import Mask
from igual.matching.matched import Matched
from igual.pieces import in_pieces


class Note(NamedTuple):
    """Something else about a rule's work that is worth a hint.

    Attributes:
        kind: What is the case, such as 'changed again'.
        parts: The texts that it is about.
    """

    kind: str
    parts: tuple[str, ...]


class Details(NamedTuple):
    """What a rule says of some distinct values, beside the new ones.

    Attributes:
        unknown: Which of the given values the rule had no label or entry for (None: it looks nothing up).
        used: Which of the rule's `entries` served for at least one value (None: it has no entries).
        by_case: Which values only met an entry because case was set aside (None: it never is).
        unread: Which values the rule could not make sense of, so that they stayed (None: it takes any text).
        notes: What else is worth a hint.
        open: Which values need a decision (None: it never asks).
        matched: How values were matched, for a rule that does.
        was_matched: Which of the given values these are, in order.
    """

    unknown: Mask | None = None
    used: Mask | None = None
    by_case: Mask | None = None
    unread: Mask | None = None
    notes: tuple[Note, ...] = ()
    open: Mask | None = None
    matched: Matched | None = None
    was_matched: Mask | None = None

    def for_each(self, change: Callable[[Mask], Mask]) -> Details:
        """The same of other values: with each mask over the values as `change` makes it."""

        def changed(mask: Mask | None) -> Mask | None:
            return None if mask is None else change(mask)

        return self._replace(
            unknown=changed(self.unknown),
            by_case=changed(self.by_case),
            unread=changed(self.unread),
            open=changed(self.open),
            was_matched=changed(self.was_matched),
        )


class Rewritten(NamedTuple):
    """What a rule made of some distinct values.

    Attributes:
        values: The new values, one for each given.
        details: What else the rule says of them.
        columns: For a rule that writes into several columns, the values of each.
    """

    values: pa.Array
    details: Details = Details()
    columns: tuple[pa.Array, ...] | None = None


class NearMiss(NamedTuple):
    """A value that an entry of the rule would have caught apart from case, outer spaces or accents.

    Attributes:
        position: Of the value.
        entries: The entries that it came close to; one, or several of which none is certain.
    """

    position: int
    entries: tuple[str, ...]


class Rewriter(Protocol):
    """A rule prepared for work: its patterns and look-ups are built once and serve many columns.

    Attributes:
        works_in_pieces: Whether values can be rewritten piece by piece, several at a time: nothing is told of all of
            them together, nor begun anew for each piece.
    """

    works_in_pieces: bool

    @property
    def entries(self) -> Sequence[str]:
        """What the rule looks for or looks up: its pairs, codes or list entries."""

    def rewrite(self, values: pa.Array, beside: Mapping[str, pa.Array]) -> Rewritten:
        """Give new values for distinct values, the same for the same value, always.

        Args:
            values: Distinct texts, (values,).
            beside: What stands in the other columns that the rule `reads`, (values,) each.

        Returns:
            What the rule made of them, one new value for each.
        """

    def near_misses(self, values: pa.Array, unused: Sequence[str]) -> list[NearMiss]:
        """Find values that came close to an entry.

        Args:
            values: Distinct texts, (values,).
            unused: The entries that are meant.

        Returns:
            The near misses.
        """


class PlainRewriter:
    """For rules that look nothing up: they have no entries and no near misses."""

    works_in_pieces = True
    entries: Sequence[str] = ()

    def near_misses(self, values: pa.Array, unused: Sequence[str]) -> list[NearMiss]:
        """Find nothing: there are no entries to come close to."""
        return []


def rewrite_in_pieces(rewriter: Rewriter, values: pa.Array, beside: Mapping[str, pa.Array]) -> Rewritten:
    """Give new values for distinct values, piece by piece where the prepared rule works so.

    Args:
        rewriter: The prepared rule.
        values: Distinct texts, (values,).
        beside: What stands in the other columns that the rule reads, (values,) each.

    Returns:
        What the rule made of all values.
    """
    if not rewriter.works_in_pieces:
        return rewriter.rewrite(values, beside)

    def work(start: int, size: int) -> Rewritten:
        others = {name: texts.slice(start, size) for name, texts in beside.items()}
        return rewriter.rewrite(values.slice(start, size), others)

    made = in_pieces(values, work)
    if len(made) == 1:
        return made[0]
    columns = [piece.columns for piece in made if piece.columns is not None]
    return Rewritten(
        pa.concat_arrays([piece.values for piece in made]),
        join_details([piece.details for piece in made]),
        tuple(pa.concat_arrays(parts) for parts in zip(*columns, strict=True)) if columns else None,
    )


def join_details(pieces: Sequence[Details]) -> Details:
    """What a rule that works in pieces says of some values, from what it says of each piece of them."""

    def join(masks: Sequence[Mask | None]) -> Mask | None:
        some = [mask for mask in masks if mask is not None]
        return np.concatenate(some) if some else None

    used = [piece.used for piece in pieces if piece.used is not None]
    return Details(
        unknown=join([piece.unknown for piece in pieces]),
        used=np.logical_or.reduce(used) if used else None,
        by_case=join([piece.by_case for piece in pieces]),
        unread=join([piece.unread for piece in pieces]),
    )
