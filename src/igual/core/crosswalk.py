"""Crosswalks: for each raw value of a column what it becomes, and how; used again without the rulebook."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import NamedTuple

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from igual.core.column import TEXT, Column
from igual.core.errors import TableError, did_you_mean
from igual.core.matching.index import How
from igual.core.matching.matcher import OPEN, UNKNOWN, Matched
from igual.core.rulings import Ruling
from igual.core.trail import ColumnTrail, Stage

SCHEMA = {
    "column": TEXT, "raw": TEXT, "clean": TEXT, "rows": pa.int64(), "how": TEXT, "source": TEXT, "given": TEXT,
}  # fmt: skip
_NEEDED = ("column", "raw", "clean")
_WAYS = {
    How.NONE: "unlisted",
    How.EXACT: "exact",
    How.FOLDED: "folded",
    How.ALIAS: "alias",
    How.ALIAS_FOLDED: "alias, folded",
    How.TWO_LETTERS: "folded",
    How.RULING: "ruling",
}
# What `how` says of values that are not standard.
UNSETTLED = re.compile(r"\b(open|unlisted|unknown|ruled out)\b")
_LIKENESS = re.compile(r"fuzzy (\d\.\d+)")


class Strange(NamedTuple):
    """A value that a crosswalk doesn't know, or knows under several conditions."""

    column: str
    value: str
    rows: int
    why: str


def crosswalk_of(trail: ColumnTrail) -> pa.Table:
    """The crosswalk of one column; see SCHEMA.

    how: the rules that changed the value, and for a match its way: exact, folded, alias, fuzzy with the score,
    ruling, open, unlisted. source: the column it is made from. given: what stood in other columns that rules
    looked at.
    """
    values = trail.column.values
    name, source = (
        pa.array([text], TEXT).take(pa.array(np.zeros(len(values), np.int32)))
        for text in (trail.name, trail.source)
    )
    columns = [name, values, trail.clean, pa.array(trail.column.counts), _how(trail), source, trail.given]
    return pa.table(columns, schema=pa.schema(SCHEMA))


def _how(trail: ColumnTrail) -> pa.Array:
    nothing = pa.scalar("", TEXT)
    parts = []
    for stage in trail.stages:
        said = pc.if_else(pa.array(stage.changed), pa.scalar(f"; {stage.rule.do}", TEXT), nothing)
        if stage.result.account is not None:
            said = _match_way(stage, stage.result.account, said)
        elif stage.result.unknown is not None:
            flags = pa.array(stage.result.unknown)
            said = pc.if_else(flags, pa.scalar(f"; {stage.rule.do}: unknown", TEXT), said)
        parts.append(said.take(pa.array(stage.places)))
    if not parts:
        return pa.array([""] * len(trail.column.values), TEXT)
    joined = pc.binary_join_element_wise(*parts, nothing)
    return pc.utf8_slice_codeunits(joined, start=len("; "))


def _match_way(stage: Stage, account: Matched, otherwise: pa.Array) -> pa.Array:
    ways = np.array([_WAYS.get(How(how), "") for how in range(len(How))], dtype=object)[account.how]
    likely = np.flatnonzero(account.how == How.FUZZY)
    ways[likely] = [f"fuzzy {score:.2f}" for score in account.score[likely].tolist()]
    ways[account.status == OPEN] = "open"
    unknown = account.status == UNKNOWN
    ways[unknown] = np.where(account.how[unknown] == How.RULING, "ruled out", "unlisted")
    said = pa.array([f"; {stage.rule.do}: {way}" for way in ways.tolist()], TEXT)
    places = pc.index_in(stage.before, account.values)
    return pc.coalesce(said.take(places), otherwise)


def likeness(how: str) -> float | None:
    """The score of a match by likeness, as `how` says it; None where it was no such match."""
    found = _LIKENESS.search(how)
    return float(found.group(1)) if found else None


