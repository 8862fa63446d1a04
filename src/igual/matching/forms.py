"""Texts in every form that matching compares."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
import numpy.typing as npt
import pyarrow as pa
import pyarrow.compute as pc

from igual.column import Mask
from igual.matching.keys import (
    MOST_CHARACTERS,
    count_surface_features,
    letters_key,
    plain,
    truncated,
    words_key,
)
from igual.matching.pairs import Ints
from igual.matching.sounds import sounds
from igual.matching.texts import LONGEST, Texts
from igual.matching.words import divide


class Forms(NamedTuple):
    """Texts in every form that matching compares; (texts,) each.

    Attributes:
        surface: Counts of what letters alone don't show, such as capitals and hyphens, (texts, features).
        letters: Letters and digits alone, as characters.
        letter_keys: The same as Arrow texts.
        word_keys: Words with single spaces between them, as Arrow texts.
        parts: The parts of the text that the words stand in; see `divide`.
        words: The same as characters.
        sounds: How the words sound, as characters.
        is_cut: Which texts are too long to compare by letters.
        is_truncated: Which texts are too long to compare whole in any way.
    """

    surface: npt.NDArray[np.int8]
    letters: Texts
    letter_keys: pa.Array
    word_keys: pa.Array
    parts: pa.Array
    words: Texts
    sounds: Texts
    is_cut: Mask
    is_truncated: Mask

    @classmethod
    def of(cls, texts: pa.Array) -> Forms:
        """Bring texts into all forms.

        Args:
            texts: Texts as they are written, none of them missing, (texts,).

        Returns:
            Their forms.
        """
        written = truncated(texts)
        bare = plain(written)
        letters, words = letters_key(bare), words_key(bare)
        is_cut = pc.utf8_length(letters).to_numpy(zero_copy_only=False) > LONGEST
        as_words = Texts.of(words)
        is_truncated = pc.utf8_length(texts).to_numpy(zero_copy_only=False) > MOST_CHARACTERS
        features = count_surface_features(Texts.of(written))
        return cls(
            features,
            Texts.of(letters),
            letters,
            words,
            divide(written),
            as_words,
            sounds(as_words),
            is_cut,
            is_truncated,
        )

    def take(self, positions: Ints) -> Forms:
        """Choose some of the texts.

        Args:
            positions: Which ones, (chosen,).

        Returns:
            The forms of these texts.
        """
        chosen = pa.array(positions)
        return Forms(
            self.surface[positions],
            self.letters.take(positions),
            self.letter_keys.take(chosen),
            self.word_keys.take(chosen),
            self.parts.take(chosen),
            self.words.take(positions),
            self.sounds.take(positions),
            self.is_cut[positions],
            self.is_truncated[positions],
        )
