"""Rows whose other columns restrict which entries of a list may be meant."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from igual.column import TEXT, Mask, to_mask
from igual.decisions import BETWEEN
from igual.matching.lookups import How
from igual.matching.matched import OPEN, SETTLED, Matched
from igual.matching.pairs import Ints
from igual.matching.reasons import Reason
from igual.matching.scope import Scope
from igual.text.folding import folded_key


class Contexts:
    """What entries have as context, by folded key.

    Args:
        attributes: Names of attributes of the list, with one text (or None) per entry each.
    """

    def __init__(self, attributes: Sequence[tuple[str, Sequence[str | None]]]) -> None:
        self._names = [name for name, _ in attributes]
        encoded = [_fold(pa.array(cells, TEXT)).dictionary_encode() for _, cells in attributes]
        self._known = [column.dictionary for column in encoded]
        codes = [column.indices.to_numpy(zero_copy_only=False) for column in encoded]
        self._held: Ints = np.stack(codes, axis=1).astype(np.int64) if codes else np.zeros((0, 0), np.int64)

    @property
    def groups(self) -> Ints:
        """A number for what each entry has, (entries,)."""
        return np.unique(self._held, axis=0, return_inverse=True)[1].ravel()

    def read(self, columns: Sequence[pa.Array]) -> Context:
        """Find out what the other columns of rows restrict.

        Args:
            columns: What stands there, for each attribute, (values,) each.

        Returns:
            Which entries each value may mean, and what is doubtful about that.
        """
        folded = [_fold(cells) for cells in columns]
        found = [
            pc.index_in(cells, known).fill_null(-1) for cells, known in zip(folded, self._known, strict=True)
        ]
        wanted = np.stack([codes.to_numpy(zero_copy_only=False) for codes in found], axis=1).astype(np.int64)
        is_missing = np.stack([to_mask(pc.equal(cells, "")) for cells in folded], axis=1)
        wanted[is_missing] = -1
        scope = Scope.of(wanted, self._held)
        is_open = wanted < 0
        doubtful = np.where(is_open.any(axis=1), is_open.argmax(axis=1), -1)
        # Each is known, but no entry has them together.
        is_alone = scope.sizes == 0
        doubtful[is_alone] = len(self._names) - 1
        is_missing[is_alone] = False
        wanted[is_alone], scope.sizes[is_alone] = -1, len(self._held)
        return Context(scope, doubtful, is_missing, self._names, columns)


class Context(NamedTuple):
    """What the other columns of rows restrict.

    Attributes:
        scope: Which entries each value may mean.
        doubtful: The number of an attribute that is missing or unknown, -1: none, (values,).
        is_missing: Which cells are blank, (values, attributes).
        names: The attributes.
        columns: The cells, for each attribute, (values,) each.
    """

    scope: Scope
    doubtful: Ints
    is_missing: Mask
    names: Sequence[str]
    columns: Sequence[pa.Array]

    @property
    def texts(self) -> pa.Array:
        """What stands beside each value, as it is written, (values,)."""
        return join_contexts(self.columns)

    def leave_open(self, matched: Matched) -> None:
        """Leave open what was settled, by nobody, though a part of the context is missing or unknown.

        Args:
            matched: What became of the values; it is changed.
        """
        is_doubtful = (self.doubtful >= 0) & (matched.status == SETTLED) & (matched.how != How.RULING)
        for position in np.flatnonzero(is_doubtful).tolist():
            number = int(self.doubtful[position])
            doubt = Reason("context missing", (self.names[number],))
            if not self.is_missing[position, number]:
                written = self.columns[number][position].as_py() or ""
                doubt = Reason("context unknown", (self.names[number], written))
            matched.explained[position] = (*matched.reasons_of(position), doubt)
            matched.status[position] = OPEN


def join_contexts(columns: Sequence[pa.Array]) -> pa.Array:
    """Write what stands in several columns into one text.

    Args:
        columns: Their cells, (values,) each.

    Returns:
        The texts, (values,).
    """
    cells = [column.fill_null("") for column in columns]
    return pc.binary_join_element_wise(*cells, pa.scalar(BETWEEN, TEXT)) if cells[1:] else cells[0]


def _fold(cells: pa.Array) -> pa.Array:
    return folded_key(cells.fill_null(""))
