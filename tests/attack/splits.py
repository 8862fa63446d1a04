"""One question, one answer: rows alone, in any order, number and engine come out as they do in the whole table.

`python -m tests.attack.splits 7 100` compares a hundred rulebooks from one seed, and stops at the first difference.
"""

from __future__ import annotations

import tempfile
from collections.abc import Callable, Mapping, Sequence
from decimal import Decimal
from pathlib import Path
from random import Random
from typing import Any

import pandas as pd
import polars as pl
import pyarrow as pa
import pyarrow.parquet as pq

import igual
from tests.attack.generators import make_rulebook, make_table
from tests.attack.python_calls import make_calls

_MOST_ROWS = 60
# What a row became: the texts of its cells by column.
_Row = tuple[tuple[str, str], ...]
_Table = Mapping[str, Sequence[str]]


def find_split_fault(random: Random) -> str:
    """Apply a rulebook to a table, and to a part of it in another way; gives the first row that differs, '' for none."""
    table = make_table(random)
    rows = len(table["a"])
    # Any rows, in any order, some of them many times.
    chosen = random.choices(range(rows), k=random.choice((1, rows, _MOST_ROWS)))
    part = {name: [cells[row] for row in chosen] for name, cells in table.items()}
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        (folder / "b.toml").write_text(make_rulebook(random), encoding="utf-8", newline="")
        try:
            book = igual.Rulebook.load(folder / "b.toml")
            whole = _in_dicts(book, table, folder)
        except igual.IgualError:
            return ""
        way = random.choice(_WAYS)
        made = way(book, part, folder)
    for row, at in zip(made, chosen, strict=True):
        if row != whole[at]:
            return f"row {at} of {table}\nbecame {whole[at]}\nand {row} in {part} by {way.__name__}"
    return ""


def _list_rows(columns: Mapping[str, Sequence[Any]]) -> list[_Row]:
    """The rows of a table, in which cells are texts: types of numbers and days are those of an engine."""
    texts = {name: [*map(_spell, cells)] for name, cells in columns.items()}
    return [tuple(zip(texts, row, strict=True)) for row in zip(*texts.values(), strict=True)]


def _spell(cell: Any) -> str:
    if cell is None or cell is pd.NA or cell != cell:
        return ""
    if isinstance(cell, int | float | Decimal):
        return format(Decimal(str(cell)).normalize(), "f")
    return str(cell).removesuffix(" 00:00:00")


def _in_dicts(book: igual.Rulebook, table: _Table, folder: Path) -> list[_Row]:
    return _list_rows(book.apply(dict(table)).table)


def _row_by_row(book: igual.Rulebook, table: _Table, folder: Path) -> list[_Row]:
    rows = zip(*table.values(), strict=True)
    return [
        made
        for row in rows
        for made in _in_dicts(book, {n: [c] for n, c in zip(table, row, strict=True)}, folder)
    ]


def _in_pandas(book: igual.Rulebook, table: _Table, folder: Path) -> list[_Row]:
    made = book.apply(pd.DataFrame(table)).table
    return _list_rows({name: made[name].astype(object).tolist() for name in made.columns})


def _in_lazy_frames(book: igual.Rulebook, table: _Table, folder: Path) -> list[_Row]:
    return _list_rows(book.apply(pl.LazyFrame(table)).table.collect().to_dict(as_series=False))


def _in_batches(book: igual.Rulebook, table: _Table, folder: Path) -> list[_Row]:
    batches = pa.table(dict(table)).to_batches(max_chunksize=3)
    reader = pa.RecordBatchReader.from_batches(batches[0].schema, batches)
    return _list_rows(book.apply(reader).table.read_all().to_pydict())


def _in_files(book: igual.Rulebook, table: _Table, folder: Path) -> list[_Row]:
    pq.write_table(pa.table(dict(table)), folder / "t.parquet")
    book.apply_file(folder / "t.parquet", folder / "o.parquet", most_values=4)
    return _list_rows(pq.read_table(folder / "o.parquet").to_pydict())


_WAYS: Sequence[Callable[[igual.Rulebook, _Table, Path], list[_Row]]] = (
    _in_dicts, _row_by_row, _in_pandas, _in_lazy_frames, _in_batches, _in_files,
)  # fmt: skip


if __name__ == "__main__":
    raise SystemExit(make_calls(find_split_fault))
