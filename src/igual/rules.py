"""The rules by their class names, one per word that a rulebook's `do` takes.

>>> from igual.rules import Case
>>> Case(column="species", style="sentence").do
'case'
"""

from igual.core.conditions import Condition
from igual.core.rules import (
    Band,
    Bands,
    Blanks,
    Case,
    Characters,
    Compose,
    Date,
    Extract,
    Label,
    Match,
    Mention,
    Number,
    OtherText,
    Overlay,
    Part,
    Replace,
    Spacing,
)

__all__ = [
    "Band", "Bands", "Blanks", "Case", "Characters", "Compose", "Condition", "Date", "Extract", "Label", "Match",
    "Mention", "Number", "OtherText", "Overlay", "Part", "Replace", "Spacing",
]  # fmt: skip
