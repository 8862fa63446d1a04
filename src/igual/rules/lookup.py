"""What rules share that look values up: lists, and what becomes of values that aren't there."""

from __future__ import annotations

import builtins
from collections.abc import Mapping
from typing import TYPE_CHECKING, Literal, TypeAlias

import pyarrow as pa
import pyarrow.compute as pc
from pydantic import BaseModel, ConfigDict

from igual.column import TEXT, Mask
from igual.lists import Need
from igual.rules.base import EntrySource, Rule
from igual.text.blanks import is_blank


class OtherText(BaseModel):
    """`otherwise = { text = "…" }`: this text in the place of whatever isn't known.

    Attributes:
        text: The text.
        blanks: Put it in the place of blanks and missing values, too.
    """

    model_config = ConfigDict(frozen=True, extra="forbid", strict=True)
    text: str
    blanks: bool = False


if TYPE_CHECKING:
    # A text may also be given as a dict, as a rulebook file has it.
    Otherwise: TypeAlias = Literal["keep", "blank", "flag"] | OtherText | Mapping[str, str | bool]
else:
    Otherwise = Literal["keep", "blank", "flag"] | OtherText


class ListRule(Rule):
    """What the rules that look into a reference list share.

    Attributes:
        list: The name of the reference list.
    """

    list: str

    @property
    def entry_source(self) -> EntrySource:
        """Where the entries come from that it looks for."""
        return EntrySource("list", self.list)

    def needs(self) -> builtins.list[Need]:
        """List what the rule looks up by name."""
        return [Need("lists", self.list), *super().needs()]


def unknown_among(values: pa.Array, known: Mask) -> Mask:
    """Find values that are unknown: neither known nor blank nor missing, which leave nothing to look up.

    Args:
        values: Distinct texts, (values,).
        known: Which ones are known, (values,).

    Returns:
        Which ones are unknown, (values,).
    """
    return ~known & ~is_blank(values)


def fill_unknown(
    values: pa.Array, replacements: pa.Array, known: Mask, unknown: Mask, otherwise: Otherwise
) -> pa.Array:
    """Put in what was looked up where it is known; `otherwise` decides on the unknown; blanks stay unless it says so.

    Args:
        values: Distinct texts, (values,).
        replacements: What was looked up for each, (values,).
        known: Where it counts, (values,).
        unknown: Which values are unknown, (values,).
        otherwise: What becomes of these.

    Returns:
        The new values, (values,).
    """
    new = pc.if_else(pa.array(known), replacements, values) if known.any() else values
    if isinstance(otherwise, OtherText):
        replaced = unknown | (is_blank(values) & ~known) if otherwise.blanks else unknown
        return pc.if_else(pa.array(replaced), pa.scalar(otherwise.text, TEXT), new)
    if otherwise == "blank":
        return pc.if_else(pa.array(unknown), pa.scalar("", TEXT), new)
    return new
