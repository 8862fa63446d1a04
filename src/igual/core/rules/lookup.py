"""What `label` and `match` share: a table of spellings, tried in one way after another."""

from __future__ import annotations

import builtins
from collections.abc import Sequence
from typing import Literal

import numpy as np
import numpy.typing as npt
import pyarrow as pa
import pyarrow.compute as pc
from pydantic import BaseModel, ConfigDict

from igual.core.column import TEXT, Mask, as_mask
from igual.core.conditions import is_blank
from igual.core.rules.base import Rule
from igual.core.text.folding import folded_key, light_key


class OtherText(BaseModel):
    """`otherwise = { text = "…" }`: this text in the place of whatever isn't known."""

    model_config = ConfigDict(frozen=True, extra="forbid", strict=True)
    text: str


Otherwise = Literal["keep", "blank", "flag"] | OtherText


class ListRule(Rule):
    """What the rules that look into a reference list share.

    list: the name of the reference list.
    """

    list: str

    @property
    def entries_from(self) -> str:
        return f"list {self.list}"

    def needs(self) -> builtins.list[tuple[str, str]]:
        return [("lists", self.list), *super().needs()]


class Spellings:
    """Accepted spellings and what each stands for, under one key.

    Two spellings that share a key but stand for different targets cancel each other: neither is certain.
    """

    def __init__(self, spellings: pa.Array, targets: Sequence[int]) -> None:
        """spellings: keys, (spellings,), not distinct. targets: the place each stands for, (spellings,)."""
        owner: dict[str, int] = {}
        self.contested: dict[str, set[int]] = {}
        for key, target in zip(spellings.to_pylist(), targets, strict=True):
            if (first := owner.setdefault(key, target)) != target:
                self.contested.setdefault(key, {first}).add(target)
        certain = {key: target for key, target in owner.items() if key not in self.contested}
        self._keys = pa.array(certain.keys(), TEXT)
        self._targets = np.array([*certain.values(), -1], np.int64)

    def look_up(self, keys: pa.Array) -> npt.NDArray[np.int64]:
        """Find the target of each key, (values,); -1 where there is none or no certain one."""
        places = pc.index_in(keys, self._keys).fill_null(len(self._keys))
        found: npt.NDArray[np.int64] = self._targets[places.to_numpy(zero_copy_only=False)]
        return found


def unknown_among(values: pa.Array, known: Mask) -> Mask:
    """Which values are unknown: neither known nor blank nor missing, which say nothing to look up."""
    return ~known & ~is_blank(values)


def given_or_otherwise(
    values: pa.Array, given: pa.Array, known: Mask, unknown: Mask, otherwise: Otherwise
) -> pa.Array:
    """The looked-up texts where known; `otherwise` says what becomes of the unknown; blanks stay."""
    new = pc.if_else(pa.array(known), given, values)
    if isinstance(otherwise, OtherText):
        return pc.if_else(pa.array(unknown), pa.scalar(otherwise.text, TEXT), new)
    if otherwise == "blank":
        return pc.if_else(pa.array(unknown), pa.scalar("", TEXT), new)
    return new


def near_spellings(values: pa.Array, spellings: Sequence[str]) -> dict[int, str]:
    """Values by place that equal a spelling but for case, outer spaces, accents, spacing or punctuation."""
    near: dict[int, str] = {}
    accepted = pa.array(spellings, TEXT)
    for key in (light_key, folded_key):
        owners = pc.index_in(key(values), key(accepted))
        for place in np.flatnonzero(as_mask(owners.is_valid())).tolist():
            near.setdefault(place, spellings[owners[place].as_py()])
    return near
