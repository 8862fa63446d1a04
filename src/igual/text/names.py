"""Names of people, firms and addresses in their usual case."""

from __future__ import annotations

import functools
import itertools
import re
from collections.abc import Callable, Collection
from typing import NamedTuple

# What follows Mac in names that have a capital there; other words that begin so (macaroni, macaw) are no names.
_AFTER_MAC = frozenset({
    "alister", "allan", "allister", "arthur", "askill", "aulay", "beth", "bride", "callum", "carthy", "cormack",
    "corquodale", "crimmon", "culloch", "dermott", "donald", "donell", "dougall", "duff", "eachern", "ewan", "fadyen",
    "farlane", "gillivray", "gowan", "gregor", "innes", "intosh", "intyre", "iver", "ivor", "kay", "kellar", "kendrick",
    "kenna", "kinlay", "kinnon", "lachlan", "laren", "laughlin", "lean", "leod", "mahon", "manus", "master", "michael",
    "millan", "nab", "namara", "neil", "neill", "nicol", "niven", "phail", "pherson", "quarrie", "queen", "rae",
    "taggart", "tavish", "vicar", "william",
})  # fmt: skip
_WRITTEN = {
    "jr": "Jr", "sr": "Sr", "phd": "PhD", "md": "MD", "esq": "Esq", "ltd": "Ltd", "llc": "LLC", "llp": "LLP",
    "inc": "Inc", "plc": "PLC", "gmbh": "GmbH", "ag": "AG", "kg": "KG", "sa": "SA", "bv": "BV", "nv": "NV", "oy": "Oy",
    "ab": "AB",
}  # fmt: skip
_FIRM_ENDINGS = frozenset({"ag", "kg", "sa", "bv", "nv", "oy", "ab"})
_ROMAN = re.compile(r"(?=[ivx])x{0,3}(ix|iv|v?i{0,3})")
# Texts in which a word may not simply get a capital (RE2 syntax).
SPECIAL = (
    rf"(?i)(?:^|[^a-z])(?:ma?c[a-z]|(?:po|{'|'.join(_WRITTEN)})(?:[^a-z]|$)|[ivx]+[^a-z]*$)"
    r"|\p{Nd}(?:[a-z]|[^\x00-\x7f])|[odl](?:’|'[^\x00-\x7f])"
)
_WORD = re.compile(r"[^\W\d_]+(?:['’][^\W\d_]+)*")


class WordPlace(NamedTuple):
    """What tells how a word is written, beside the word.

    Attributes:
        is_inside: Whether another stands before it.
        is_last: Whether none stands behind it.
        is_behind_digit: Whether it stands right behind a digit.
        is_before_box: Whether the next word is box.
    """

    is_inside: bool = True
    is_last: bool = False
    is_behind_digit: bool = False
    is_before_box: bool = False


def namer(small: frozenset[str], keep: frozenset[str], lower: Callable[[str], str]) -> Callable[[str], str]:
    """A function that writes a text in the case of names.

    Words in mixed case that look intended stay, and so do those to keep.
    """

    @functools.lru_cache(1 << 14)
    def written(word: str, place: WordPlace) -> str:
        return write_word(word, place, small, keep, lower)

    def one(text: str) -> str:
        words = list(_WORD.finditer(text))
        last = len(words) - 1
        parts, at = [], 0
        for number, word in enumerate(words):
            place = WordPlace(
                number > 0,
                number == last,
                text[max(word.start() - 1, 0) : word.start()].isdigit(),
                number < last and lower(words[number + 1][0]) == "box",
            )
            parts += [text[at : word.start()], written(word[0], place)]
            at = word.end()
        return "".join([*parts, text[at:]])

    return one


def write_word(
    word: str, place: WordPlace, small: Collection[str], keep: Collection[str], lower: Callable[[str], str]
) -> str:
    """Write one word of a name.

    Args:
        word: The word.
        place: Where it stands.
        small: Words that are low inside a name.
        keep: Words that stay as they are.
        lower: What makes a word low.

    Returns:
        The word in its case.
    """
    if word in keep or _looks_intended(word):
        return word
    low = lower(word)
    if low == "po" and place.is_before_box:
        return "PO"
    if place.is_behind_digit:  # the end of 3rd, 21st, 12b
        return low if len(word) > 1 else word.upper()
    return _one_word(low, place.is_inside, place.is_last, small)


def _looks_intended(word: str) -> bool:
    """A capital behind a small letter (McDonald, deVries, GmbH) was put there on purpose."""
    return any(one.islower() and next_.isupper() for one, next_ in itertools.pairwise(word))


def _one_word(word: str, is_inside: bool, last: bool, small: Collection[str]) -> str:
    if word in small and is_inside and not last:
        return word
    if is_inside and word in _WRITTEN and (last or word not in _FIRM_ENDINGS):
        return _WRITTEN[word]
    if is_inside and last and len(word) > 1 and _ROMAN.fullmatch(word):
        return word.upper()
    if re.match(r"[odl]['’]..", word):
        return word[0].upper() + word[1] + capital(word[2:])
    if word.startswith("mc") and len(word) > 3:
        return "Mc" + capital(word[2:])
    if word.startswith("mac") and word[3:] in _AFTER_MAC:
        return "Mac" + capital(word[3:])
    return capital(word)


def capital(word: str) -> str:
    """Write a word with a capital first."""
    return word[:1].title() + word[1:]
