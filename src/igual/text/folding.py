"""Keys under which texts are compared: with case, accents, spacing or punctuation set aside."""

from __future__ import annotations

import re
import unicodedata
from functools import cache, partial

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from igual.column import Mask, to_mask
from igual.pieces import change_pieces
from igual.text.arrays import (
    ascii_or,
    beyond_ascii,
    each,
    each_where,
    has_pattern,
    put_where,
    together,
)
from igual.text.beyond import find_characters, map_characters
from igual.text.characters import JOINERS, LINE_BREAKS, NAMED, ODD_SPACES, is_accent, normalize
from igual.text.packed import (
    ByteKinds,
    Offsets,
    Packed,
    Runs,
    is_between,
    keep_bytes,
    mark,
    pack,
    places_in,
    unpack,
)


def _mark_ascii(pattern: str) -> Mask:
    """Which bytes are such characters, (256,)."""
    is_such = [re.match(pattern, chr(byte), re.ASCII) is not None for byte in range(256)]
    return np.array(is_such)


# Letters with an accent, stroke or ligature that Unicode doesn't decompose.
_UNDECOMPOSED = {
    "ø": "o", "Ø": "O", "ł": "l", "Ł": "L", "đ": "d", "Đ": "D", "ð": "d", "Ð": "D", "ħ": "h", "Ħ": "H",
    "ı": "i", "ŧ": "t", "Ŧ": "T", "æ": "ae", "Æ": "AE", "œ": "oe", "Œ": "OE", "ß": "ss", "ẞ": "SS",
    "þ": "th", "Þ": "Th",
}  # fmt: skip
_decompose, _compose = (partial(normalize, form) for form in ("NFD", "NFC"))
# All but signs, and scripts in which no letter has others to grow together with, once marks are gone.
_NEEDS_NEIGHBOURS = (
    r"[^\x00-\x{08ff}\x{1e00}-\x{1fff}\x{2000}-\x{2bff}\x{3000}-\x{30ff}\x{3400}-\x{4dbf}\x{4e00}-\x{9fff}"
    r"\x{fe00}-\x{fe0f}\x{1f000}-\x{1faff}]"
)
_SPACES = " \t" + LINE_BREAKS + "".join(ODD_SPACES)
# Punctuation that says which thing is meant (C#, AT&T, 5 %) is never set aside.
_TELLING = "#%&@*†‡§"
_SPACE = 0x20
_MARKS = "!\"'(),-./:;?[\\]_`{}"
_ASCII_MARKS = np.array([chr(byte) in _MARKS for byte in range(256)])
_IS_MARK, _IS_ASIDE = ByteKinds(_ASCII_MARKS), ByteKinds(_ASCII_MARKS | (np.arange(256) <= _SPACE))
_IS_SPACING = ByteKinds(np.array([chr(byte) in _SPACES for byte in range(128)] + [False] * 128))
_IS_DIGIT = _mark_ascii(r"\d")
_IS_SPACE = _mark_ascii(r"[\t\n\f\r ]")
_MAY_BE_SPACE = _IS_SPACE | (np.arange(256) >= 0x80)
_NO_WORD, _NO_WORD_OR_SPACE = ByteKinds(~_mark_ascii(r"\w")), ByteKinds(~_mark_ascii(r"\w") & ~_IS_SPACE)
_CONTROL = ByteKinds(_mark_ascii(r"[\x00-\x1f\x7f]"))
_NOWHERE = np.zeros(0, np.int64)
# So many digits a value are few.
_SELDOM = 0.5
_ANY_SHOWN = f"[{re.escape(_SPACES + ''.join(NAMED))}]+"
_BETWEEN_DIGITS = re.compile(r"((?<=\d)[^\w]+(?=\d)|(?:(?<=\s)|^)[-−–‐‑‒—](?=\d))")
# Dashes that programs put in the place of a minus.
_DASH_BEFORE_DIGIT = r"(?:^|\s)[–‐‑‒—]\pN"
_AS_MINUS = dict.fromkeys(map(ord, "−–‐‑‒—"), "-")
_NO_SPACES = dict.fromkeys(map(ord, _SPACES))
# Half of a character, which no value holds: what pieces are joined by to be looked at in one go.
_JOINED = "\ud800"


def casefold(values: pa.Array) -> pa.Array:
    """Full Unicode case folding (Unicode Standard, 3.13, toCasefold)."""
    return ascii_or(values, pc.ascii_lower, lambda some: together(some, str.casefold))


def plain_letters(text: str) -> str:
    """A text without accents, in NFC; letters that don't decompose (ø, ł, æ, ß) by their plain form.

    Marks that carry the word stay: Japanese バ is not ハ, and vowel signs are vowels.

    Example:
        >>> plain_letters("Müller-Łódź")
        'Muller-Lodz'
    """
    return text if text.isascii() else _compose("".join(map(_bare, _decompose(text))))


