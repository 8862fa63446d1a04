"""Crosswalks: for each raw value of a column what it becomes, and how; used again without the rulebook."""

from __future__ import annotations

import os
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import TYPE_CHECKING, Any, NamedTuple

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from igual.column import TEXT
from igual.decisions import Ruling
from igual.display import Displayed, Tabled, to_figure
from igual.engines import Source, open_table
from igual.errors import TableError
from igual.rulings import Rulings
from igual.runs.crosswalk_rows import SCHEMA
from igual.runs.trail import ColumnTrail

if TYPE_CHECKING:
    import pandas as pd
    from matplotlib.figure import Figure

_NEEDED = ("column", "raw", "clean")


class UnknownToCrosswalk(NamedTuple):
    """A value that a crosswalk doesn't know, or knows under several conditions.

    Attributes:
        column: The column.
        value: The value.
        rows: How many rows have it.
        why: 'not in the crosswalk', or 'it depends on other columns'.
    """

    column: str
    value: str
    rows: int
    why: str


class Applied(Displayed):
    """A table after a crosswalk; it prints shortly.

    Attributes:
        table: The table, of the same kind as what came in.
        not_known: The values that the crosswalk doesn't know, which stay as they were, most rows first.
    """

    def __init__(self, table: Any, not_known: Sequence[UnknownToCrosswalk]) -> None:
        self.table = table
        self.not_known = tuple(not_known)

    @cached_property
    def unknown(self) -> pd.DataFrame:
        """DataFrame of the values that the crosswalk doesn't know: column, value, rows, why."""
        return self._frame("unknown")


