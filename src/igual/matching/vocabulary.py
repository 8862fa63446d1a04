"""The small lists of words that matching knows: opposites, abbreviations, words that may be left out, numbers."""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping, Sequence, Sized
from dataclasses import dataclass, field
from functools import cached_property

import pyarrow as pa

from igual.column import TEXT
from igual.errors import RulebookError, spell_given
from igual.matching.keys import plain, words_key
from igual.text.mentions import DENYING_WORDS

# Each group holds words of which one thing can only be one.
OPPOSITES = (
    ("male", "female"), ("man", "woman"), ("men", "women"), ("boy", "girl"), ("mr", "mrs", "ms"),
    ("north", "south", "east", "west", "northeast", "northwest", "southeast", "southwest"),
    ("nord", "sud", "est", "ouest"), ("nord", "sud", "ost", "west"), ("nord", "sud", "est", "ovest"),
    ("norte", "sur", "este", "oeste"), ("norte", "sul", "leste", "oeste"), ("noord", "zuid", "oost", "west"),
    ("northern", "southern", "eastern", "western"), ("northbound", "southbound", "eastbound", "westbound"),
    ("left", "right"), ("upper", "lower", "middle"), ("up", "down"), ("inner", "outer"), ("in", "out"),
    ("internal", "external"), ("inbound", "outbound"), ("inside", "outside"), ("import", "export"),
    ("with", "without"), ("yes", "no"), ("true", "false"), ("on", "off"), ("open", "closed"), ("new", "old"),
    ("active", "inactive"), ("before", "after"), ("high", "low", "medium"), ("major", "minor"),
    ("large", "small"), ("public", "private"), ("positive", "negative"), ("minimum", "maximum"), ("hot", "cold"),
    ("day", "night"), ("am", "pm"), ("black", "white"), ("senior", "junior"), ("buyer", "seller"),
    ("employer", "employee"), ("indoor", "outdoor"), ("above", "below"), ("first", "second", "third", "last"),
    ("paid", "unpaid"), ("increase", "decrease"), ("include", "exclude"), ("hyper", "hypo"), ("inter", "intra"),
    ("under", "over"), ("less", "more"),
    ("mono", "di", "tri", "poly"), ("acute", "chronic"), ("alive", "dead"),
)  # fmt: skip
NEGATIONS = ("un", "non", "in", "dis", "anti", "im", "ir", "de")
# With one of these a word is another word, seldom by a slip.
PREFIXES = ("bi", "tri", "semi", "multi", "re", "pre", "post", "sub", "super", "over", "under", "mis")
_STATED = {
    "st": ("street", "saint"), "rd": ("road",), "ave": ("avenue",), "av": ("avenue",), "blvd": ("boulevard",),
    "sq": ("square",), "ln": ("lane",), "hwy": ("highway",), "pl": ("place",), "cres": ("crescent",),
    "dr": ("drive", "doctor"), "mt": ("mount", "mountain"), "ft": ("fort",), "pt": ("point", "port"),
    "hbr": ("harbour", "harbor"), "br": ("bridge",), "pk": ("park",), "gdns": ("gardens",), "bldg": ("building",),
    "co": ("company", "county"), "corp": ("corporation",), "ltd": ("limited",), "inc": ("incorporated",),
    "bros": ("brothers",), "assn": ("association",), "assoc": ("association", "associates"),
    "dept": ("department",), "intl": ("international",), "natl": ("national",), "univ": ("university",),
    "hosp": ("hospital",), "govt": ("government",), "mgmt": ("management",), "svc": ("service",),
    "n": ("north",), "s": ("south",), "e": ("east",), "w": ("west",), "&": ("and",), "ctr": ("center", "centre"),
    "lt": ("left",), "rt": ("right",),
    "jr": ("junior",), "sr": ("senior",), "approx": ("approximately",), "qty": ("quantity",), "var": ("variety",),
    "xmas": ("christmas",),
}  # fmt: skip
# Symbols of units (those of the SI, and others in use), and their names.
UNITS = (
    (("mm",), ("millimetre", "millimeter")), (("cm",), ("centimetre", "centimeter")), (("m",), ("metre", "meter")),
    (("km",), ("kilometre", "kilometer")), (("mcg", "μg", "ug"), ("microgram", "microgramme")),
    (("mg",), ("milligram", "milligramme")), (("g",), ("gram", "gramme")), (("kg",), ("kilogram", "kilogramme")),
    (("ml",), ("millilitre", "milliliter")), (("cl",), ("centilitre", "centiliter")),
    (("dl",), ("decilitre", "deciliter")), (("l",), ("litre", "liter")), (("ha",), ("hectare",)),
    (("oz",), ("ounce",)), (("lb",), ("pound",)), (("yd",), ("yard",)), (("kw",), ("kilowatt",)),
    (("mw",), ("megawatt",)), (("kb",), ("kilobyte",)), (("mb",), ("megabyte",)), (("gb",), ("gigabyte",)),
    (("tb",), ("terabyte",)), (("hr",), ("hour",)), (("min",), ("minute",)),
)  # fmt: skip
_PLURALS = ("", "s")
UNIT_OF = {
    word + plural: symbols[0]
    for symbols, names in UNITS
    for word in (*symbols, *names)
    for plural in _PLURALS
}
# The names of months and days of the week, and what is short for each.
MONTHS = (
    ("january", "jan"), ("february", "feb"), ("march", "mar"), ("april", "apr"), ("may",), ("june", "jun"),
    ("july", "jul"), ("august", "aug"), ("september", "sep", "sept"), ("october", "oct"),
    ("november", "nov"), ("december", "dec"),
)  # fmt: skip
WEEKDAYS = (
    ("monday", "mon"), ("tuesday", "tue", "tues"), ("wednesday", "wed"), ("thursday", "thu", "thur", "thurs"),
    ("friday", "fri"), ("saturday", "sat"), ("sunday", "sun"),
)  # fmt: skip
MONTH_OF, WEEKDAY_OF = ({word: names[0] for names in kind for word in names} for kind in (MONTHS, WEEKDAYS))
ABBREVIATIONS = {
    **_STATED,
    **{short: (names[0],) for names in (*MONTHS, *WEEKDAYS) for short in names[1:]},
    # A single letter may be short for much else.
    **{
        symbol + ending: tuple(name + plural for name in names for plural in _PLURALS)
        for symbols, names in UNITS
        for symbol in symbols
        for ending in _PLURALS
        if len(symbol) > 1
    },
}
SMALL_WORDS = (
    "the", "a", "an", "of", "and", "&", "inc", "incorporated", "ltd", "limited", "llc", "plc", "corp", "corporation",
    "co", "company", "gmbh", "ag", "sa", "kg", "g", "cm", "mm", "m", "km", "ml", "l", "pcs", "pc",
)  # fmt: skip
# Between the words of names: initials may leave them out, as the small words, and they are short for nothing.
CONNECTING = (
    "&", "at", "by", "for", "from", "in", "on", "or", "to", "with", "da", "das", "de", "del", "della", "den", "der",
    "des", "di", "die", "do", "dos", "du", "e", "el", "en", "et", "fur", "im", "la", "las", "le", "les", "los", "und",
    "van", "von", "y", "zu", "zum", "zur",
)  # fmt: skip
# With another of these it is another thing: theft from a vehicle, theft of one.
PREPOSITIONS = ("at", "by", "for", "from", "in", "into", "of", "off", "on", "onto", "to", "with", "against")
# Words that free texts are full of, and by which alone no entry is meant.
FILLERS = frozenset((*SMALL_WORDS, *CONNECTING, *PREPOSITIONS, *DENYING_WORDS))
NUMBERS = {
    word: str(number)
    for number, word in enumerate(
        "zero one two three four five six seven eight nine ten eleven twelve".split()  # noqa: SIM905
    )
}
# Up to 39; it may be empty.
ROMAN_NUMERAL = "x{0,3}(?:ix|iv|v?i{0,3})"
_ROMAN = re.compile(f"(?=..|[iv]){ROMAN_NUMERAL}")


