"""Values in every form that matching compares, prepared for comparing."""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple

from igual.matching.edits import Prepared
from igual.matching.forms import Forms
from igual.matching.pairs import Ints
from igual.matching.scope import Scope
from igual.matching.scoring import Floats
from igual.matching.sounds import consonants, unspaced
from igual.matching.texts import Texts
from igual.matching.words import Words


class PreparedSounds(NamedTuple):
    """How texts sound, prepared for comparing.

    Attributes:
        sounds: All sounds.
        consonants: The consonants among them.
    """

    sounds: Prepared
    consonants: Prepared

    @classmethod
    def of(cls, texts: Forms, prepare: Callable[[Texts], Prepared]) -> PreparedSounds:
        """Prepare the sounds of texts.

        Args:
            texts: The texts in all forms.
            prepare: Prepares characters for comparing.

        Returns:
            Their sounds.
        """
        spoken = unspaced(texts.sounds)
        return cls(prepare(spoken), prepare(consonants(spoken)))


class Queries(NamedTuple):
    """Values in every form that matching compares, prepared for comparing.

    Attributes:
        forms: The values in all forms.
        letters: Their letters, for edits between letters.
        sounded: Their sounds, for edits between sounds.
        words: Their words, next to those of the entries.
        evidence: What their letters say about whether any entry is meant, as a logit, (values,).
        scope: Which entries each may mean; None: every one.
    """

    forms: Forms
    letters: Prepared
    sounded: PreparedSounds
    words: Words
    evidence: Floats
    scope: Scope | None = None

    def take(self, positions: Ints) -> Queries:
        """Choose some of the values.

        Args:
            positions: Which ones, (chosen,).

        Returns:
            The queries of these values.
        """
        sounds, consonants = self.sounded
        return Queries(
            self.forms.take(positions),
            self.letters.take(positions),
            PreparedSounds(sounds.take(positions), consonants.take(positions)),
            self.words.take(positions),
            self.evidence[positions],
            self.scope.take(positions) if self.scope is not None else None,
        )
