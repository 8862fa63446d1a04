"""The DataFrames that results give: which columns, and what stands in them."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from itertools import islice
from typing import TYPE_CHECKING, Any

from igual.decisions import COLUMNS as RULING_COLUMNS
from igual.decisions import KIND_COLUMN, WITHIN_COLUMN
from igual.learning.learned import Learned
from igual.lists import Codebook, PairList, ReferenceList
from igual.looking.lookalikes import Lookalikes
from igual.looking.survey import Survey
from igual.looking.tally import Tally
from igual.matching.matches import Matches
from igual.report import records
from igual.report.learned_views import VALUES, list_values
from igual.report.review_views import format_effect
from igual.rulings import Rulings
from igual.runs.crosswalk import Applied, Crosswalk
from igual.runs.draft import Draft
from igual.runs.outcome import Outcome
from igual.runs.preview import Preview
from igual.runs.review import Review
from igual.runs.rulebook import Rulebook

if TYPE_CHECKING:
    import pandas as pd

_Build = tuple[Sequence[str], Callable[[Any], records.Records]]
_TAKEN = ("row", "column", "value", "ruling", "rows", "effect", "within")


def _list_taken(review: Review) -> records.Records:
    return [
        dict(
            zip(
                _TAKEN,
                (
                    row.row,
                    row.ruling.column,
                    row.ruling.value,
                    row.ruling.ruling,
                    row.rows,
                    format_effect(row),
                    row.ruling.within,
                ),
                strict=True,
            )
        )
        for row in review.accepted
    ]


_FRAMES: Mapping[tuple[type, str], _Build] = {
    (Survey, "columns"): (records.COLUMNS, records.list_columns),
    (Survey, "oddities"): (records.ODDITIES, records.list_oddities),
    (Tally, "table"): (records.TALLY, lambda tally: records.list_tally(tally)[: tally.top]),
    (Matches, "candidates"): (records.CANDIDATES, records.list_candidates),
    (Lookalikes, "table"): (records.LOOKALIKES, lambda found: records.list_lookalikes(found.members)),
    (Learned, "table"): (VALUES, list_values),
    (Draft, "table"): (
        ("certain", "rows", "column", "do", "note"),
        lambda draft: [
            {
                "certain": one.is_certain,
                "rows": one.rows,
                "column": ", ".join(one.rule.columns),
                "do": one.rule.do,
                "note": one.rule.note,
            }
            for one in draft.drafted
        ],
    ),
    (Lookalikes, "weaker"): (records.RELATED, lambda found: records.list_related(found.related)),
    (Lookalikes, "rulings"): (RULING_COLUMNS, lambda found: records.list_as_rulings(found.members, "")),
    (Outcome, "headers"): (records.RESTYLED, lambda outcome: records.to_records(outcome.restyled)),
    (Outcome, "effects"): (records.EFFECTS, lambda outcome: records.to_records(outcome.account.effects)),
    (Outcome, "unknown"): (records.UNKNOWN, lambda outcome: records.list_unknown(outcome.account)),
    (Outcome, "open"): (records.OPEN, lambda outcome: records.list_open(outcome.account.open)),
    (Outcome, "unfit"): (records.UNFIT, lambda outcome: records.to_records(outcome.account.unfit)),
    (Outcome, "unused"): (records.UNUSED, lambda outcome: records.list_unused(outcome.account)),
    (Outcome, "near_misses"): (
        records.NEAR_MISSES,
        lambda outcome: records.list_near_misses(outcome.account),
    ),
    (Outcome, "hints"): (records.HINTS, lambda outcome: records.list_hints(outcome.hints)),
    (Preview, "table"): (
        records.CHANGES,
        lambda preview: records.to_records([change for rule in preview.rules for change in rule.changes]),
    ),
    (Rulings, "table"): (
        (*RULING_COLUMNS, KIND_COLUMN, WITHIN_COLUMN),
        lambda rulings: records.to_records(rulings.rulings),
    ),
    (Review, "taken"): (_TAKEN, _list_taken),
    (Review, "refused"): (records.REJECTED, lambda review: records.to_records(review.rejected)),
    (Applied, "unknown"): (("column", "value", "rows", "why"), lambda a: records.to_records(a.not_known)),
}


def to_frame(rows: Sequence[Mapping[str, Any]], columns: Sequence[str]) -> pd.DataFrame:
    """Make a DataFrame of records, with its columns even where there are none.

    Args:
        rows: The records.
        columns: The columns, in order.

    Returns:
        The DataFrame.
    """
    import pandas as pd

    return pd.DataFrame(rows, columns=list(columns))


def build_frame(result: Any, name: str) -> pd.DataFrame:
    """Build one of the DataFrames of a result.

    Args:
        result: The result.
        name: What its class calls the DataFrame.

    Returns:
        The DataFrame.
    """
    if isinstance(result, Matches) and name == "table":
        import pandas as pd

        return pd.DataFrame(records.match_columns(result))
    columns, list_records = _FRAMES[type(result), name]
    return to_frame(list_records(result), columns)


def list_frames(result: Any, most: int = 20) -> list[tuple[str, pd.DataFrame, int]]:
    """List the DataFrames that a notebook shows of a result, a list, a rulebook or a crosswalk.

    Args:
        result: What is shown.
        most: How many rows are needed of each.

    Returns:
        Titles, DataFrames with the first rows at least, and how many rows there are.
    """
    if type(result) in _KEPT:
        title, count, names, rows = _KEPT[type(result)](result, most)
        return [(title, to_frame([dict(zip(names, row, strict=True)) for row in rows], names), count)]
    titles = {
        Draft: {"Drafted rules": "table"},
        Learned: {"What becomes of the values": "table"},
        Survey: {"Columns": "columns", "What is odd": "oddities"},
        Tally: {"Values": "table"},
        Matches: {"Matches": "table"},
        Lookalikes: {"Lookalikes": "table"},
        Rulings: {"Rulings": "table"},
        Review: {"Taken": "taken", "Not taken": "refused"},
        Applied: {"Not in the crosswalk": "unknown"},
        Outcome: {
            "What each rule changed": "effects",
            "Unknown": "unknown",
            "Open": "open",
            "Hints": "hints",
        },
    }
    frames = [(title, build_frame(result, name)) for title, name in titles[type(result)].items()]
    return [(title, frame, len(frame)) for title, frame in frames]


# What is kept rather than found: its title, how many rows it has, their names, and the first of them.
_Kept = tuple[str, int, Sequence[str], Iterable[Sequence[Any]]]


def _first_entries(kept: ReferenceList, most: int) -> _Kept:
    names = ("entry", "aliases", *kept.attributes)
    rows = [
        (
            entry,
            ", ".join(kept.aliases.get(entry, ())),
            *(column[place] for column in kept.attributes.values()),
        )
        for place, entry in enumerate(kept.values[:most])
    ]
    return "Entries", len(kept.values), names, rows


def _first_codes(kept: Codebook, most: int) -> _Kept:
    return "Codes", len(kept.labels), ("code", "label"), islice(kept.labels.items(), most)


def _first_pairs(kept: PairList, most: int) -> _Kept:
    return "Pairs", len(kept.pairs), ("from", "to"), islice(kept.pairs.items(), most)


def _first_rules(kept: Rulebook, most: int) -> _Kept:
    rows = []
    for number, rule in enumerate(kept.rules[:most], 1):
        words = {
            word: given
            for word, given in rule.dump_words().items()
            if word not in ("column", "columns", "do")
        }
        said = ", ".join(f"{word} = {given}" for word, given in words.items())
        rows.append((number, rule.do, ", ".join(rule.columns), said))
    return "Rules", len(kept.rules), ("rule", "do", "columns", "words"), rows


def _first_raw_values(kept: Crosswalk, most: int) -> _Kept:
    names = ("column", "raw", "clean", "rows", "how")
    first = kept.table.select(list(names)).slice(0, most).to_pylist()
    return "Crosswalk", len(kept.table), names, [tuple(row.values()) for row in first]


_KEPT: Mapping[type, Callable[[Any, int], _Kept]] = {
    ReferenceList: _first_entries,
    Codebook: _first_codes,
    PairList: _first_pairs,
    Rulebook: _first_rules,
    Crosswalk: _first_raw_values,
}