@dataclass(frozen=True)
class Vocabulary:
    """Words that matching treats in a way of their own, each in lower case without accents.

    Attributes:
        opposites: Groups of words that exclude each other; texts that differ in them are never settled.
        abbreviations: A short form and the words it may stand for.
        small_words: Words that may be missing or extra and mean nothing by it.
    """

    opposites: Sequence[Sequence[str]] = OPPOSITES
    abbreviations: Mapping[str, Sequence[str]] = field(default_factory=lambda: dict(ABBREVIATIONS))
    small_words: Sequence[str] = SMALL_WORDS

    @classmethod
    def extended(
        cls,
        opposites: Iterable[Sequence[str]] = (),
        abbreviations: Mapping[str, Sequence[str] | str] | None = None,
        small_words: Iterable[str] = (),
    ) -> Vocabulary:
        """The words that come with Igual, and more."""
        RulebookError.refuse_other(
            Mapping, "a mapping of short forms to words", abbreviations=abbreviations or {}
        )
        for name, given in (("opposites", opposites), ("small_words", small_words)):
            if isinstance(given, str | Mapping) or not isinstance(given, Iterable):
                raise RulebookError(f"{name!r} takes a list; found {spell_given(given)}")
        opposites = tuple(opposites)
        if any(
            isinstance(group, str) or not isinstance(group, Sized) or len(group) < 2 for group in opposites
        ):
            raise RulebookError("opposites: give groups of two or more words that exclude each other")
        stated = {}
        for short, long in (abbreviations or {}).items():
            RulebookError.refuse_other((str, Sequence), "a word, or several", abbreviations=long)
            stated[one_word(short)] = [one_word(word) for word in ([long] if isinstance(long, str) else long)]
        return cls(
            (*OPPOSITES, *(tuple(one_word(word) for word in group) for group in opposites)),
            {**ABBREVIATIONS, **stated},
            (*SMALL_WORDS, *(one_word(word) for word in small_words)),
        )

    @cached_property
    def groups_of(self) -> Mapping[str, frozenset[int]]:
        """The groups of opposites that a word belongs to."""
        groups: dict[str, set[int]] = {}
        for number, group in enumerate(self.opposites):
            for word in group:
                groups.setdefault(word, set()).add(number)
        return {word: frozenset(places) for word, places in groups.items()}


def one_word(text: str) -> str:
    """A word as matching compares it."""
    if not isinstance(text, str):
        raise RulebookError(f"{spell_given(text)} is not a word")
    word: str = words_key(plain(pa.array([text], TEXT)))[0].as_py()
    if not word or " " in word:
        raise RulebookError(f"{text!r} is not one word")
    return word


def is_roman(word: str) -> bool:
    """Whether a word is a roman numeral up to 39; of single letters only i and v, since x is often a cross.

    Example:
        >>> [is_roman(word) for word in ["iv", "x", "mix", "v", ""]]
        [True, False, False, True, False]
    """
    return bool(word) and _ROMAN.fullmatch(word) is not None
