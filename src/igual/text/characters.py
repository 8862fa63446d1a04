"""The characters a person can't see or can't tell apart: which they are, and how to draw them."""

from __future__ import annotations

import re
import unicodedata

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
_UNSEEN = "\t\u0000-\u001f\u007f-\u009f" + "".join(NAMED) + "\u2028\u2029"
# A letter of another script that stands beside a Latin one in a word, and looks as if it were one.
_STRANGER = f"(?<=[A-Za-z])[{''.join(LOOKS_LATIN)}]|[{''.join(LOOKS_LATIN)}](?=[A-Za-z])"
_TO_DRAW = re.compile(f"\r\n|[ {_UNSEEN}]|{_STRANGER}")
_ODD_TO_DRAW = re.compile(rf"\r\n|[{_UNSEEN}]|\A +| +\Z| {{2,}}|{_STRANGER}")


def _drawing(found: re.Match[str]) -> str:
    text = found[0]
    if text in LOOKS_LATIN:
        return f"⟨{unicodedata.name(text).split()[0].capitalize()} {text}⟩"
    if text == "\r\n":
        return "↵"
    if text[0] == SPACE:
        return "·" * len(text)
    if text in _DRAWN:
        return _DRAWN[text]
    return f"⟨{NAMED.get(text) or control_name(text)}⟩"


def control_name(character: str) -> str:
    """What to call a control character, such as 'control 0x00' for NUL."""
    return f"control 0x{ord(character):02x}"


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
    drawn = (_TO_DRAW if every_space else _ODD_TO_DRAW).sub(
        _drawing, text[: most - 1] if cut and most else text
    )
    return f"{drawn}…" if cut else drawn


def is_mark(character: str) -> bool:
    """Whether a character is a mark set on the letter before it (an accent, once decomposed)."""
    return unicodedata.category(character) == "Mn"
