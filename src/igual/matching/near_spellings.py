"""Spellings that values come near to without being accepted: what a rule nearly caught."""

from __future__ import annotations

from functools import cached_property

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from igual.column import to_mask
from igual.text.folding import folded_key, light_key
from igual.text.reading import numeral_key

_KEYS = (numeral_key, light_key, folded_key)


class NearSpellings:
    """Finds spellings that values equal apart from case, outer spaces, accents, spacing or punctuation.

    Numbers equal a spelling apart from zeros that say nothing: `01` and `1.0` come near `1`.

    Args:
        spellings: The accepted spellings, (spellings,).

    Example:
        >>> NearSpellings(pa.array(["Oak", "1"])).find(pa.array(["OAK ", "elm", "01"]))
        {2: '1', 0: 'Oak'}
    """

    def __init__(self, spellings: pa.Array) -> None:
        self._spellings = spellings

    @cached_property
    def _keyed(self) -> list[pa.Array]:
        """The spellings under each key, made once for all columns."""
        return [key(self._spellings) for key in _KEYS]

    def find(self, values: pa.Array) -> dict[int, str]:
        """Find the spelling that each value comes near to.

        Args:
            values: Distinct texts, (values,).

        Returns:
            Position of the value to the spelling.
        """
        near: dict[int, str] = {}
        for key, accepted in zip(_KEYS, self._keyed, strict=True):
            keys = key(values)
            # Arrow would hash all spellings: first come out those that none of a few values has.
            places = pa.array(np.flatnonzero(to_mask(pc.is_in(accepted, keys))))
            owners = pc.index_in(keys, accepted.take(places))
            found = np.flatnonzero(to_mask(owners.is_valid())).tolist()
            spellings = self._spellings.take(places.take(owners.drop_null())).to_pylist()
            for position, spelling in zip(found, spellings, strict=True):
                near.setdefault(position, spelling)
        return near