def _bare(character: str) -> str:
    """What is left of a character that doesn't decompose."""
    return "" if is_accent(character) else _UNDECOMPOSED.get(character, character)


def without_accents(values: pa.Array) -> pa.Array:
    """Texts without accents."""
    packed = unpack(values)
    if packed.is_ascii:
        return values
    plain = pack(map_characters(packed, plain_letters), values)
    # Marks that stand alone, and letters that others grow together with, are looked at beside their neighbours.
    return put_where(plain, has_pattern(values, _NEEDS_NEIGHBOURS), values, _without_accents_together)


def _without_accents_together(values: pa.Array) -> pa.Array:
    decomposed = together(values, _decompose)
    return together(pack(map_characters(unpack(decomposed), _bare), decomposed), _compose)


def trimmed(values: pa.Array) -> pa.Array:
    """Without spaces of any kind at the ends."""
    return pc.utf8_trim(values, characters=_SPACES + "".join(NAMED))


def light_key(values: pa.Array) -> pa.Array:
    """Case, accents and outer spaces set aside: the key of near misses."""
    return casefold(without_accents(trimmed(values)))


def spacing_key(values: pa.Array) -> pa.Array:
    """All spaces, breaks and invisible characters set aside, and nothing else."""
    return change_pieces(values, _spacing_key)


def _spacing_key(values: pa.Array) -> pa.Array:
    packed = unpack(values)
    quick = pack(keep_bytes(packed, ~_IS_SPACING.mark(packed.data)), values)
    return put_where(
        quick,
        beyond_ascii(values),
        values,
        lambda some: pc.replace_substring_regex(some, pattern=_ANY_SHOWN, replacement=""),
    )


def punctuation_key(values: pa.Array) -> pa.Array:
    """Punctuation set aside, except for marks that tell things apart, and marks between digits."""
    return change_pieces(values, _punctuation_key)


def _punctuation_key(values: pa.Array) -> pa.Array:
    packed = unpack(values)
    quick, unsure = _set_aside_alone(values, packed, _IS_MARK)
    return _set_aside_together(quick, values, packed, _NO_WORD_OR_SPACE, unsure, spaces=True)


def folded_key(values: pa.Array) -> pa.Array:
    """Case, accents, spacing and punctuation set aside: the key of `by = "folded"`.

    What stands between two digits is kept (`1.5`, `1-5` and `15` differ), and so is a minus before a number. A text
    of nothing but punctuation keeps it. Missing stays missing.

    Example:
        >>> folded_key(pa.array([" NORWAY-MAPLE.", "O'Brien", "Pier 1-2", "Pier 12", "?"])).to_pylist()
        ['norwaymaple', 'obrien', 'pier1-2', 'pier12', '?']
    """
    return change_pieces(values, _folded_key)


def _folded_key(values: pa.Array) -> pa.Array:
    lowered = casefold(without_accents(values))
    packed = unpack(lowered)
    quick, unsure = _set_aside_alone(lowered, packed, _IS_ASIDE)
    key = _set_aside_together(quick, lowered, packed, _NO_WORD, unsure, spaces=False)
    return put_where(key, to_mask(pc.equal(key, "")), lowered, lambda some: each(some, str.strip))


def _set_aside_alone(values: pa.Array, packed: Packed, aside: ByteKinds) -> tuple[pa.Array, Mask]:
    """Texts without some characters, whatever stands beside these.

    Args:
        values: The texts, (values,).
        packed: Their bytes.
        aside: The ASCII characters that are set aside; of others, all but letters, digits and symbols.

    Returns:
        The texts, (values,); and those for which that may be wrong, (values,).
    """
    quick = keep_bytes(packed, ~aside.mark(packed.data))
    if packed.is_ascii:
        return pack(quick, values), np.zeros(len(values), np.bool_)
    kept = _kept(spaces=aside is _IS_MARK)
    characters = find_characters(packed)
    digits = characters.starts[characters.are(str.isdecimal)]
    unsure = mark(len(values), packed.texts_at(digits))
    unsure |= beyond_ascii(values) & (_has_control(packed) | has_pattern(values, _DASH_BEFORE_DIGIT))
    quick = map_characters(quick, lambda character: character.translate(kept))
    return pack(quick, values), unsure


def _has_control(packed: Packed) -> Mask:
    """Which texts have control characters."""
    return mark(len(packed.offsets) - 1, packed.texts_at(np.flatnonzero(_CONTROL.mark(packed.data))))


