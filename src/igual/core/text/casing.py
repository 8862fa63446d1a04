"""Lower, upper, sentence and title case, names and identifiers, with words that are left alone."""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Callable, Collection
from typing import Literal

import pyarrow as pa
import pyarrow.compute as pc

from igual.core.column import as_mask
from igual.core.text.arrays import ascii_or, each, each_where, found
from igual.core.text.identifiers import IDENTIFIER_STYLES, identifier_in
from igual.core.text.names import named

Style = Literal[
    "lower", "upper", "sentence", "title", "name", "camel", "pascal", "snake", "kebab", "train", "constant"
]
Language = Literal["az", "de", "el", "nl", "tr"]

# A word: letters, digits and the marks on them, with apostrophes inside (don't, O’Brien) but not at its ends.
_LETTER = "(?:[^\\W_]|[\u0300-\u036f\u1dc0-\u1dff\u20d0-\u20ff\ufe20-\ufe2f])"
_WORD = re.compile(f"{_LETTER}+(?:['’]{_LETTER}+)*")
# Texts on which Arrow's title and sentence kernels agree with the words above.
_ONLY_WORDS = r"^([A-Za-z]+([ \-]+[A-Za-z]+)*)?$"
_AFTER_COLON = re.compile(r":\s+$")


def recased(
    values: pa.Array,
    style: Style,
    keep: Collection[str],
    small: Collection[str],
    language: Language | None = None,
) -> pa.Array:
    """Texts in another case; see `igual.rules.Case` for the settings."""
    one = _one_text(style, frozenset(keep), frozenset(word.lower() for word in small), language)
    kernel = _KERNELS.get(style)
    if kernel is None or keep or small or language in ("tr", "az", "nl"):
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


def lowering(language: Language | None) -> Callable[[str], str]:
    """How a language writes small letters: Turkish and Azerbaijani I is ı, and İ is i."""
    if language in ("tr", "az"):
        return lambda text: text.replace("İ", "i").replace("I", "ı").lower()
    return str.lower


def raising(language: Language | None) -> Callable[[str], str]:
    """How a language writes capitals: Turkish i is İ, German ß is ẞ, Greek letters lose their accents."""
    if language in ("tr", "az"):
        return lambda text: text.replace("i", "İ").upper()
    if language == "de":
        return lambda text: text.replace("ß", "ẞ").upper()
    return _greek_capitals if language == "el" else str.upper


def _greek_capitals(text: str) -> str:
    plain = unicodedata.normalize("NFD", text.upper()).replace("\u0301", "")
    return unicodedata.normalize("NFC", plain)


def _first_high(word: str, language: Language | None) -> str:
    if language == "nl" and word[:2] == "ij":
        return "IJ" + word[2:]
    if language in ("tr", "az") and word[:1] == "i":
        return "İ" + word[1:]
    return word[0].title() + word[1:]


def _one_text(
    style: Style, keep: frozenset[str], small: frozenset[str], language: Language | None
) -> Callable[[str], str]:
    change = raising(language) if style == "upper" else lowering(language)
    if style in IDENTIFIER_STYLES:
        return identifier_in(style, keep)  # type: ignore[arg-type]
    if style == "name":
        return lambda text: named(text, small, keep, change)
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
            between = text[at:start]
            parts.append(between)
            edge = place in (0, len(words) - 1) or _AFTER_COLON.search(between) is not None
            if word[0] in keep:
                parts.append(word[0])
            elif _begins_high(style, place, edge, base in small):
                parts.append(_first_high(base, language))
            else:
                parts.append(base)
            at = end
        return "".join([*parts, text[at:]])

    return one


def _begins_high(style: Style, place: int, edge: bool, is_small: bool) -> bool:
    """Whether the word at `place` gets a capital; edges are the first and last word, and those after a colon."""
    if style == "title":
        return edge or not is_small
    return style == "sentence" and place == 0
