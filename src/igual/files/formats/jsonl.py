"""JSON Lines (.jsonl, .ndjson): an object a line."""

from __future__ import annotations

import json
import math
import re
from collections.abc import Iterator, Sequence
from typing import IO, Any

import numpy as np
import numpy.typing as npt
import pyarrow as pa
import pyarrow.compute as pc
from pyarrow import json as arrow_json

from igual.column import TEXT
from igual.errors import TableError
from igual.files.formats.base import (
    BatchPart,
    CleanPart,
    Format,
    OpenedTable,
    ReadOptions,
    TablePart,
    TextStyle,
    Writer,
)
from igual.files.sources import Readable
from igual.text.cells import list_cells, print_cells
from igual.text.plain_types import join_chunks, to_plain

_BLOCK = 4 << 20
_LARGEST = (1 << 31) - (1 << 20)
# So many keys may there be, of so many bytes with their cells at the least; so many cells are held at once; and so
# deep may they be nested.
_MOST_KEYS, _SHORTEST_PAIR, _MOST_CELLS, _DEEPEST = 10_000, 6, 20_000_000, 200
_OPENING, _CLOSING = list(b"[{"), list(b"]}")
_STRING = re.compile(rb'"(?:[^"\\\n]|\\[^\n])*+(?:"|\\?(?=\n|\Z))')
# Doubles hold all whole numbers up to this; where there are longer ones, a column of them is none of doubles.
_EXACT, _LONG = 1 << 53, pa.decimal128(19)
_LONG_NUMBER = re.compile(rb"[\s:,\[]-?\d{16,}\s*[,}\]]")
# The first character of a line that isn't blank.
_FIRST = re.compile(rb"(?:\A|\n)[ \t\r]*([^ \t\r\n])")


class JsonLinesFormat:
    """JSON Lines. What is nested in a cell stays JSON, as a text."""

    endings = (".jsonl", ".ndjson")
    is_text = False
    is_packable = True

    def open(self, path: Readable, options: ReadOptions) -> OpenedTable:
        """Find the columns: all keys that occur, in order, each of the type that all its cells have."""
        kinds: dict[str, pa.DataType] = {}
        nested: dict[str, None] = {}
        for lines in _blocks(path):
            for some in _split(lines):
                for field in _find_fields(path, some):
                    if pa.types.is_nested(field.type):
                        nested[field.name] = None
                    kinds[field.name] = _common(kinds.get(field.name, pa.null()), field.type)
                if len(kinds) > _MOST_KEYS:
                    raise TableError(
                        f"{path.name} has more than {_MOST_KEYS:,} keys; a table has fewer columns"
                    )
        if not kinds:
            raise TableError(f"{path.name} is empty: a table needs at least a line with a key")
        schema = pa.schema([(name, pa.int64() if kind == _LONG else kind) for name, kind in kinds.items()])
        names = ", ".join(map(repr, nested))
        notes = [f"{path.name}: {names} holds nested values, which are kept as JSON"] if nested else []

        def parts(places: Sequence[int] | None, size: int) -> Iterator[TablePart]:
            for lines in _blocks(path):
                for some in _split(lines, len(schema)):
                    yield BatchPart(_parse(path, some, schema))

        return OpenedTable(path, schema, parts, notes=notes, has_same_parts=True)

    def begin(self, file: IO[bytes], schema: pa.Schema, ending: str, style: TextStyle) -> Writer:
        """Begin a file."""
        return _JsonLinesWriter(file)


def _common(one: pa.DataType, other: pa.DataType) -> pa.DataType:
    """The type of cells of two types; texts where they are of several kinds, or nested."""
    if pa.types.is_nested(other) or pa.types.is_temporal(other):
        return pa.string()
    if pa.types.is_null(one):
        return other
    if pa.types.is_null(other) or one.equals(other):
        return one
    kinds = {one, other}
    if kinds == {_LONG, pa.int64()}:
        return _LONG
    return pa.float64() if kinds == {pa.int64(), pa.float64()} else pa.string()


def _blocks(path: Readable) -> Iterator[bytes]:
    """Whole lines, some at a time."""
    with path.open("rb") as file:
        waiting = file.read(3)
        waiting = b"" if waiting == b"\xef\xbb\xbf" else waiting
        while more := file.read(_BLOCK):
            data = waiting + more
            end = data.rfind(b"\n") + 1
            if not end and len(data) > _LARGEST:
                raise TableError(f"{path.name}: a line is longer than {_LARGEST >> 20:,} MiB")
            if data[:end].strip():
                yield data[:end]
            waiting = data[end:]
        if waiting.strip():
            yield waiting


