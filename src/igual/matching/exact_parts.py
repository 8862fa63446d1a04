"""What must agree to the last character for a match to be settled: quantities, and marks that carry the word."""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Iterable

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from igual.column import Mask, to_mask
from igual.matching.pairs import Ints
from igual.matching.reasons import Reason
from igual.matching.vocabulary import NUMBERS
from igual.text.characters import is_letter_mark

_NUMBER_WORDS = "|".join(sorted(NUMBERS))
_COMPARISONS = "<>≤≥≦≧≠±~≈"
_MINUSES = "-−–‐‑‒—﹣－"
_ANY_MINUS = re.compile(f"[{_MINUSES}]")
# Decimal marks stand between digits; a comma and a point say the same there.
_DECIMAL_MARKS = ".,·٫"
# A sign or a comparison counts before a number alone: elsewhere a dash or an arrow is punctuation.
_QUANTITY = re.compile(
    rf"""
    (?P<comparison>[{_COMPARISONS}]=?|=[<>]|\+/[{_MINUSES}])?\s*
    (?P<sign>(?<![^\s(\[{_COMPARISONS}=])[{_MINUSES}+])?
    (?P<number>\d+(?:[{_DECIMAL_MARKS}]\d+)*|(?<!\d)[{_DECIMAL_MARKS}]\d+)
    |(?P<word>\b(?:{_NUMBER_WORDS})\b)
    |(?P<other>[^\W\d_]|[^\w\s])
    """,
    re.VERBOSE | re.IGNORECASE,
)
_SAME_COMPARISON = {"<=": "≤", "=<": "≤", ">=": "≥", "=>": "≥", "≦": "≤", "≧": "≥", "~=": "≈"}
# Texts without any of these have no quantities and no such marks: numbers of all scripts, Han numerals, number words,
# and letters of scripts with marks, some of which are one character with the letter (Japanese, Indic, Thai, …).
_MAY_HAVE_ANY = (
    rf"(?i)\pN|\b(?:{_NUMBER_WORDS})\b"
    r"|[\x{0900}-\x{109f}\x{1700}-\x{17ff}\x{1900}-\x{1cff}\x{3040}-\x{30ff}\x{a800}-\x{abff}]"
    r"|[\x{3400}-\x{9fff}\x{f900}-\x{faff}\x{11000}-\x{11fff}]"
)


def may_have_exact_parts(texts: pa.Array) -> Mask:
    """Tell which texts may have quantities, or marks that carry the word.

    Args:
        texts: Texts as they are written, (texts,).

    Returns:
        False for those that certainly have none, (texts,).
    """
    return to_mask(pc.match_substring_regex(texts, _MAY_HAVE_ANY))


def list_quantities(text: str) -> tuple[str, ...]:
    """List the numbers of a text with their signs, decimals and comparisons, in order.

    Leading zeros of whole numbers, and whether a decimal mark is a point or a comma, make no difference.

    Args:
        text: A text as it is written.

    Returns:
        The quantities.

    Example:
        >>> list_quantities("<= 0,50 mg at −5 °C, pier three")
        ('≤0.50', '-5', '3')
        >>> list_quantities("第三中学"), list_quantities("1½ m²")
        (('3',), ('1', '0.5', '2'))
    """
    return tuple(quantity for found in _QUANTITY.finditer(text) for quantity in _read_quantity(found))


def _read_quantity(found: re.Match[str]) -> Iterable[str]:
    if word := found["word"]:
        yield NUMBERS[word.lower()]
    elif other := found["other"]:
        value = unicodedata.numeric(other, None)
        if value is not None:
            yield f"{value:g}"
    else:
        comparison, sign = (_ANY_MINUS.sub("-", found[part] or "") for part in ("comparison", "sign"))
        yield _SAME_COMPARISON.get(comparison, comparison) + sign + _read_number(found["number"])


def _read_number(written: str) -> str:
    digits = "".join(str(unicodedata.decimal(one)) if one.isdecimal() else "." for one in written)
    whole, point, decimals = digits.partition(".")
    return (whole.lstrip("0") or "0") + point + decimals


def list_letter_marks(text: str) -> tuple[str, ...]:
    """List the marks of each word that carry it, such as vowel signs, the words in no order that matters.

    Args:
        text: A text as it is written.

    Returns:
        The marks of each word that has any.

    Example:
        >>> list_letter_marks("バス") == list_letter_marks("パス"), list_letter_marks("Müller")
        (False, ())
    """
    if text.isascii():
        return ()
    words = unicodedata.normalize("NFD", text).split()
    marks = ("".join(filter(is_letter_mark, word)) for word in words)
    return tuple(sorted(some for some in marks if some))


def find_differing_parts(value: str, entry: str) -> list[Reason]:
    """Find quantities and marks in which two texts differ: no likeness, and no ruling on a kind, makes up for them.

    Args:
        value: A value as it is written.
        entry: A spelling of an entry.

    Returns:
        What differs; nothing where all agrees.

    Example:
        >>> find_differing_parts("0.5 mg", "0.05 mg")
        [Reason(kind='quantities differ', parts=('0.5', '0.05'))]
    """
    reasons = []
    quantities = list_quantities(value), list_quantities(entry)
    if quantities[0] != quantities[1]:
        reasons.append(Reason("quantities differ", tuple(map(" ".join, quantities))))
    marks = list_letter_marks(value), list_letter_marks(entry)
    if marks[0] != marks[1]:
        # A mark alone can't be read: the words are shown.
        reasons.append(Reason("marks differ", (value, entry)))
    return reasons


def number_by_exact_parts(texts: pa.Array) -> Ints:
    """Tell texts apart by their quantities and marks: texts in which these differ are never settled.

    Args:
        texts: Texts as they are written, (texts,).

    Returns:
        A number for each text, the same where all quantities and marks are the same, (texts,).
    """
    places = np.flatnonzero(may_have_exact_parts(texts))
    seen: dict[tuple[tuple[str, ...], ...], int] = {((), ()): 0}
    codes = np.zeros(len(texts), np.int64)
    parts = (
        (list_quantities(text), list_letter_marks(text)) for text in texts.take(pa.array(places)).to_pylist()
    )
    codes[places] = [seen.setdefault(part, len(seen)) for part in parts]
    return codes
