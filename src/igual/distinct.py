"""Which texts of many are distinct: Arrow tells, unless a hash of each proves faster that all of them are."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
import numpy.typing as npt
import pyarrow as pa

from igual.hashing import Hashes, hash_texts

_Codes = npt.NDArray[np.int32]
# With fewer texts, or where many are equal, Arrow's own encoding is as fast: what it remembers fits in the cache.
_MANY, _SAMPLE = 1 << 16, 1 << 14
_FILTER_BITS = 16
# Where one text in so many was there before, Arrow's encoding is faster.
_OFTEN = 4


class Distinct(NamedTuple):
    """The distinct ones of some texts, in order of first appearance, missing among them.

    Attributes:
        values: These texts, (distinct,).
        codes: For each text its place among them, (texts,); None: all are distinct, and are their own places.
    """

    values: pa.Array
    codes: _Codes | None


def find_distinct(values: pa.Array, hashes: Hashes | None = None) -> Distinct:
    """Find the distinct ones of some texts.

    Args:
        values: Texts (Arrow string or large_string), missing ones among them, (texts,).
        hashes: What `hash_texts` gives for them, where that is known, (texts,).

    Returns:
        The distinct ones.
    """
    is_large = pa.types.is_large_string(values.type)
    if len(values) < _MANY or not (is_large or pa.types.is_string(values.type)) or _repeats(values):
        return _encode(values)
    # As many numbers as texts: no two texts can be equal.
    if hashes is None:
        hashes = hash_texts(values if is_large else values.cast(pa.large_string()))
    ordered = np.sort(hashes)
    again = ordered[1:][ordered[1:] == ordered[:-1]]
    if not len(again):
        return Distinct(values, None)
    if len(again) * _OFTEN > len(values):
        return _encode(values)
    maybe = _find_places(again, hashes)
    some = _encode(values.take(pa.array(maybe)))
    if some.codes is None:
        return Distinct(values, None)
    # Only the first of equal texts is kept.
    _, firsts = np.unique(some.codes, return_index=True)
    kept = np.ones(len(values), np.bool_)
    kept[maybe] = False
    kept[maybe[firsts]] = True
    codes = np.cumsum(kept, dtype=np.int32) - np.int32(1)
    codes[maybe] = codes[maybe[firsts[some.codes]]]
    return Distinct(values.filter(pa.array(kept)), codes)


def find_equal(hashes: Hashes) -> npt.NDArray[np.int64]:
    """Find numbers that stand several times.

    Args:
        hashes: The numbers, (numbers,).

    Returns:
        Their places, in order.
    """
    ordered = np.sort(hashes)
    again = ordered[1:][ordered[1:] == ordered[:-1]]
    return _find_places(again, hashes) if len(again) else np.zeros(0, np.int64)


def _find_places(again: Hashes, hashes: Hashes) -> npt.NDArray[np.int64]:
    """The places of some numbers, in order."""
    # Few bits tell that most numbers are none of these.
    is_likely = np.zeros(1 << _FILTER_BITS, np.bool_)
    is_likely[_high_bits(again)] = True
    likely = np.flatnonzero(is_likely.take(_high_bits(hashes)))
    place = np.minimum(np.searchsorted(again, hashes[likely]), len(again) - 1)
    equal: npt.NDArray[np.int64] = likely[again[place] == hashes[likely]]
    return equal


def _high_bits(hashes: Hashes) -> npt.NDArray[np.int64]:
    return (hashes >> np.uint64(64 - _FILTER_BITS)).astype(np.int64)


def _encode(values: pa.Array) -> Distinct:
    encoded = values.dictionary_encode(null_encoding="encode")
    if len(encoded.dictionary) == len(values):
        return Distinct(values, None)
    return Distinct(encoded.dictionary, encoded.indices.to_numpy(zero_copy_only=False))


def encode_views(texts: pa.ChunkedArray) -> tuple[pa.Array, _Codes]:
    """Encode views of texts of which many are equal.

    Args:
        texts: The texts (Arrow string_view), missing ones among them, (texts,).

    Returns:
        The distinct ones as large_string in order of first appearance, (distinct,); and the place of each text among
        them, (texts,).
    """
    # Encoded as a value of its own, what is missing would become an empty text.
    chunks = texts.dictionary_encode(null_encoding="mask").chunks
    values = chunks[0].dictionary.cast(pa.large_string())
    codes = np.concatenate([part.indices.fill_null(-1).to_numpy(zero_copy_only=False) for part in chunks])
    if texts.null_count:
        is_missing = codes < 0
        place = int(codes[: int(is_missing.argmax())].max(initial=-1)) + 1
        codes += codes >= place
        codes[is_missing] = place
        missing = pa.nulls(1, values.type)
        values = pa.concat_arrays([values.slice(0, place), missing, values.slice(place)])
    return values, codes


def seem_repeated(texts: pa.Array | pa.ChunkedArray) -> bool:
    """Whether there are very many texts, and many of them are equal."""
    return len(texts) >= _MANY and _repeats(texts)


def _repeats(values: pa.Array | pa.ChunkedArray) -> bool:
    """Whether the first texts, and some from the middle, show that many are equal."""
    half = len(values) // 2
    return any(
        len(values.slice(start, _SAMPLE).unique()) < _SAMPLE // 2 for start in (0, half - half % _SAMPLE)
    )
