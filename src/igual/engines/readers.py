"""Record batch readers: what streams in comes out as a stream; in between it lies in a passing file."""

from __future__ import annotations

import tempfile
import weakref
from collections.abc import Iterator, Sequence
from typing import Any

import pyarrow as pa

from igual.engines.arrow import put_in_rows
from igual.engines.base import CleanColumn
from igual.engines.combinations import Combinations, Finder, combine
from igual.engines.counting import Counter, merge_due
from igual.engines.placing import place_cells
from igual.text.cells import list_text_fields


class ReaderEngine:
    """Record batch readers can be read once: what they give is kept in a file without a name, which vanishes."""

    def __init__(self) -> None:
        self._kept: Any = tempfile.TemporaryFile(prefix="igual-")  # noqa: SIM115  # it outlives this call
        weakref.finalize(self, self._kept.close)

    def names(self, table: pa.RecordBatchReader) -> list[str]:
        """List the column names, in order."""
        return list(table.schema.names)

    def text_names(self, table: pa.RecordBatchReader) -> list[str]:
        """List the columns that hold texts, in order."""
        return list_text_fields(table.schema)

    def rename(self, table: pa.RecordBatchReader, names: Sequence[str]) -> pa.RecordBatchReader:
        """Give the same table other column names."""
        schema = pa.schema([field.with_name(name) for field, name in zip(table.schema, names, strict=True)])
        renamed = (batch.rename_columns(list(names)) for batch in table)
        return pa.RecordBatchReader.from_batches(schema, renamed)

    def count(self, table: pa.RecordBatchReader, groups: Sequence[Sequence[str]]) -> list[Combinations]:
        """Count the combinations of columns that rules read together, and keep the rows."""
        counters = [Counter(len(group)) for group in groups]
        with pa.ipc.new_stream(pa.PythonFile(self._kept, "w"), table.schema) as kept:
            for batch in table:
                kept.write_batch(batch)
                for counter, group in zip(counters, groups, strict=True):
                    counter.add(combine([batch.column(name) for name in group]))
                merge_due(counters)
        self._kept.flush()
        empty = pa.Table.from_batches([], table.schema)
        return [
            counted if (counted := counter.count()).cells else combine([empty.column(name) for name in group])
            for counter, group in zip(counters, groups, strict=True)
        ]

    def join(
        self,
        table: pa.RecordBatchReader,
        groups: Sequence[Sequence[str]],
        counted: Sequence[Combinations],
        columns: Sequence[CleanColumn],
    ) -> pa.RecordBatchReader:
        """Read the rows again, with clean cells in their places and new ones at the end."""
        finders = [Finder(combinations) for combinations in counted]
        placed, schema = place_cells(columns, table.schema, groups)

        def rows() -> Iterator[pa.RecordBatch]:
            self._kept.seek(0)
            for batch in pa.ipc.open_stream(pa.PythonFile(self._kept, "r")):
                places = [
                    finder.find([batch.column(name) for name in group])
                    for finder, group in zip(finders, groups, strict=True)
                ]
                arrays = list(batch.columns)
                for one in placed:
                    codes = one.codes[places[one.group]]
                    if one.place is None:
                        arrays.append(put_in_rows(one.made, codes, None))
                    else:
                        arrays[one.place] = put_in_rows(one.made, codes, batch.column(one.place))
                yield pa.RecordBatch.from_arrays(arrays, schema=schema)

        return pa.RecordBatchReader.from_batches(schema, rows())
