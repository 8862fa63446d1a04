"""Cells that hold something else than texts: as what values they are read, and how values become such cells again."""

from __future__ import annotations

import contextlib
import json
import math
from collections.abc import Callable, Sequence
from datetime import datetime, time
from decimal import Decimal
from numbers import Integral
from typing import Any, NamedTuple
from uuid import UUID

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from igual.column import MIXED, TEXT, TEXTS, to_mask
from igual.text.arrays import each_where, has_pattern
from igual.text.plain_types import decode_dictionary, is_uuid, plain_type, spell_out, to_plain
from igual.text.reading import plain_decimals
from igual.values import value_of

WHOLE, NUMBERS, DATES, TIMES = "whole numbers", "numbers", "dates", "times"
# What cells may be, for rules to read them.
READABLE = frozenset({TEXTS, WHOLE, NUMBERS, DATES, TIMES, MIXED})
# A double holds all numbers of so many digits.
_SURE_DIGITS = 15
_MIDNIGHT = r"[T ]00:00:00(\.0+)?$"
# Arrow prints the years between these, and no others.
_PRINTED_YEARS = np.array(["-32767-01-01", "32768-01-01"], "datetime64[D]")


class ReadCells(NamedTuple):
    """Cells as values.

    Attributes:
        values: A text for each, (cells,); missing stays missing, and so does what is no number (NaN).
        kind: What they are, of `READABLE`; otherwise their type, as rules can't read them.
    """

    values: pa.Array
    kind: str


def list_text_fields(schema: pa.Schema) -> list[str]:
    """List the columns that hold texts, by their types.

    Args:
        schema: Of a table.

    Returns:
        Their names, in order.

    Example:
        >>> list_text_fields(pa.schema({"species": pa.string(), "height": pa.float64()}))
        ['species']
    """
    types = [field.type.value_type if pa.types.is_dictionary(field.type) else field.type for field in schema]
    is_text = (pa.types.is_string, pa.types.is_large_string, pa.types.is_string_view, pa.types.is_null)
    return [
        name for name, kind in zip(schema.names, types, strict=True) if any(test(kind) for test in is_text)
    ]


def read_cells(cells: pa.Array) -> ReadCells:
    """Read distinct cells of any type as values: plain decimals, ISO 8601, true and false.

    Args:
        cells: The cells, (cells,).

    Returns:
        The values.

    Example:
        >>> read_cells(pa.array([1.0, 2.0, None])).values.to_pylist(), read_cells(pa.array([1.5])).kind
        (['1', '2', None], 'numbers')
    """
    kind = cells.type
    if pa.types.is_string(kind) or pa.types.is_large_string(kind) or pa.types.is_string_view(kind):
        return ReadCells(cells.cast(TEXT), TEXTS)
    if pa.types.is_null(kind):
        return ReadCells(cells.cast(TEXT), TEXTS)
    if pa.types.is_integer(kind) or pa.types.is_boolean(kind):
        return ReadCells(cells.cast(TEXT), WHOLE)
    if pa.types.is_floating(kind) or pa.types.is_decimal(kind):
        values = _write_numbers(cells)
        is_whole = not pc.any(pc.match_substring_regex(values, r"[.fn]")).as_py()
        return ReadCells(values, WHOLE if is_whole else NUMBERS)
    if pa.types.is_date(kind) or pa.types.is_timestamp(kind):
        return _read_times(print_times(cells))
    if pa.types.is_time(kind):
        return ReadCells(_without_idle_fraction(cells.cast(pa.string())).cast(TEXT), TIMES)
    return ReadCells(print_cells(cells), str(kind))


def _write_numbers(cells: pa.Array) -> pa.Array:
    """Numbers in the fewest digits that tell them apart, without an exponent."""
    if pa.types.is_floating(cells.type):
        cells = pc.if_else(pc.is_nan(cells), pa.scalar(None, cells.type), cells)
    texts = cells.cast(pa.string()).cast(TEXT)
    texts = each_where(texts, has_pattern(texts, "[eE]"), texts, lambda text: f"{Decimal(text):f}")
    return plain_decimals(texts)


def _read_times(texts: pa.Array) -> ReadCells:
    """Points in time: as days where none has a time of day."""
    known = texts.drop_null()
    if pc.all(pc.match_substring_regex(known, rf"{_MIDNIGHT}|^[-+]?\d+-\d\d-\d\d$")).as_py() is not False:
        return ReadCells(pc.replace_substring_regex(texts, _MIDNIGHT, "").cast(TEXT), DATES)
    return ReadCells(_with_times_of_day(texts), TIMES)


def _with_times_of_day(texts: pa.Array) -> pa.Array:
    texts = pc.replace_substring_regex(texts, r"^([-+]?\d+-\d\d-\d\d) ", r"\1T")
    texts = pc.replace_substring_regex(texts, r"([+-]\d\d)(\d\d)$", r"\1:\2")
    return _without_idle_fraction(texts).cast(TEXT)


