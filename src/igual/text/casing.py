"""Lower, upper, sentence and title case, names and identifiers, with words that are left alone."""

from __future__ import annotations

import functools
import re
import unicodedata
from collections.abc import Callable, Collection
from typing import Literal

import pyarrow as pa
import pyarrow.compute as pc

from igual.text.arrays import beyond_ascii, each, each_where, has_pattern
from igual.text.identifiers import IDENTIFIER_STYLES, identifiers
from igual.text.names import SPECIAL, namer

Style = Literal[
    "lower", "upper", "sentence", "title", "name", "camel", "pascal", "snake", "kebab", "train", "constant"
]
Language = Literal["az", "de", "el", "nl", "tr"]

# A word: letters, digits and the marks on them, with apostrophes inside (don't, O’Brien) but not at its ends.
_LETTER = "(?:[^\\W_]|[\u0300-\u036f\u1dc0-\u1dff\u20d0-\u20ff\ufe20-\ufe2f])"
_WORD = re.compile(f"{_LETTER}+(?:['’]{_LETTER}+)*")
# ASCII texts on which Arrow's kernels disagree with the words above: signs, and letters beside digits.
_NOT_ONLY_WORDS = r"[^A-Za-z0-9 \-]|[A-Za-z][0-9]|[0-9][A-Za-z]"
_AFTER_COLON = re.compile(r":\s+$")


# So many words are remembered in the case they were put in.
_REMEMBERED = 1 << 14


def recased(
    values: pa.Array,
    style: Style,
    keep: Collection[str],
    small: Collection[str],
    language: Language | None = None,
) -> pa.Array:
    """Texts in another case; see `igual.rules.Case` for the settings.

    Arrow's kernels do the plain ASCII texts; those with letters, words or places that need care, Python does.
    """
    if style in IDENTIFIER_STYLES:
        return identifiers(values, style, keep)  # type: ignore[arg-type]
    one = _one_text(style, frozenset(keep), frozenset(word.lower() for word in small), language)
    kernel = _KERNELS.get(style)
    if kernel is None or language in ("tr", "az", "nl"):
        return each(values, one)
    if style in ("lower", "upper"):
        careful = beyond_ascii(values)
    else:
        # The first character of a sentence is its first letter only where nothing stands before it.
        careful = has_pattern(values, f"{_NOT_ONLY_WORDS}|^[ -]" if style == "sentence" else _NOT_ONLY_WORDS)
    if words := [re.escape(word) for word in (*keep, *small)]:
        careful |= has_pattern(values, rf"(?i)\b(?:{'|'.join(words)})\b")
    if style == "name":
        careful |= has_pattern(values, SPECIAL)
    return each_where(kernel(values), careful, values, one)


_KERNELS: dict[str, Callable[[pa.Array], pa.Array]] = {
    "lower": pc.ascii_lower,
    "upper": pc.ascii_upper,
    "sentence": pc.ascii_capitalize,
    "title": pc.ascii_title,
    "name": pc.ascii_title,
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
    if style == "name":
        return namer(small, keep, change)
    if not keep and style in ("lower", "upper"):
        return change
    # Words come again and again in different values: each is put in its case once.
    remembered = functools.lru_cache(_REMEMBERED)
    inside = remembered(lambda word: _cased(word, style, keep, small, change, language, edge=False))
    at_edge = remembered(lambda word: _cased(word, style, keep, small, change, language, edge=True))

    def one(text: str) -> str:
        if style == "sentence":
            first = _WORD.search(text)
            start = first.end() if first else 0
            return (
                text[: first.start()]
                + at_edge(first[0])
                + _WORD.sub(lambda word: inside(word[0]), text[start:])
                if first
                else text
            )
        if style != "title" or not small or small.isdisjoint(_WORD.findall(change(text))):
            return _WORD.sub(lambda word: inside(word[0]), text)
        words = list(_WORD.finditer(text))
        edges = {words[0].start(), words[-1].start()}
        edges |= {word.start() for word in words if _AFTER_COLON.search(text[: word.start()])}
        return _WORD.sub(lambda word: (at_edge if word.start() in edges else inside)(word[0]), text)

    return one


def _cased(
    word: str,
    style: Style,
    keep: frozenset[str],
    small: frozenset[str],
    change: Callable[[str], str],
    language: Language | None,
    *,
    edge: bool,
) -> str:
    """One word in a style; at an edge small words are high too, and the first word of a sentence is."""
    if word in keep:
        return word
    base = change(word)
    high = edge or base not in small if style == "title" else edge
    return _first_high(base, language) if high and style in ("title", "sentence") else base
