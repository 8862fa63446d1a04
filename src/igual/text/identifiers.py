"""Identifier styles: texts split soundly into words, and put together again."""

from __future__ import annotations

import re
from collections.abc import Callable, Collection
from typing import Literal

import pyarrow as pa
import pyarrow.compute as pc

from igual.column import TEXT
from igual.text.arrays import beyond_ascii, each, each_where

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


# Where a word ends within letters and digits: two neighbours that belong to different words.
_SEAMS = ("([a-z])([A-Z])", "([A-Z])([A-Z][a-z])", "([A-Za-z])([0-9])", "([0-9])([A-Za-z])")
_KERNELS: dict[str, Callable[[pa.Array], pa.Array]] = {
    "snake": pc.ascii_lower,
    "kebab": pc.ascii_lower,
    "constant": pc.ascii_upper,
    "pascal": pc.ascii_title,
    "train": pc.ascii_title,
}


def identifiers(values: pa.Array, style: IdentifierStyle, keep: Collection[str]) -> pa.Array:
    """Texts as identifiers: by Arrow's kernels where they are ASCII and there is no word to keep."""
    one = identifier_in(style, keep)
    if keep:
        return each(values, one)
    words = pc.replace_substring(values, pattern="'", replacement="")
    for seam in _SEAMS:
        words = pc.replace_substring_regex(words, pattern=seam, replacement=r"\1 \2")
    words = pc.replace_substring_regex(words, pattern="[^A-Za-z0-9]+", replacement=" ")
    words = pc.ascii_trim_whitespace(words)
    if style == "camel":
        first = pc.ascii_lower(pc.struct_field(pc.extract_regex(words, pattern="^(?P<first>[^ ]*)"), "first"))
        others = pc.ascii_title(pc.replace_substring_regex(words, pattern="^[^ ]*", replacement=""))
        cased = pc.binary_join_element_wise(first, others, pa.scalar("", TEXT))
    else:
        cased = _KERNELS[style](words)
    joined = pc.replace_substring(cased, pattern=" ", replacement=_STYLES[style][0])
    beyond = beyond_ascii(values)
    return each_where(joined, beyond, values, one)
