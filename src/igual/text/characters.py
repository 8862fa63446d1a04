"""The characters a person can't see or can't tell apart: which they are, and how to draw them."""

from __future__ import annotations

import re
import unicodedata
from functools import cache
from typing import Literal

Form = Literal["NFC", "NFD", "NFKC", "NFKD"]
# Text streams are safe with up to 30 marks in a row (UAX #15, 13.1); so many are sorted apart.
_MAX_MARKS = 64
SPACE = " "
TAB = "\t"
LINE_BREAKS = "\n\r\v\f\x85\u2028\u2029"
ODD_SPACES = {
    "\u00a0": "no-break space",
    "\u1680": "ogham space",
    "\u2000": "en quad",
    "\u2001": "em quad",
    "\u2002": "en space",
    "\u2003": "em space",
    "\u2004": "third-of-an-em space",
    "\u2005": "quarter-of-an-em space",
    "\u2006": "sixth-of-an-em space",
    "\u2007": "figure space",
    "\u2008": "punctuation space",
    "\u2009": "thin space",
    "\u200a": "hair space",
    "\u202f": "narrow no-break space",
    "\u205f": "mathematical space",
    "\u3000": "full-width space",
}
ZERO_WIDTH = {
    "\u200b": "zero-width space",
    "\u2060": "word joiner",
    "\ufeff": "zero-width no-break space",
}
# These two join or part the letters of scripts that write in connected forms, and emoji: they may be meant.
JOINERS = {"\u200c": "zero-width non-joiner", "\u200d": "zero-width joiner"}
OTHER_INVISIBLE = {
    "\u00ad": "soft hyphen",
    "\u061c": "right-to-left mark (Arabic)",
    "\u180e": "vowel separator",
    "\u200e": "left-to-right mark",
    "\u200f": "right-to-left mark",
    "\u202a": "left-to-right embedding",
    "\u202b": "right-to-left embedding",
    "\u202c": "end of direction",
    "\u202d": "left-to-right override",
    "\u202e": "right-to-left override",
    "\u2066": "left-to-right isolate",
    "\u2067": "right-to-left isolate",
    "\u2068": "first-strong isolate",
    "\u2069": "end of isolate",
}
# What renders as nothing although it stands for a letter, an operator, a variant, a tag or a note: what Unicode calls
# default-ignorable (DerivedCoreProperties.txt), and characters that only say how others are laid out.
UNRENDERED = (
    "\u034f\u115f\u1160\u17b4\u17b5\u180b-\u180d\u180f\u2061-\u2065\u206a-\u206f\u2800\u3164\uffa0\ufff0-\ufffb\ufe00-\ufe0f"
    "\U00013430-\U0001345f"
    "\U0001bca0-\U0001bca3\U0001d173-\U0001d17a\U000e0000-\U000e0fff\ud800-\udfff"
)
NAMED = {**ODD_SPACES, **ZERO_WIDTH, **JOINERS, **OTHER_INVISIBLE}

# Letters that look like a Latin one but belong to another script.
LOOKS_LATIN = dict(
    zip(
        "АВЕЅІЈКМНОРСТУХаеѕіјорсухԁһԛԝ" + "ΑΒΕΖΗΙΚΜΝΟΡΤΥΧονρ",
        "ABESIJKMHOPCTYXaesijopcyxdhqw" + "ABEZHIKMNOPTYXovp",
        strict=True,
    )
)

_DRAWN = {TAB: "→", "\n": "↵", "\r": "↵", "\u2028": "↵", "\u2029": "↵", "\x85": "↵"}
_UNSEEN = "\t\u0000-\u001f\u007f-\u009f" + "".join(NAMED) + "\u2028\u2029" + UNRENDERED
_ANY_UNSEEN = re.compile(f"\r\n|[{_UNSEEN}]")
# A letter of another script that stands beside a Latin one in a word, and looks as if it were one.
_STRANGER = f"(?<=[A-Za-z])[{''.join(LOOKS_LATIN)}]|[{''.join(LOOKS_LATIN)}](?=[A-Za-z])"
_TO_DRAW = re.compile(f"\r\n|[ {_UNSEEN}]|{_STRANGER}")
_ODD_TO_DRAW = re.compile(rf"\r\n|[{_UNSEEN}]|\A +| +\Z| {{2,}}|{_STRANGER}")


def _drawing(match: re.Match[str]) -> str:
    text = match[0]
    if text in LOOKS_LATIN:
        return f"⟨{unicodedata.name(text).split()[0].capitalize()} {text}⟩"
    if text == "\r\n":
        return "↵"
    if text[0] == SPACE:
        return "·" * len(text)
    if text in _DRAWN:
        return _DRAWN[text]
    return f"⟨{NAMED.get(text) or character_name(text)}⟩"


def character_name(character: str) -> str:
    r"""What to call a character that can't be seen, such as 'control 0x00' for NUL.

    Example:
        >>> character_name("\u2062"), character_name("\udc80"), character_name("\u2065")
        ('invisible times', 'lone surrogate 0xdc80', 'unassigned 0x2065')
    """
    if "\ud800" <= character <= "\udfff":
        return f"lone surrogate 0x{ord(character):04x}"
    name = unicodedata.name(character, "")
    kind = "control" if unicodedata.category(character) == "Cc" else "unassigned"
    return name.lower() if name else f"{kind} 0x{ord(character):02x}"


