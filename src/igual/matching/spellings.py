"""Accepted spellings under one key: how values are looked up before anything is likened."""

from __future__ import annotations

from functools import cached_property

import numpy as np
import numpy.typing as npt
import pyarrow as pa
import pyarrow.compute as pc

from igual.column import TEXT, Mask, to_mask
from igual.distinct import find_distinct
from igual.hashing import Hashes, hash_texts
from igual.text.packed import Offsets, mark, unpack

_FEW, _MANY = 500, 1 << 16
# So many bits tell texts apart by their place; so many with the same hash are compared before all are looked up.
_PLACE_BITS, _MOST, _TRIES = np.uint64(26), 1 << 26, 4
# A sign of a text is made of six bits of its length and of its last byte: most texts that are no spelling show it.
_LENGTHS = 64
_SIGNS = _LENGTHS * 256


class Spellings:
    """Accepted spellings and what each stands for, under one key.

    `contested` has the keys that stand for several targets; neither is certain.

    Args:
        spellings: Keys, (spellings,), not distinct.
        targets: The position of what each stands for, (spellings,).
    """

    def __init__(self, spellings: pa.Array, targets: npt.NDArray[np.int64]) -> None:
        targets = targets[to_mask(spellings.is_valid())]
        spellings = spellings.drop_null()
        hashes = hash_texts(spellings.cast(TEXT)) if len(spellings) >= _MANY else None
        keys, places = find_distinct(spellings, hashes)
        self.contested: dict[str, set[int]] = {}
        self._was_asked = False
        self._keys = keys
        self._hashes = hashes if places is None else None
        if places is None:
            self._targets = np.append(targets, -1)
            return
        first = np.full(len(keys) + 1, -1, np.int64)
        first[places[::-1]] = targets[::-1]
        rivals = targets != first[places]
        rivalled = np.isin(places, places[rivals])
        contested = keys.take(pa.array(places[rivalled])).to_pylist()
        for key, target in zip(contested, targets[rivalled].tolist(), strict=True):
            self.contested.setdefault(key, set()).add(target)
        first[places[rivals]] = -1
        self._targets = first

    def __len__(self) -> int:
        return len(self._keys)

    @cached_property
    def _certain(self) -> dict[str, int]:
        return dict(zip(self._keys.to_pylist(), self._targets.tolist(), strict=False))

    def _is_asked_again(self) -> bool:
        """Whether few keys were looked up before: to make a table of very many spellings takes longer than one look."""
        was_asked, self._was_asked = self._was_asked, True
        return was_asked or len(self._keys) < _MANY

    def _find_few(self, keys: pa.Array) -> dict[str, int]:
        places = np.flatnonzero(to_mask(pc.is_in(self._keys, keys)))
        return dict(
            zip(self._keys.take(pa.array(places)).to_pylist(), self._targets[places].tolist(), strict=True)
        )

    def look_up(self, keys: pa.Array) -> npt.NDArray[np.int64]:
        """Find the target of each key, (values,); -1 where there is none or no certain one."""
        if len(keys) < _FEW:
            # Arrow would hash all spellings first.
            certain = self._certain if self._is_asked_again() else self._find_few(keys)
            return np.array([certain.get(key, -1) for key in keys.to_pylist()], np.int64)
        if len(self._keys) >= _MANY and max(len(self._keys), len(keys)) < _MOST:
            return self._targets.take(self._find_sorted(keys))
        if self._signs is None:
            return self._look_up(keys)
        likely = np.flatnonzero(self._signs.take(_read_signs(keys)))
        if len(likely) * 2 > len(keys):
            return self._look_up(keys)
        targets = np.full(len(keys), -1, np.int64)
        if len(likely):
            targets[likely] = self._look_up(keys.take(pa.array(likely)))
        return targets

    def _look_up(self, keys: pa.Array) -> npt.NDArray[np.int64]:
        return self._targets.take(self._find(keys))

    def _find(self, keys: pa.Array) -> npt.NDArray[np.int64]:
        """The places of keys among the spellings, (keys,); behind the last where they aren't there."""
        places: npt.NDArray[np.int64] = (
            pc.index_in(keys, self._keys).fill_null(len(self._keys)).to_numpy(zero_copy_only=False)
        )
        return places

    def _find_sorted(self, keys: pa.Array) -> npt.NDArray[np.int64]:
        """The same among very many spellings, by hashes in order: a table of so many takes longer."""
        numbers, sought = _sort_hashes(hash_texts(keys.cast(TEXT)))
        owners, known = self._sorted
        places = np.full(len(keys), len(self._keys))
        left, at = np.arange(len(keys)), np.searchsorted(known, sought)
        for _ in range(_TRIES):
            met = np.flatnonzero(known.take(at, mode="clip") == sought[left])
            met = met[at[met] < len(known)]
            if not len(met):
                return places
            left, at = left[met], at[met]
            asked, found = numbers[left], owners[at]
            is_same = self._are_spellings(keys, asked, found)
            places[asked[is_same]] = found[is_same]
            # Another spelling may have the same hash.
            left, at = left[~is_same], at[~is_same] + 1
        others = numbers[left]
        places[others] = self._find(keys.take(pa.array(others)))
        return places

    def _are_spellings(
        self, keys: pa.Array, numbers: npt.NDArray[np.int64], places: npt.NDArray[np.int64]
    ) -> Mask:
        """Which keys, by their numbers, no number twice, are the same as the spellings at some places, (numbers,)."""
        place_of = np.full(len(keys), -1)
        place_of[numbers] = places
        # In the order of the keys, so that only the spellings lie scattered.
        asked = np.flatnonzero(place_of >= 0)
        some = keys if len(asked) == len(keys) else keys.take(pa.array(asked))
        is_same = np.zeros(len(keys), np.bool_)
        is_same[asked] = to_mask(pc.equal(some, self._keys.take(pa.array(place_of[asked]))))
        return is_same[numbers]

    @cached_property
    def _sorted(self) -> tuple[npt.NDArray[np.int64], Hashes]:
        hashes, self._hashes = self._hashes, None
        return _sort_hashes(hash_texts(self._keys.cast(TEXT)) if hashes is None else hashes)

    @cached_property
    def _signs(self) -> Mask | None:
        """Which signs the spellings have; None: so many that they tell little."""
        signs = mark(_SIGNS, _read_signs(self._keys))
        return signs if np.count_nonzero(signs) * 8 < _SIGNS else None

    def is_contested(self, keys: pa.Array) -> Mask:
        """Which keys stand for several targets, (values,)."""
        return np.array([key in self.contested for key in keys.to_pylist()], np.bool_)


def _sort_hashes(hashes: Hashes) -> tuple[npt.NDArray[np.int64], Hashes]:
    """The places of hashes in their order, and the hashes, less the bits in which the places are kept."""
    packed = hashes >> _PLACE_BITS << _PLACE_BITS | np.arange(len(hashes), dtype=np.uint64)
    packed.sort()
    places = (packed & ((np.uint64(1) << _PLACE_BITS) - np.uint64(1))).astype(np.int64)
    return places, packed >> _PLACE_BITS


def _read_signs(texts: pa.Array) -> Offsets:
    packed = unpack(texts)
    lengths = np.diff(packed.offsets)
    if not len(packed.data):
        return lengths
    last = packed.data.take(packed.offsets[1:] - 1, mode="clip")
    return np.where(lengths > 0, (lengths & (_LENGTHS - 1)) << 8 | last, 0)
