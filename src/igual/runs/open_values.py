"""Values that need a decision: what is proposed for each, and why it isn't settled."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
import pyarrow as pa

from igual.column import Mask
from igual.decisions import fold_contexts, join_context
from igual.matching.lookups import How
from igual.matching.matched import OPEN, UNKNOWN, Matched
from igual.matching.questions import is_rival
from igual.matching.reasons import OF_LOOK_UP, Reasons
from igual.rules.kinds import UNLISTED
from igual.runs.stages import Stage

# Column, value and what stands beside it.
Key = tuple[str, str, str]
NOTHING_NEAR: Reasons = (OF_LOOK_UP[How.NONE],)


class OpenValue(NamedTuple):
    """A value that needs a decision, with what is proposed and why.

    Attributes:
        rule: The rule's place in the rulebook, from 1.
        column: The column.
        value: The value.
        rows: How many rows have it.
        proposal: The likeliest entry; '' where none comes near.
        score: How likely it is meant, 0 to 1.
        reasons: Why it is proposed, and why it isn't settled.
        runners_up: The other entries that may be meant, most likely first, and their scores.
        within: What stands beside it, where that restricts the entries: a value is open once in each context.
    """

    rule: int
    column: str
    value: str
    rows: int
    proposal: str
    score: float
    reasons: Reasons
    runners_up: tuple[tuple[str, float], ...]
    within: str = ""

    @property
    def key(self) -> Key:
        """What tells it from other open values."""
        return self.column, self.value, self.within

    @property
    def rival(self) -> str:
        """Another entry that is at least a quarter as likely; '' for none."""
        entry, score = self.runners_up[0] if self.runners_up else ("", 0.0)
        return entry if is_rival(self.score, score) else ""


def list_open(stage: Stage, of_list: str, retired: Mask) -> list[OpenValue]:
    """List the open values of a rule's work.

    Args:
        stage: The rule's work.
        of_list: The name of its list, where the column is matched to several.
        retired: The values that a later rule has found, (met,).

    Returns:
        Each value once in each context, most rows first.
    """
    matched = stage.details.matched
    if matched is None:
        return []
    return _list_waiting(stage, of_list, matched, (matched.status == OPEN) & _mark_left(stage, retired))


def list_unlisted(stage: Stage, of_list: str, retired: Mask) -> list[OpenValue] | None:
    """List the values of a rule's work that no entry of their context comes near, and that nobody has ruled on.

    Args:
        stage: The rule's work.
        of_list: The name of its list, where the column is matched to several.
        retired: The values that a later rule has found, (met,).

    Returns:
        Each value once in each context, most rows first; None where nothing stands beside them, or the rule leaves
        no value unlisted.
    """
    matched = stage.details.matched
    if matched is None or stage.rule.unknown_kind != UNLISTED or (matched.within is None and not of_list):
        return None
    is_unruled = (matched.status == UNKNOWN) & (matched.how != How.RULING)
    return _list_waiting(stage, of_list, matched, is_unruled & _mark_left(stage, retired))


def _mark_left(stage: Stage, retired: Mask) -> Mask:
    """Which of the matched values no later rule has found, (matched,)."""
    was_matched = stage.details.was_matched
    left: Mask = ~retired if was_matched is None else ~retired[was_matched]
    return left


def _list_waiting(stage: Stage, of_list: str, matched: Matched, is_waiting: Mask) -> list[OpenValue]:
    # A rule that looks at other columns meets a value once for each combination.
    positions = np.flatnonzero(is_waiting)
    some, rows = pa.array(positions), stage.rows[stage.details.was_matched][positions]
    values = matched.values.take(some).to_pylist()
    contexts = [""] * len(values) if matched.within is None else matched.within.take(some).to_pylist()
    names = stage.rewriter.entries
    waiting: dict[tuple[str, str], OpenValue] = {}
    for position, value, beside, folded, count in zip(
        positions.tolist(), values, contexts, fold_contexts(contexts), rows.tolist(), strict=True
    ):
        if (known := waiting.get((value, folded))) is not None:
            waiting[value, folded] = known._replace(rows=known.rows + count)
            continue
        proposed = [(names[entry], score) for entry, score in matched.rank_candidates(position)]
        reasons = matched.reasons_of(position)
        if matched.status[position] != OPEN:
            proposed = [("", 0.0)]
            reasons = (*NOTHING_NEAR, *(one for one in reasons if one.kind == "elsewhere"))
        about = stage.number, stage.target, value, count
        within = join_context(of_list, beside)
        waiting[value, folded] = OpenValue(*about, *proposed[0], reasons, tuple(proposed[1:]), within)
    return sorted(waiting.values(), key=lambda one: (-one.rows, one.value, one.within))
