"""What the rest of a column says of its values: how many rows have them, and how many values each of their words."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Set
from functools import cached_property

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from igual.column import TEXT, Counts
from igual.decisions import Cause
from igual.matching.index import MatchIndex
from igual.matching.keys import plain, words_key
from igual.matching.lookups import How
from igual.matching.matched import OPEN, SETTLED, Matched
from igual.matching.reasons import Reason
from igual.text.folding import folded_key

_EXTRA = ("extra words", "small words extra")
# Fewer rows say nothing, nor do fewer values with a word.
_FEWEST, _FEWEST_VALUES = 10, 3


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

    @cached_property
    def values_with(self) -> Mapping[str, int]:
        """How many values have each word, less those that say nothing: fewer than the square root of all values."""
        keys = words_key(plain(self._values.drop_null())).unique()
        lists = pc.split_pattern(keys, " ")
        words, owners = lists.flatten().dictionary_encode(), pc.list_parent_indices(lists).to_numpy()
        size = max(len(words.dictionary), 1)
        each = np.unique(owners.astype(np.int64) * size + words.indices.to_numpy()) % size
        counts = np.bincount(each, minlength=len(words.dictionary))
        usual = np.flatnonzero(counts >= max(_FEWEST_VALUES, len(keys) ** 0.5))
        return dict(
            zip(words.dictionary.take(pa.array(usual)).to_pylist(), counts[usual].tolist(), strict=True)
        )


def weigh_column(
    matched: Matched, index: MatchIndex, rows: RowCounts, refused: Collection[Cause] = ()
) -> None:
    """Settle or leave open what the rest of the column speaks for or against; scores stay as they are.

    Args:
        matched: What became of the values; it is changed.
        index: The list.
        rows: The rows of the column.
        refused: Kinds of differences that were ruled to matter, however many values have them.
    """
    _settle_usual(
        matched, rows, {word for cause in refused if cause.kind == "extra word" for word in cause.words}
    )
    _doubt_frequent(matched, index, rows)


def _settle_usual(matched: Matched, rows: RowCounts, refused: Set[str]) -> None:
    """Settle values that are open only for words too many that many values of the column have."""
    for position, words in matched.unless_usual.items():
        values = min(rows.values_with.get(word, 0) for word in words)
        if values and matched.status[position] == OPEN and refused.isdisjoint(words):
            matched.status[position] = SETTLED
            mains = [one for one in matched.reasons_of(position) if one.is_about_texts]
            behind = [place for place, one in enumerate(mains, 1) if one.kind in _EXTRA]
            mains.insert(max(behind, default=len(mains)), Reason("usual words", (str(values),)))
            matched.explained[position] = tuple(mains)


def _doubt_frequent(matched: Matched, index: MatchIndex, rows: RowCounts) -> None:
    """Leave open what likeness settled, where a value has as many rows as the entry itself has in the column.

    Nothing is doubted where the entry doesn't occur, nor for values of few rows.
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