def printable(text: str) -> str:
    r"""A text that is safe to show: one line, with everything that can't be seen drawn or named.

    Every text from outside goes through this, or through `visible`, before it is shown anywhere: a terminal obeys
    escape sequences, and marks of direction paint over what stands beside them.

    Example:
        >>> printable("trees\x1b[2J.csv")
        'trees⟨control 0x1b⟩[2J.csv'
    """
    return _ANY_UNSEEN.sub(_drawing, text)


def escape_unseen(json_text: str) -> str:
    r"""JSON with everything that can't be seen as an escape; JSON's own line breaks and spaces stay.

    Example:
        >>> escape_unseen('"\x9b"')
        '"\\u009b"'
    """
    return _ANY_UNSEEN.sub(_json_escape, json_text)


def _json_escape(match: re.Match[str]) -> str:
    text = match[0]
    if text in "\n\r\n":
        return text
    units = text.encode("utf-16-be", "surrogatepass")
    return "".join(f"\\u{units[at]:02x}{units[at + 1]:02x}" for at in range(0, len(units), 2))


def visible(text: str | None, most: int | None = None, *, every_space: bool = True) -> str:
    """A text with everything invisible drawn or named, and cut to `most` characters.

    A space is drawn as `·`, a tab `→`, a line break `↵`; no-break spaces, zero-width and control characters are
    named in ⟨⟩, and so are letters of another script that look like the Latin ones beside them. Missing (None)
    becomes ⟨missing⟩, an empty text ⟨empty⟩. every_space: also draw single spaces between words; otherwise only
    those at ends and in runs.

    Example:
        >>> visible(" Norway maple ")
        '·Norway·maple⟨no-break space⟩'
        >>> visible(" Norway maple", every_space=False)
        '·Norway maple'
    """
    if text is None:
        return "⟨missing⟩"
    if not text:
        return "⟨empty⟩"
    cut = most is not None and len(text) > most
    shown = text[: most - 1] if cut and most else text
    # A single space where a text is cut stands between words.
    gap = " " if cut and not every_space and re.fullmatch(r".*\S \S", text[:most], re.DOTALL) else ""
    drawn = (_TO_DRAW if every_space else _ODD_TO_DRAW).sub(
        _drawing, shown.removesuffix(gap) if gap else shown
    )
    return f"{drawn}{gap}…" if cut else drawn


def normalize(form: Form, text: str) -> str:
    """Bring a text into a Unicode normalisation form (UAX #15), in time that grows with its length alone.

    Python puts marks in their order by insertion, which takes hours for a letter with very many of them: long runs are
    sorted first.

    Example:
        >>> normalize("NFC", "e" + "\u0301")
        'é'
    """
    any_mark, many_marks = _find_many_marks()
    # A run as long as that has one of the characters that many apart.
    if any_mark.search(text[::_MAX_MARKS]):
        text = many_marks.sub(_order_marks, text)
    return unicodedata.normalize(form, text)


@cache
def _find_many_marks() -> tuple[re.Pattern[str], re.Pattern[str]]:
    """A mark of those that canonical ordering moves, and runs of more of them than any text has."""
    moved = "".join(chr(code) for code in range(0x300, 0x1F000) if unicodedata.combining(chr(code)))
    one = f"[{re.escape(moved)}]"
    # The one before the repetition lets `re` skip what is no mark.
    return re.compile(one), re.compile(f"{one}{one}{{{_MAX_MARKS - 1},}}")


def _order_marks(run: re.Match[str]) -> str:
    decomposed = "".join(unicodedata.normalize("NFD", mark) for mark in run[0])
    return "".join(sorted(decomposed, key=unicodedata.combining))


# Marks that may be left out, as accents and points may: of no script, Greek and Cyrillic, Hebrew, Arabic, Syriac.
_ACCENT_BLOCKS = (
    (0x0300, 0x036F), (0x0483, 0x0489), (0x0591, 0x05C7), (0x0610, 0x061A), (0x064B, 0x065F), (0x0670, 0x0670),
    (0x06D6, 0x06ED), (0x0711, 0x0711), (0x0730, 0x074A), (0x1AB0, 0x1AFF), (0x1DC0, 0x1DFF), (0x20D0, 0x20FF),
    (0xFE00, 0xFE0F), (0xFE20, 0xFE2F), (0xE0100, 0xE01EF),
)  # fmt: skip


def is_accent(character: str) -> bool:
    """Whether a character is a mark, set on the letter before it, that leaves the word the same (an accent)."""
    if unicodedata.category(character) != "Mn":
        return False
    return any(first <= ord(character) <= last for first, last in _ACCENT_BLOCKS)


def is_letter_mark(character: str) -> bool:
    """Whether a character is a mark that carries the word: a vowel sign, a tone, or what makes か of が."""
    return unicodedata.category(character) in ("Mn", "Mc") and not is_accent(character)
