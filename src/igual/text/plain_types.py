"""Cells of types that Arrow's kernels don't take, as cells of types that they do."""

from __future__ import annotations

import contextlib
from collections.abc import Callable

import numpy as np
import numpy.typing as npt
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
        bytes as bytes, half floats as single ones, dictionaries without missing words, those of nothing and of half
        floats as their values; others as they are, (rows,).

    Example:
        >>> to_plain(pa.chunked_array([pa.array([bytes(16), None], pa.uuid())])).to_pylist()
        ['00000000-0000-0000-0000-000000000000', None]
    """
    kind = plain_type(cells.type)
    if kind == cells.type and not (pa.types.is_dictionary(kind) and _has_missing_words(cells)):
        return cells
    return pa.chunked_array(map(_to_plain, cells.chunks), kind)


def _has_missing_words(cells: pa.ChunkedArray) -> bool:
    return any(chunk.dictionary.null_count for chunk in cells.chunks)


def join_chunks(cells: pa.Array | pa.ChunkedArray) -> pa.Array:
    """Give cells in one piece, which Arrow itself doesn't for every type.

    Args:
        cells: Cells of any type, (rows,).

    Returns:
        The same, (rows,); as values where their dictionaries can't be joined.

    Example:
        >>> len(join_chunks(pa.chunked_array([], pa.dictionary(pa.int32(), pa.float16()))))
        0
    """
    if isinstance(cells, pa.Array):
        return cells
    if not cells.num_chunks:
        return pa.nulls(0, cells.type)
    if not holds_type(cells.type, is_joined_wrongly):
        with contextlib.suppress(pa.ArrowInvalid, pa.ArrowNotImplementedError):
            return cells.combine_chunks()
    return pa.chunked_array([spell_out(chunk) for chunk in cells.chunks]).combine_chunks()


def cast_cells(cells: pa.ChunkedArray, kind: pa.DataType) -> pa.ChunkedArray:
    """Give cells in a type that holds them; Arrow cuts lists of nothing short, even where they have the type already.

    Args:
        cells: Cells of any type, (rows,).
        kind: The type.

    Returns:
        The same, (rows,).

    Raises:
        ArrowNotImplementedError: Where Arrow doesn't cast such cells.

    Example:
        >>> nothing = pa.chunked_array([[[None, None]]])
        >>> cast_cells(nothing, nothing.type).to_pylist()
        [[None, None]]
    """
    return cells if cells.type == kind else cells.cast(kind)


def is_joined_wrongly(kind: pa.DataType) -> bool:
    """Tell whether Arrow may make other words of a type where it joins dictionaries: of half floats and of -0.0."""
    return bool(pa.types.is_dictionary(kind) and pa.types.is_floating(kind.value_type))


def without_missing_words(cells: pa.DictionaryArray) -> pa.DictionaryArray:
    """Give a dictionary that says by its codes alone which cells are missing; of others Arrow joins and writes none.

    Args:
        cells: Codes and their values, some of which may be missing.

    Returns:
        The same cells, (cells,).

    Example:
        >>> cells = pa.array(["oak", None]).dictionary_encode(null_encoding="encode")
        >>> without_missing_words(cells).dictionary.to_pylist()
        ['oak']
    """
    words = cells.dictionary
    if not words.null_count:
        return cells
    is_there = words.is_valid()
    places = pc.subtract(pc.cumulative_sum(is_there.cast(pa.int64())), 1)
    places = pc.if_else(is_there, places, pa.scalar(None, pa.int64()))
    codes = places.take(cells.indices).cast(cells.indices.type)
    kept = _take(words, pc.indices_nonzero(is_there)).cast(words.type)
    return pa.DictionaryArray.from_arrays(codes, kept, ordered=cells.type.ordered)


def decode_dictionary(cells: pa.DictionaryArray) -> pa.Array:
    """Put the values of a dictionary in their places.

    Args:
        cells: Codes and their values.

    Returns:
        The values, (cells,); Arrow takes none from views, which come as the texts or bytes that they show.
    """
    return _take(cells.dictionary, cells.indices)


def _take(values: pa.Array, places: pa.Array) -> pa.Array:
    """Cells by their places; Arrow takes none from views, and no longer ones than there are places from nothing."""
    if pa.types.is_null(values.type):
        return pa.nulls(len(places))
    if pa.types.is_string_view(values.type):
        values = values.cast(pa.large_string())
    elif pa.types.is_binary_view(values.type):
        values = values.cast(pa.large_binary())
    return values.take(places)


def spell_out(cells: pa.Array) -> pa.Array:
    """Give dictionaries as their values and list views as lists, at any depth.

    Arrow's own casts do that for some types only, and read beyond the bytes of list views that have empty ones.

    Args:
        cells: Cells of any type, (cells,).

    Returns:
        The same, (cells,), in lists with wide offsets.

    Example:
        >>> spell_out(pa.array([["oak"], None, []], pa.list_view(pa.string()))).type
        LargeListType(large_list<item: string>)
    """
    kind = cells.type
    if not holds_type(kind, _is_seldom):
        return cells
    if pa.types.is_dictionary(kind):
        return spell_out(decode_dictionary(cells))
    is_missing = cells.is_null()
    if pa.types.is_struct(kind):
        fields = [spell_out(field) for field in cells.flatten()]
        return pa.StructArray.from_arrays(fields, names=[field.name for field in kind], mask=is_missing)
    if pa.types.is_map(kind):
        entries = spell_out(cells.cast(pa.list_(pa.struct([kind.key_field, kind.item_field]))))
        offsets, (keys, items) = entries.offsets.cast(pa.int32()), entries.values.flatten()
        return pa.MapArray.from_arrays(offsets, keys, items, mask=is_missing)
    if pa.types.is_union(kind) or pa.types.is_run_end_encoded(kind):
        return cells
    lengths = pc.list_value_length(cells).fill_null(0).to_numpy(zero_copy_only=False)
    ends = np.cumsum(lengths, dtype=np.int64)
    # Arrow's own way to flatten lists doesn't know dictionaries of all types.
    places = np.arange(lengths.sum()) + np.repeat(_list_starts(cells) - (ends - lengths), lengths)
    items = spell_out(_take(cells.values, pa.array(places)))
    return pa.LargeListArray.from_arrays(pa.array(np.concatenate([[0], ends])), items, mask=is_missing)


def _list_starts(cells: pa.Array) -> npt.NDArray[np.int64]:
    """Where each list begins among the items."""
    if pa.types.is_fixed_size_list(cells.type):
        return np.arange(cells.offset, cells.offset + len(cells)) * int(cells.type.list_size)
    starts: npt.NDArray[np.int64] = cells.offsets.to_numpy(zero_copy_only=False)[: len(cells)]
    return starts.astype(np.int64)


def _is_seldom(kind: pa.DataType) -> bool:
    return bool(
        pa.types.is_dictionary(kind) or pa.types.is_list_view(kind) or pa.types.is_large_list_view(kind)
    )


def holds_type(kind: pa.DataType, is_sought: Callable[[pa.DataType], bool]) -> bool:
    """Tell whether a type is, or holds at any depth, one that is sought.

    Args:
        kind: The type.
        is_sought: Tells whether a type is.

    Returns:
        Whether there is one.

    Example:
        >>> holds_type(pa.struct([("size", pa.list_(pa.int8()))]), pa.types.is_integer)
        True
    """
    if is_sought(kind):
        return True
    if pa.types.is_dictionary(kind):
        return holds_type(kind.value_type, is_sought)
    return any(holds_type(kind.field(place).type, is_sought) for place in range(kind.num_fields))


def is_uuid(kind: pa.DataType) -> bool:
    """Tell whether a type is Arrow's own of UUIDs."""
    return isinstance(kind, pa.BaseExtensionType) and kind.extension_name == _UUID


