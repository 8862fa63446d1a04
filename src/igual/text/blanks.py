"""Which values say nothing: those that are empty, and those of spaces alone."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from igual.column import Column, Counts, Mask, to_mask
from igual.text.folding import trimmed
from igual.text.packed import is_between, unpack

# Texts that people write for "there is no value"; compared with case and outer spaces set aside.
LIKE_MISSING = (
    "n/a", "n.a.", "n.a", "na", "#n/a", "nan", "null", "none", "nil", "-", "--", "---", "–", "—", "?", "??", "???",
    ".", "..", "...", "*", "xxx", "unknown", "not known", "unk", "missing", "not available",
    "not applicable", "not recorded", "not stated", "no data", "no value", "tbd", "tba", "to be determined",
    "(blank)", "(empty)", "(none)", "(missing)", "<na>", "[none]", "empty", "blank", "undefined", "unspecified",
)  # fmt: skip


def is_blank(values: pa.Array) -> Mask:
    """Find texts that are missing, empty, or nothing but spaces and invisible characters.

    Args:
        values: Distinct texts, (distinct,).

    Returns:
        A flag for each text, (distinct,).
    """
    packed = unpack(values)
    lengths = np.diff(packed.offsets)
    blank: Mask = lengths == 0
    if len(packed.data):
        # Most texts begin with a character that can be seen.
        first = packed.data.take(packed.offsets[:-1], mode="clip")
        is_unsure = ~blank & ~is_between(first, "!", "~")
        if is_unsure.any():
            blank[is_unsure] = to_mask(pc.equal(trimmed(values.filter(pa.array(is_unsure))), ""))
    return blank


class NonBlank(NamedTuple):
    """The values of a column that say something.

    Attributes:
        values: Distinct texts that aren't blank, (values,).
        rows: How many rows have each, (values,).
        blank_rows: Rows that are missing or blank.
    """

    values: pa.Array
    rows: Counts
    blank_rows: int


def non_blank(column: Column) -> NonBlank:
    """Leave out the values of a column that are missing or blank.

    Args:
        column: The column.

    Returns:
        The other values and their rows.
    """
    keep = ~is_blank(column.values)
    rows = column.counts[keep]
    return NonBlank(column.values.filter(pa.array(keep)), rows, int(column.counts.sum() - rows.sum()))