@dataclass(frozen=True, eq=False, repr=False)
class Crosswalk(Tabled):
    """The raw and clean values of columns, to be used again without the rulebook.

    Attributes:
        table: An Arrow table with column, raw, clean, and perhaps rows, how, way, score, settled, source and given;
            what is missing is filled in.

    Raises:
        TableError: Where a needed column isn't there.

    Example:
        >>> import igual
        >>> from igual.rules import Case
        >>> book = igual.Rulebook([Case(column="species", style="sentence")])
        >>> crosswalk = book.apply({"species": ["NORWAY MAPLE", "Elm"]}).crosswalks
        >>> crosswalk
        <igual.Crosswalk of 2 values in 1 column: species>
        >>> crosswalk.apply({"species": ["NORWAY MAPLE", "Gingko"]}).table
        {'species': ['Norway maple', 'Gingko']}
    """

    table: pa.Table
    _by_column: dict[str, pa.Table] = field(init=False, repr=False)

    def __post_init__(self) -> None:
        TableError.refuse_other(pa.Table, "an Arrow table", table=self.table)
        names = self.table.column_names
        for name in _NEEDED:
            if name not in names:
                raise TableError.from_missing("the crosswalk", "column", name, names)
        if twice := [name for name in SCHEMA if names.count(name) > 1]:
            raise TableError(f"the crosswalk has several columns {twice[0]!r}; leave one")
        rows = self.table.num_rows
        columns = []
        for name, kind in SCHEMA.items():
            if name in names:
                columns.append(_read_column(self.table[name], name, kind))
            elif name == "source":
                columns.append(self.table["column"].cast(TEXT))
            else:
                default = {"rows": 0, "settled": True}.get(name)
                columns.append(pa.array([default] * rows, kind))
        table = pa.table(columns, schema=pa.schema(SCHEMA))
        source = pc.if_else(pc.equal(table["source"].fill_null(""), ""), table["column"], table["source"])
        table = table.set_column(table.column_names.index("source"), "source", source)
        object.__setattr__(self, "table", table)
        object.__setattr__(self, "_by_column", _split_by_column(table))

    def __repr__(self) -> str:
        rows, columns = self.table.num_rows, self.columns
        values = f"{rows:,} value{'' if rows == 1 else 's'}"
        listed = f"{len(columns)} column{'' if len(columns) == 1 else 's'}: {', '.join(columns)}"
        return f"<igual.Crosswalk of {values} in {listed}>"

    @classmethod
    def load(cls, path: str | os.PathLike[str], *, column: str | None = None) -> Crosswalk:
        """Read a crosswalk.

        Args:
            path: The file: CSV, Parquet, or SSSOM (a name that ends with .sssom.tsv).
            column: The column it is for, where the file doesn't tell.

        Returns:
            The crosswalk.

        Raises:
            TableError: Where the file isn't a crosswalk.
        """
        from igual.files.crosswalks import load_crosswalk

        return load_crosswalk(path, column)

    def save(self, path: str | os.PathLike[str]) -> None:
        """Write the crosswalk as what its name ends with.

        Args:
            path: The file to write: .csv, .parquet or .sssom.tsv.

        Raises:
            OutputError: For another ending, or where the file can't be written.
        """
        from igual.files.crosswalks import save_crosswalk

        save_crosswalk(self, path)

    @property
    def columns(self) -> list[str]:
        """The columns that it is for."""
        return list(self._by_column)

    def of_column(self, column: str) -> pa.Table:
        """Choose the rows of one column.

        Args:
            column: Its name.

        Returns:
            The part of the table that is about it.

        Raises:
            TableError: Where the crosswalk isn't for such a column.
        """
        if column not in self._by_column:
            raise TableError.from_missing("the crosswalk", "column", column, self._by_column)
        return self._by_column[column]

    def _map(self, column: str) -> tuple[dict[str, str | None], set[str]]:
        """Raw values and what each becomes; and those that become several things, by what stands beside them."""
        becomes: dict[str, str | None] = {}
        ambiguous: set[str] = set()
        part = self.of_column(column)
        for raw, clean in zip(part["raw"].to_pylist(), part["clean"].to_pylist(), strict=True):
            if raw is not None and becomes.setdefault(raw, clean) != clean:
                ambiguous.add(raw)
        return becomes, ambiguous

    def _join_keys(self, column: str) -> tuple[pa.Array, pa.Array, set[str]]:
        """Raw values that stand once or always become the same, what they become, and the others."""
        part = self.of_column(column)
        raw, clean = (part[name].combine_chunks() for name in ("raw", "clean"))
        if len(pc.unique(raw)) == len(raw):
            return raw, clean, set()
        becomes, ambiguous = self._map(column)
        keys = [raw for raw in becomes if raw not in ambiguous]
        return pa.array(keys, TEXT), pa.array([becomes[raw] for raw in keys], TEXT), ambiguous

    def figure(
        self, column: str, earlier: Mapping[str, Crosswalk], *, name: str = "now", ax: Any = None
    ) -> Figure:
        """Draw how the shares of clean values of a column moved from run to run, and how many spellings were new.

        Args:
            ax: Matplotlib axes to draw on; None: those of a new figure.
            column: The column.
            earlier: Crosswalks of earlier runs by name, the oldest first.
            name: What this one is called.

        Returns:
            The Matplotlib figure; `savefig` writes it as PNG or SVG.

        Raises:
            IgualError: Where Matplotlib isn't installed (the extra `figures`).
        """
        return to_figure(self, ax, column=column, earlier=earlier, name=name)

    def apply(self, table: Any) -> Applied:
        """Write every raw value of the crosswalk's columns as it is clean: one join a column.

        Missing values stay missing. Values that the crosswalk doesn't know stay and are listed, and so are those that
        became several things by what stood in other columns.

        Args:
            table: A pandas DataFrame, an Arrow table, or a dict of columns; it stays as it is.

        Returns:
            The table, of the same kind, and what the crosswalk doesn't know.

        Raises:
            TableError: Where a column isn't there.
        """
        source = open_table(table)
        names = source.names
        trails: list[ColumnTrail] = []
        not_known: list[UnknownToCrosswalk] = []
        for name in self.columns:
            trail, unknown = self._apply_to_column(name, source, names)
            trails.append(trail)
            not_known += unknown
        not_known.sort(key=lambda one: (-one.rows, one.column, one.value))
        return Applied(source.rebuild([trail.clean_column for trail in trails]), not_known)

    def _apply_to_column(
        self, name: str, table: Source, names: Sequence[str]
    ) -> tuple[ColumnTrail, list[UnknownToCrosswalk]]:
        source = self.of_column(name)["source"][0].as_py()
        if source not in names:
            raise TableError.from_missing("the table", "column", source, names)
        if name != source and name in names:
            raise TableError(f"the crosswalk would write over the column {name!r}")
        raw = ColumnTrail.begin(source, table.column(source))
        keys, clean, ambiguous = self._join_keys(name)
        values = raw.values
        matches = pc.index_in(values, keys, skip_nulls=True)
        is_known = matches.is_valid()
        new = pc.if_else(is_known, clean.take(matches), values)
        unknown = []
        is_unknown = ~pc.or_(is_known, values.is_null()).to_numpy(zero_copy_only=False)
        for position in np.flatnonzero(is_unknown).tolist():
            value = values[position].as_py()
            why = "it depends on other columns" if value in ambiguous else "not in the crosswalk"
            unknown.append(UnknownToCrosswalk(name, value, int(raw.column.counts[position]), why))
        return replace(raw, name=name, values=new, is_merged=False), unknown

    def as_rulings(self, *, by: str = "", on: str = "") -> Rulings:
        """Turn the settled values into rulings, such as those that another team made.

        Args:
            by: Who ruled.
            on: The day, such as '2026-05-31'.

        Returns:
            The rulings.
        """
        return Rulings(
            [
                Ruling(column, raw, clean, f"crosswalk: {how}" if how else "crosswalk", by, on)
                for column, raw, clean, how in self._list_settled()
            ]
        )

    def aliases(self, column: str) -> dict[str, list[str]]:
        """Group the settled values of a column by what they become, less those that stay: aliases for a list.

        Args:
            column: The column.

        Returns:
            Clean value to raw values.
        """
        aliases: dict[str, list[str]] = {}
        for name, raw, clean, _ in self._list_settled():
            if name == column and raw != clean:
                aliases.setdefault(clean, []).append(raw)
        return aliases

    def _list_settled(self) -> list[tuple[str, str, str, str]]:
        ambiguous = {name: self._map(name)[1] for name in self.columns}
        names = ("column", "raw", "clean", "how", "settled")
        rows = zip(*(self.table[name].to_pylist() for name in names), strict=True)
        distinct = {
            (column, raw): (column, raw, clean, how or "")
            for column, raw, clean, how, settled in rows
            if (raw or "").strip() and clean and settled
        }
        return [row for (column, raw), row in distinct.items() if raw not in ambiguous[column]]


