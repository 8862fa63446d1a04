"""The rule `date`."""

from __future__ import annotations

from collections.abc import Mapping
from typing import ClassVar, Literal

import numpy as np
import pyarrow as pa
from pydantic import field_validator

from igual.engines import OutputType
from igual.lists import Shelf
from igual.rules.base import Rule
from igual.rules.kinds import UNREAD, ValueKind
from igual.rules.rewriters import Details, PlainRewriter, Rewriter, Rewritten
from igual.text.blanks import is_blank
from igual.text.dates import ISO, check_form, days, written


class Date(Rule):
    """Read texts as dates, written in a stated form; nothing is guessed.

    A value that isn't a date in this form becomes missing and is listed as unknown, with its rows. Missing values
    and blanks are missing. `igual.date_forms` shows which forms a column has.

    Attributes:
        form: How the dates are written: `YYYY`, `YY`, `MM`, `DD`, and `MON` or `MONTH` for English names, with
            whatever stands between them, such as `DD/MM/YYYY`. Leading zeros may be missing.
        give: How to write them, or a part of them: besides these letters `M` and `D` without a leading zero,
            `WEEKDAY` (Monday) and `WDAY` (Mon), `QQ` (Q1) and `Q` (1) for the quarter. `YYYY-MM-DD` (ISO 8601) gives
            a date column where the table can have one.

    Example:
        >>> from igual.rules import Date
        >>> Date(form="DD.MM.YYYY", give="YYYY/MM/DD").on(["1.2.2024", "31.02.2024"])
        ['2024/02/01', None]
        >>> Date(form="DD.MM.YYYY", give="WEEKDAY, D MONTH (QQ)").on(["01.02.2024"])
        ['Thursday, 1 February (Q1)']
    """

    changes_notation: ClassVar[bool] = True
    unknown_kind: ClassVar[ValueKind] = UNREAD

    do: Literal["date"] = "date"
    form: str
    give: str = ISO

    @field_validator("form")
    @classmethod
    def _form_is_sound(cls, given: str) -> str:
        return check_form(given)

    @field_validator("give")
    @classmethod
    def _give_is_sound(cls, given: str) -> str:
        return check_form(given, to_write=True)

    def output(self, shelf: Shelf, before: OutputType) -> OutputType:
        """Tell what its results are to be in the clean table, where the column was to be something before."""
        return OutputType("date" if self.give == ISO else "text")

    def rewriter(self, shelf: Shelf) -> Rewriter:
        """Prepare the rule for work."""
        return _Rewriter(self)


class _Rewriter(PlainRewriter):
    def __init__(self, rule: Date) -> None:
        self._rule = rule

    def rewrite(self, values: pa.Array, beside: Mapping[str, pa.Array]) -> Rewritten:
        read = days(values, self._rule.form)
        unknown = np.isnan(read) & ~is_blank(values)
        return Rewritten(written(read, self._rule.give), Details(unknown))
