"""Identifier styles: texts split soundly into words, and put together again."""

from __future__ import annotations

import re
from collections.abc import Callable, Collection
from typing import Literal

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from igual.column import TEXT
from igual.text.arrays import beyond_ascii, each_where
from igual.text.finding import find_words
from igual.text.packed import (
    Packed,
    before,
    behind,
    is_between,
    keep_bytes,
    lowered,
    mark,
    pack,
    places_in,
    splice,
    unpack,
)

IdentifierStyle = Literal["camel", "pascal", "snake", "kebab", "train", "constant"]
_ASCII_WORD = re.compile("[A-Z]+(?![a-z])|[A-Z]?[a-z]+|[0-9]+")
IDENTIFIER_STYLES = ("camel", "pascal", "snake", "kebab", "train", "constant")


def split_words(text: str) -> list[str]:
    """The words of an identifier or a title: at separators, at humps, and between letters and digits.

    Example:
        >>> split_words("HTTPServer2Go_now")
        ['HTTP', 'Server', '2', 'Go', 'now']
    """
    if text.isascii():
        return _ASCII_WORD.findall(text.replace("'", ""))
    words: list[str] = []
    current = ""
    for at, character in enumerate(text):
        if not (character.isalnum() or character in "'’"):
            words, current = [*words, current], ""
            continue
        before = current[-1:]
        after = text[at + 1 : at + 2]
        hump = character.isupper() and (before.islower() or (before.isupper() and after.islower()))
        if current and (hump or before.isdigit() != character.isdigit()):
            words, current = [*words, current], ""
        current += "" if character in "'’" else character
    return [word for word in [*words, current] if word]


def identifier_in(style: IdentifierStyle, keep: Collection[str]) -> Callable[[str], str]:
    """A function that writes a text as an identifier; words to `keep` stay as they are."""
    joint, first, other = _STYLES[style]

    def one(text: str) -> str:
        words = split_words(text)
        return joint.join(
            word if word in keep else (first if place == 0 else other)(word)
            for place, word in enumerate(words)
        )

    return one


def _capital(word: str) -> str:
    return word[0].title() + word[1:].lower()


_STYLES: dict[str, tuple[str, Callable[[str], str], Callable[[str], str]]] = {
    "camel": ("", str.lower, _capital),
    "pascal": ("", _capital, _capital),
    "snake": ("_", str.lower, str.lower),
    "kebab": ("-", str.lower, str.lower),
    "train": ("-", _capital, _capital),
    "constant": ("_", str.upper, str.upper),
}


def identifiers(values: pa.Array, style: IdentifierStyle, keep: Collection[str]) -> pa.Array:
    """Texts as identifiers: plain ASCII ones all together, the others one by one."""
    one = identifier_in(style, keep)
    joint, first, other = _STYLES[style]
    # An apostrophe parts nothing.
    packed = unpack(pc.replace_substring(values, pattern="'", replacement=""))
    lower, upper, digit = (is_between(packed.data, *span) for span in ("az", "AZ", "09"))
    letter = lower | upper
    # A word begins behind a separator, at a hump, before a capital that small letters follow, and beside digits.
    begins = (lower & ~before(letter, packed)) | (digit & ~before(digit, packed))
    begins |= upper & (~before(upper, packed) | (behind(lower, packed)))
    # No word goes on behind its last byte.
    ends = ~behind((letter | digit) & ~begins, packed)
    written = lowered(packed.data)
    if other is not str.lower:
        high = (letter & begins) if other is _capital else letter
        written = written - (high.view(np.uint8) << np.uint8(5))
    words = [word for word in keep if word.isascii() and split_words(word) == [word]]
    found = find_words(packed, words, begins, ends)
    held = places_in(found.starts, found.stops)
    written[held] = packed.data[held]
    stays = letter | digit
    kept = keep_bytes(Packed(written, packed.offsets), stays)
    starts = np.flatnonzero(begins[stays])
    leading = mark(len(kept.data) + 1, kept.offsets[:-1])[starts]
    is_kept = mark(len(packed.data), found.starts)[begins & stays]
    if first is str.lower and other is _capital:
        is_capital = is_between(kept.data[starts], "A", "Z") & leading & ~is_kept
        kept.data[starts[is_capital]] += np.uint8(0x20)
    inner = starts[~leading] if joint else starts[:0]
    which = np.zeros(len(inner), np.int64)
    made = pack(splice(kept, inner, inner, pa.array([joint], TEXT), which), values)
    return each_where(made, beyond_ascii(values), values, one)
