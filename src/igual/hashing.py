"""Numbers that stand for texts, the same for equal ones and hardly ever for others."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt
import pyarrow as pa

from igual.pieces import in_pieces

Hashes = npt.NDArray[np.uint64]
_WORD = 8
# Longer texts are told apart by their beginnings and lengths.
_MOST_WORDS = 32
# Which bits of a word are those of so many bytes.
_MASKS = np.array([(1 << 8 * size) - 1 for size in range(_WORD + 1)], np.uint64)
# Texts with more bytes than one word has have a last one too, and with more than two words have one in the middle.
_LAST, _MIDDLE = (np.uint64((1 << 64) - 1) * (np.arange(size + 2) > size) for size in (_WORD, 2 * _WORD))
_MISSING = np.uint64(0x9E37_79B9_7F4A_7C15)


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


def hash_texts(values: pa.Array, groups: npt.NDArray[np.integer] | None = None) -> Hashes:
    """Give a number for each text, made of its first, middle and last bytes and its length.

    Args:
        values: Texts (Arrow large_string), missing ones among them, (texts,).
        groups: The group of each, (texts,): only equal texts of one group get the same number.

    Returns:
        The numbers, (texts,).
    """
    hashes = np.empty(len(values), np.uint64)
    factors = _make_factors(4)

    def work(start: int, size: int) -> None:
        part = values.slice(start, size)
        data, offsets = view_bytes(part)
        lengths = np.diff(offsets)
        first, last = offsets[:-1], np.maximum(offsets[1:] - _WORD, offsets[:-1])
        words = np.ndarray((len(data) + 1,), "<u8", np.append(data, np.zeros(_WORD, np.uint8)), strides=(1,))
        of_part = lengths.astype(np.uint64) * factors[-1]
        longest = lengths.max(initial=0)
        for least, masks, find, factor in (
            (0, _MASKS, lambda: first, factors[0]),
            (_WORD, _LAST, lambda: last, factors[1]),
            (2 * _WORD, _MIDDLE, lambda: (first + last) >> 1, factors[2]),
        ):
            if longest > least:
                word = words[find()] & masks.take(lengths, mode="clip")
                of_part += (word ^ (word >> np.uint64(32))) * factor
        if part.null_count:
            of_part[part.is_null().to_numpy(zero_copy_only=False)] = _MISSING
        if groups is not None:
            of_part += groups[start : start + size].astype(np.uint64) * _MISSING
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
