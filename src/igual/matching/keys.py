"""What is compared: texts with case, accents and punctuation set aside, as letters alone and as words."""

from __future__ import annotations

import re
from collections.abc import Iterable

import numpy as np
import numpy.typing as npt
import pyarrow as pa
import pyarrow.compute as pc

from igual.column import TEXT
from igual.matching.texts import Matrix, Texts
from igual.text.arrays import beyond_ascii, changed_where, each_where, has_pattern, put_where
from igual.text.beyond import map_characters
from igual.text.characters import LOOKS_LATIN
from igual.text.folding import casefold, folded_key, without_accents
from igual.text.packed import pack, unpack

_FEATURES = 10
# Longer texts are compared by their beginnings.
MOST_CHARACTERS = 300

_OTHERS = re.compile(r"[^\w#%&@*†‡§]+|_")
_QUOTES = re.compile("['’ʼ`´]")
# Letters that some write as two, and others without their accent.
_TWO_LETTERS = str.maketrans(
    {
        "ä": "ae",
        "ö": "oe",
        "ü": "ue",
        "å": "aa",
        "ø": "oe",
        "Ä": "ae",
        "Ö": "oe",
        "Ü": "ue",
        "Å": "aa",
        "Ø": "oe",
    }
)


def truncated(values: pa.Array) -> pa.Array:
    """Cut texts where they are too long to compare.

    Args:
        values: Texts, (values,).

    Returns:
        Their first characters, MOST_CHARACTERS at most, (values,).
    """
    if not len(values) or pc.max(pc.binary_length(values)).as_py() <= MOST_CHARACTERS:
        return values
    return pc.utf8_slice_codeunits(values, 0, MOST_CHARACTERS)


def plain(values: pa.Array) -> pa.Array:
    """Lower case, no accents, and letters that look Latin in Latin, where all letters of a text are or look so."""
    packed = unpack(values)
    if packed.is_ascii:
        return pc.ascii_lower(values)
    latin = pack(map_characters(packed, lambda letter: LOOKS_LATIN.get(letter, letter)), values)
    bare = without_accents(latin)
    return casefold(put_where(bare, beyond_ascii(bare), values, without_accents))


def letters_key(plain: pa.Array) -> pa.Array:
    """The letters and digits of plain texts: their folded key."""
    return folded_key(plain)


def words_key(plain: pa.Array) -> pa.Array:
    """The words of plain texts, with one space between them."""
    unquoted = changed_where(
        plain,
        has_pattern(plain, "['`]"),
        lambda few: pc.replace_substring_regex(few, pattern="['`]", replacement=""),
    )
    quick = pc.replace_substring_regex(unquoted, pattern="[^a-z0-9#%&@*]+", replacement=" ")
    spaced = each_where(
        quick, beyond_ascii(plain), plain, lambda text: _OTHERS.sub(" ", _QUOTES.sub("", text))
    )
    return pc.utf8_trim(spaced, characters=" ")


def list_words(texts: Iterable[str]) -> set[str]:
    """List the words that texts have, as matching compares them.

    Args:
        texts: The texts.

    Returns:
        Their words, in lower case without accents.

    Example:
        >>> sorted(list_words(["Old Town", "St. Ina"]))
        ['ina', 'old', 'st', 'town']
    """
    keys = words_key(plain(pa.array(texts, TEXT)))
    return {word for key in keys.to_pylist() for word in key.split()}


def two_letter_key(values: pa.Array) -> pa.Array:
    """The letters key with ä, ö, ü, å and ø written as two letters; null where a text has none of them."""
    some = has_pattern(values, "[äöüåøÄÖÜÅØ]")
    if not some.any():
        return pa.nulls(len(values), TEXT)
    written = changed_where(
        values, some, lambda few: pa.array([text.translate(_TWO_LETTERS) for text in few.to_pylist()], TEXT)
    )
    return pc.if_else(pa.array(some), letters_key(plain(written)), pa.nulls(len(values), TEXT))


def count_surface_features(texts: Texts) -> npt.NDArray[np.int8]:
    """Count what keys set aside: capitals, a capital first, spaces, hyphens, quotes, other marks, accents.

    Args:
        texts: Texts as they are written.

    Returns:
        One row of counts a text, (texts, features).
    """
    features = np.zeros((len(texts), _FEATURES), np.int8)
    for places, some in texts.by_width:
        features[places] = _count_features(some.characters)
    return features


def _count_features(c: Matrix) -> npt.NDArray[np.int8]:
    capital = (c >= ord("A")) & (c <= ord("Z"))
    beyond = (c >= 0xC0) & (c < 0x250)
    mark = (c > ord(" ")) & (c < ord("0")) & (c != ord("-")) & (c != ord("'"))
    flags = [capital, capital[:, :1], c == ord(" "), c == ord("-"), (c == ord("'")) | (c == 0x2019), mark]
    features = np.zeros((len(c), _FEATURES), np.int8)
    if beyond.any():
        # Accented letters of one kind and another, so that ó and é differ.
        flags += [beyond & (c % 4 == part) for part in range(4)]
    for place, which in enumerate(flags):
        features[:, place] = np.count_nonzero(which, axis=1)
    return features