def _split_by_column(table: pa.Table) -> dict[str, pa.Table]:
    """The rows of each column, in the order of the file."""
    encoded = table["column"].combine_chunks().dictionary_encode()
    codes = encoded.indices.fill_null(-1).to_numpy(zero_copy_only=False)
    order = np.argsort(codes, kind="stable")
    ends = np.searchsorted(codes[order], np.arange(len(encoded.dictionary) + 1))
    ordered = table.take(pa.array(order))
    return {
        name: ordered.slice(start, stop - start)
        for name, start, stop in zip(encoded.dictionary.to_pylist(), ends, ends[1:], strict=False)
        # Blank rows of a file are no rows of a column without a name.
        if name or (name is not None and _has_text(ordered["raw"].slice(start, stop - start)))
    }


def _has_text(cells: pa.ChunkedArray) -> bool:
    return bool(pc.any(pc.greater(pc.binary_length(cells), 0)).as_py())


def _read_column(column: pa.ChunkedArray, name: str, kind: pa.DataType) -> pa.ChunkedArray:
    """A column of a crosswalk in its own type; a text table has all of them as texts."""
    if kind == TEXT:
        try:
            return column.cast(TEXT)
        except (pa.ArrowNotImplementedError, pa.ArrowInvalid):
            raise TableError(f"the column {name!r} of a crosswalk takes texts; found {column.type}") from None
    if pa.types.is_dictionary(column.type):
        column = column.cast(column.type.value_type)
    if pa.types.is_string(column.type) or pa.types.is_large_string(column.type):
        column = pc.if_else(pc.equal(column, ""), pa.scalar(None, column.type), column)
    expected = {"rows": "whole numbers", "score": "numbers", "settled": "true or false"}[name]
    try:
        numbers = column.cast(kind)
    except (pa.ArrowNotImplementedError, pa.ArrowInvalid):
        raise TableError(f"the column {name!r} of a crosswalk takes {expected}") from None
    if name == "score":
        return numbers
    return numbers.fill_null(True if name == "settled" else 0)
