"""The trail of a run as a table: what each rule made of each distinct value."""

from __future__ import annotations

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from igual.column import TEXT
from igual.runs.trail import ColumnTrail

TRAIL_SCHEMA = {
    "column": TEXT, "raw": TEXT, "clean": TEXT, "rows": pa.int64(), "rules": TEXT, "steps": TEXT, "given": TEXT,
}  # fmt: skip


def make_trail_table(trail: ColumnTrail) -> pa.Table:
    """Make the rows of a column: what each rule made of each distinct raw value.

    Args:
        trail: The column, after all rules.

    Returns:
        A row for each distinct raw value; see TRAIL_SCHEMA.
    """
    values = trail.column.values
    nothing, glue = pa.scalar("", TEXT), pa.scalar("", TEXT)
    numbers, steps = [], [values.fill_null("")]
    for stage in trail.stages:
        positions = pa.array(stage.positions)
        changed = pa.array(stage.changed).take(positions)
        numbers.append(pc.if_else(changed, pa.scalar(f", {stage.number}", TEXT), nothing))
        lead = pa.scalar(f" → {stage.number} {stage.rule.do}: ", TEXT)
        made = pc.binary_join_element_wise(lead, stage.after.fill_null(""), glue)
        steps.append(pc.if_else(changed, made.take(positions), nothing))
    columns = [
        pa.array([trail.name], TEXT).take(pa.array(np.zeros(len(values), np.int32))),
        values,
        trail.clean,
        pa.array(trail.column.counts),
        pc.utf8_slice_codeunits(pc.binary_join_element_wise(*numbers, glue), start=len(", ")),
        pc.binary_join_element_wise(*steps, glue),
        trail.given,
    ]
    return pa.table(columns, schema=pa.schema(TRAIL_SCHEMA))
