"""What is compared: texts with case, accents and punctuation set aside, as letters alone and as words."""

from __future__ import annotations

import re

import numpy as np
import numpy.typing as npt
import pyarrow as pa
import pyarrow.compute as pc

from igual.core.column import TEXT
from igual.core.matching.texts import Texts
from igual.core.text.arrays import changed_where, each_where, found
from igual.core.text.characters import LOOKS_LATIN
from igual.core.text.folding import casefold, folded_key, without_accents

# Longer texts are compared by their beginnings.
MOST_CHARACTERS = 300

_LATIN = str.maketrans(LOOKS_LATIN)
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


def begun(values: pa.Array) -> pa.Array:
    """The texts, cut where they are too long to compare."""
    return pc.utf8_slice_codeunits(values, 0, MOST_CHARACTERS)


def in_latin(values: pa.Array) -> pa.Array:
    """Texts whose letters all are or look Latin, in Latin letters; the others stay."""

    def one(text: str) -> str:
        latin = text.translate(_LATIN)
        return latin if without_accents(pa.array([latin], TEXT))[0].as_py().isascii() else text

    return each_where(values, found(values, f"[{''.join(LOOKS_LATIN)}]"), values, one)


def plain(values: pa.Array) -> pa.Array:
    """Lower case, no accents, and letters that look Latin in Latin."""
    return casefold(without_accents(in_latin(values)))


def letters_key(plain: pa.Array) -> pa.Array:
    """The letters and digits of plain texts: their folded key."""
    return folded_key(plain)


def words_key(plain: pa.Array) -> pa.Array:
    """The words of plain texts, with one space between them."""
    unquoted = pc.replace_substring_regex(plain, pattern="['`]", replacement="")
    quick = pc.replace_substring_regex(unquoted, pattern="[^a-z0-9#%&@*]+", replacement=" ")
    careful = found(plain, r"[^\x00-\x7f]")
    spaced = each_where(quick, careful, plain, lambda text: _OTHERS.sub(" ", _QUOTES.sub("", text)))
    return pc.utf8_trim(spaced, characters=" ")


def two_letter_key(values: pa.Array) -> pa.Array:
    """The letters key with ä, ö, ü, å and ø written as two letters; null where a text has none of them."""
    some = found(values, "[äöüåøÄÖÜÅØ]")
    written = changed_where(
        values, some, lambda few: pa.array([text.translate(_TWO_LETTERS) for text in few.to_pylist()], TEXT)
    )
    return pc.if_else(pa.array(some), letters_key(plain(written)), pa.nulls(len(values), TEXT))


def dress(texts: Texts) -> npt.NDArray[np.int8]:
    """What keys set aside, counted: capitals, a capital first, spaces, hyphens, quotes, other marks, accents.

    texts: as they are written. Gives (texts, counts).
    """
    c = texts.characters
    capital = (c >= ord("A")) & (c <= ord("Z"))
    beyond = (c >= 0xC0) & (c < 0x250)
    mark = (c > ord(" ")) & (c < ord("0")) & (c != ord("-")) & (c != ord("'"))
    counts = [capital, capital[:, :1], c == ord(" "), c == ord("-"), (c == ord("'")) | (c == 0x2019), mark]
    # Accented letters of one kind and another, so that ó and é differ.
    counts += [beyond & (c % 4 == part) for part in range(4)]
    return np.stack([np.count_nonzero(which, axis=1) for which in counts], axis=1).astype(np.int8)
