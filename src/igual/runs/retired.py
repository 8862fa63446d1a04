"""Which values that a rule left unknown or open a later rule has found: of these nothing is left to do."""

from __future__ import annotations

import numpy as np

from igual.column import Mask, to_mask
from igual.matching.matched import SETTLED
from igual.runs.stages import Stage
from igual.runs.trail import ColumnTrail
from igual.text.blanks import is_blank


def mark_retired(stage: Stage, trail: ColumnTrail | None) -> Mask:
    """Mark the values that a rule passed on as they were, and that a later rule of the column has found.

    Args:
        stage: The rule's work.
        trail: The column that it wrote, as all rules have left it; None where it is gone.

    Returns:
        A flag for each value that the rule met, (met,). Where a value went on in several contexts, all must be found.
    """
    retired = np.zeros(len(stage.changed), np.bool_)
    stages = trail.stages if trail is not None else ()
    own = next((place for place, one in enumerate(stages) if one.changed is stage.changed), None)
    if own is None or own == len(stages) - 1:
        return retired
    positions = stages[own].positions
    is_found = np.zeros(len(positions), np.bool_)
    for later in stages[own + 1 :]:
        if later.target == stage.target and (found := _mark_found(later)) is not None:
            is_found |= found[later.positions]
    left = np.bincount(positions, ~is_found, len(retired))
    # What a rule put in the place of a value hides it from later ones.
    retired[:] = (left == 0) & ~stage.changed
    return retired


def _mark_found(stage: Stage) -> Mask | None:
    """Mark the values that a rule looked up, or read, and found; None where it does neither."""
    details = stage.details
    if details.matched is not None and details.was_matched is not None:
        found = np.zeros(len(stage.changed), np.bool_)
        found[details.was_matched] = details.matched.status == SETTLED
        return found
    misses = [mask for mask in (details.unknown, details.unread) if mask is not None]
    if not misses:
        return None
    if stage.rule.condition is not None:
        # Values that the condition leaves out were not looked up: only those that came out changed certainly were.
        looked_up = stage.changed
    else:
        looked_up = to_mask(stage.before.is_valid()) & ~is_blank(stage.before)
    hits: Mask = looked_up & ~np.logical_or.reduce(misses)
    return hits
