"""Rows whose other columns restrict which entries of a list may be meant."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import NamedTuple

import numpy as np
import numpy.typing as npt
import pyarrow as pa

from igual.column import TEXT, Mask
from igual.matching.lookups import How
from igual.matching.matched import OPEN, SETTLED, Matched
from igual.matching.reasons import Reason
from igual.text.folding import folded_key

Ints = npt.NDArray[np.int64]


class Context(NamedTuple):
    """Values that stand in one context.

    Attributes:
        places: Which values, (some,).
        members: Positions of the entries that may be meant; None where nothing restricts them.
        doubt: Why no match in it is sure, where a part of it is missing or unknown.
    """

    places: Ints
    members: Ints | None
    doubt: Reason | None


class Contexts:
    """What entries have as context, by folded key.

    Args:
        attributes: Names of attributes of the list, with one text (or None) per entry each.
    """

    def __init__(self, attributes: Sequence[tuple[str, Sequence[str | None]]]) -> None:
        self._names = [name for name, _ in attributes]
        self._of_entries = [_fold(pa.array(cells, TEXT)) for _, cells in attributes]

    def split(self, columns: Sequence[pa.Array]) -> Iterator[Context]:
        """Group rows by what stands in their other columns.

        Args:
            columns: What stands there, for each attribute, (values,) each.

        Yields:
            Each context that occurs, with its values.
        """
        folded = [_fold(cells) for cells in columns]
        texts = [cells.to_pylist() for cells in columns]
        groups: dict[tuple[str, ...], list[int]] = {}
        for place, key in enumerate(zip(*folded, strict=True)):
            groups.setdefault(key, []).append(place)
        for key, places in groups.items():
            fits = np.ones(len(self._of_entries[0]), np.bool_)
            doubt: Reason | None = None
            for name, wanted, of_entries, written in zip(
                self._names, key, self._of_entries, texts, strict=True
            ):
                if not wanted:
                    doubt = doubt or Reason("context missing", (name,))
                    continue
                has: Mask = np.array([text == wanted for text in of_entries], np.bool_)
                if has.any():
                    fits &= has
                else:
                    doubt = doubt or Reason("context unknown", (name, written[places[0]] or ""))
            members: Ints | None = np.flatnonzero(fits)
            if not fits.any():
                doubt, members = (
                    Reason("context unknown", (self._names[-1], texts[-1][places[0]] or "")),
                    None,
                )
            elif fits.all():
                members = None
            yield Context(np.array(places, np.int64), members, doubt)


def place_among_all(part: Matched, context: Context) -> Matched:
    """Number the entries of a part as in the whole list, and leave open what a doubtful context can't settle.

    Args:
        part: What became of the values of a context, with entries numbered as in it.
        context: The context.

    Returns:
        The same part.
    """
    members = context.members
    if members is not None:
        part.entry = np.where(part.entry >= 0, members[part.entry], -1)
        part.runner_up = np.where(part.runner_up >= 0, members[part.runner_up], -1)
        part.rankings = [(value, members[entry], score) for value, entry, score in part.rankings]
    if context.doubt is not None:
        for position in np.flatnonzero((part.status == SETTLED) & (part.how != How.RULING)).tolist():
            part.explained[position] = (*part.reasons_of(position), context.doubt)
            part.status[position] = OPEN
    return part


def _fold(cells: pa.Array) -> list[str]:
    folded: list[str] = folded_key(cells.fill_null("")).to_pylist()
    return folded
