"""Identifier styles: texts split soundly into words, and put together again."""

from __future__ import annotations

import re
from collections.abc import Callable, Collection
from typing import Literal, NamedTuple

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from igual.column import TEXT, Mask
from igual.text.arrays import each_where
from igual.text.beyond import CharacterPlaces, find_characters, lower_alone
from igual.text.finding import find_words
from igual.text.packed import (
    Packed,
    before,
    begins_character,
    behind,
    is_between,
    is_letter,
    keep_bytes,
    lowered,
    mark,
    pack,
    places_in,
    splice,
    unpack,
)
from igual.text.sigmas import write_sigmas

IdentifierStyle = Literal["camel", "pascal", "snake", "kebab", "train", "constant"]
_ASCII_WORD = re.compile("[A-Z]+(?![a-z])|[A-Z]?[a-z]+|[0-9]+")
IDENTIFIER_STYLES = ("camel", "pascal", "snake", "kebab", "train", "constant")


def split_words(text: str) -> list[str]:
    """The words of an identifier or a title: at separators, at humps, and between letters and digits.

    Example:
        >>> split_words("HTTPServer2Go_now")
        ['HTTP', 'Server', '2', 'Go', 'now']
    """
    # An apostrophe parts nothing.
    text = text.replace("'", "").replace("’", "")
    if text.isascii():
        return _ASCII_WORD.findall(text)
    words, start, before = [], 0, ""
    for at, character in enumerate(text):
        if not character.isalnum():
            words.append(text[start:at])
            start, before = at + 1, ""
            continue
        hump = character.isupper() and (
            before.islower() or (before.isupper() and text[at + 1 : at + 2].islower())
        )
        if before and (hump or before.isdigit() != character.isdigit()):
            words.append(text[start:at])
            start = at
        before = character
    return [word for word in [*words, text[start:]] if word]


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
    # What becomes of a sigma depends on the letters before it, the first one too.
    return word[0].title() + word.lower()[len(word[0].lower()) :]


_STYLES: dict[str, tuple[str, Callable[[str], str], Callable[[str], str]]] = {
    "camel": ("", str.lower, _capital),
    "pascal": ("", _capital, _capital),
    "snake": ("_", str.lower, str.lower),
    "kebab": ("-", str.lower, str.lower),
    "train": ("-", _capital, _capital),
    "constant": ("_", str.upper, str.upper),
}


def identifiers(values: pa.Array, style: IdentifierStyle, keep: Collection[str]) -> pa.Array:
    """Texts as identifiers: all together, but for those with letters that need care one by one."""
    joint, first, other = _STYLES[style]
    for apostrophe in "'’":
        values = pc.replace_substring(values, pattern=apostrophe, replacement="")
    packed = unpack(values)
    characters = find_characters(packed)
    careful = np.zeros(len(values), np.bool_)
    words = _split_together(packed, characters)
    starts = np.flatnonzero(words.begins)
    bounds = np.searchsorted(starts, packed.offsets)
    leading = mark(len(starts), bounds[:-1][bounds[:-1] < bounds[1:]])
    high = words.inside if other is str.upper else words.begins.copy()
    if other is str.lower or first is str.lower:
        high[starts if other is str.lower else starts[leading]] = False
    written = lowered(packed.data)
    wrong = characters.write(written, lower_alone)
    wrong |= write_sigmas(written, characters, words.begins, words.ends)
    written -= (high & is_letter(packed.data)).view(np.uint8) << np.uint8(5)
    wrong |= characters.write(
        written, str.upper if other is str.upper else str.title, high[characters.starts]
    )
    careful[packed.texts_at(characters.starts[wrong])] = True
    if keep:
        kept = find_words(
            packed, [word for word in keep if split_words(word) == [word]], words.begins, words.ends
        )
        held = places_in(kept.starts, kept.stops)
        written[held] = packed.data[held]
    made = keep_bytes(Packed(written, packed.offsets), words.inside)
    if joint:
        inner = np.flatnonzero(words.begins[words.inside])[~leading]
        made = splice(made, inner, inner, pa.array([joint], TEXT), np.zeros(len(inner), np.int64))
    return each_where(pack(made, values), careful, values, identifier_in(style, keep))


class _Words(NamedTuple):
    """Where words stand: which bytes they have, which begin one, and which end one or are of none, (bytes,) each."""

    inside: Mask
    begins: Mask
    ends: Mask


def _split_together(packed: Packed, characters: CharacterPlaces) -> _Words:
    """Where the words of texts stand, as `split_words` has them."""
    lower, upper, digit = (
        characters.mark(is_between(packed.data, *span), test)
        for span, test in (("az", str.islower), ("AZ", str.isupper), ("09", str.isdigit))
    )
    inside = characters.mark(is_letter(packed.data) | is_between(packed.data, "0", "9"), str.isalnum)
    leads_lower = behind(lower, packed)
    leads_lower[characters.starts] = leads_lower[characters.stops - 1]
    # A word begins behind a separator, at a hump, before a capital that small letters follow, and beside digits.
    hump = upper & (before(lower, packed) | (before(upper, packed) & leads_lower))
    begins = inside & (~before(inside, packed) | hump | (digit != before(digit, packed)))
    begins &= begins_character(packed.data)
    return _Words(inside, begins, ~behind(inside & ~begins, packed))
