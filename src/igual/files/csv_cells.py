"""Cells of text tables that a spreadsheet program would take for formulas."""

from __future__ import annotations

import re
from collections.abc import Sequence

import pyarrow as pa
import pyarrow.compute as pc

from igual.column import TEXT, to_mask
from igual.text.plain_types import to_plain

_GUARD = "'"
# Programs skip spaces, tabs and line breaks before a sign, and some read signs in full width as their plain forms. A
# text that has an apostrophe before such a start gets another, so that taking one off gives back what was there.
_FORMULA = "^'*(?:[\\s\\x00-\\x1f\u00a0\ufeff]*[=+\\-@＝＋－＠]|[\\t\\r\\n])"
_NUMBER = r"^[+-]?\d+([.,]\d+)?$"
_IS_FORMULA, _IS_NUMBER = re.compile(_FORMULA), re.compile(_NUMBER)


def guarded(table: pa.Table) -> pa.Table:
    """The table with an apostrophe before texts and column names that would become formulas; numbers stay."""
    columns = []
    for column in map(to_plain, table.columns):
        kind = column.type.value_type if pa.types.is_dictionary(column.type) else column.type
        if not (pa.types.is_string(kind) or pa.types.is_large_string(kind)):
            columns.append(column)
            continue
        texts = column.cast(TEXT)
        flagged = pc.and_not(
            pc.match_substring_regex(texts, _FORMULA), pc.match_substring_regex(texts, _NUMBER)
        )
        if not any(to_mask(part).any() for part in flagged.chunks):
            columns.append(column)
            continue
        empty, mark = pa.scalar("", TEXT), pa.scalar(_GUARD, TEXT)
        columns.append(pc.if_else(flagged, pc.binary_join_element_wise(mark, texts, empty), texts))
    return pa.Table.from_arrays(columns, names=guard_names(table.column_names))


def guard_names(names: Sequence[str]) -> list[str]:
    """Column names with an apostrophe before those that would become formulas."""
    return [_guard(name) for name in names]


def _guard(text: str) -> str:
    is_formula = _IS_FORMULA.search(text) is not None and not _IS_NUMBER.search(text)
    return f"{_GUARD}{text}" if is_formula else text


def unguarded(text: str) -> str:
    """A text without the apostrophe that guards it.

    Example:
        >>> unguarded("'=1+1"), unguarded("'s-Hertogenbosch")
        ('=1+1', "'s-Hertogenbosch")
    """
    return text[1:] if text[:1] == _GUARD and _guard(text[1:]) == text else text