def _without_idle_fraction(texts: pa.Array) -> pa.Array:
    texts = pc.replace_substring_regex(texts, r"(:\d\d\.\d*?)0+(Z|[+-]\d\d:\d\d)?$", r"\1\2")
    return pc.replace_substring_regex(texts, r"(:\d\d)\.(Z|[+-]\d\d:\d\d)?$", r"\1\2")


def print_times(cells: pa.Array) -> pa.Array:
    """Write days or points in time as texts: as Arrow does, and years that it doesn't print as NumPy does, in UTC.

    Args:
        cells: Of a type of dates or timestamps, (cells,).

    Returns:
        Texts, (cells,); missing cells stay missing.

    Example:
        >>> print_times(pa.array([0, 100_000_000], pa.int32()).view(pa.date32())).to_pylist()
        ['1970-01-01', '275760-09-13']
    """
    texts = cells.cast(pa.string())
    kind = cells.type
    unit = {"date32[day]": "D", "date64[ms]": "ms"}.get(str(kind)) or kind.unit
    if unit == "ns":
        return texts
    counts = pc.cast(cells, pa.int32() if unit == "D" else pa.int64()).fill_null(0).cast(pa.int64())
    times = counts.to_numpy(zero_copy_only=False).view(f"datetime64[{unit}]")
    first, end = _PRINTED_YEARS.astype(times.dtype)
    is_beyond = ~((times >= first) & (times < end))
    if not is_beyond.any():
        return texts
    written = np.strings.replace(np.datetime_as_string(times[is_beyond]), "T", " ")
    with_zone = np.strings.add(written, "Z" if getattr(kind, "tz", None) else "")
    return pc.replace_with_mask(texts, pa.array(is_beyond), pa.array(with_zone, pa.string()))


def print_cells(cells: pa.Array) -> pa.Array:
    """Write cells that have no values as they would be printed; what is nested as JSON.

    Args:
        cells: Cells of any type, (cells,).

    Returns:
        Texts, (cells,); missing cells stay missing.

    Example:
        >>> print_cells(pa.array([["oak", None], None])).to_pylist()
        ['["oak", null]', None]
    """
    if not isinstance(cells.type, pa.BaseExtensionType):
        with contextlib.suppress(pa.ArrowNotImplementedError, pa.ArrowInvalid):
            return cells.cast(TEXT)
    cells = spell_out(cells)
    with contextlib.suppress(pa.ArrowNotImplementedError, pa.ArrowInvalid):
        cells = cells.cast(_with_printed_leaves(cells.type))
    return pa.array([None if cell is None else _print_cell(cell) for cell in cells.to_pylist()], TEXT)


def list_cells(cells: pa.Array, holds: Callable[[Any], bool]) -> list[Any]:
    """List cells for a file that has numbers, days and times of its own, but not all of them.

    Args:
        cells: Cells of any type, (cells,).
        holds: Whether the file holds all of an int, float, bool, date, time or datetime.

    Returns:
        For each cell what the file holds, otherwise its value as a text; None for missing. Decimals of up to 15 digits
        are floats, which hold so many, or ints where their type has no fraction; durations count units of their
        column, and points in time have a time of day wherever the rows are cut into parts.

    Example:
        >>> list_cells(pa.array([1.5, float("inf"), None]), math.isfinite)
        [1.5, 'inf', None]
        >>> list_cells(pa.array([0], pa.timestamp("s")), lambda cell: False)
        ['1970-01-01T00:00:00']
    """
    kind = cells.type
    if pa.types.is_dictionary(kind):
        return list_cells(decode_dictionary(cells), holds)
    if pa.types.is_duration(kind):
        return list_cells(cells.cast(pa.int64()), holds)
    is_instant = pa.types.is_timestamp(kind)
    written = _with_times_of_day(print_times(cells)) if is_instant else read_cells(cells).values
    texts: list[Any] = written.to_pylist()
    if not _is_written(kind) or pa.types.is_interval(kind):
        return texts
    objects = _to_objects(cells)
    return [
        cell if cell is not None and holds(cell) else text for cell, text in zip(objects, texts, strict=True)
    ]


def _to_objects(cells: pa.Array) -> list[Any]:
    """Numbers and times as Python's; None for those that it doesn't have, or only with another library."""
    kind = cells.type
    if pa.types.is_decimal(kind):
        return [None if cell is None else _to_number(cell, kind.scale) for cell in cells.to_pylist()]
    if (pa.types.is_timestamp(kind) or pa.types.is_time64(kind)) and kind.unit == "ns":
        in_micros = pa.timestamp("us", kind.tz) if pa.types.is_timestamp(kind) else pa.time64("us")
        rounded = cells.cast(in_micros, safe=False)
        is_exact = pc.equal(rounded.cast(kind), cells)
        cells = pc.if_else(is_exact, rounded, pa.scalar(None, in_micros))
    try:
        return cells.to_pylist()  # type: ignore[no-any-return]
    except (ValueError, OverflowError):
        return [_to_object(cell) for cell in cells]


def _to_number(cell: Decimal, scale: int) -> int | float | None:
    if len(cell.as_tuple().digits) > _SURE_DIGITS:
        return None
    return int(cell) if scale <= 0 and cell.adjusted() < _SURE_DIGITS else float(cell)


