"""Texts in every form that matching compares."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
import numpy.typing as npt
import pyarrow as pa
import pyarrow.compute as pc

from igual.core.column import Mask
from igual.core.matching.keys import MOST_CHARACTERS, begun, dress, letters_key, plain, words_key
from igual.core.matching.sounds import sounds
from igual.core.matching.texts import LONGEST, Ints, Texts


class Compared(NamedTuple):
    """Texts in every form that matching compares; (texts,) each.

    dress: what letters alone don't show. letters: letters and digits alone. words: with single spaces, as texts
    (`worded`) and as characters (`spaced`). sounded: how the words sound. cut: too long to compare by
    letters. begun: too long to compare whole in any way.
    """

    dress: npt.NDArray[np.int8]
    letters: Texts
    spelled: pa.Array
    worded: pa.Array
    spaced: Texts
    sounded: Texts
    cut: Mask
    begun: Mask

    @classmethod
    def of(cls, texts: pa.Array) -> Compared:
        some = begun(texts)
        bare = plain(some)
        letters, words = letters_key(bare), words_key(bare)
        cut = pc.utf8_length(letters).to_numpy(zero_copy_only=False) > LONGEST
        spaced = Texts.of(words)
        written = Texts.of(some)
        long = pc.utf8_length(texts).to_numpy(zero_copy_only=False) > MOST_CHARACTERS
        return cls(dress(written), Texts.of(letters), letters, words, spaced, sounds(spaced), cut, long)

    def take(self, places: Ints) -> Compared:
        chosen = pa.array(places)
        return Compared(
            self.dress[places],
            self.letters.take(places),
            self.spelled.take(chosen),
            self.worded.take(chosen),
            self.spaced.take(places),
            self.sounded.take(places),
            self.cut[places],
            self.begun[places],
        )
