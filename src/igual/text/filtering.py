"""Kinds of characters kept or dropped, and characters made plain: forms, quotes, dashes, wrong decoding."""

from __future__ import annotations

import re
from collections.abc import Iterable
from functools import partial
from typing import Literal

import pyarrow as pa
import pyarrow.compute as pc

from igual.column import TEXT
from igual.text.arrays import as_it_is, ascii_or, beyond_ascii, each_where, has_pattern, put_where, together
from igual.text.beyond import map_characters
from igual.text.characters import JOINERS, OTHER_INVISIBLE, ZERO_WIDTH, Form, normalize
from igual.text.packed import keep_bytes, pack, unpack

Kind = Literal["digits", "letters", "punctuation", "symbols", "marks", "spaces", "control", "invisible"]

_CLASSES: dict[str, str] = {
    "digits": r"\p{Nd}",
    "letters": r"\p{L}",
    "punctuation": r"\p{P}",
    "symbols": r"\p{S}",
    "marks": r"\p{M}",
    "spaces": r"\p{Z}\t",
    "control": r"\x00-\x08\x0a-\x1f\x7f-\x{9f}",
    "invisible": "".join([*ZERO_WIDTH, *JOINERS, *OTHER_INVISIBLE]),
}
_ASCII = 0x80
_STRAIGHT = {
    **dict.fromkeys("‘’‚‛′‹›", "'"),
    **dict.fromkeys("“”„‟″«»", '"'),
    **dict.fromkeys("‐‑‒–—―−", "-"),
}
# What UTF-8 looks like once its bytes were taken for those of a Western single-byte encoding.
MAYBE_MISREAD = (
    "[ÂÃÄÅÆÇÈÉÊËÌÍÎÏÐÑÒÓÔÕÖØÙÚÛÜÝàáâãäåæçèéêëìíîïðñòóôõö][\u0080-\u00bf€‚ƒ„…†‡ˆ‰Š‹ŒŽ‘’“”•–—˜™š›œžŸ]"
)


def filtered(values: pa.Array, keep: Iterable[Kind], drop: Iterable[Kind], stated: str) -> pa.Array:
    """Only the characters of the kinds to keep, or without those to drop; `stated` ones go with either."""
    kept, dropped = list(keep), list(drop)
    inside = "".join(_CLASSES[kind] for kind in kept or dropped) + re.escape(stated)
    pattern = f"[^{inside}]+" if kept else f"[{inside}]+"
    goes = has_pattern(pa.array([chr(byte) for byte in range(_ASCII)], TEXT), pattern)
    packed = unpack(values)
    stays = ~goes.take(packed.data, mode="clip")
    made = pack(keep_bytes(packed, stays), values)
    return put_where(
        made,
        beyond_ascii(values),
        values,
        lambda some: pc.replace_substring_regex(some, pattern=pattern, replacement=""),
    )


# A text may have been decoded wrongly more than once.
_MAX_MISREAD = 8


def in_form(values: pa.Array, form: Form) -> pa.Array:
    """Texts in a Unicode normalisation form (UAX #15)."""
    return ascii_or(values, as_it_is, lambda some: together(some, partial(normalize, form)))


def straightened(values: pa.Array) -> pa.Array:
    """Curled quotes and the many dashes as the plain ones of a keyboard."""
    return pack(map_characters(unpack(values), lambda sign: _STRAIGHT.get(sign, sign)), values)


def repaired(values: pa.Array) -> pa.Array:
    """Texts that were decoded wrongly as they were meant, where it can be proved; see `reread`."""
    return each_where(values, has_pattern(values, MAYBE_MISREAD), values, _repair)


def _repair(text: str) -> str:
    """A text as it was meant, however often it was decoded wrongly."""
    for _ in range(_MAX_MISREAD):
        repaired = reread(text)
        if repaired is None or repaired == text:
            return text
        text = repaired
    return text


def reread(text: str) -> str | None:
    """The text as it was before its UTF-8 bytes were read as Windows-1252 or Latin-1; None: it wasn't so.

    Example:
        >>> reread("MÃ¼hlweg")
        'Mühlweg'
    """
    for encoding in ("cp1252", "latin-1"):
        try:
            read = text.encode(encoding).decode("utf-8")
        except UnicodeError:
            continue
        if read != text and _is_plausible(read):
            return read
    return None


def _is_plausible(read: str) -> bool:
    """Whether a text reread is one that people write: one lone letter of a far script among Latin isn't."""
    beyond = [c for c in read if not c.isascii()]
    far = [c for c in beyond if c > "\u024f" and not "\u2000" <= c <= "\u20cf"]
    return not far or len(far) >= 3
