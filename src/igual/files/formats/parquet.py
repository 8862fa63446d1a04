"""Parquet."""

from __future__ import annotations

import base64
import io
from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import IO, Any

import pyarrow as pa

from igual.errors import OutputError, TableError
from igual.files.formats.base import (
    BatchPart,
    CleanPart,
    Format,
    OpenedTable,
    ReadOptions,
    TablePart,
    TextStyle,
    Writer,
    join_batches,
)
from igual.files.sources import Readable, open_for_arrow
from igual.text.plain_types import cast_cells, decode_dictionary, holds_type, spell_out, without_missing_words

_ROWS = 1 << 17
_GROUP_ROWS = 1 << 20
_IN_DICTIONARY = pa.dictionary(pa.int32(), pa.string())


class ParquetFormat:
    """Parquet, read and written by Arrow; texts stay in their dictionaries all the way."""

    endings = (".parquet", ".pq")
    is_text = False
    is_packable = False

    def open(self, path: Readable, options: ReadOptions) -> OpenedTable:
        """Read the schema of a Parquet file."""
        assert isinstance(path, Path)
        file = _open(path)
        schema = file.schema_arrow
        texts = [
            field.name
            for field in schema
            if pa.types.is_string(field.type) or pa.types.is_large_string(field.type)
        ]

        def parts(places: Sequence[int] | None, size: int) -> Iterator[TablePart]:
            names = schema.names
            is_plain = len(set(names)) == len(names)
            chosen = places if is_plain and places is not None else range(len(names))
            columns = [names[place] for place in chosen] if is_plain else None
            batches = _open(path, texts).iter_batches(_ROWS, columns=columns)
            for table in join_batches(batches):
                yield BatchPart(table, list(chosen))

        return OpenedTable(path, schema, parts)

    def begin(self, file: IO[bytes], schema: pa.Schema, ending: str, style: TextStyle) -> Writer:
        """Begin a Parquet file; what was read from a text table are texts, however they are held here."""
        return _ParquetWriter(file, schema, is_plain=style.like is not None)


class _ParquetWriter:
    def __init__(self, file: IO[bytes], schema: pa.Schema, *, is_plain: bool) -> None:
        from pyarrow import parquet

        self._held = pa.schema([_in_dictionary(field) for field in schema])
        as_shown = _as_text if is_plain else _hold_values
        shown = pa.schema([as_shown(field) for field in schema], schema.metadata)
        for given, held in zip(schema, self._held, strict=True):
            _hold(pa.chunked_array([pa.nulls(1, given.type)]), held)
        # Texts are written from their dictionaries, and are texts for whoever reads them.
        try:
            self._writer = parquet.ParquetWriter(file, self._held, store_schema=False)
        except (pa.ArrowNotImplementedError, OSError):
            _refuse_unheld(self._held)
            raise
        metadata = {
            b"ARROW:schema": base64.b64encode(shown.serialize().to_pybytes()),
            **(shown.metadata or {}),
        }
        self._writer.add_key_value_metadata(metadata)
        self._waiting: list[pa.Table] = []

    def prepare(self, clean: CleanPart) -> Any:
        table = clean.table()
        columns = map(_hold, table.columns, self._held)
        return pa.Table.from_arrays([*columns], schema=self._held)

    def write(self, prepared: Any) -> None:
        self._waiting.append(prepared)
        if sum(table.num_rows for table in self._waiting) >= _GROUP_ROWS:
            self._write_group()

    def _write_group(self) -> None:
        table = pa.concat_tables(self._waiting) if self._waiting else pa.Table.from_batches([], self._held)
        self._writer.write_table(table, row_group_size=max(table.num_rows, 1))
        self._waiting = []

    def close(self) -> None:
        if self._waiting:
            self._write_group()
        self._writer.close()


def _open(path: Path, dictionaries: Sequence[str] = ()) -> Any:
    from pyarrow import parquet

    try:
        return parquet.ParquetFile(
            open_for_arrow(path), read_dictionary=list(dictionaries), page_checksum_verification=True
        )
    except pa.ArrowInvalid as error:
        raise TableError(
            f"{path.name} is not a Parquet file, or is damaged: {str(error).splitlines()[0]}"
        ) from None


def _refuse_unheld(schema: pa.Schema) -> None:
    """Raise an error for the first column of a type that Parquet doesn't have, such as a union."""
    from pyarrow import parquet

    for field in schema:
        try:
            parquet.ParquetWriter(io.BytesIO(), pa.schema([field])).close()
        except (pa.ArrowNotImplementedError, OSError):
            raise _not_held(field) from None


def _not_held(field: pa.Field) -> OutputError:
    return OutputError(
        f"Parquet has no type for column {field.name!r}, which is {field.type}; write .arrow, or leave it out"
    )


def _hold(cells: pa.ChunkedArray, field: pa.Field) -> pa.ChunkedArray:
    """Cells in the type that they are written as."""
    if pa.types.is_dictionary(cells.type):
        change = without_missing_words if pa.types.is_dictionary(field.type) else decode_dictionary
        cells = pa.chunked_array([change(chunk) for chunk in cells.chunks] or [pa.nulls(0, field.type)])
    elif holds_type(cells.type, pa.types.is_dictionary):
        cells = pa.chunked_array([spell_out(chunk) for chunk in cells.chunks] or [pa.nulls(0, field.type)])
    try:
        return cast_cells(cells, field.type)
    except pa.ArrowNotImplementedError:
        raise _not_held(field) from None


def _as_text(field: pa.Field) -> pa.Field:
    return field.with_type(pa.string()) if pa.types.is_dictionary(field.type) else field


def _in_dictionary(field: pa.Field) -> pa.Field:
    """How a field is held: texts in dictionaries."""
    kind = _as_values(field.type)
    values = kind.value_type if pa.types.is_dictionary(kind) else kind
    return field.with_type(_IN_DICTIONARY if _is_text(values) else kind)


def _as_values(kind: pa.DataType) -> pa.DataType:
    """A type without dictionaries of other than texts and bytes, which no reader knows again, as deep as it goes."""
    if pa.types.is_dictionary(kind):
        return _as_known_dictionary(kind)
    if pa.types.is_struct(kind):
        return pa.struct([_hold_values(field) for field in kind])
    if pa.types.is_list(kind):
        return pa.list_(_hold_values(kind.value_field))
    if pa.types.is_large_list(kind):
        return pa.large_list(_hold_values(kind.value_field))
    if pa.types.is_fixed_size_list(kind):
        return pa.list_(_hold_values(kind.value_field), kind.list_size)
    return kind


def _as_known_dictionary(kind: pa.DictionaryType) -> pa.DataType:
    values = kind.value_type
    if pa.types.is_string_view(values):
        return pa.dictionary(pa.int32(), pa.string(), kind.ordered)
    if pa.types.is_binary_view(values):
        return pa.dictionary(pa.int32(), pa.binary(), kind.ordered)
    return kind if _is_text(values) or _is_bytes(values) else values


def _hold_values(field: pa.Field) -> pa.Field:
    return field.with_type(_as_values(field.type))


def _is_text(kind: pa.DataType) -> bool:
    return bool(pa.types.is_string(kind) or pa.types.is_large_string(kind))


def _is_bytes(kind: pa.DataType) -> bool:
    return bool(pa.types.is_binary(kind) or pa.types.is_large_binary(kind))


FORMAT: Format = ParquetFormat()
