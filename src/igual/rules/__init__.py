"""The rules by their class names, one per word that a rulebook's `do` takes.

Each works in a rulebook, and alone on the values of one column:

>>> from igual.rules import Case
>>> Case(style="sentence").on(["NORWAY MAPLE", None])
['Norway maple', None]
"""

from __future__ import annotations

import typing

from igual.conditions import Condition
from igual.rules.bands import Band, Bands
from igual.rules.base import Rule
from igual.rules.blanks import Blanks
from igual.rules.case import Case
from igual.rules.characters import Characters
from igual.rules.check import Check
from igual.rules.compose import Compose
from igual.rules.date import Date
from igual.rules.extract import Extract
from igual.rules.label import Label
from igual.rules.lookup import OtherText
from igual.rules.match import Match
from igual.rules.mention import Mention
from igual.rules.number import Number
from igual.rules.overlay import Overlay
from igual.rules.pad import Pad
from igual.rules.part import Part
from igual.rules.replace import Replace
from igual.rules.spacing import Spacing

# In the order in which people work; the reference and `igual rules` follow it. Rules in other modules come after.
IN_ORDER: tuple[type[Rule], ...] = (
    Spacing, Case, Characters, Replace, Overlay, Pad, Part, Extract, Mention, Compose, Label, Bands, Match, Blanks,
    Number, Date,
)  # fmt: skip

__all__ = [
    "Band", "Bands", "Blanks", "Case", "Characters", "Check", "Compose", "Condition", "Date", "Extract", "Label",
    "Match", "Mention", "Number", "OtherText", "Overlay", "Pad", "Part", "Replace", "Rule", "Spacing",
]  # fmt: skip


def __getattr__(name: str) -> typing.Any:
    """Find rules in modules that this one doesn't name."""
    from igual.rules.registry import find_rules

    for rule in find_rules().values() if name[:1].isupper() else ():
        if rule.__name__ == name:
            return rule
    raise AttributeError(f"module 'igual.rules' has no attribute {name!r}")
