"""What `label` and `match` share: a table of spellings, tried in one way after another."""

from __future__ import annotations

import builtins
from collections.abc import Sequence
from typing import Literal

import numpy as np
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
