"""One small class per rule kind."""

from igual.core.rules.base import Gives, NearMiss, Rewriter, Rewritten, Rule
from igual.core.rules.case import Case
from igual.core.rules.characters import Characters
from igual.core.rules.cutting import Extract, Overlay, Part
from igual.core.rules.filling import Blanks, Compose
from igual.core.rules.label import Label
from igual.core.rules.lookup import OtherText, Otherwise
from igual.core.rules.match import Match
from igual.core.rules.measures import Band, Bands, Date, Number
from igual.core.rules.mention import Mention
from igual.core.rules.replace import Replace
from igual.core.rules.spacing import Spacing

KINDS: tuple[type[Rule], ...] = (
    Spacing, Case, Characters, Replace, Overlay, Part, Extract, Mention, Compose, Label, Bands, Match, Blanks, Number,
    Date,
)  # fmt: skip

__all__ = [
    "KINDS", "Band", "Bands", "Blanks", "Case", "Characters", "Compose", "Date", "Extract", "Gives", "Label", "Match",
    "Mention", "NearMiss", "Number", "OtherText", "Otherwise", "Overlay", "Part", "Replace", "Rewriter", "Rewritten",
    "Rule", "Spacing",
]  # fmt: skip
