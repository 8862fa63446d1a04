"""Characters beyond ASCII in packed texts: each distinct one is asked once what it is, and what it becomes."""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple

import numpy as np
import pyarrow as pa

from igual.column import TEXT, Mask
from igual.text.packed import Bytes, Offsets, Packed, is_between, is_letter, splice

# What characters beyond ASCII begin with in UTF-8, and how many bytes they have at most.
_LEAD, _MOST = 0xC0, 4


class CharacterPlaces(NamedTuple):
    """Characters beyond ASCII, in order.

    Attributes:
        starts: Where each begins, (characters,).
        stops: Where it has ended, (characters,).
        which: Its position among the distinct ones, (characters,).
        distinct: The distinct ones.
    """

    starts: Offsets
    stops: Offsets
    which: Offsets
    distinct: tuple[str, ...]

    def are(self, test: Callable[[str], bool]) -> Mask:
        """Which characters pass a test, (characters,)."""
        passing = np.array([test(character) for character in self.distinct], np.bool_)
        return passing[self.which]

    def mark(self, marks: Mask, test: Callable[[str], bool]) -> Mask:
        """The same marks, with the bytes of characters that pass a test marked as well, (bytes,)."""
        good = self.are(test)
        if not good.any():
            return marks
        marks = marks.copy()
        starts, sizes = self.starts[good], (self.stops - self.starts)[good]
        for place in range(_MOST):
            marks[starts[sizes > place] + place] = True
        return marks

    def write(self, data: Bytes, change: Callable[[str], str], where: Mask | None = None) -> Mask:
        """Write into `data` what characters become; not where that has another number of bytes.

        Args:
            data: The bytes of the texts, which are changed in place.
            change: What becomes of a character.
            where: Which characters are meant, (characters,); None: all.

        Returns:
            Which of the characters that are meant become more or fewer bytes, (characters,).
        """
        made = [change(character).encode() for character in self.distinct]
        fits = np.array(
            [len(new) == len(old.encode()) for new, old in zip(made, self.distinct, strict=True)], np.bool_
        )
        is_meant = np.ones(len(self.which), np.bool_) if where is None else where
        room = b"".join(new.ljust(_MOST, b"\0")[:_MOST] for new in made)
        table = np.frombuffer(room, np.uint8).reshape(len(made), _MOST)
        good = fits[self.which] & is_meant
        starts, sizes, which = self.starts[good], (self.stops - self.starts)[good], self.which[good]
        for place in range(_MOST):
            longer = sizes > place
            data[starts[longer] + place] = table[which[longer], place]
        return is_meant & ~good


def find_characters(packed: Packed) -> CharacterPlaces:
    """Find the characters beyond ASCII."""
    starts = np.flatnonzero(packed.data >= _LEAD)
    padded = np.append(packed.data, np.zeros(_MOST, np.uint8))
    first, second, third, fourth = (padded[starts + place].astype(np.int64) for place in range(_MOST))
    sizes = 2 + (first >= 0xE0) + (first >= 0xF0)
    # The Unicode Standard, 3.9, table 3-6: what each byte tells of a character.
    codes = np.select(
        [sizes == 2, sizes == 3],
        [(first & 0x1F) << 6 | second & 0x3F, (first & 0x0F) << 12 | (second & 0x3F) << 6 | third & 0x3F],
        (first & 0x07) << 18 | (second & 0x3F) << 12 | (third & 0x3F) << 6 | fourth & 0x3F,
    )
    distinct = np.unique(codes)
    return CharacterPlaces(
        starts, starts + sizes, np.searchsorted(distinct, codes), tuple(map(chr, distinct.tolist()))
    )


def map_characters(packed: Packed, change: Callable[[str], str]) -> Packed:
    """Texts with each character beyond ASCII changed, whatever stands beside it."""
    characters = find_characters(packed)
    made = [change(character) for character in characters.distinct]
    moves = characters.are(lambda character: change(character) != character)
    texts = pa.array(made, TEXT)
    return splice(packed, characters.starts[moves], characters.stops[moves], texts, characters.which[moves])


def lower_alone(character: str) -> str:
    """A small letter, or, where that depends on what stands beside it, a text that doesn't fit in its place."""
    return "" if character == "Σ" else character.lower()


def mark_alnum(packed: Packed) -> Mask:
    """Which bytes are those of letters and digits, of any script."""
    marks = is_letter(packed.data) | is_between(packed.data, "0", "9")
    return marks if packed.is_ascii else find_characters(packed).mark(marks, str.isalnum)