def _split(lines: bytes, columns: int | None = None) -> Iterator[bytes]:
    """Cut lines so that no part has more cells than are held at once; each line may have keys of its own."""
    count = lines.count(b"\n") + 1
    if count * (columns or len(lines) // _SHORTEST_PAIR) <= _MOST_CELLS or count <= 2:
        yield lines
        return
    middle = lines.find(b"\n", len(lines) // 2) + 1
    if not 0 < middle < len(lines):
        middle = lines.rfind(b"\n", 0, len(lines) // 2) + 1
    if not 0 < middle < len(lines):
        yield lines
        return
    for half in (lines[:middle], lines[middle:]):
        if half.strip():
            yield from _split(half, columns)


def _find_fields(path: Readable, lines: bytes) -> pa.Schema:
    """The keys of some lines, and the types of their cells; those of several kinds are texts."""
    try:
        table = _read(path, lines, arrow_json.ParseOptions(unexpected_field_behavior="infer"))
    except pa.ArrowInvalid:
        table = None
    if table is not None and not _may_lack_digits(table, lines):
        return pa.schema([(name, _kind_of_numbers(column)) for name, column in _columns_of(table)])
    rows = _parse_lines(path, lines)
    names = dict.fromkeys(key for row in rows for key in row)
    return pa.schema([(name, _kind_of([row.get(name) for row in rows])) for name in names])


def _columns_of(table: pa.Table) -> Iterator[tuple[str, pa.ChunkedArray]]:
    return zip(table.column_names, table.columns, strict=True)


def _may_lack_digits(table: pa.Table, lines: bytes) -> bool:
    """Whether a number may have been whole, and longer than the double that Arrow made of it."""
    numbers = [column for _, column in _columns_of(table) if pa.types.is_floating(column.type)]
    return any(map(_is_long, numbers)) and _LONG_NUMBER.search(lines) is not None


def _is_long(numbers: pa.ChunkedArray) -> bool:
    return any(abs(bound or 0) >= _EXACT for bound in pc.min_max(numbers).as_py().values())


def _kind_of_numbers(column: pa.ChunkedArray) -> pa.DataType:
    return _LONG if pa.types.is_integer(column.type) and _is_long(column) else column.type


def _kind_of(cells: Sequence[Any]) -> pa.DataType:
    known = [cell for cell in cells if cell is not None]
    classes = {type(cell) for cell in known}
    if classes & {list, dict}:
        return pa.list_(pa.null())
    is_long = int in classes and any(abs(cell) > _EXACT for cell in known if type(cell) is int)
    if (bool in classes and len(classes) > 1) or (is_long and float in classes):
        return pa.string()
    try:
        return _LONG if pa.array(known).type == pa.int64() and is_long else pa.array(known).type
    except (pa.ArrowInvalid, pa.ArrowTypeError, OverflowError):
        return pa.string()


def _parse(path: Readable, lines: bytes, schema: pa.Schema) -> pa.Table:
    """Parse lines into columns of stated types."""
    try:
        return _read(path, lines, arrow_json.ParseOptions(schema, unexpected_field_behavior="error"))
    except pa.ArrowInvalid:
        # A number among texts, or what is nested, is no mistake: it is kept as it is written.
        rows = _parse_lines(path, lines)
    columns = [
        pa.array([_to_cell(row.get(field.name), pa.types.is_string(field.type)) for row in rows], field.type)
        for field in schema
    ]
    return pa.Table.from_arrays(columns, schema=schema)


def _read(path: Readable, lines: bytes, options: arrow_json.ParseOptions) -> pa.Table:
    count = _count_objects(path, lines)
    if _is_deep(lines, count):
        raise pa.ArrowInvalid("nested deeper than Arrow's parser can go")
    size = arrow_json.ReadOptions(block_size=len(lines) + 1, use_threads=False)
    table = arrow_json.read_json(pa.BufferReader(lines), size, options)
    # Arrow takes texts that aren't UTF-8 as they are.
    table.validate(full=True)
    if table.num_rows != count:
        # Several objects stand in a line.
        _parse_lines(path, lines)
    return table


def _count_objects(path: Readable, lines: bytes) -> int:
    """How many lines there are, each of which begins an object: Arrow crashes where the first is `null`."""
    starts = lines.count(b"\n{") + lines.startswith(b"{")
    if starts == lines.count(b"\n") + (not lines.endswith(b"\n")):
        return starts
    first = _FIRST.findall(lines)
    if first.count(b"{") < len(first):
        _parse_lines(path, lines)
    return len(first)


def _is_deep(lines: bytes, count: int) -> bool:
    """Whether what lines hold may be nested so deep that Arrow's parser runs out of its stack, and crashes."""
    if lines.count(b"[") + lines.count(b"{") <= count + _DEEPEST:
        return False
    # No line goes deeper than it has brackets; only where there are many it matters which of them stand in texts.
    if _sum_lines(np.isin(np.frombuffer(lines, np.uint8), _OPENING), lines).max() <= _DEEPEST:
        return False
    bare = _STRING.sub(b"", lines)
    characters = np.frombuffer(bare, np.uint8)
    steps = np.isin(characters, _OPENING).astype(np.int32) - np.isin(characters, _CLOSING)
    depth = np.cumsum(steps)
    ends = np.cumsum(_sum_lines(steps, bare))
    return bool((np.maximum.reduceat(depth, _line_starts(bare)) - np.append(0, ends[:-1])).max() > _DEEPEST)


def _line_starts(lines: bytes) -> npt.NDArray[np.int64]:
    starts = np.append(0, np.flatnonzero(np.frombuffer(lines, np.uint8) == ord("\n")) + 1)
    return starts[starts < len(lines)]


def _sum_lines(of_each: npt.NDArray[Any], lines: bytes) -> npt.NDArray[np.int64]:
    """The sum of numbers, one for each byte, in each line, (lines,)."""
    return np.add.reduceat(of_each, _line_starts(lines), dtype=np.int64)


def _to_cell(cell: Any, is_text: bool) -> Any:
    return json.dumps(cell, ensure_ascii=False) if is_text and not isinstance(cell, str | None) else cell


def _parse_lines(path: Readable, lines: bytes) -> list[dict[str, Any]]:
    return [_parse_line(path, line) for line in lines.split(b"\n") if line.strip()]


def _parse_line(path: Readable, line: bytes) -> dict[str, Any]:
    try:
        row = json.loads(line)
    except (ValueError, RecursionError) as error:
        raise TableError(
            f"{path.name}, line {_number(path, line):,} is not JSON: {str(error)[:100]}"
        ) from None
    if not isinstance(row, dict):
        raise TableError(
            f"{path.name}, line {_number(path, line):,} is not an object {{…}}: {line[:60].decode(errors='replace')}"
        )
    return row


def _number(path: Readable, sought: bytes) -> int:
    with path.open("rb") as file:
        return next((number for number, line in enumerate(file, 1) if line.strip() == sought.strip()), 0)


class _JsonLinesWriter:
    """Writes an object a line; missing values are null."""

    def __init__(self, file: IO[bytes]) -> None:
        self._file = file

    def prepare(self, clean: CleanPart) -> Any:
        """Turn rows into lines: each distinct cell is written once."""
        table = clean.table()
        glue, pieces = pa.scalar("", TEXT), []
        for number, name in enumerate(table.column_names):
            lead = f"{', ' if number else '{'}{json.dumps(name, ensure_ascii=False)}: "
            pieces += [pa.scalar(lead, TEXT), _write_cells(join_chunks(to_plain(table.column(number))))]
        lines = pc.binary_join_element_wise(*pieces, pa.scalar("}\n", TEXT), glue)
        whole = lines.combine_chunks() if isinstance(lines, pa.ChunkedArray) else lines
        ends = np.frombuffer(whole.buffers()[1], np.int64)[[whole.offset, whole.offset + len(whole)]]
        return whole.buffers()[2].slice(ends[0], ends[1] - ends[0]) if len(whole) else b""

    def write(self, prepared: Any) -> None:
        """Write lines."""
        self._file.write(prepared)

    def close(self) -> None:
        """Nothing is left to write."""


def _write_cells(cells: pa.Array) -> pa.Array:
    kind = cells.type
    if pa.types.is_integer(kind) or pa.types.is_boolean(kind):
        return cells.cast(TEXT).fill_null("null")
    if not pa.types.is_dictionary(kind):
        cells = (print_cells(cells) if pa.types.is_nested(kind) else cells).dictionary_encode()
    listed = list_cells(cells.dictionary, _is_in_json)
    written = [json.dumps(cell, ensure_ascii=False) for cell in listed]
    return pa.array(written, TEXT).take(cells.indices).fill_null("null")


def _is_in_json(cell: Any) -> bool:
    """Whether JSON has such a thing: it has no times, and no number that is infinite."""
    return isinstance(cell, int | float) and math.isfinite(cell)


FORMAT: Format = JsonLinesFormat()
