"""Short words in capitals: with another letter they are another abbreviation, not a slip (`HDL`, `LDL`)."""

from __future__ import annotations

import re

import pyarrow as pa
import pyarrow.compute as pc

from igual.column import Mask, to_mask
from igual.matching.reasons import Reason

_SHORTEST, _LONGEST = 2, 5
_WORD = re.compile(r"[^\W\d_]+")
# All capitals of Unicode would take longer to compile than a value takes to match.
_SIGN = "[A-ZÀ-ÖØ-ÞΑ-ΩА-Я]{2}"


def mark_acronyms(texts: pa.Array) -> Mask:
    """Mark texts that may have acronyms, (texts,)."""
    return to_mask(pc.match_substring_regex(texts, pattern=_SIGN))


def find_lost_acronyms(value: str, entry: str) -> list[Reason]:
    """Find acronyms that only one of two texts has.

    Args:
        value: A value as it is written.
        entry: An entry.

    Returns:
        One reason that names them; none where there are none.

    Example:
        >>> find_lost_acronyms("HDL cholesterol", "LDL Cholesterol")
        [Reason(kind='words may matter', parts=('HDL', 'LDL'))]
    """
    lost = tuple(dict.fromkeys([*_find_only_in(value, entry), *_find_only_in(entry, value)]))
    return [Reason("words may matter", lost)] if lost else []


def _find_only_in(one: str, other: str) -> list[str]:
    # A text that is all in capitals tells nothing.
    if one.isupper():
        return []
    words = {word.lower() for word in _WORD.findall(other)}
    found = (word for word in _WORD.findall(one) if word.isupper() and _SHORTEST <= len(word) <= _LONGEST)
    return [word for word in found if word.lower() not in words]