@dataclass(frozen=True, eq=False)
class Crosswalk:
    """The raw and clean values of columns.

    table: as SCHEMA says; only column, raw and clean are needed, other columns of SCHEMA are filled in.
    """

    table: pa.Table
    _by_column: dict[str, pa.Table] = field(init=False, repr=False)

    def __post_init__(self) -> None:
        names = self.table.column_names
        for name in _NEEDED:
            if name not in names:
                raise TableError(
                    f"a crosswalk has the column {name!r}; this one hasn't{did_you_mean(name, names)}"
                )
        rows = self.table.num_rows
        whole = []
        for name, kind in SCHEMA.items():
            if name in names:
                column = self.table[name]
                whole.append(_numbers(column) if name == "rows" else column.cast(TEXT))
            elif name == "source":
                whole.append(self.table["column"].cast(TEXT))
            else:
                whole.append(pa.array([0] * rows, kind) if name == "rows" else pa.nulls(rows, kind))
        table = pa.table(whole, schema=pa.schema(SCHEMA))
        source = pc.if_else(pc.equal(table["source"].fill_null(""), ""), table["column"], table["source"])
        table = table.set_column(table.column_names.index("source"), "source", source)
        object.__setattr__(self, "table", table)
        by_column = {
            name: table.filter(pc.equal(table["column"], name))
            for name in pc.unique(table["column"]).to_pylist()
            if name
        }
        object.__setattr__(self, "_by_column", by_column)

    @property
    def columns(self) -> list[str]:
        return list(self._by_column)

    def of(self, column: str) -> pa.Table:
        if column not in self._by_column:
            raise TableError(f"the crosswalk has no column {column!r}{did_you_mean(column, self._by_column)}")
        return self._by_column[column]

    def known(self, column: str) -> tuple[dict[str, str | None], set[str]]:
        """Raw values and what each becomes; and those that become several things, by what stands beside them."""
        made: dict[str, str | None] = {}
        several: set[str] = set()
        part = self.of(column)
        for raw, clean in zip(part["raw"].to_pylist(), part["clean"].to_pylist(), strict=True):
            if raw is not None and made.setdefault(raw, clean) != clean:
                several.add(raw)
        return made, several

    def _join(self, column: str) -> tuple[pa.Array, pa.Array, set[str]]:
        """Raw values that stand once or always become the same, what they become, and the others."""
        part = self.of(column)
        raw, clean = (part[name].combine_chunks() for name in ("raw", "clean"))
        if len(pc.unique(raw)) == len(raw):
            return raw, clean, set()
        made, several = self.known(column)
        keys = [raw for raw in made if raw not in several]
        return pa.array(keys, TEXT), pa.array([made[raw] for raw in keys], TEXT), several

    def run(
        self, names: Sequence[str], column: Callable[[str], Column]
    ) -> tuple[Mapping[str, ColumnTrail], list[Strange]]:
        """Apply the crosswalk to a table: trails of its columns, and the values that it can't tell.

        names: the table's columns. column: gives the encoded column of a name. Values it can't tell stay.
        """
        trails: dict[str, ColumnTrail] = {}
        strange: list[Strange] = []
        for name in self.columns:
            source = self.of(name)["source"][0].as_py()
            if source not in names:
                raise TableError(f"the table has no column {source!r}{did_you_mean(source, names)}")
            if name != source and name in names:
                raise TableError(f"the crosswalk would write over the column {name!r}")
            begun = ColumnTrail.begin(source, column(source))
            keys, clean, several = self._join(name)
            values = begun.values
            places = pc.index_in(values, keys, skip_nulls=True)
            found = places.is_valid()
            trails[name] = replace(
                begun, name=name, values=pc.if_else(found, clean.take(places), values), is_merged=False
            )
            for place in np.flatnonzero(
                ~pc.or_(found, values.is_null()).to_numpy(zero_copy_only=False)
            ).tolist():
                value = values[place].as_py()
                why = "it depends on other columns" if value in several else "not in the crosswalk"
                strange.append(Strange(name, value, int(begun.column.counts[place]), why))
        return trails, sorted(strange, key=lambda one: (-one.rows, one.column, one.value))

    def rulings(self, by: str = "", on: str = "") -> list[Ruling]:
        """The settled values of the crosswalk as rulings."""
        return [
            Ruling(column, raw, clean, f"crosswalk: {how}" if how else "crosswalk", by, on)
            for column, raw, clean, how in self._settled()
        ]

    def aliases(self, column: str) -> dict[str, list[str]]:
        """The settled values of a column by what they become, less those that stay: aliases for a list."""
        found: dict[str, list[str]] = {}
        for name, raw, clean, _ in self._settled():
            if name == column and raw != clean:
                found.setdefault(clean, []).append(raw)
        return found

    def _settled(self) -> list[tuple[str, str, str, str]]:
        several = {name: self.known(name)[1] for name in self.columns}
        names = ("column", "raw", "clean", "how")
        rows = zip(*(self.table[name].to_pylist() for name in names), strict=True)
        found = {
            (column, raw): (column, raw, clean, how or "")
            for column, raw, clean, how in rows
            if (raw or "").strip() and clean and not UNSETTLED.search(how or "")
        }
        return [one for (column, raw), one in found.items() if raw not in several[column]]


def _numbers(column: pa.ChunkedArray) -> pa.ChunkedArray:
    try:
        return column.cast(pa.int64()).fill_null(0)
    except pa.ArrowInvalid:
        raise TableError("the column 'rows' of a crosswalk takes whole numbers") from None
