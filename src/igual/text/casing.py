"""Lower, upper, sentence and title case, names and identifiers, with words that are left alone."""

from __future__ import annotations

import functools
import itertools
import re
import unicodedata
from collections.abc import Callable, Collection
from typing import Literal

import numpy as np
import pyarrow as pa

from igual.column import TEXT, Mask
from igual.text.arrays import beyond_ascii, each_where, has_pattern, put_where, together
from igual.text.beyond import CharacterPlaces, find_characters, lower_alone, title_alone
from igual.text.finding import find_words
from igual.text.identifiers import IDENTIFIER_STYLES, identifiers
from igual.text.name_words import write_words
from igual.text.names import SPECIAL, namer
from igual.text.packed import (
    Bytes,
    Offsets,
    Packed,
    before,
    behind,
    is_between,
    is_letter,
    lowered,
    mark,
    mark_between,
    pack,
    places_in,
    splice,
    unpack,
)
from igual.text.sigmas import WordPlaces, write_sigmas
from igual.text.stand_ins import ANY_STAND_IN, put_stand_ins, stand_in_letters, take_stand_ins

Style = Literal[
    "lower", "upper", "sentence", "title", "name", "camel", "pascal", "snake", "kebab", "train", "constant"
]
Language = Literal["az", "de", "el", "nl", "tr"]

