"""Characters beyond ASCII in packed texts: each distinct one is asked once what it is, and what it becomes."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import NamedTuple

import numpy as np
import pyarrow as pa

from igual.column import TEXT, Mask
from igual.text.packed import Bytes, Offsets, Packed, is_between, is_letter, splice

CAPITAL_SIGMA = "Σ"
# What characters beyond ASCII begin with in UTF-8, and how many bytes they have at most.
_LEAD, _MOST = 0xC0, 4
# By the first byte of a character: how many it has, and which bits of the first are of its number.
_SIZES = np.array([2 + (byte >= 0xE0) + (byte >= 0xF0) for byte in range(256)], np.int64)
_FIRST_BITS = np.array([0x1F, 0x0F, 0x07], np.uint8).take(_SIZES - 2)


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
        return np.array([test(character) for character in self.distinct], np.bool_).take(self.which)

    def mark(self, marks: Mask, test: Callable[[str], bool]) -> Mask:
        """The same marks, with the bytes of characters that pass a test marked as well, (bytes,)."""
        good = self.are(test)
        if not good.any():
            return marks
        marks = marks.copy()
        for _, places, _ in self._bytes_of(good):
            marks[places] = True
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
        fits = [len(new) == len(old.encode()) for new, old in zip(made, self.distinct, strict=True)]
        table = np.frombuffer(b"".join(new.ljust(_MOST, b"\0")[:_MOST] for new in made), np.uint8)
        good = np.array(fits, np.bool_).take(self.which)
        is_meant = np.ones(len(good), np.bool_) if where is None else where
        bytes_of = np.ascontiguousarray(table.reshape(-1, _MOST).T)
        for place, places, which in self._bytes_of(good & is_meant):
            data[places] = bytes_of[place].take(which)
        return is_meant & ~good

    def _bytes_of(self, chosen: Mask) -> Iterator[tuple[int, Offsets, Offsets]]:
        """The bytes of some characters: the first ones, the second ones, …; where they stand, and in which."""
        starts, which, sizes = self.starts, self.which, self.stops - self.starts
        if not chosen.all():
            places = np.flatnonzero(chosen)
            starts, which, sizes = (some.take(places) for some in (starts, which, sizes))
        least, most = (int(sizes.min()), int(sizes.max())) if len(sizes) else (0, 0)
        for place in range(most):
            if place >= least:
                longer = np.flatnonzero(sizes > place)
                starts, which, sizes = (some.take(longer) for some in (starts, which, sizes))
            yield place, starts + place, which


def find_characters(packed: Packed) -> CharacterPlaces:
    """Find the characters beyond ASCII."""
    starts = np.flatnonzero(packed.data >= _LEAD)
    if not len(starts):
        return CharacterPlaces(starts, starts, starts, ())
    first = packed.data.take(starts)
    sizes = _SIZES.take(first)
    # The Unicode Standard, 3.9, table 3-6: what each byte tells of a character.
    codes = (first & _FIRST_BITS.take(first)).astype(np.int64)
    least = int(sizes.min())
    for place in range(1, int(sizes.max())):
        longer = np.flatnonzero(sizes > place) if place >= least else slice(None)
        codes[longer] = codes[longer] << 6 | packed.data.take(starts[longer] + place) & 0x3F
    has = np.zeros(int(codes.max()) + 1, np.bool_)
    has[codes] = True
    distinct = np.flatnonzero(has)
    place_of = np.zeros(len(has), np.int64)
    place_of[distinct] = np.arange(len(distinct))
    return CharacterPlaces(starts, starts + sizes, place_of.take(codes), tuple(map(chr, distinct.tolist())))


def map_characters(packed: Packed, change: Callable[[str], str]) -> Packed:
    """Texts with each character beyond ASCII changed, whatever stands beside it."""
    characters = find_characters(packed)
    made = [change(character) for character in characters.distinct]
    moves = characters.are(lambda character: change(character) != character)
    texts = pa.array(made, TEXT)
    return splice(packed, characters.starts[moves], characters.stops[moves], texts, characters.which[moves])


def lower_alone(character: str) -> str:
    """A small letter; of a sigma, which depends on what stands beside it, the capital."""
    return character if character == CAPITAL_SIGMA else character.lower()


def title_alone(character: str) -> str:
    """A letter as a word begins with it."""
    return character.lower().title()


def mark_alnum(packed: Packed) -> Mask:
    """Which bytes are those of letters and digits, of any script."""
    marks = is_letter(packed.data) | is_between(packed.data, "0", "9")
    return marks if packed.is_ascii else find_characters(packed).mark(marks, str.isalnum)
