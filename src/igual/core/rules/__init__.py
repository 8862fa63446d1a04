"""One small class per rule kind."""

from igual.core.rules.base import NearMiss, Rewriter, Rewritten, Rule
from igual.core.rules.case import Case
from igual.core.rules.label import Label
from igual.core.rules.lookup import OtherText, Otherwise
from igual.core.rules.match import Match
from igual.core.rules.replace import Replace
from igual.core.rules.spacing import Spacing

KINDS: tuple[type[Rule], ...] = (Spacing, Case, Replace, Label, Match)

__all__ = [
    "KINDS", "Case", "Label", "Match", "NearMiss", "OtherText", "Otherwise", "Replace", "Rewriter",
    "Rewritten", "Rule", "Spacing",
]  # fmt: skip
