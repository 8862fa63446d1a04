"""The rule `label`."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import ClassVar, Literal

import numpy as np
import pyarrow as pa
from pydantic import model_validator

from igual.column import TEXT
from igual.engines import OutputType
from igual.errors import ListError
from igual.lists import Codebook, Need, Shelf
from igual.lists.codes import find_codes
from igual.matching.near_spellings import NearSpellings
from igual.matching.spellings import Spellings
from igual.rules.base import EntrySource, Rule
from igual.rules.kinds import UNLABELLED, ValueKind
from igual.rules.lookup import Otherwise, fill_unknown, unknown_among
from igual.rules.rewriters import Details, NearMiss, Rewriter, Rewritten
from igual.text.folding import casefold
from igual.text.reading import numbers


class Label(Rule):
    """Put the label in the place of its code.

    A value that is a label of the codebook already stays and isn't unknown. Missing values and blanks stay.

    Attributes:
        codebook: The name of the codebook.
        otherwise: What becomes of a value without a label: `flag` (keep it, and warn), `keep`, `blank` (an empty
            text), or `{ text = "…" }`; with `blanks = true` in it blanks get that text, too. Whatever is chosen, the
            value is listed as unknown, with its rows.
        ignore_case: Find codes in any case. Codes are case-sensitive unless this is said.
        dated_by: The column with the day by which a code is read, for codes that mean something for some time only.
            The day stands first in it, as in 2024-05-31; without one, only meanings without a limit count.

    Example:
        >>> import igual
        >>> from igual.rules import Label
        >>> Label(codebook="site").on(["a", "A"], codebooks={"site": igual.Codebook({"a": "avenue", "A": "alley"})})
        ['avenue', 'alley']
    """

    takes_numbers: ClassVar[bool] = True
    unknown_kind: ClassVar[ValueKind] = UNLABELLED

    do: Literal["label"] = "label"
    codebook: str
    otherwise: Otherwise = "flag"
    ignore_case: bool = False
    dated_by: str | None = None

    @model_validator(mode="after")
    def _dated_by_another(self) -> Label:
        if self.dated_by is not None and self.dated_by in self.columns:
            raise ValueError("'dated_by' names the column of the codes; the day stands in another")
        return self

    def reads(self) -> set[str]:
        """List the columns that the rule looks at besides its own."""
        return super().reads() | ({self.dated_by} if self.dated_by is not None else set())

    @property
    def entry_source(self) -> EntrySource:
        """Where the entries come from that it looks for."""
        return EntrySource("codebook", self.codebook)

    def output(self, shelf: Shelf, before: OutputType) -> OutputType:
        """Tell what its results are to be in the clean table, where the column was to be something before."""
        return OutputType(order=shelf.codebooks[self.codebook].order)

    def needs(self) -> list[Need]:
        """List what the rule looks up by name."""
        return [Need("codebooks", self.codebook), *super().needs()]

    def rewriter(self, shelf: Shelf) -> Rewriter:
        """Prepare the rule for work."""
        return _Rewriter(self, shelf.codebooks[self.codebook])


_FEW_CODES = 1_000


class _Rewriter:
    def __init__(self, rule: Label, codebook: Codebook) -> None:
        if codebook.is_dated and rule.dated_by is None:
            raise ListError(
                f"codebook {rule.codebook!r} has codes that mean something for some time only; "
                "say with 'dated_by' which column has the day"
            )
        self._rule = rule
        # More codes would be hashed anew for each piece.
        self.works_in_pieces = len(codebook.labels) <= _FEW_CODES
        self._special = codebook.special
        self.entries: Sequence[str] = (*codebook.labels, *(entry.describe() for entry in codebook.special))
        self._near = NearSpellings(pa.array(self.entries, TEXT))
        labels = [*codebook.labels.values(), *(entry.label for entry in codebook.special)]
        self._labels = pa.array(labels, TEXT)
        self._plain = len(codebook.labels)
        self._own_labels = Spellings(pa.array(codebook.order, TEXT), np.arange(len(codebook.order)))
        codes = pa.array(codebook.labels, TEXT)
        positions = np.arange(self._plain)
        self._exact = Spellings(codes, positions)
        self._any_case = Spellings(casefold(codes), positions) if rule.ignore_case else None
        if self._any_case and self._any_case.contested:
            first, second = sorted(next(iter(self._any_case.contested.values())))[:2]
            raise ListError(
                f"codebook {rule.codebook!r}: codes {self.entries[first]!r} and {self.entries[second]!r} "
                "are the same when case is ignored"
            )

    def rewrite(self, values: pa.Array, beside: Mapping[str, pa.Array]) -> Rewritten:
        positions = self._exact.look_up(values)
        by_case = None
        if self._special:
            days = beside[self._rule.dated_by] if self._rule.dated_by is not None else None
            special = find_codes(values, days, self._special)
            # What a code means on its day comes before what it means at any time, and that before a range.
            single = np.array([entry.last is None for entry in self._special], np.bool_)
            first = (special >= 0) & ((positions < 0) | single[special])
            positions = np.where(first, special + self._plain, positions)
        if self._any_case is not None:
            loose = self._any_case.look_up(casefold(values))
            by_case = (positions < 0) & (loose >= 0)
            positions = np.where(positions < 0, loose, positions)
        known = positions >= 0
        labels = self._labels.take(pa.array(positions, mask=~known))
        unknown = unknown_among(values, known | (self._own_labels.look_up(values) >= 0))
        new = fill_unknown(values, labels, known, unknown, self._rule.otherwise)
        used = np.zeros(len(self.entries), np.bool_)
        used[positions[known]] = True
        return Rewritten(new, Details(unknown, used, by_case))

    def near_misses(self, values: pa.Array, unused: Sequence[str]) -> list[NearMiss]:
        near = dict(self._near.find(values))
        # The same number, written otherwise: `2.0` or `02` for `2`.
        codes = pa.array(self.entries[: self._plain], TEXT)
        known, sought = numbers(codes), numbers(values)
        order = np.argsort(known, kind="stable")
        place = np.minimum(np.searchsorted(known[order], sought), max(len(known) - 1, 0))
        for position in np.flatnonzero(known[order][place] == sought if len(known) else []).tolist():
            near.setdefault(position, self.entries[order[place[position]]])
        return [NearMiss(position, (near[position],)) for position in sorted(near)]
