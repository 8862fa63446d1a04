"""Decision, last part: why a value is matched as it is, in words that a steward understands."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import numpy.typing as npt
import pyarrow as pa

from igual.core.matching.index import BY_INITIALS, BY_LETTERS, Asked, MatchIndex
from igual.core.matching.kinds import KINDS, PLACE_OF
from igual.core.matching.texts import Ints
from igual.core.matching.wording import CUT, EDITED, LONGER, STATED, Words

_EDITS = len(KINDS) - len(("first", "last"))


def reasons(
    index: MatchIndex,
    values: Asked,
    said: Sequence[str],
    one: Ints,
    other: Ints,
    reading: npt.NDArray[np.int8],
) -> list[str]:
    """Why each value is like the spelling proposed for it.

    said: the values as they are written. one, other: places of values and spellings, and the reading of each pair.
    """
    spelled = index.spellings.take(pa.array(other)).to_pylist()
    found = [""] * len(one)
    letters = np.flatnonzero(reading == BY_LETTERS)
    by_letters = _by_letters(index, values, one[letters], other[letters])
    for place, value, text in zip(letters.tolist(), one[letters].tolist(), by_letters, strict=True):
        found[place] = f"{text}: {said[value]} → {spelled[place]}"
    initials = np.flatnonzero(reading == BY_INITIALS)
    for place in initials.tolist():
        found[place] = f"the initials of {spelled[place]}"
    words = np.flatnonzero((reading != BY_LETTERS) & (reading != BY_INITIALS))
    if len(words):
        by_words = _by_words(index, values.words, one[words], other[words])
        for place, text in zip(words.tolist(), by_words, strict=True):
            found[place] = text
    return found


def _by_letters(index: MatchIndex, values: Asked, one: Ints, other: Ints) -> list[str]:
    counts = index.edits.counts(values.letters, index.prepared, one, other)
    counts = counts[:, :_EDITS]
    many = counts.sum(axis=1)
    only = np.where(many == 1, counts.argmax(axis=1), -1)
    kinds = {-1: "", PLACE_OF["swapped"]: "two letters swapped"}
    kinds |= {PLACE_OF[kind]: _said(kind) for kind in KINDS[:_EDITS] if kind != "swapped"}
    return [
        kinds[kind]
        or (f"{number} letters differ" if number else "only letters that look the same, or marks, differ")
        for number, kind in zip(many.tolist(), only.tolist(), strict=True)
    ]


def _said(kind: str) -> str:
    """An edit's kind as a steward would say it."""
    side, _, what = kind.partition(" ")
    thing = "digit" if what == "digit" else "letter"
    if kind == "extra doubled":
        return "1 letter doubled"
    if kind == "missing doubled":
        return "1 letter not doubled"
    if side == "instead:":
        return "1 digit differs" if what == "digits" else "1 letter differs"
    return f"1 {thing} too many" if side == "extra" else f"1 {thing} missing"


def _by_words(index: MatchIndex, values: Words, one: Ints, other: Ints) -> list[str]:
    wording = index.wording
    aligned = wording.aligned(values, one, other)
    left = wording.left_over(values, one, other, aligned)
    found: list[list[str]] = [[] for _ in one]
    last: dict[int, int] = {}
    crossed: set[int] = set()
    columns = (aligned.pair, aligned.value_word, aligned.entry_word, aligned.how)
    for pair, mine, its, how in zip(*(column.tolist() for column in columns), strict=True):
        if its < last.get(pair, -1):
            crossed.add(pair)
        last[pair] = its
        if how in (EDITED, STATED, CUT, LONGER):
            word = values.texts_of(int(one[pair]))[mine]
            entry = wording.entries.texts_of(int(other[pair]))[its]
            means = "misspelt" if how == EDITED else "stands for" if how == STATED else "short for"
            if how == EDITED:
                found[pair].append(f"‘{word}’ for ‘{entry}’")
            elif how == LONGER:
                found[pair].append(f"‘{entry}’ {means} ‘{word}’")
            else:
                found[pair].append(f"‘{word}’ {means} ‘{entry}’")
    texts = []
    for pair, (extra, missing) in enumerate(left):
        parts = found[pair]
        if pair in crossed:
            parts.insert(
                0,
                "same words in another order"
                if not (parts or extra or missing)
                else "words in another order",
            )
        if extra:
            parts.append(f"with {_listed(extra)}")
        if missing:
            parts.append(f"without {_listed(missing)}")
        texts.append(", ".join(parts) or "the same words")
    return texts


def _listed(words: Sequence[str]) -> str:
    return " and ".join(f"‘{word}’" for word in words)
