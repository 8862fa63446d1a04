"""Which values are meant: one vocabulary for counting, tallying and, later, rules."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from pydantic import Field

from igual.core.column import TEXT, Mask, as_mask
from igual.core.text.folding import casefold, trimmed
from igual.core.words import Worded


class Condition(Worded):
    """Values that meet every word that is given.

    equals, contains, starts, ends: a text.
    one_of: several texts, of which one must be equal.
    blank: true for values that are missing, empty, or nothing but spaces; false for all others.
    ignore_case: compare with case set aside (Unicode case folding).

    A missing value meets no word but `blank`. Without any word every value is meant.

    >>> Condition(contains="maple", ignore_case=True).mask(pa.array(["Norway Maple", "oak", None])).tolist()
    [True, False, False]
    """

    equals: str | None = None
    contains: str | None = None
    starts: str | None = None
    ends: str | None = None
    one_of: tuple[str, ...] | None = Field(default=None, strict=False)
    blank: bool | None = None
    ignore_case: bool = False

    def mask(self, values: pa.Array) -> Mask:
        """Which of the distinct texts `values`, (distinct,), meet the condition."""
        values = values.cast(TEXT)
        mask = np.ones(len(values), np.bool_)
        if self.blank is not None:
            mask &= is_blank(values) == self.blank
        compared = casefold(values) if self.ignore_case else values
        tests: list[tuple[str | None, Callable[[pa.Array, str], pa.Array]]] = [
            (self.equals, pc.equal),
            (self.contains, pc.match_substring),
            (self.starts, pc.starts_with),
            (self.ends, pc.ends_with),
        ]
        for text, test in tests:
            if text is not None:
                mask &= as_mask(test(compared, self._compared(text)))
        if self.one_of is not None:
            accepted = pa.array([self._compared(text) for text in self.one_of], TEXT)
            mask &= as_mask(pc.is_in(compared, accepted)) & ~as_mask(compared.is_null())
        return mask

    def _compared(self, text: str) -> str:
        return text.casefold() if self.ignore_case else text


def is_blank(values: pa.Array) -> Mask:
    """Which texts are missing, empty, or nothing but spaces and invisible characters."""
    return as_mask(pc.equal(trimmed(values), "").fill_null(True))
