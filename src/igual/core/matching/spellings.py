"""Accepted spellings under one key: how values are looked up before anything is likened."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import numpy.typing as npt
import pyarrow as pa
import pyarrow.compute as pc

from igual.core.column import TEXT, Mask

_FEW = 500


class Spellings:
    """Accepted spellings and what each stands for, under one key.

    contested: keys that stand for several targets; neither is certain.
    """

    def __init__(self, spellings: pa.Array, targets: Sequence[int]) -> None:
        """spellings: keys, (spellings,), not distinct. targets: the place each stands for, (spellings,)."""
        owner: dict[str, int] = {}
        self.contested: dict[str, set[int]] = {}
        for key, target in zip(spellings.to_pylist(), targets, strict=True):
            if key is not None and (first := owner.setdefault(key, target)) != target:
                self.contested.setdefault(key, {first}).add(target)
        self._certain = {
            key: target for key, target in owner.items() if key is not None and key not in self.contested
        }
        self._keys = pa.array(self._certain.keys(), TEXT)
        self._targets = np.array([*self._certain.values(), -1], np.int64)

    def look_up(self, keys: pa.Array) -> npt.NDArray[np.int64]:
        """Find the target of each key, (values,); -1 where there is none or no certain one."""
        if len(keys) < _FEW:
            # Arrow would hash all spellings first.
            return np.array([self._certain.get(key, -1) for key in keys.to_pylist()], np.int64)
        places = pc.index_in(keys, self._keys, skip_nulls=True).fill_null(len(self._keys))
        found: npt.NDArray[np.int64] = self._targets[places.to_numpy(zero_copy_only=False)]
        return found

    def is_contested(self, keys: pa.Array) -> Mask:
        """Which keys stand for several targets, (values,)."""
        return np.array([key in self.contested for key in keys.to_pylist()], np.bool_)
