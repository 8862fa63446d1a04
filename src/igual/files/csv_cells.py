"""Cells of text tables that a spreadsheet program would take for formulas."""

from __future__ import annotations

import pyarrow as pa
import pyarrow.compute as pc

_STARTS = "=+-@\t\r"
_GUARD = "'"


def guarded(table: pa.Table) -> pa.Table:
    """The table with an apostrophe before texts that would become formulas; numbers stay."""
    columns = []
    for column in table.columns:
        kind = column.type.value_type if pa.types.is_dictionary(column.type) else column.type
        if not (pa.types.is_string(kind) or pa.types.is_large_string(kind)):
            columns.append(column)
            continue
        texts = column.cast(pa.large_string())
        number = pc.match_substring_regex(texts, r"^[+-]?\d+([.,]\d+)?$")
        flagged = pc.and_not(pc.match_substring_regex(texts, r"^[=+\-@\t\r]"), number)
        empty, mark = pa.scalar("", pa.large_string()), pa.scalar(_GUARD, pa.large_string())
        columns.append(pc.if_else(flagged, pc.binary_join_element_wise(mark, texts, empty), texts))
    return pa.Table.from_arrays(columns, names=table.column_names)


def unguarded(text: str) -> str:
    """A text without the apostrophe that guards it."""
    return text[1:] if text[:1] == _GUARD and text[1:2] and text[1] in _STARTS else text
