"""Cells that no rule changed keep type and bits, in every engine; rows that came later are never lost without a word."""

from __future__ import annotations

import datetime
import math
import struct
import uuid
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import pandas as pd
import polars as pl
import pyarrow as pa
import pyarrow.parquet as pq
import pytest

import igual
from igual.errors import TableError
from igual.rules import Replace

ID = uuid.UUID("6f1c1e0e-58b6-4b8e-9d9a-1d6f819f2b26")
NOON = datetime.datetime(2026, 5, 8, 12, tzinfo=datetime.UTC)
# Cells, and a value of which a rule makes another that the type holds.
CELLS: dict[str, tuple[pa.Array, dict[str, str]]] = {
    "floats": (pa.array([0.5, -0.0, 0.0, math.nan, None]), {"0.5": "7"}),
    "single floats": (pa.array([0.5, -0.0, 1.1, math.nan, None], pa.float32()), {"0.5": "7"}),
    "half floats": (pa.array(np.array([0.5, -0.0, 1.1, np.nan], np.float16)), {"0.5": "7"}),
    "zoned times": (pa.array([NOON, None], pa.timestamp("us", "Europe/Berlin")), {"2026": "2027"}),
    "nanoseconds": (pa.array([10**18, 1_777_777_777_123_456_789, None], pa.timestamp("ns")), {"2001-": "2002-"}),
    "far times": (pa.array([0, 500_000_000_000_000, None], pa.timestamp("s")), {"1970-01-01": "1971-01-01"}),
    "far dates": (pa.array([0, 5_000_000, None], pa.date32()), {"1970-01-01": "1971-01-01"}),
    "days": (pa.array([0, 86_400_000, None], pa.date64()), {"1970-01-01": "1971-01-01"}),
    "times of day": (pa.array([3_600_000_000_000, 1, None], pa.time64("ns")), {"01:00:00": "02:00:00"}),
    "flags": (pa.array([True, False, None]), {"true": "false"}),
    "large numbers": (pa.array([2, 2**64 - 1, None], pa.uint64()), {"2": "3"}),
    "decimals": (pa.array(["1.50", "2.00", None]).cast(pa.decimal128(9, 2)), {"1.5": "3.5"}),
    "ids": (pa.array([bytes(16), ID.bytes, None], pa.uuid()), {"00000000-0000-0000-0000-000000000000": str(ID)}),
    "coded numbers": (pa.array([5, 7, None]).dictionary_encode(), {"5": "6"}),
    "coded floats": (pa.array([5.5, -0.0, None]).dictionary_encode(), {"5.5": "6"}),
}  # fmt: skip


def bits(cells: pa.Array | pa.ChunkedArray) -> list[Any]:
    cells = cells.combine_chunks() if isinstance(cells, pa.ChunkedArray) else cells
    cells = cells.storage if isinstance(cells, pa.ExtensionArray) else cells
    cells = cells.dictionary_decode() if pa.types.is_dictionary(cells.type) else cells
    if pa.types.is_temporal(cells.type):
        return [cell.value for cell in cells]
    return [struct.pack("d", cell) if isinstance(cell, float) else cell for cell in cells.to_pylist()]


def in_arrow(book: igual.Rulebook, table: pa.Table, folder: Path) -> tuple[pa.Table, pa.Table]:
    return table, book.apply(table).table


def in_pandas(book: igual.Rulebook, table: pa.Table, folder: Path) -> tuple[pa.Table, pa.Table]:
    made = book.apply(table.to_pandas(types_mapper=pd.ArrowDtype)).table
    return table, pa.table({name: pa.array(made[name]) for name in made.columns})


def in_polars(book: igual.Rulebook, table: pa.Table, folder: Path) -> tuple[pa.Table, pa.Table]:
    frame: Any = pl.from_arrow(table)
    return frame.to_arrow(), book.apply(frame).table.to_arrow()


def in_lazy_frames(book: igual.Rulebook, table: pa.Table, folder: Path) -> tuple[pa.Table, pa.Table]:
    frame: Any = pl.from_arrow(table)
    return frame.to_arrow(), book.apply(frame.lazy()).table.collect().to_arrow()


