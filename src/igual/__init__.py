"""Igual makes the values of a categorical column equal where they mean the same."""

from __future__ import annotations

# As type checkers read it; `typing` itself takes long to import, and an interrupt meanwhile would be told by Python.
TYPE_CHECKING = False

if TYPE_CHECKING:
    from typing import Any

    from igual import rules
    from igual.api import (
        compare,
        compare_lists,
        count,
        cross_table,
        date_forms,
        lookalikes,
        match,
        restyle_headers,
        tally,
    )
    from igual.engines.sql import Database
    from igual.errors import (
        IgualError,
        IgualWarning,
        ListError,
        OutputError,
        RulebookError,
        RulingError,
        TableError,
    )
    from igual.learning.learned import Learned
    from igual.lists import Codebook, PairList, ReferenceList
    from igual.looking.lookalikes import Lookalikes
    from igual.looking.survey import Survey
    from igual.looking.tally import Tally
    from igual.matching.index import MatchIndex
    from igual.matching.matches import Matches
    from igual.matching.questions import Question
    from igual.rulings import Rulings
    from igual.runs.crosswalk import Applied, Crosswalk
    from igual.runs.draft import Draft
    from igual.runs.outcome import Outcome
    from igual.runs.review import Review
    from igual.runs.rulebook import Rulebook
    from igual.starting import draft, learn, survey

# Where each public name is defined; they are imported when they are first used, so that the command line starts fast.
_DEFINED_IN = {
    "igual.api": (
        "compare", "compare_lists", "count", "cross_table", "date_forms", "lookalikes", "match",
        "restyle_headers", "tally",
    ),
    "igual.engines.sql": ("Database",),
    "igual.errors": (
        "IgualError", "IgualWarning", "ListError", "OutputError", "RulebookError", "RulingError", "TableError",
    ),
    "igual.learning.learned": ("Learned",),
    "igual.lists": ("Codebook", "PairList", "ReferenceList"),
    "igual.looking.lookalikes": ("Lookalikes",),
    "igual.looking.survey": ("Survey",),
    "igual.looking.tally": ("Tally",),
    "igual.matching.index": ("MatchIndex",),
    "igual.matching.matches": ("Matches",),
    "igual.matching.questions": ("Question",),
    "igual.rulings": ("Rulings",),
    "igual.runs.crosswalk": ("Applied", "Crosswalk"),
    "igual.runs.draft": ("Draft",),
    "igual.runs.outcome": ("Outcome",),
    "igual.runs.review": ("Review",),
    "igual.runs.review_page": ("ReviewPage",),
    "igual.runs.rulebook": ("Rulebook",),
    "igual.starting": ("draft", "learn", "review", "survey"),
}  # fmt: skip

__all__ = [
    "Applied", "Codebook", "Crosswalk", "Database", "Draft", "IgualError", "IgualWarning", "Learned", "ListError",
    "Lookalikes", "MatchIndex", "Matches", "Outcome", "OutputError", "PairList", "Question", "ReferenceList", "Review",
    "ReviewPage", "Rulebook", "RulebookError", "RulingError", "Rulings", "Survey", "TableError", "Tally", "__version__",
    "compare", "compare_lists", "count", "cross_table", "date_forms", "draft", "learn", "lookalikes", "match",
    "restyle_headers", "review", "rules", "survey", "tally",
]  # fmt: skip


def __getattr__(name: str) -> Any:
    """Load the public names when they are first used."""
    import importlib

    if name == "rules":
        return importlib.import_module(f"igual.{name}")
    if name == "__version__":
        from importlib.metadata import version

        return version("igual")
    for module, names in _DEFINED_IN.items():
        if name in names:
            return getattr(importlib.import_module(module), name)
    raise AttributeError(f"module 'igual' has no attribute {name!r}")


def __dir__() -> list[str]:
    return sorted(__all__)