def _set_aside_together(
    quick: pa.Array, values: pa.Array, packed: Packed, others: ByteKinds, unsure: Mask, *, spaces: bool
) -> pa.Array:
    """Texts with what numbers need, be it set aside elsewhere.

    Args:
        quick: The texts without it, (values,).
        values: The texts, (values,).
        packed: Their bytes.
        others: The bytes that may stand between two digits.
        unsure: The texts for which `quick` may be wrong, (values,).
        spaces: Whether spaces are kept.
    """
    has_such = _has_before_digits(values, packed, others)
    if spaces and not packed.is_ascii:
        # Between two digits there may be a space beyond ASCII.
        has_such |= beyond_ascii(values) & _has_before_digits(values, packed, _NO_WORD)
    if has_such.any():
        slow = unsure | (has_such & (beyond_ascii(values) | _has_control(packed)))
        aside = _IS_MARK if spaces else _IS_ASIDE
        quick = put_where(quick, has_such & ~slow, values, lambda some: _keep_between_digits(some, aside))
        unsure = slow
    return each_where(quick, unsure, values, lambda text: _set_aside(text, spaces=spaces))


def _keep_between_digits(values: pa.Array, aside: ByteKinds) -> pa.Array:
    """Set bytes of ASCII texts aside, but keep marks between two digits, or one space, and minuses before numbers."""
    packed = unpack(values)
    runs, minuses = _find_before_digits(packed, _NO_WORD)
    keep = ~aside.mark(packed.data)
    inside = places_in(*runs)
    is_mark = packed.data[inside] != _SPACE
    keep[inside] = is_mark
    if len(inside):
        lengths = runs.stops - runs.starts
        has_marks = np.logical_or.reduceat(is_mark, np.cumsum(lengths) - lengths)
        keep[runs.starts[~has_marks]] = True
    keep[minuses] = True
    return pack(keep_bytes(packed, keep), values)


def _has_before_digits(values: pa.Array, packed: Packed, others: ByteKinds) -> Mask:
    """Which values have nothing but some bytes between two digits, or a minus before one where a word begins.

    Args:
        values: The values, (values,).
        packed: Their bytes.
        others: The bytes that may stand between two digits, none of which is a digit.
    """
    is_digit = is_between(packed.data, "0", "9")
    owners = np.arange(len(values))
    if np.count_nonzero(is_digit) <= _SELDOM * len(values):
        owners = np.unique(packed.texts_at(np.flatnonzero(is_digit)))
        packed = unpack(values.take(pa.array(owners)))
    runs, minuses = _find_before_digits(packed, others)
    return mark(len(values), owners[packed.texts_at(np.concatenate([runs.stops, minuses]))])


def _find_before_digits(packed: Packed, others: ByteKinds) -> tuple[Runs, Offsets]:
    """Find what numbers need beside digits.

    Args:
        packed: The texts.
        others: The bytes that may stand between two digits, none of which is a digit.

    Returns:
        Runs of such bytes between two digits of a text; and places of minuses before digits where a word begins.
    """
    data = packed.data
    if not len(data):
        return Runs(_NOWHERE, _NOWHERE), _NOWHERE
    is_other = others.mark(data)
    # Runs of such bytes and of the rest take turns.
    turns = np.flatnonzero(is_other[1:] != is_other[:-1]) + 1
    first = int(is_other[0])
    stops = turns[first + 1 :: 2]
    starts = turns[first::2][: len(stops)]
    is_such = _IS_DIGIT.take(data.take(starts - 1)) & _IS_DIGIT.take(data.take(stops))
    starts, stops = starts[is_such], stops[is_such]
    is_inside = packed.offsets[packed.texts_at(stops)] < starts
    minuses = turns[1 - first :: 2] - 1
    minuses = minuses[data.take(minuses) == ord("-")]
    minuses = minuses[_IS_DIGIT[data[minuses + 1]]]
    begins = packed.offsets[packed.texts_at(minuses + 1)]
    # The space before may be one beyond ASCII.
    is_first = (begins == minuses) | ((begins < minuses) & _MAY_BE_SPACE[data[minuses - 1]])
    return Runs(starts[is_inside], stops[is_inside]), minuses[is_first]


class _Kept(dict[int, int | None]):
    """For `str.translate`: characters kept or set aside, looked at when they come up first."""

    def __init__(self, always: str) -> None:
        super().__init__({code: code for code in map(ord, always)})

    def __missing__(self, code: int) -> int | None:
        character = chr(code)
        aside = unicodedata.category(character)[0] in "PZC" or character in "`´\t" or character in JOINERS
        kept = None if aside else code
        self[code] = kept
        return kept


@cache
def _kept(*, spaces: bool) -> _Kept:
    return _Kept(_TELLING + _JOINED + (_SPACES if spaces else ""))


def _set_aside(text: str, *, spaces: bool) -> str:
    """A text without punctuation (and without spaces, unless `spaces`), except for what numbers need."""
    kept = _kept(spaces=spaces)
    pieces = _BETWEEN_DIGITS.split(text)
    if len(pieces) == 1:
        return text.translate(kept)
    outside = _JOINED.join(pieces[::2]).translate(kept).split(_JOINED)
    between = _JOINED.join(pieces[1::2]).translate(_NO_SPACES).split(_JOINED)
    pieces[::2] = outside
    pieces[1::2] = [marks.translate(_AS_MINUS) or " " for marks in between]
    return "".join(pieces)
