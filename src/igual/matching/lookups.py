"""Ways to look a value up in a list, before anything is compared by likeness."""

from __future__ import annotations

from collections.abc import Callable
from enum import IntEnum
from typing import NamedTuple

import pyarrow as pa

from igual.matching.spellings import Spellings

Key = Callable[[pa.Array], pa.Array]


class How(IntEnum):
    """How a proposal was found."""

    NONE, EXACT, FOLDED, ALIAS, ALIAS_FOLDED, TWO_LETTERS, FUZZY, RULING, RULED_KIND = range(9)


class LookUp(NamedTuple):
    """A way to look values up.

    Attributes:
        how: What it says of a value that it finds.
        key: The key of a value.
        spellings: The accepted spellings under the same key.
    """

    how: How
    key: Key
    spellings: Spellings
