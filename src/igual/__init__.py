"""Igual makes the values of a categorical column equal where they mean the same."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from igual import rules, similarity
    from igual.api import (
        Codebook,
        Lookalikes,
        Matches,
        MatchIndex,
        Outcome,
        PairList,
        ReferenceList,
        Rulebook,
        Survey,
        Tally,
        clean_names,
        compare,
        compare_lists,
        count,
        cross_table,
        date_forms,
        lookalikes,
        match,
        survey,
        tally,
    )
    from igual.core.errors import (
        IgualError,
        IgualWarning,
        ListError,
        OutputError,
        RulebookError,
        RulingError,
        TableError,
    )
    from igual.databases import Database
    from igual.decisions import Applied, Crosswalk, Review, Rulings

__all__ = [
    "Applied", "Codebook", "Crosswalk", "Database", "IgualError", "IgualWarning", "ListError", "Lookalikes",
    "MatchIndex", "Matches", "Outcome", "OutputError", "PairList", "ReferenceList", "Review", "Rulebook",
    "RulebookError", "RulingError", "Rulings", "Survey", "TableError", "Tally", "__version__",
    "clean_names", "compare", "compare_lists", "count", "cross_table", "date_forms", "lookalikes", "match",
    "rules", "similarity", "survey", "tally",
]  # fmt: skip


def __getattr__(name: str) -> Any:
    """Load the public names when they are first used, so that the command line starts fast."""
    import importlib

    if name in ("rules", "similarity"):
        return importlib.import_module(f"igual.{name}")
    if name == "__version__":
        from importlib.metadata import version

        return version("igual")
    if name.endswith(("Error", "Warning")) and name in __all__:
        return getattr(importlib.import_module("igual.core.errors"), name)
    if name in ("Applied", "Crosswalk", "Review", "Rulings"):
        return getattr(importlib.import_module("igual.decisions"), name)
    if name == "Database":
        return importlib.import_module("igual.databases").Database
    if name in __all__:
        return getattr(importlib.import_module("igual.api"), name)
    raise AttributeError(f"module 'igual' has no attribute {name!r}")


def __dir__() -> list[str]:
    return sorted(__all__)
