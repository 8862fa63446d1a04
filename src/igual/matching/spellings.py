"""Accepted spellings under one key: how values are looked up before anything is likened."""

from __future__ import annotations

from functools import cached_property

import numpy as np
import numpy.typing as npt
import pyarrow as pa
import pyarrow.compute as pc

from igual.column import Mask, to_mask
from igual.distinct import find_distinct
from igual.text.packed import Offsets, mark, unpack

_FEW = 500
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
        keys, places = find_distinct(spellings.drop_null())
        self.contested: dict[str, set[int]] = {}
        self._keys = keys
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

    def look_up(self, keys: pa.Array) -> npt.NDArray[np.int64]:
        """Find the target of each key, (values,); -1 where there is none or no certain one."""
        if len(keys) < _FEW:
            # Arrow would hash all spellings first.
            return np.array([self._certain.get(key, -1) for key in keys.to_pylist()], np.int64)
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
        places = pc.index_in(keys, self._keys).fill_null(len(self._keys))
        targets: npt.NDArray[np.int64] = self._targets[places.to_numpy(zero_copy_only=False)]
        return targets

    @cached_property
    def _signs(self) -> Mask | None:
        """Which signs the spellings have; None: so many that they tell little."""
        signs = mark(_SIGNS, _read_signs(self._keys))
        return signs if np.count_nonzero(signs) * 8 < _SIGNS else None

    def is_contested(self, keys: pa.Array) -> Mask:
        """Which keys stand for several targets, (values,)."""
        return np.array([key in self.contested for key in keys.to_pylist()], np.bool_)


def _read_signs(texts: pa.Array) -> Offsets:
    packed = unpack(texts)
    lengths = np.diff(packed.offsets)
    if not len(packed.data):
        return lengths
    last = packed.data.take(packed.offsets[1:] - 1, mode="clip")
    return np.where(lengths > 0, (lengths & (_LENGTHS - 1)) << 8 | last, 0)
