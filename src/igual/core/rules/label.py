"""The rule `label`."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Literal

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from igual.core.codes import meant
from igual.core.column import TEXT, as_mask
from igual.core.errors import ListError
from igual.core.lists import Codebook, Shelf
from igual.core.matching.spellings import Spellings
from igual.core.rules.base import Gives, NearMiss, Rewriter, Rewritten, Rule
from igual.core.rules.lookup import Otherwise, given_or_otherwise, near_spellings, unknown_among
from igual.core.text.folding import casefold


class Label(Rule):
    """Put the label in the place of its code.

    codebook: the name of the codebook.
    otherwise: what becomes of a value without a label: `flag` (keep it, and warn), `keep`, `blank` (an
        empty text), or `{ text = "…" }`. Whatever is chosen, it is listed as unknown, with its rows.
    ignore_case: find codes in any case. Codes are case-sensitive unless this is said.
    dated_by: the column with the day by which a code is read, for codes that mean something for some time only. The
        day stands first in it, as in 2024-05-31; without one, only meanings without a limit count.

    A value that is a label of the codebook already stays and isn't unknown. Missing values and blanks stay.

    >>> import igual
    >>> from igual.rules import Label
    >>> Label(codebook="site").on(["a", "A"], codebooks={"site": igual.Codebook({"a": "avenue", "A": "alley"})})
    ['avenue', 'alley']
    """

    do: Literal["label"] = "label"
    codebook: str
    otherwise: Otherwise = "flag"
    ignore_case: bool = False
    dated_by: str | None = None

    def reads(self) -> set[str]:
        return super().reads() | ({self.dated_by} if self.dated_by is not None else set())

    @property
    def entries_from(self) -> str:
        return f"codebook {self.codebook}"

    def gives(self, shelf: Shelf) -> Gives:
        return Gives(order=shelf.codebooks[self.codebook].order)

    def needs(self) -> list[tuple[str, str]]:
        return [("codebooks", self.codebook), *super().needs()]

    def rewriter(self, shelf: Shelf) -> Rewriter:
        return _Rewriter(self, shelf.codebooks[self.codebook])


class _Rewriter:
    def __init__(self, rule: Label, codebook: Codebook) -> None:
        if codebook.is_dated and rule.dated_by is None:
            raise ListError(
                f"codebook {rule.codebook!r} has codes that mean something for some time only; "
                "say with 'dated_by' which column has the day"
            )
        self._rule = rule
        self._special = codebook.special
        self.entries: Sequence[str] = (*codebook.labels, *(one.said() for one in codebook.special))
        labels = [*codebook.labels.values(), *(one.label for one in codebook.special)]
        self._labels = pa.array(labels, TEXT)
        self._plain = len(codebook.labels)
        self._own_labels = pa.array(codebook.order, TEXT)
        codes = pa.array(codebook.labels, TEXT)
        places = np.arange(self._plain)
        self._exact = Spellings(codes, places)
        self._any_case = Spellings(casefold(codes), places) if rule.ignore_case else None
        if self._any_case and self._any_case.contested:
            one, other = sorted(next(iter(self._any_case.contested.values())))[:2]
            raise ListError(
                f"codebook {rule.codebook!r}: codes {self.entries[one]!r} and {self.entries[other]!r} "
                "are the same when case is ignored"
            )

    def rewrite(self, values: pa.Array, beside: Mapping[str, pa.Array]) -> Rewritten:
        places = self._exact.look_up(values)
        by_case = None
        if self._special:
            days = beside[self._rule.dated_by] if self._rule.dated_by is not None else None
            special = meant(values, days, self._special)
            # What a code means on its day comes before what it means at any time, and that before a range.
            single = np.array([one.last is None for one in self._special], np.bool_)
            first = (special >= 0) & ((places < 0) | single[special])
            places = np.where(first, special + self._plain, places)
        if self._any_case is not None:
            loose = self._any_case.look_up(casefold(values))
            by_case = (places < 0) & (loose >= 0)
            places = np.where(places < 0, loose, places)
        known = places >= 0
        labels = self._labels.take(pa.array(places, mask=~known))
        unknown = unknown_among(values, known | as_mask(pc.is_in(values, self._own_labels)))
        new = given_or_otherwise(values, labels, known, unknown, self._rule.otherwise)
        used = np.isin(np.arange(len(self.entries)), places)
        return Rewritten(new, unknown, used, by_case)

    def near_misses(self, values: pa.Array, unused: Sequence[str]) -> list[NearMiss]:
        return [NearMiss(*near) for near in near_spellings(values, self.entries).items()]