# A word: letters, digits and the marks on them, with apostrophes inside (don't, O’Brien) but not at its ends.
_MARK = re.compile("[\u0300-\u036f\u1dc0-\u1dff\u20d0-\u20ff\ufe20-\ufe2f]")
_LETTER = f"(?:[^\\W_]|{_MARK.pattern})"
_WORD = re.compile(f"{_LETTER}+(?:['’]{_LETTER}+)*")
_IS_ASCII_SPACE = np.isin(np.arange(256), list(b" \t\n\r\v\f\x1c\x1d\x1e\x1f"))
_BEFORE_APOSTROPHE = np.frombuffer(b"odl", np.uint8)
# In these languages also letters of ASCII need care, and some beyond it; in others all beyond it as capitals.
_ASCII_WITH_CARE: dict[str | None, str] = {"tr": "[iI]", "az": "[iI]", "nl": "(?:^|[^A-Za-z])[iI][jJ]"}
_WITH_CARE = {**_ASCII_WITH_CARE, "tr": "[iIİ]", "az": "[iIİ]"}
_CAPITALS_WITH_CARE = {**_WITH_CARE, "de": r"[^\x00-\x7f]", "el": r"[^\x00-\x7f]"}
# What capitals and small letters differ in.
_CASE_BIT = np.uint8(5)
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

    Texts are put in their case all together, but for those with letters and places that need care.
    """
    if style in IDENTIFIER_STYLES:
        return identifiers(values, style, keep)  # type: ignore[arg-type]
    packed = unpack(values)
    careful = np.zeros(len(values), np.bool_)
    change = raising(language) if style == "upper" else lowering(language)
    if not keep and style in ("lower", "upper"):
        data = _in_capitals(packed.data) if style == "upper" else lowered(packed.data)
        careful = has_pattern(values, _ASCII_WITH_CARE[language]) if language in ("tr", "az") else careful
        made = pack(packed._replace(data=data), values)
        return put_where(made, careful | beyond_ascii(values), values, lambda some: together(some, change))
    if language in ("tr", "az") and style != "name":
        return _recased_by_stand_ins(values, style, keep, small, language)
    if pattern := (_CAPITALS_WITH_CARE if style == "upper" else _WITH_CARE).get(language):
        careful = has_pattern(values, pattern)
    if style == "name":
        careful |= has_pattern(values, SPECIAL)
    made = pack(_cased_together(packed, style, keep, small, careful), values)
    low = frozenset(word.lower() for word in small)
    if style == "name":
        return put_where(made, careful, values, lambda some: _write_names(some, low, frozenset(keep), change))
    return each_where(made, careful, values, text_recaser(style, frozenset(keep), low, language))


def _write_names(
    values: pa.Array, small: Collection[str], keep: Collection[str], lower: Callable[[str], str]
) -> pa.Array:
    """Texts in the case of names, whatever words they have."""
    packed = unpack(values)
    characters = find_characters(packed)
    words = _mark_words(packed, characters.mark(is_letter(packed.data), _is_letter))
    bounds = np.flatnonzero(words.begins), np.flatnonzero(words.ends) + 1
    return pack(write_words(packed, *bounds, characters, small, keep, lower), values)


def _recased_by_stand_ins(
    values: pa.Array, style: Style, keep: Collection[str], small: Collection[str], language: Language
) -> pa.Array:
    """Texts in another case, with letters in the place of i and ı whose capitals are not those of others."""
    held_in = pack(put_stand_ins(unpack(values)), values)
    kept = [stand_in_letters(word) for word in keep]
    low = [stand_in_letters(word.lower()) for word in small]
    made = pack(take_stand_ins(unpack(recased(held_in, style, kept, low))), values)
    one = text_recaser(style, frozenset(keep), frozenset(word.lower() for word in small), language)
    return each_where(made, has_pattern(values, ANY_STAND_IN), values, one)


def _in_capitals(data: Bytes) -> Bytes:
    return data - (is_between(data, "a", "z").view(np.uint8) << _CASE_BIT)


def _cased_together(
    packed: Packed, style: Style, keep: Collection[str], small: Collection[str], careful: Mask
) -> Packed:
    """Texts in their case; those in which that would go wrong become careful ones."""
    data = packed.data
    cased = _in_capitals(data) if style == "upper" else lowered(data)
    characters = find_characters(packed)
    change = str.upper if style == "upper" else lower_alone
    is_wrong = characters.write(cased, change)
    # In names digits and marks part words.
    letter = is_letter(data)
    inside = letter if style == "name" else letter | is_between(data, "0", "9")
    inside = characters.mark(inside, _is_letter if style == "name" else _is_in_word)
    words = _mark_words(packed, inside)
    if style != "upper":
        careful[packed.texts_at(characters.starts[write_sigmas(cased, characters, *words)])] = True
    if small and is_wrong.any():
        # A small word might have such letters.
        letters = set("".join(small).lower())
        is_risky = is_wrong & characters.are(lambda character: letters.issuperset(character.lower()))
        careful[packed.texts_at(characters.starts[is_risky])] = True
    high = _find_high(packed, cased, characters, words, style, small)
    cased -= (high & letter).view(np.uint8) << _CASE_BIT
    is_high = high[characters.starts]
    is_wrong = is_wrong & ~is_high | characters.write(cased, title_alone, is_high)
    held = _find_held(packed, characters, words, style, keep)
    cased[held] = data[held]
    if not is_wrong.any():
        return packed._replace(data=cased)
    is_wrong &= ~mark(len(data), held)[characters.starts]
    made = [write(character) for write in (change, title_alone) for character in characters.distinct]
    which = characters.which + is_high * len(characters.distinct)
    return splice(
        packed._replace(data=cased),
        characters.starts[is_wrong],
        characters.stops[is_wrong],
        pa.array(made, TEXT),
        which[is_wrong],
    )


def _find_high(
    packed: Packed,
    cased: Bytes,
    characters: CharacterPlaces,
    words: WordPlaces,
    style: Style,
    small: Collection[str],
) -> Mask:
    """Which bytes are to be capitals, or begin one, where others are small, (bytes,)."""
    high = np.zeros(len(cased), np.bool_)
    if style == "sentence":
        starts = np.flatnonzero(words.begins)
        first = np.searchsorted(starts, packed.offsets)
        high[starts[first[:-1][first[:-1] < first[1:]]]] = True
    elif style in ("title", "name"):
        high = words.begins.copy()
        if small:
            spaces = characters.mark(_IS_ASCII_SPACE.take(packed.data), str.isspace)
            high[_find_small(packed, cased, words, small, spaces if style == "title" else None)] = False
        if style == "name":
            high[_find_second_capitals(cased, words)] = True
    return high


def _find_held(
    packed: Packed, characters: CharacterPlaces, words: WordPlaces, style: Style, keep: Collection[str]
) -> Offsets:
    """The bytes of words that stay as they are."""
    data = packed.data
    held = np.zeros(0, np.int64)
    if keep:
        kept = find_words(packed, [word for word in keep if _WORD.fullmatch(word)], *words)
        held = places_in(kept.starts, kept.stops)
    if style != "name":
        return held
    # A capital behind a small letter was put there on purpose: the word stays.
    low, capital = is_between(data, "a", "z"), is_between(data, "A", "Z")
    seams = np.flatnonzero(
        characters.mark(low, str.islower) & behind(characters.mark(capital, str.isupper), packed)
    )
    starts, stops = np.flatnonzero(words.begins), np.flatnonzero(words.ends) + 1
    mixed = np.searchsorted(starts, seams, "right") - 1
    # Some marks have a case, too.
    mixed = np.unique(mixed[(mixed >= 0) & (seams < stops.take(mixed, mode="clip"))])
    return np.concatenate([held, places_in(starts[mixed], stops[mixed])])


def _is_letter(character: str) -> bool:
    return character.isalnum() and not character.isdecimal()


def _is_in_word(character: str) -> bool:
    return character.isalnum() or _MARK.match(character) is not None


def _mark_words(packed: Packed, inside: Mask) -> WordPlaces:
    """WordPlaces of marked bytes; an apostrophe between two of them doesn't end a word."""
    inside = inside | mark_between(packed, inside, "'’")
    return WordPlaces(inside & ~before(inside, packed), inside & ~behind(inside, packed))


