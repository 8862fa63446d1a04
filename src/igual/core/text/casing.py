"""Lower, upper, sentence and title case, with words that are left alone."""

from __future__ import annotations

import re
from collections.abc import Callable, Collection
from typing import Literal

import pyarrow as pa
import pyarrow.compute as pc

from igual.core.column import as_mask
from igual.core.text.arrays import ascii_or, each, each_where, found

Style = Literal["lower", "upper", "sentence", "title"]

# A word: letters, digits and the marks on them, with apostrophes inside (don't, O’Brien) but not at its ends.
_LETTER = "(?:[^\\W_]|[\u0300-\u036f\u1dc0-\u1dff\u20d0-\u20ff\ufe20-\ufe2f])"
_WORD = re.compile(f"{_LETTER}+(?:['’]{_LETTER}+)*")
# Texts on which Arrow's title and sentence kernels agree with the words above.
_ONLY_WORDS = r"^([A-Za-z]+([ \-]+[A-Za-z]+)*)?$"


def recased(values: pa.Array, style: Style, keep: Collection[str], small: Collection[str]) -> pa.Array:
    """Texts in another case; see `igual.rules.Case` for the settings."""
    kernel = _KERNELS[style]
    one = _one_text(style, frozenset(keep), frozenset(word.lower() for word in small))
    if keep or small:
        return each(values, one)
    if style in ("lower", "upper"):
        return ascii_or(values, kernel, one)
    plain = found(values, _ONLY_WORDS) | as_mask(values.is_null())
    return each_where(kernel(values), ~plain, values, one)


_KERNELS: dict[str, Callable[[pa.Array], pa.Array]] = {
    "lower": pc.ascii_lower,
    "upper": pc.ascii_upper,
    "sentence": pc.ascii_capitalize,
    "title": pc.ascii_title,
}


def _one_text(style: Style, keep: frozenset[str], small: frozenset[str]) -> Callable[[str], str]:
    change = str.upper if style == "upper" else str.lower
    if not keep and style in ("lower", "upper"):
        return change

    def one(text: str) -> str:
        # Some letters depend on their neighbours (Greek final sigma), so case is changed over the whole text,
        # unless it grows by that (ß in upper case) and its words can't be told apart by position any more.
        whole = change(text)
        in_place = len(whole) == len(text)
        words = list(_WORD.finditer(text))
        parts: list[str] = []
        at = 0
        for place, word in enumerate(words):
            start, end = word.span()
            base = whole[start:end] if in_place else change(word[0])
            parts.append(text[at:start])
            if word[0] in keep:
                parts.append(word[0])
            elif _begins_high(style, place, len(words), base in small):
                parts.append(base[0].title() + base[1:])
            else:
                parts.append(base)
            at = end
        return "".join([*parts, text[at:]])

    return one


def _begins_high(style: Style, place: int, words: int, is_small: bool) -> bool:
    """Whether the word at `place` of `words` gets a capital."""
    if style == "title":
        return not is_small or place in (0, words - 1)
    return style == "sentence" and place == 0
