"""Codebooks: codes and their labels."""

from __future__ import annotations

import os
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from igual.column import find_lone_surrogate
from igual.display import Tabled
from igual.errors import ListError, spell_given
from igual.lists.codes import CodeMeaning, check_codes
from igual.values import value_of, values_of


@dataclass(frozen=True, repr=False)
class Codebook(Tabled):
    """Codes and their labels, in order.

    Attributes:
        labels: Code to label; every code and every label is a text that isn't blank. A number or day may be given
            for its text: `1` for `"1"`.
        special: What plain codes can't say: ranges of numbers, and meanings for some time only.
        file: Where it was read from, as a rulebook that is saved will name it; None keeps it in the rulebook.
        read_with: Further words by which a rulebook names where it comes from (language; sql and database).

    Raises:
        ListError: For a code without a label, and for codes that contradict each other.

    Example:
        >>> Codebook({"1": "good", "2": "fair"})
        <igual.Codebook of 2 codes: '1' = 'good', '2' = 'fair'>
        >>> Codebook({1: "good"}) == Codebook({"1": "good"})
        True
    """

    labels: Mapping[Any, str]
    special: Sequence[CodeMeaning] = ()
    file: str | None = field(default=None, compare=False)
    read_with: Mapping[str, str] = field(default_factory=dict, compare=False)

    def __post_init__(self) -> None:
        if not isinstance(self.labels, Mapping):
            raise ListError(
                f"a codebook takes a mapping of code to label; found {type(self.labels).__name__}"
            )
        if len(labels := values_of(self.labels)) < len(self.labels):
            twice = next(
                value for value in labels if sum(value_of(code) == value for code in self.labels) > 1
            )
            raise ListError(f"code {twice!r} stands twice: as a number and as a text")
        object.__setattr__(self, "labels", labels)
        ListError.refuse_other((list, tuple), "a list of meanings", special=self.special)
        for entry in self.special:
            ListError.refuse_other((list, tuple), "a list of meanings", special=entry)
        object.__setattr__(self, "special", tuple(CodeMeaning(*entry) for entry in self.special))
        if not self.labels and not self.special:
            raise ListError("a codebook needs at least one code")
        codes = [*self.labels.items(), *((entry.code, entry.label) for entry in self.special)]
        for code, label in codes:
            if not isinstance(code, str) or not isinstance(label, str):
                raise ListError(f"a codebook holds texts; found {spell_given(code)}: {spell_given(label)}")
            if not label.strip():
                raise ListError(f"code {code!r} has no label")
        if (bad := find_lone_surrogate(text for pair in codes for text in pair)) is not None:
            raise ListError(f"{bad!r} has half of a character, which can't be written anywhere")
        check_codes(self.special)

    @classmethod
    def load(
        cls, path: str | os.PathLike[str], *, encoding: str | None = None, language: str | None = None
    ) -> Codebook:
        """Read a codebook from a table file with the columns `code` and `label`, in order.

        Further columns whose names start with `code` hold other codes of the same label. A range of numbers stands in
        `code_first` and `code_last`; `valid_from` and `valid_to` say on which days a row holds. Other columns are left
        alone. From SKOS (.ttl, .jsonld) notations are the codes and preferred labels the labels.

        Args:
            path: The file: .csv, .xlsx, .parquet, .ttl or .jsonld.
            encoding: Of a text table, when it is known better than its bytes tell.
            language: Of the labels in a SKOS file; None takes the only language there is.

        Returns:
            The codebook.

        Raises:
            ListError: Names the row (the header is row 1) of a repeated code or a missing label.
        """
        from igual.files.lists import load_codebook

        return load_codebook(path, encoding, language)

    @classmethod
    def from_sql(cls, url: str, query: str) -> Codebook:
        """Read a codebook from what a query gives, with columns as for `load`; requires the extra `sql`.

        Args:
            url: Of the database, as SQLAlchemy writes it; it is never printed or kept.
            query: A query that only reads.

        Returns:
            The codebook.

        Raises:
            ListError: As for `load`, and for a query that does anything but read.
        """
        from igual.files.lists import query_codebook

        return query_codebook(url, query)

    @property
    def order(self) -> tuple[str, ...]:
        """The labels in the order of their codes, each once."""
        return tuple(dict.fromkeys([*self.labels.values(), *(entry.label for entry in self.special)]))

    @property
    def is_dated(self) -> bool:
        """Whether what a code means depends on the day."""
        return any(entry.since or entry.until for entry in self.special)

    def __repr__(self) -> str:
        codes = [f"{code!r} = {label!r}" for code, label in self.labels.items()]
        codes += [f"{entry.describe()!r} = {entry.label!r}" for entry in self.special]
        more = f" and {len(codes) - 3:,} more" if len(codes) > 3 else ""
        return f"<igual.Codebook of {len(codes):,} codes: {', '.join(codes[:3])}{more}>"
