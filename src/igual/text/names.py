"""Names of people, firms and addresses in their usual case."""

from __future__ import annotations

import functools
import itertools
import re
from collections.abc import Callable, Collection

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
_AFTER_DIGIT = re.compile(r"\d[^\W\d_]")


def namer(small: frozenset[str], keep: frozenset[str], lower: Callable[[str], str]) -> Callable[[str], str]:
    """A function that writes a text in the case of names.

    Words in mixed case that look intended stay, and so do those to keep.
    """
    # What a word becomes depends on its place for a few words only; all others are put in their case once.
    placed = frozenset({*small, *_WRITTEN, "po"})

    @functools.lru_cache(1 << 14)
    def plain(word: str) -> str:
        return (
            word if word in keep or _looks_intended(word) else _one_word(lower(word), 1, False, frozenset())
        )

    def one(text: str) -> str:
        words = _WORD.findall(text)
        if not words or (
            not _AFTER_DIGIT.search(text)
            and placed.isdisjoint(map(str.lower, words))
            and not _ROMAN.fullmatch(words[-1].lower())
        ):
            return _WORD.sub(lambda word: plain(word[0]), text)
        return _named(text, small, keep, lower)

    return one


def _named(text: str, small: Collection[str], keep: Collection[str], lower: Callable[[str], str]) -> str:
    """The same word by word, for a text in which places matter."""
    words = list(_WORD.finditer(text))
    parts: list[str] = []
    at = 0
    for place, word in enumerate(words):
        parts.append(text[at : word.start()])
        at = word.end()
        last = place == len(words) - 1
        before = text[word.start() - 1 : word.start()]
        box = lower(word[0]) == "po" and not last and lower(words[place + 1][0]) == "box"
        if word[0] in keep or _looks_intended(word[0]):
            parts.append(word[0])
        elif box:
            parts.append("PO")
        elif before.isdigit():  # the end of 3rd, 21st, 12b
            parts.append(lower(word[0]) if len(word[0]) > 1 else word[0].upper())
        else:
            parts.append(_one_word(lower(word[0]), place, last, small))
    return "".join([*parts, text[at:]])


def _looks_intended(word: str) -> bool:
    """A capital behind a small letter (McDonald, deVries, GmbH) was put there on purpose."""
    return any(one.islower() and next_.isupper() for one, next_ in itertools.pairwise(word))


def _one_word(word: str, place: int, last: bool, small: Collection[str]) -> str:
    if word in small and place and not last:
        return word
    if place and word in _WRITTEN and (last or word not in _FIRM_ENDINGS):
        return _WRITTEN[word]
    if place and last and len(word) > 1 and _ROMAN.fullmatch(word):
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
