"""Turkish i and ı: while texts change their case, letters stand in for them that are paired as these are.

Other languages take I for the capital of i. The letters that stand in are rare, and have as many bytes in any case.
"""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from igual.text.packed import Packed, keep_bytes, mark

_STAND_INS = {"i": "ϣ", "İ": "Ϣ", "ı": "ϥ", "I": "Ϥ"}
ANY_STAND_IN = f"[{''.join(_STAND_INS.values())}]"
_LEAD = _STAND_INS["i"].encode()[0]
# The second bytes of letters and of what stands in for them; letters of ASCII have one byte.
_SHORT = {letter: _STAND_INS[letter].encode()[1] for letter in "iI"}
_LONG = {letter.encode(): _STAND_INS[letter].encode() for letter in "İı"}


def stand_in_letters(text: str) -> str:
    """A text with the letters that stand in."""
    return "".join(_STAND_INS.get(letter, letter) for letter in text)


def put_stand_ins(packed: Packed) -> Packed:
    """Texts with the letters that stand in."""
    letters = np.flatnonzero((packed.data | np.uint8(0x20)) == ord("i"))
    starts = letters + np.arange(len(letters))
    is_second = mark(len(packed.data) + len(letters), starts + 1)
    data = np.empty(len(is_second), np.uint8)
    data[~is_second] = packed.data
    data[starts] = _LEAD
    data[is_second] = np.where(packed.data[letters] == ord("I"), _SHORT["I"], _SHORT["i"])
    return _exchange(Packed(data, packed.offsets + np.searchsorted(letters, packed.offsets)), _LONG)


def take_stand_ins(packed: Packed) -> Packed:
    """Texts with the letters in whose place others stood."""
    packed = _exchange(packed, {stand_in: letter for letter, stand_in in _LONG.items()})
    keep = np.ones(len(packed.data), np.bool_)
    data = packed.data.copy()
    for letter, second in _SHORT.items():
        starts = np.flatnonzero((data[:-1] == _LEAD) & (data[1:] == second))
        data[starts] = ord(letter)
        keep[starts + 1] = False
    return keep_bytes(Packed(data, packed.offsets), keep)


def _exchange(packed: Packed, letters: Mapping[bytes, bytes]) -> Packed:
    """Texts with letters of two bytes in the place of others."""
    data = packed.data.copy()
    for old, new in letters.items():
        starts = np.flatnonzero((packed.data[:-1] == old[0]) & (packed.data[1:] == old[1]))
        data[starts], data[starts + 1] = new
    return Packed(data, packed.offsets)
