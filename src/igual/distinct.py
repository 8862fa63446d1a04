"""Which texts of many are distinct: Arrow tells, unless a hash of each proves faster that all of them are."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
import numpy.typing as npt
import pyarrow as pa

from igual.pieces import in_pieces

_Codes = npt.NDArray[np.int32]
Hashes = npt.NDArray[np.uint64]
# With fewer texts, or where many are equal, Arrow's own encoding is as fast: what it remembers fits in the cache.
_MANY, _SAMPLE = 1 << 16, 1 << 14
_WORD = 8
# Longer texts are told apart by their beginnings and lengths; where that fails Arrow compares them.
_MOST_WORDS = 32
# Which bits of a word are those of so many bytes.
_MASKS = np.array([(1 << 8 * size) - 1 for size in range(_WORD + 1)], np.uint64)
_FILTER_BITS = 16
_MISSING = np.uint64(0x9E37_79B9_7F4A_7C15)


class Distinct(NamedTuple):
    """The distinct ones of some texts, in order of first appearance, missing among them.

    Attributes:
        values: These texts, (distinct,).
        codes: For each text its place among them, (texts,); None: all are distinct, and are their own places.
    """

    values: pa.Array
    codes: _Codes | None


def view_bytes(values: pa.Array) -> tuple[npt.NDArray[np.uint8], npt.NDArray[np.int64]]:
    """The bytes of texts where Arrow keeps them, and where each text begins, with the end of the last.

    Args:
        values: Texts (Arrow large_string), (texts,); of a missing one there may be bytes.

    Returns:
        UTF-8, (bytes,); and offsets into it, (texts + 1,).
    """
    _, offsets, data = values.buffers()
    if not len(values) or offsets is None:
        return np.zeros(0, np.uint8), np.zeros(len(values) + 1, np.int64)
    where = np.frombuffer(offsets, np.int64, len(values) + 1, values.offset * 8)
    first, last = int(where[0]), int(where[-1])
    held = np.frombuffer(data, np.uint8, last - first, first) if last > first else np.zeros(0, np.uint8)
    return held, where - first if first else where


def find_distinct(values: pa.Array) -> Distinct:
    """Find the distinct ones of some texts.

    Args:
        values: Texts (Arrow string or large_string), missing ones among them, (texts,).

    Returns:
        The distinct ones.
    """
    is_large = pa.types.is_large_string(values.type)
    if len(values) < _MANY or not (is_large or pa.types.is_string(values.type)) or _repeats(values):
        return _encode(values)
    # As many numbers as texts: no two texts can be equal.
    maybe = _find_equal(_hash(values if is_large else values.cast(pa.large_string())))
    if not len(maybe):
        return Distinct(values, None)
    if len(maybe) * 2 > len(values):
        return _encode(values)
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


def find_repeated(values: pa.Array, groups: npt.NDArray[np.int64]) -> npt.NDArray[np.bool_]:
    """Find texts that stand several times in their group, and perhaps one that doesn't.

    Args:
        values: Texts (Arrow large_string), missing ones among them, (texts,).
        groups: The group of each, (texts,).

    Returns:
        Which ones, (texts,).
    """
    is_repeated = np.zeros(len(values), np.bool_)
    is_repeated[_find_equal(_hash(values) + groups.astype(np.uint64) * _MISSING)] = True
    return is_repeated


def _find_equal(hashes: Hashes) -> npt.NDArray[np.int64]:
    """The places of numbers that stand several times, in order."""
    ordered = np.sort(hashes)
    again = ordered[1:][ordered[1:] == ordered[:-1]]
    if not len(again):
        return np.zeros(0, np.int64)
    # Few bits tell that most numbers are none of these.
    high = np.uint64(64 - _FILTER_BITS)
    is_likely = np.zeros(1 << _FILTER_BITS, np.bool_)
    is_likely[again >> high] = True
    likely = np.flatnonzero(is_likely.take((hashes >> high).astype(np.int64)))
    place = np.minimum(np.searchsorted(again, hashes[likely]), len(again) - 1)
    equal: npt.NDArray[np.int64] = likely[again[place] == hashes[likely]]
    return equal


def _encode(values: pa.Array) -> Distinct:
    encoded = values.dictionary_encode(null_encoding="encode")
    if len(encoded.dictionary) == len(values):
        return Distinct(values, None)
    return Distinct(encoded.dictionary, encoded.indices.to_numpy(zero_copy_only=False))


def _repeats(values: pa.Array) -> bool:
    """Whether the first texts, and some from the middle, show that many are equal."""
    half = len(values) // 2
    return any(
        len(values.slice(start, _SAMPLE).unique()) < _SAMPLE // 2 for start in (0, half - half % _SAMPLE)
    )


def _hash(values: pa.Array) -> Hashes:
    """A number for each text, the same for equal ones, of its first, middle and last bytes and its length."""
    hashes = np.empty(len(values), np.uint64)
    factors = _make_factors(4)

    def work(start: int, size: int) -> None:
        part = values.slice(start, size)
        data, offsets = view_bytes(part)
        lengths = np.diff(offsets)
        first, last = offsets[:-1], np.maximum(offsets[1:] - _WORD, offsets[:-1])
        words = np.ndarray((len(data) + 1,), "<u8", np.append(data, np.zeros(_WORD, np.uint8)), strides=(1,))
        masks = _MASKS.take(lengths, mode="clip")
        of_part = lengths.astype(np.uint64) * factors[-1]
        for places, factor in zip((first, (first + last) >> 1, last), factors, strict=False):
            word = words[places] & masks
            of_part += (word ^ (word >> np.uint64(32))) * factor
        if part.null_count:
            of_part[part.is_null().to_numpy(zero_copy_only=False)] = _MISSING
        hashes[start : start + size] = of_part

    in_pieces(values, work)
    return hashes


def _make_factors(number: int) -> Hashes:
    """Odd random factors, the same ones every time."""
    return np.random.default_rng(20).integers(0, 1 << 63, number, np.uint64) * np.uint64(2) + np.uint64(1)


def hash_bytes(
    data: npt.NDArray[np.uint8], starts: npt.NDArray[np.int64], lengths: npt.NDArray[np.int64]
) -> Hashes:
    """Give a number for each run of bytes, the same for equal ones, and hardly ever for others.

    It is a sum of products of words with odd random factors (multilinear hashing; Lemire and Kaser, Strongly
    universal string hashing is fast, 2014), each word with its high half folded into the low one before.

    Args:
        data: The bytes, (bytes,).
        starts: Where the runs begin, (runs,).
        lengths: Of the runs, in bytes, (runs,).

    Returns:
        The numbers, (runs,). Long runs are told apart by their beginnings and lengths.
    """
    factors = _make_factors(_MOST_WORDS + 1)
    words = np.ndarray((len(data) + 1,), "<u8", np.append(data, np.zeros(_WORD, np.uint8)), strides=(1,))
    left = lengths
    hashes: Hashes = left.astype(np.uint64) * factors[-1]
    places: npt.NDArray[np.int64] | None = None
    for number in range(_MOST_WORDS):
        if np.count_nonzero(left > 0) * 2 < len(left):
            goes_on = np.flatnonzero(left > 0)
            places = goes_on if places is None else places[goes_on]
            starts, left = starts[goes_on], left[goes_on]
        if not len(left):
            break
        # Of what has ended nothing is left: a word of zeros, which adds nothing.
        word = words[np.minimum(starts, len(data))] & _MASKS.take(left, mode="clip")
        product = (word ^ (word >> np.uint64(32))) * factors[number]
        if places is None:
            hashes += product
        else:
            hashes[places] += product
        starts, left = starts + _WORD, left - _WORD
    return hashes
