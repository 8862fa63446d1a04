"""Cells of text tables that a spreadsheet program would take for formulas."""

from __future__ import annotations

import re
from collections.abc import Sequence

import pyarrow as pa
import pyarrow.compute as pc

from igual.column import TEXT, to_mask
from igual.text.arrays import each_where
from igual.text.plain_types import to_plain

_GUARD = "'"
# Programs skip spaces, tabs and line breaks before a sign, and some read signs in full width as their plain forms. A
# text that has an apostrophe before such a start gets another, so that taking one off gives back what was there.
_FORMULA = "^'*(?:[\\s\\x00-\\x1f\u00a0\ufeff]*[=+\\-@＝＋－＠]|[\\t\\r\\n])"
# A program that splits at another mark than the file's begins a cell behind it, whatever quotes stand around the whole.
_INNER = "[;|\\t][\\s\u00a0]*'*[=+\\-@＝＋－＠]"
_NUMBER = r"^[+-]?\d+([.,]\d+)?$"
_IS_FORMULA, _IS_NUMBER = re.compile(_FORMULA), re.compile(_NUMBER)
_INNER_START = re.compile("([;|\\t][\\s\u00a0]*'*)(?=[=+\\-@＝＋－＠])")
_GUARDED_START = re.compile("([;|\\t][\\s\u00a0]*'*)'(?=[=+\\-@＝＋－＠])")


def guarded(table: pa.Table) -> pa.Table:
    """The table with an apostrophe before texts and column names that would become formulas; numbers stay."""
    columns = []
    for column in map(to_plain, table.columns):
        kind = column.type.value_type if pa.types.is_dictionary(column.type) else column.type
        if not (pa.types.is_string(kind) or pa.types.is_large_string(kind)):
            columns.append(column)
            continue
        texts = column.cast(TEXT)
        columns.append(pa.chunked_array([_guard_texts(chunk) for chunk in texts.chunks], TEXT))
    return pa.Table.from_arrays(columns, names=guard_names(table.column_names))


def _guard_texts(texts: pa.Array) -> pa.Array:
    is_hostile = to_mask(pc.match_substring_regex(texts, f"{_FORMULA}|{_INNER}"))
    return each_where(texts, is_hostile, texts, guard_text) if is_hostile.any() else texts


def guard_names(names: Sequence[str]) -> list[str]:
    """Column names with an apostrophe before those that would become formulas."""
    return [guard_text(name) for name in names]


def is_formula(text: str) -> bool:
    """Tell whether a spreadsheet program may take a text for a formula.

    Example:
        >>> is_formula("=1+1"), is_formula("-5"), is_formula("x;@cmd")
        (True, False, True)
    """
    return guard_text(text) != text


def guard_text(text: str) -> str:
    """Give a text with an apostrophe before whatever a spreadsheet program would take for a formula.

    Example:
        >>> guard_text("=1+1"), guard_text("x;=1+1"), guard_text("-5")
        ("'=1+1", "x;'=1+1", '-5')
    """
    if _IS_NUMBER.search(text):
        return text
    inside = _INNER_START.sub(r"\1'", text)
    return f"{_GUARD}{inside}" if _IS_FORMULA.search(text) else inside


def unguarded(text: str) -> str:
    """A text without the apostrophes that guard it.

    Example:
        >>> unguarded("'=1+1"), unguarded("'s-Hertogenbosch"), unguarded("x;'=1")
        ('=1+1', "'s-Hertogenbosch", 'x;=1')
    """
    inside = _GUARDED_START.sub(r"\1", text)
    for bare in (inside[1:] if inside[:1] == _GUARD else inside, inside):
        if guard_text(bare) == text:
            return bare
    return text
