"""What clean values must be like to stand in a column of numbers or dates."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from igual.column import TEXT, Mask
from igual.engines import OutputType
from igual.text.arrays import changed_where, has_pattern
from igual.text.blanks import is_blank
from igual.text.reading import dates, plain_decimals

# What the rule `number` writes, and what is as plain but for zeros that say nothing.
_SHORTEST_NUMBER = r"^(0|-?[1-9]\d*|-?(0|[1-9]\d*)\.\d*[1-9])$"
_PLAIN_NUMBER = r"^-?\d+(\.\d+)?$"


class Conformed(NamedTuple):
    """Values that can stand in their column.

    Attributes:
        values: The values, missing where they can't, (values,).
        unread: Which ones can't and aren't blank: no rule has read them, (values,).
    """

    values: pa.Array
    unread: Mask


def conform(values: pa.Array, output: OutputType) -> Conformed:
    """Make values missing that can't stand in a column of numbers or dates, and write its numbers as they are held.

    Several rules with conditions may read one column in several forms; what none of them reads is still a text, which
    may be a number with zeros that say nothing.

    Args:
        values: Texts, (values,).
        output: What the column is to be.

    Returns:
        The values, and which of them no rule has read.
    """
    if output.kind == "text":
        return Conformed(values, np.zeros(len(values), np.bool_))
    fits = ~np.isnan(dates(values)) if output.kind == "date" else has_pattern(values, _SHORTEST_NUMBER)
    if output.kind == "number" and not fits.all():
        others = ~fits
        others[others] = has_pattern(values.filter(pa.array(others)), _PLAIN_NUMBER)
        values = changed_where(values, others, plain_decimals)
        fits |= others
    kept = pc.if_else(pa.array(fits), values, pa.scalar(None, TEXT))
    return Conformed(kept, ~fits & ~is_blank(values))