def in_readers(book: igual.Rulebook, table: pa.Table, folder: Path) -> tuple[pa.Table, pa.Table]:
    reader = pa.RecordBatchReader.from_batches(table.schema, table.to_batches(max_chunksize=2))
    return table, book.apply(reader).table.read_all()


def in_parquet(book: igual.Rulebook, table: pa.Table, folder: Path) -> tuple[pa.Table, pa.Table]:
    pq.write_table(table, folder / "in.parquet")
    book.apply_file(folder / "in.parquet", folder / "out.parquet")
    return pq.read_table(folder / "in.parquet"), pq.read_table(folder / "out.parquet")


def in_ipc(book: igual.Rulebook, table: pa.Table, folder: Path) -> tuple[pa.Table, pa.Table]:
    with pa.ipc.new_file(folder / "in.arrow", table.schema) as file:
        file.write_table(table)
    book.apply_file(folder / "in.arrow", folder / "out.arrow")
    return table, pa.ipc.open_file(folder / "out.arrow").read_all()


ENGINES = [in_arrow, in_pandas, in_polars, in_lazy_frames, in_readers, in_parquet, in_ipc]


@pytest.mark.parametrize("engine", ENGINES)
@pytest.mark.parametrize("name", CELLS)
def test_cells_that_no_rule_changed_keep_type_and_bits(
    name: str, engine: Callable[..., tuple[pa.Table, pa.Table]], tmp_path: Path
) -> None:
    cells, pairs = CELLS[name]
    table = pa.table({"size": cells, "row": range(len(cells))})
    changes = [{"never": "there"}, pairs]
    for change in changes:
        book = igual.Rulebook([Replace(column="size", pairs=change)])
        folder = tmp_path / str(len(change) + changes.index(change))
        folder.mkdir()
        if name == "ids" and engine in (in_polars, in_lazy_frames):
            # polars has no type for UUIDs: they are bytes there, which are refused by name.
            with pytest.raises(TableError, match="column 'size' is large_binary"):
                engine(book, table, folder)
            continue
        before, after = engine(book, table, folder)
        assert before.schema.field("size").type == after.schema.field("size").type
        first = 1 if change is pairs else 0
        assert bits(after["size"])[first:] == bits(before["size"])[first:]
        assert (bits(after["size"])[0] == bits(before["size"])[0]) == (change is not pairs)


def test_numpy_columns_and_lists_keep_what_no_rule_changed() -> None:
    book = igual.Rulebook([Replace(column="size", pairs={"0.5": "7"})])
    cells = [0.5, -0.0, math.nan, 1.25]
    frame = book.apply(pd.DataFrame({"size": cells})).table["size"]
    assert frame.dtype == np.float64
    assert bits(pa.array(frame.to_numpy())) == bits(pa.array([7.0, *cells[1:]]))
    listed = book.apply({"size": [0.5, -0.0, None, 1.25]}).table["size"]
    assert [str(cell) for cell in listed] == ["7.0", "-0.0", "None", "1.25"]
    whole = igual.Rulebook([Replace(column="size", pairs={"3": ""})]).apply(
        pd.DataFrame({"size": [3, 2**60 + 1]})
    )
    assert whole.table["size"].tolist() == ["", str(2**60 + 1)]


def test_a_row_that_comes_after_apply_fails_with_what_happened(tmp_path: Path) -> None:
    path = tmp_path / "crews.csv"
    path.write_text("crew,rows\nNorth,1\nSouth,2\n")
    book = igual.Rulebook([Replace(column="crew", pairs={"North": "north"})])
    outcome = book.apply(pl.scan_csv(path))
    assert outcome.table.collect()["crew"].to_list() == ["north", "South"]
    path.write_text(path.read_text() + "East,3\nSouth,4\n")
    for engine in ("auto", "streaming"):
        with pytest.raises(
            TableError, match=r"1 row has a value in 'crew' that was not there when the rulebook"
        ):
            outcome.table.collect(engine=engine)
    # Of values that were there any number of rows may come.
    path.write_text("crew,rows\nNorth,1\nSouth,2\nSouth,4\n")
    assert outcome.table.collect()["crew"].to_list() == ["north", "South", "South"]
