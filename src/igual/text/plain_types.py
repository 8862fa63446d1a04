"""Cells of types that Arrow's kernels don't take, as cells of types that they do."""

from __future__ import annotations

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

_UUID = "arrow.uuid"
_DIGITS = np.frombuffer(b"0123456789abcdef", np.uint8)
# Where the digits of a UUID stand between its dashes (RFC 9562).
_UUID_WIDTH, _DASHES = 36, (8, 13, 18, 23)


def to_plain(cells: pa.ChunkedArray) -> pa.ChunkedArray:
    """Give cells as cells of a type that Arrow can tell apart.

    Args:
        cells: Cells of any type, (rows,).

    Returns:
        UUIDs as texts, other extension types as what they store, decimals of 32 and 64 bits as those of 128, views of
        bytes as bytes, dictionaries of nothing as nothing; others as they are, (rows,).

    Example:
        >>> to_plain(pa.chunked_array([pa.array([bytes(16), None], pa.uuid())])).to_pylist()
        ['00000000-0000-0000-0000-000000000000', None]
    """
    kind = plain_type(cells.type)
    return cells if kind == cells.type else pa.chunked_array(map(_to_plain, cells.chunks), kind)


def join_chunks(cells: pa.Array | pa.ChunkedArray) -> pa.Array:
    """Give cells in one piece; Arrow itself can't make an empty one of every type, such as a union.

    Args:
        cells: Cells of any type, (rows,).

    Returns:
        The same, (rows,).

    Example:
        >>> len(join_chunks(pa.chunked_array([], pa.dictionary(pa.int32(), pa.float16()))))
        0
    """
    if isinstance(cells, pa.Array):
        return cells
    return cells.combine_chunks() if cells.num_chunks else pa.nulls(0, cells.type)


def lists_of_views(cells: pa.Array) -> pa.Array:
    """Give list views, at any depth, as lists; Arrow's own cast reads beyond its bytes where some are empty.

    Args:
        cells: Cells of any type, (cells,).

    Returns:
        The same, (cells,).

    Example:
        >>> lists_of_views(pa.array([["oak"], None, []], pa.list_view(pa.string()))).type
        LargeListType(large_list<item: string>)
    """
    kind = cells.type
    if not _has_views(kind):
        return cells
    if pa.types.is_dictionary(kind):
        return lists_of_views(cells.dictionary_decode())
    is_missing = cells.is_null()
    if pa.types.is_struct(kind):
        fields = [lists_of_views(field) for field in cells.flatten()]
        return pa.StructArray.from_arrays(fields, names=[field.name for field in kind], mask=is_missing)
    if pa.types.is_map(kind):
        entries = lists_of_views(cells.cast(pa.list_(pa.struct([kind.key_field, kind.item_field]))))
        offsets, (keys, items) = entries.offsets.cast(pa.int32()), entries.values.flatten()
        return pa.MapArray.from_arrays(offsets, keys, items, mask=is_missing)
    lengths = pc.list_value_length(cells).fill_null(0).to_numpy(zero_copy_only=False)
    offsets = pa.array(np.concatenate([[0], np.cumsum(lengths, dtype=np.int64)]))
    return pa.LargeListArray.from_arrays(offsets, lists_of_views(cells.flatten()), mask=is_missing)


def _has_views(kind: pa.DataType) -> bool:
    if pa.types.is_list_view(kind) or pa.types.is_large_list_view(kind):
        return True
    if pa.types.is_dictionary(kind):
        return _has_views(kind.value_type)
    return any(_has_views(kind.field(place).type) for place in range(kind.num_fields))


def plain_type(kind: pa.DataType) -> pa.DataType:
    """Give the type that `to_plain` makes of a type."""
    if isinstance(kind, pa.BaseExtensionType):
        return pa.large_string() if kind.extension_name == _UUID else plain_type(kind.storage_type)
    if pa.types.is_decimal32(kind) or pa.types.is_decimal64(kind):
        return pa.decimal128(kind.precision, kind.scale)
    if pa.types.is_binary_view(kind):
        return pa.large_binary()
    if pa.types.is_dictionary(kind):
        if pa.types.is_null(kind.value_type):
            return pa.null()
        return pa.dictionary(kind.index_type, plain_type(kind.value_type), kind.ordered)
    return kind


def _to_plain(cells: pa.Array) -> pa.Array:
    kind = cells.type
    if isinstance(kind, pa.BaseExtensionType):
        return _write_uuids(cells.storage) if kind.extension_name == _UUID else _to_plain(cells.storage)
    if pa.types.is_dictionary(kind):
        if pa.types.is_null(kind.value_type):
            return pa.nulls(len(cells))
        values = _to_plain(cells.dictionary)
        return pa.DictionaryArray.from_arrays(cells.indices, values, ordered=kind.ordered)
    return cells.cast(plain_type(kind))


def _write_uuids(cells: pa.Array) -> pa.Array:
    filled = cells.fill_null(bytes(16))
    data = np.frombuffer(filled.buffers()[1] or b"", np.uint8)
    data = data[16 * filled.offset : 16 * (filled.offset + len(cells))].reshape(-1, 16)
    written = np.full((len(cells), _UUID_WIDTH), ord("-"), np.uint8)
    places = [place for place in range(_UUID_WIDTH) if place not in _DASHES]
    written[:, places] = _DIGITS[np.stack([data >> 4, data & 15], axis=2).reshape(-1, 32)]
    ends = np.arange(0, _UUID_WIDTH * (len(cells) + 1), _UUID_WIDTH, dtype=np.int64)
    buffers = [None, pa.py_buffer(ends), pa.py_buffer(written)]
    texts = pa.Array.from_buffers(pa.large_string(), len(cells), buffers)
    return pc.if_else(cells.is_valid(), texts, pa.scalar(None, texts.type)) if cells.null_count else texts
