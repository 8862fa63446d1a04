"""What is compared: texts with case, accents and punctuation set aside, as letters alone and as words."""

from __future__ import annotations

import re
from collections.abc import Mapping

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from igual.core.column import TEXT
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
    {"ä": "ae", "ö": "oe", "ü": "ue", "å": "aa", "ø": "oe", "Ä": "ae", "Ö": "oe", "Ü": "ue", "Å": "aa", "Ø": "oe"}
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


def letters_key(values: pa.Array) -> pa.Array:
    """The letters and digits of texts: the folded key, with letters that look Latin read as Latin."""
    return folded_key(in_latin(values))


def words_key(values: pa.Array) -> pa.Array:
    """The words of texts, lower case and without accents, with one space between them."""
    lowered = casefold(without_accents(in_latin(values)))
    plain = pc.replace_substring_regex(lowered, pattern="['`]", replacement="")
    quick = pc.replace_substring_regex(plain, pattern="[^a-z0-9#%&@*]+", replacement=" ")
    careful = found(lowered, r"[^\x00-\x7f]")
    spaced = each_where(quick, careful, lowered, lambda text: _OTHERS.sub(" ", _QUOTES.sub("", text)))
    return pc.utf8_trim(spaced, characters=" ")


def two_letter_key(values: pa.Array) -> pa.Array:
    """The letters key with ä, ö, ü, å and ø written as two letters; null where a text has none of them."""
    some = found(values, "[äöüåøÄÖÜÅØ]")
    written = changed_where(
        values, some, lambda few: pa.array([text.translate(_TWO_LETTERS) for text in few.to_pylist()], TEXT)
    )
    return pc.if_else(pa.array(some), letters_key(written), pa.nulls(len(values), TEXT))


def spelled_out(values: pa.Array, meanings: Mapping[str, str]) -> pa.Array:
    """Words keys with each word that `meanings` has by its meaning."""
    wanted = np.zeros(len(values), np.bool_)
    for word in meanings:
        wanted |= found(values, rf"(^|\s){re.escape(word)}(\s|$)")
    return changed_where(
        values,
        wanted,
        lambda few: pa.array(
            [" ".join(meanings.get(word, word) for word in text.split(" ")) for text in few.to_pylist()], TEXT
        ),
    )
