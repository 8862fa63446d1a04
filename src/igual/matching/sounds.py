"""How texts sound, roughly: spellings that sound alike come out the same.

A few rules of English and of Latin spelling in general (ph as f, c as k or s, a silent gh, doubled letters, vowels
all one). They need not be right for a language to be useful: what counts is that a text and its misspelling
are treated alike. Letters of other scripts stay as they are.
"""

from __future__ import annotations

import numpy as np

from igual.column import Mask
from igual.matching.texts import Matrix, Texts, joined

# What stands for sounds that take two letters to write.
_CH, _SH, _TH = ord("C"), ord("S"), ord("T")
_VOWEL, _SPACE = ord("a"), ord(" ")


def sounds(texts: Texts) -> Texts:
    """The sounds of texts: consonants that sound alike as one, runs of vowels as one `a`, no silent letters.

    Spaces stay: they are the borders of words.
    """
    return joined([(places, _sounds(some)) for places, some in texts.by_width], len(texts))


def _sounds(texts: Texts) -> Texts:
    c = np.zeros((len(texts), texts.characters.shape[1] + 4), np.uint16)
    width = texts.characters.shape[1]
    c[:, 2 : 2 + width] = texts.characters
    here, before = c[:, 2 : 2 + width], c[:, 1 : 1 + width]
    after, second, earlier = c[:, 3 : 3 + width], c[:, 4 : 4 + width], c[:, :width]
    new = here.copy()
    starts, ends = (before == 0) | (before == _SPACE), (after == 0) | (after == _SPACE)

    def one_of(matrix: Matrix, letters: str) -> Mask:
        mask: Mask = np.logical_or.reduce([matrix == ord(letter) for letter in letters])
        return mask

    def is_(matrix: Matrix, letter: str) -> Mask:
        mask: Mask = matrix == ord(letter)
        return mask

    vowel, soft = one_of(here, "aeiouyw"), one_of(after, "eiy")
    # One letter for another.
    new[vowel] = _VOWEL
    for letter, sound in (("q", "k"), ("c", "k"), ("z", "s")):
        new[is_(here, letter)] = ord(sound)
    new[is_(here, "c") & soft] = ord("s")
    new[is_(here, "g") & soft] = ord("j")
    # Two letters for one sound: the first takes the sound, the second is left out.
    out = is_(here, "h")
    new[is_(here, "p") & is_(after, "h")] = ord("f")
    new[is_(here, "t") & is_(after, "h")] = _TH
    new[is_(here, "s") & is_(after, "h")] = _SH
    new[is_(here, "c") & is_(after, "h")] = _CH
    ion = is_(after, "i") & one_of(second, "oa") & ~starts
    new[one_of(here, "tcsx") & ion] = _SH
    out |= is_(here, "c") & is_(after, "k")
    out |= is_(here, "t") & is_(after, "c") & is_(second, "h")
    out |= is_(here, "d") & is_(after, "g")
    out |= is_(here, "s") & is_(after, "c") & one_of(second, "eiy")
    # Silent letters.
    out |= is_(here, "g") & is_(after, "h") & ~starts
    out |= starts & one_of(here, "kgp") & is_(after, "n")
    out |= starts & is_(here, "p") & is_(after, "s")
    out |= is_(here, "b") & is_(before, "m") & ends
    out |= is_(here, "e") & ends & ~starts & (earlier != 0) & (earlier != _SPACE)
    out |= here == 0
    # An x is a k and an s: there is no room for two, and the s is heard.
    new[is_(here, "x")] = ord("s")
    return _without(new, out)


def unspaced(sounded: Texts) -> Texts:
    """Sounds without the spaces between words."""
    return _without(sounded.characters, (sounded.characters == _SPACE) | (sounded.characters == 0))


def consonants(sounded: Texts) -> Texts:
    """What is left of sounds without the vowels."""
    return _without(sounded.characters, (sounded.characters == _VOWEL) | (sounded.characters == 0))


def _without(characters: Matrix, out: Mask) -> Texts:
    """Texts without some characters, and without the second of two that are then the same."""
    rows, columns = np.nonzero(~out)
    kept = characters[rows, columns]
    if len(kept):
        repeats = (kept[1:] == kept[:-1]) & (rows[1:] == rows[:-1])
        stay = np.concatenate([[True], ~repeats])
        rows, kept = rows[stay], kept[stay]
    lengths = np.bincount(rows, minlength=len(characters))
    width = max(int(lengths.max(initial=0)), 1)
    shorter = np.zeros((len(characters), width), np.uint16)
    shorter[rows, np.arange(len(rows)) - np.repeat(np.cumsum(lengths) - lengths, lengths)] = kept
    return Texts(shorter, lengths.astype(np.int64))
