"""Texts as matrices of characters: what every part of matching computes on."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt
import pyarrow as pa
import pyarrow.compute as pc

from igual.matching.pairs import Ints
from igual.threads import lazy_property

Matrix = npt.NDArray[np.uint16]

# Characters that edits look at; what is longer is matched by its words.
LONGEST = 64
_WIDTHS = (8, 12, 16, 24, 40)


@dataclass(frozen=True, eq=False)
class Texts:
    """Texts made ready for comparing.

    Attributes:
        characters: Code points, (texts, longest), 0 behind the end; those beyond 16 bits are folded into a private
            range.
        lengths: (texts,); texts are cut at LONGEST characters. cut: which ones were, (texts,).
    """

    characters: Matrix
    lengths: Ints

    @classmethod
    def of(cls, texts: pa.Array, longest: int = LONGEST) -> Texts:
        """Texts, (texts,), none of them missing, each cut at so many characters."""
        lengths = pc.utf8_length(texts).to_numpy(zero_copy_only=False).astype(np.int64)
        some = pc.utf8_slice_codeunits(texts, 0, longest) if lengths.max(initial=0) > longest else texts
        lengths = np.minimum(lengths, longest)
        width = max(int(lengths.max(initial=0)), 1)
        plain = pc.string_is_ascii(some)
        if pc.all(plain).as_py():
            return cls(_ascii(some, width), lengths)
        is_plain = plain.to_numpy(zero_copy_only=False)
        characters = np.empty((len(some), width), np.uint16)
        characters[is_plain] = _ascii(some.filter(plain), width)
        others = np.array(some.filter(pc.invert(plain)).to_pylist(), dtype=f"U{width}")
        points = others.reshape(-1, 1).view(np.uint32).reshape(-1, width)
        characters[~is_plain] = np.where(points > 0xFFFF, 0xE000 | (points & 0x1FFF), points)
        return cls(characters, lengths)

    def __len__(self) -> int:
        return len(self.lengths)

    def take(self, places: Ints) -> Texts:
        """Choose some of them by position."""
        lengths = self.lengths[places]
        return Texts(self.characters[places, : max(int(lengths.max(initial=0)), 1)], lengths)

    @lazy_property
    def by_width(self) -> list[tuple[Ints, Texts]]:
        """The texts by about their length, and their places: short ones needn't be as wide as the longest."""
        group = np.searchsorted(_WIDTHS, self.lengths)
        places = [np.flatnonzero(group == number) for number in np.unique(group).tolist()]
        return [(some, self.take(some)) for some in places]

    @lazy_property
    def by_length(self) -> list[tuple[int, Ints]]:
        """Each length that occurs, with the places of its texts."""
        order = np.argsort(self.lengths, kind="stable")
        distinct, starts = np.unique(self.lengths[order], return_index=True)
        return list(zip(distinct.tolist(), np.split(order, starts[1:]), strict=True))


def joined(parts: Sequence[tuple[Ints, Texts]], size: int) -> Texts:
    """One set of so many texts from several, each with the places of its texts."""
    width = max((part.characters.shape[1] for _, part in parts), default=1)
    characters, lengths = np.zeros((size, width), np.uint16), np.zeros(size, np.int64)
    for places, part in parts:
        characters[places, : part.characters.shape[1]] = part.characters
        lengths[places] = part.lengths
    return Texts(characters, lengths)


def _ascii(texts: pa.Array, width: int) -> Matrix:
    """The characters of plain ASCII texts, (texts, width)."""
    padded = pc.ascii_rpad(texts, width, padding="\0")
    size = len(padded) * width
    start = padded.offset * width
    bytes_of = np.frombuffer(padded.buffers()[2] or b"", np.uint8)[start : start + size]
    return bytes_of.reshape(len(padded), width).astype(np.uint16)