def _find_second_capitals(cased: Bytes, words: WordPlaces) -> Offsets:
    """Where a second capital stands, as in O'Brien: behind one of three letters and an apostrophe."""
    second = np.flatnonzero(words.begins[:-3] & (cased[1:-2] == ord("'")))
    has_one = np.isin(cased[second], _BEFORE_APOSTROPHE)
    # The word goes on for two letters at least.
    for place in range(3):
        has_one &= ~words.ends[second + place]
    return second[has_one] + len("o'")


def _find_small(
    packed: Packed, cased: Bytes, words: WordPlaces, small: Collection[str], spaces: Mask | None
) -> Offsets:
    """Where small words begin that don't stand at an end of their text, nor behind a colon where spaces are given."""
    sought = [word.lower() for word in small if _WORD.fullmatch(word.lower())]
    firsts = find_words(packed._replace(data=cased), sought, *words).starts
    starts = np.concatenate([[-1], np.flatnonzero(words.begins), [len(cased)]])
    place = np.searchsorted(starts, firsts)
    owner = packed.texts_at(firsts)
    is_inside = (starts[place - 1] >= packed.offsets[owner]) & (starts[place + 1] < packed.offsets[owner + 1])
    inside: Offsets = firsts[is_inside]
    if spaces is None or not len(inside):
        return inside
    # A colon and nothing but spaces before a word: the last byte that is no space before it.
    solid = np.flatnonzero(~spaces)
    last = solid[np.searchsorted(solid, inside) - 1]
    behind_colon = (packed.data[last] == ord(":")) & (last < inside - 1)
    behind_colon &= last >= packed.offsets[packed.texts_at(inside)]
    stays: Offsets = inside[~behind_colon]
    return stays


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


def text_recaser(
    style: Style,
    keep: frozenset[str] = frozenset(),
    small: frozenset[str] = frozenset(),
    language: Language | None = None,
) -> Callable[[str], str]:
    """How a text alone is put in a style that is none of identifiers: as `recased` does it, which is for many."""
    change = raising(language) if style == "upper" else lowering(language)
    if style == "name":
        return namer(small, keep, change)
    if not keep and style in ("lower", "upper"):
        return change
    # WordPlaces come again and again in different values: each is put in its case once.
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
        if style != "title" or not small or small.isdisjoint(map(change, _WORD.findall(text))):
            return _WORD.sub(lambda word: inside(word[0]), text)
        words = list(_WORD.finditer(text))
        edges = {words[0].start(), words[-1].start()}
        gaps = ((last.end(), word.start()) for last, word in itertools.pairwise(words))
        edges |= {start for end, start in gaps if _AFTER_COLON.search(text[end:start])}
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
