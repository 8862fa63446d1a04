"""The rules by their class names, one per word that a rulebook's `do` takes.

>>> from igual.rules import Case
>>> Case(column="species", style="sentence").do
'case'
"""

from igual.core.rules import Case, Label, Match, OtherText, Replace, Spacing

__all__ = ["Case", "Label", "Match", "OtherText", "Replace", "Spacing"]
