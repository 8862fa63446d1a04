"""Tables as a dict of column names and sequences, for those who use neither pandas nor Arrow."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Any

import pandas as pd
import pyarrow as pa

from igual.column import TEXT, TEXTS, Column
from igual.engines.arrow import to_measures
from igual.engines.base import CleanColumn, OutputType
from igual.engines.pandas import PandasEngine, decode_column
from igual.errors import TableError
from igual.text.cells import DATES, NUMBERS, WHOLE

PlainTable = Mapping[str, Sequence[Any]]


class PlainEngine:
    """Clean columns come out as lists; None and NaN are missing and stay what they were."""

    def names(self, table: PlainTable) -> list[str]:
        """List the column names, in order."""
        for name, column in table.items():
            if isinstance(column, str | bytes) or not hasattr(column, "__len__"):
                raise TableError(f"column {name!r} takes a sequence of values; found {type(column).__name__}")
        lengths = {name: len(column) for name, column in table.items()}
        if len(set(lengths.values())) > 1:
            listed = ", ".join(f"{name!r} {length:,}" for name, length in lengths.items())
            raise TableError(f"the columns differ in length: {listed}")
        # Names that are numbers are known by how they are written.
        return list(map(str, table))

    def column(self, table: PlainTable, position: int) -> Column:
        """Encode a column."""
        cells = list(list(table.values())[position])
        if {str} <= {*map(type, cells)} <= {str, type(None)}:
            return Column.from_arrow(pa.array(cells, TEXT))
        return PandasEngine().column(pd.DataFrame({"": pd.Series(cells, dtype=object)}), 0)

    def rename(self, table: PlainTable, names: Sequence[str]) -> dict[str, Any]:
        """Give the same table other column names."""
        return dict(zip(names, table.values(), strict=True))

    def rebuild(self, table: PlainTable, columns: Sequence[CleanColumn]) -> dict[str, Any]:
        """Put the clean columns in their places, and new ones at the end."""
        keys = {str(key): key for key in table}
        return {
            **table,
            **{
                keys.get(clean.name, clean.name): _decode(clean, table[keys[clean.source]])
                for clean in columns
            },
        }


def _decode(clean: CleanColumn, raw: Sequence[Any]) -> list[Any]:
    if clean.is_as_it_was:
        return list(raw)
    kinds = {WHOLE: pa.int64(), NUMBERS: pa.float64(), DATES: pa.date32()}
    if (measures := to_measures(clean, kinds.get(clean.column.kind))) is not None:
        made = clean.column.decode(measures, measures.type).to_pylist()
        is_kept = clean.is_kept[clean.column.codes].tolist()
        if clean.name != clean.source or clean.output.kind != "text":
            return made  # type: ignore[no-any-return]
        return [old if kept else new for old, new, kept in zip(raw, made, is_kept, strict=True)]
    # A list has no order of labels to carry; texts keep their own kind of missing value.
    texts = clean._replace(output=OutputType(), column=replace(clean.column, kind=TEXTS))
    return decode_column(texts, pd.Series(list(raw), dtype=object)).to_list()
