"""The distinct values of some columns, and what is wanted of some of them."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any, NamedTuple

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from igual.column import TEXT, Codes, Column, Counts
from igual.errors import TableError
from igual.learning.columns import SEPARATOR
from igual.text.blanks import is_blank

# Stands in the search for a character that a value can't have there.
INSTEAD = "\ufffd"


class Combined(NamedTuple):
    """The distinct combinations of some columns.

    Attributes:
        names: Of the columns.
        cells: Of each column the texts, (combinations,).
        codes: For each row its combination, (rows,).
        rows: How many rows have each, (combinations,).
    """

    names: tuple[str, ...]
    cells: tuple[pa.Array, ...]
    codes: Codes
    rows: Counts

    @classmethod
    def from_columns(cls, names: Sequence[str], columns: Sequence[Column]) -> Combined:
        """Combine columns, in the order in which their combinations first appear."""
        codes: np.ndarray[Any, np.dtype[np.int64]] = columns[0].codes.astype(np.int64)
        for column in columns[1:]:
            _, codes = np.unique(codes * len(column.values) + column.codes, return_inverse=True)
        _, first, inverse = np.unique(codes, return_index=True, return_inverse=True)
        order = np.argsort(first, kind="stable")
        place = np.empty_like(order)
        place[order] = np.arange(len(order))
        places, first = place[inverse].astype(np.int32), first[order]
        weights = [column.weights for column in columns if column.weights is not None]
        rows = np.bincount(codes, weights=weights[0] if weights else None, minlength=len(first)).astype(
            np.int64
        )
        cells = tuple(column.values.take(pa.array(column.codes[first])) for column in columns)
        return cls(tuple(names), cells, places, rows.astype(np.int64))

    @property
    def texts(self) -> pa.Array:
        """What the search reads, (combinations,): of several columns all texts in one."""
        cells = [pc.replace_substring(some, SEPARATOR, INSTEAD) for some in self.cells]
        if len(cells) == 1:
            return cells[0]
        filled = [some.fill_null("") for some in cells]
        return pc.binary_join_element_wise(*filled, pa.scalar(SEPARATOR, TEXT))

    def reorder(self, values: pa.Array, column: Column) -> pa.Array:
        """Put values of the combinations in the order of a column's distinct values."""
        place = np.zeros(len(column.values), np.int64)
        place[column.codes] = self.codes
        return values.take(pa.array(place))


def find_examples(
    combined: Combined, wanted: Column | Mapping[Any, Any], *, blank_is_said: bool = True
) -> dict[int, str | None]:
    """Find what is wanted of distinct values.

    Args:
        combined: The distinct values.
        wanted: A text for some rows, missing where nothing is said, (rows,); or raw value to wanted value.
        blank_is_said: Whether a blank text says that there is to be no value; else it says nothing.

    Returns:
        What is wanted, by position among the distinct values.

    Raises:
        TableError: Where examples contradict each other, or name values that aren't there.
    """
    if isinstance(wanted, Column):
        return _find_by_row(combined, wanted, blank_is_said)
    texts = combined.texts
    places = {text: place for place, text in enumerate(texts.to_pylist())}
    trimmed = {_trim(text): place for text, place in reversed(places.items())}
    said: dict[int, str | None] = {}
    for raw, target in wanted.items():
        key = _write_key(raw)
        if key not in places and _trim(key) in trimmed:
            # Spaces at the ends can't be seen, so that people leave them out.
            said[trimmed[_trim(key)]] = "" if target is None else str(target)
            continue
        if key not in places:
            named = str(key).replace(SEPARATOR, " | ")
            known = [str(text).replace(SEPARATOR, " | ") for text in texts.to_pylist()[:5_000] if text]
            raise TableError.from_missing("the column", "value", named, known)
        said[places[key]] = "" if target is None else str(target)
    return said


def _trim(text: str | None) -> str | None:
    return None if text is None else SEPARATOR.join(cell.strip() for cell in text.split(SEPARATOR))


def _write_key(raw: Any) -> str | None:
    """A raw value, or those of several columns, as `Combined.texts` has them."""
    if isinstance(raw, tuple):
        return SEPARATOR.join(_write_key(cell) or "" for cell in raw)
    return None if raw is None else str(raw).replace(SEPARATOR, INSTEAD)


def _find_by_row(combined: Combined, wanted: Column, blank_is_said: bool) -> dict[int, str | None]:
    if wanted.rows != len(combined.codes):
        raise TableError(
            f"'wanted' has {wanted.rows:,} rows, and the values {len(combined.codes):,}: give one for each row, "
            "missing where nothing is said"
        )
    told = (
        pc.is_valid(wanted.values).to_numpy(zero_copy_only=False)
        if blank_is_said
        else ~is_blank(wanted.values)
    )
    is_said = told[wanted.codes]
    rows = np.flatnonzero(is_said)
    keys = (
        np.stack([combined.codes[rows], wanted.codes[rows]], axis=1)
        if len(rows)
        else np.zeros((0, 2), np.int32)
    )
    pairs, first = np.unique(keys, axis=0, return_index=True)
    said: dict[int, str | None] = {}
    where: dict[int, int] = {}
    for (place, code), at in zip(pairs.tolist(), first.tolist(), strict=True):
        text = wanted.values[code].as_py()
        if place in said:
            raw = str(combined.texts[place].as_py()).replace(SEPARATOR, " | ")
            raise TableError(
                f"the examples contradict each other: {raw!r} is to become {said[place]!r} (row {where[place] + 1:,}) "
                f"and {text!r} (row {rows[at] + 1:,})"
            )
        said[place], where[place] = text, int(rows[at])
    return said
