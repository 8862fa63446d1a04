"""A doubt from rows: a value that is as frequent as the entry that it resembles may be one of its own."""

from __future__ import annotations

from functools import cached_property

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from igual.column import TEXT, Counts
from igual.matching.index import MatchIndex
from igual.matching.lookups import How
from igual.matching.matched import OPEN, SETTLED, Matched
from igual.matching.reasons import Reason
from igual.text.folding import folded_key

# Fewer rows say nothing.
_FEWEST = 10


class RowCounts:
    """How many rows have each value of a column, case, spaces and the like set aside.

    Args:
        values: The values, which may repeat, (values,).
        rows: Of each, (values,).
    """

    def __init__(self, values: pa.Array, rows: Counts) -> None:
        self._values, self._rows = values, np.asarray(rows, np.int64)

    @cached_property
    def _counted(self) -> tuple[pa.Array, Counts]:
        """The keys of all values, and their rows."""
        table = pa.table({"key": folded_key(self._values.fill_null("")), "rows": pa.array(self._rows)})
        counted = table.group_by("key", use_threads=False).aggregate([("rows", "sum")])
        return counted["key"].combine_chunks(), counted["rows_sum"].to_numpy()

    @property
    def are_few(self) -> bool:
        """Whether the column has so few rows that they say nothing of any value."""
        return int(self._rows.sum()) < _FEWEST

    def count(self, texts: pa.Array) -> Counts:
        """Count the rows of some texts.

        Args:
            texts: The texts, (texts,).

        Returns:
            Their rows, 0 for those that the column hasn't, (texts,).
        """
        keys, counted = self._counted
        places = pc.index_in(folded_key(texts), keys).fill_null(len(counted))
        counts = np.append(counted, 0)[places.to_numpy(zero_copy_only=False)]
        rows: Counts = counts.astype(np.int64)
        return rows


def doubt_frequent(matched: Matched, index: MatchIndex, rows: RowCounts) -> None:
    """Leave open what likeness settled, where a value has as many rows as the entry itself has in the column.

    Nothing is doubted where the entry doesn't occur, nor for values of few rows; and scores stay as they are.

    Args:
        matched: What became of the values; it is changed.
        index: The list.
        rows: The rows of the column.
    """
    likened = np.flatnonzero((matched.status == SETTLED) & (matched.how == How.FUZZY))
    if not len(likened) or rows.are_few:
        return
    own = rows.count(matched.values.take(pa.array(likened)))
    names = pa.array(index.names, TEXT).take(pa.array(matched.entry[likened]))
    of_entry = rows.count(names)
    frequent = (of_entry > 0) & (own >= np.maximum(of_entry, _FEWEST))
    for position, many, few in zip(
        likened[frequent].tolist(), own[frequent].tolist(), of_entry[frequent].tolist(), strict=True
    ):
        matched.status[position] = OPEN
        matched.explained[position] = (
            *matched.reasons_of(position),
            Reason("as frequent", (str(many), str(few))),
        )