def plain_type(kind: pa.DataType) -> pa.DataType:
    """Give the type that `to_plain` makes of a type."""
    if isinstance(kind, pa.BaseExtensionType):
        return pa.large_string() if is_uuid(kind) else plain_type(kind.storage_type)
    if pa.types.is_decimal32(kind) or pa.types.is_decimal64(kind):
        return pa.decimal128(kind.precision, kind.scale)
    if pa.types.is_binary_view(kind):
        return pa.large_binary()
    if pa.types.is_float16(kind):
        # Arrow can't tell half floats apart as they are; single ones hold all of them.
        return pa.float32()
    if pa.types.is_dictionary(kind):
        if _has_no_dictionaries(kind.value_type):
            return plain_type(kind.value_type)
        return pa.dictionary(kind.index_type, plain_type(kind.value_type), kind.ordered)
    return kind


def _has_no_dictionaries(kind: pa.DataType) -> bool:
    """Arrow can't join dictionaries of nothing, and joins those of half floats to other numbers than they had."""
    return bool(pa.types.is_null(kind) or pa.types.is_float16(kind))


def _to_plain(cells: pa.Array) -> pa.Array:
    kind = cells.type
    if isinstance(kind, pa.BaseExtensionType):
        return _write_uuids(cells.storage) if is_uuid(kind) else _to_plain(cells.storage)
    if pa.types.is_dictionary(kind):
        if _has_no_dictionaries(kind.value_type):
            return _to_plain(cells.dictionary_decode())
        cells = without_missing_words(cells)
        return pa.DictionaryArray.from_arrays(
            cells.indices, _to_plain(cells.dictionary), ordered=kind.ordered
        )
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