def _to_object(cell: pa.Scalar) -> Any:
    with contextlib.suppress(ValueError, OverflowError):
        return cell.as_py()
    return None


def _print_cell(cell: Any) -> str:
    if isinstance(cell, list | dict):
        return json.dumps(cell, ensure_ascii=False, default=str)
    return str(cell)


def _with_printed_leaves(kind: pa.DataType) -> pa.DataType:
    """A nested type with texts for times and decimals: Python's own have no nanoseconds, and no form in JSON."""
    # Lists of nothing are cut short where Arrow casts them to what they are.
    if pa.types.is_temporal(kind) or pa.types.is_decimal(kind) or pa.types.is_null(kind):
        return pa.string()
    if pa.types.is_dictionary(kind):
        return _with_printed_leaves(kind.value_type)
    if pa.types.is_map(kind):
        return pa.map_(_with_printed_leaves(kind.key_type), _with_printed_leaves(kind.item_type))
    if pa.types.is_struct(kind):
        return pa.struct([field.with_type(_with_printed_leaves(field.type)) for field in kind])
    if pa.types.is_nested(kind) and hasattr(kind, "value_type"):
        return pa.large_list(_with_printed_leaves(kind.value_type))
    return kind


def write_cells(values: pa.Array, kind: pa.DataType) -> pa.Array | None:
    """Write values as cells of a type.

    Args:
        values: Texts, (values,).
        kind: The type.

    Returns:
        The cells, which are read as these values again, (values,); None where not all can be such cells.

    Example:
        >>> write_cells(pa.array(["1", None]), pa.int8()).to_pylist()
        [1, None]
        >>> write_cells(pa.array(["1", "n/a"]), pa.int8()) is None
        True
    """
    if pa.types.is_null(kind) or not _is_written(kind):
        return None
    # What Arrow says of a text that is no such cell is a ValueError, too.
    with contextlib.suppress(ValueError, pa.ArrowNotImplementedError, pa.ArrowTypeError):
        if pa.types.is_time(kind):
            cells = pa.array(
                [time.fromisoformat(text) if text else None for text in values.to_pylist()], kind
            )
        elif pa.types.is_float16(kind):
            numbers = values.cast(pa.float64()).to_numpy(zero_copy_only=False)
            cells = pa.array(numbers.astype(np.float16), mask=~to_mask(values.is_valid()))
            return cells if read_cells(cells.cast(pa.float32())).values.equals(values.cast(TEXT)) else None
        elif isinstance(kind, pa.BaseExtensionType):
            ids = [None if text is None else UUID(text).bytes for text in values.to_pylist()]
            cells = pa.ExtensionArray.from_storage(kind, pa.array(ids, kind.storage_type))
            return cells if to_plain(pa.chunked_array([cells])).to_pylist() == values.to_pylist() else None
        else:
            cells = values.cast(pa.string()).cast(plain_type(kind)).cast(kind)
        if pa.types.is_timestamp(kind) and _with_times_of_day(print_times(cells)).equals(values.cast(TEXT)):
            # Read alone they would be days where all of them are at midnight.
            return cells
        return cells if read_cells(cells).values.equals(values.cast(TEXT)) else None
    return None


def _is_written(kind: pa.DataType) -> bool:
    return bool(
        pa.types.is_integer(kind)
        or pa.types.is_boolean(kind)
        or pa.types.is_floating(kind)
        or pa.types.is_decimal(kind)
        or pa.types.is_temporal(kind)
        or is_uuid(kind)
    )


def read_objects(cells: Sequence[Any]) -> ReadCells:
    """Read distinct cells of Python's, none of them missing.

    Args:
        cells: The cells.

    Returns:
        The values; the kind is 'mixed' where they are of several, and the class of the first that can't be read.

    Example:
        >>> read_objects(["1", 1, 2.0]).values.to_pylist(), read_objects(["1", 1, 2.0]).kind
        (['1', '1', '2'], 'mixed')
    """
    values = [value_of(cell) for cell in cells]
    unread = next((place for place, value in enumerate(values) if value is None), None)
    if unread is not None:
        return ReadCells(pa.array([str(cell) for cell in cells], TEXT), type(cells[unread]).__name__)
    texts = pa.array(values, TEXT)
    kinds = {_kind_of(cell) for cell in cells}
    if kinds == {WHOLE, NUMBERS}:
        kinds = {WHOLE if not pc.any(pc.match_substring(texts, ".")).as_py() else NUMBERS}
    if kinds and kinds <= {DATES, TIMES} and not any(isinstance(cell, time) for cell in cells):
        return _read_times(texts)
    return ReadCells(texts, TEXTS if not kinds else MIXED if len(kinds) > 1 else kinds.pop())


def _kind_of(cell: Any) -> str:
    if isinstance(cell, str | UUID):
        return TEXTS
    if isinstance(cell, bool | np.bool_ | Integral):
        return WHOLE
    if isinstance(cell, float | np.floating | Decimal):
        return WHOLE if math.isfinite(cell) and cell == int(cell) else NUMBERS
    return TIMES if isinstance(cell, datetime | time) else DATES
