"""Rules that look at another column change one value of several rows in some of these only."""

from __future__ import annotations

import pandas as pd
import pytest

from igual import Rulebook
from igual.errors import RulebookError
from igual.rules import Case, Replace


def test_values_that_a_condition_leaves_alone_are_still_counted_once() -> None:
    table = pd.DataFrame(
        {"firm": ["pell"] * 20 + [f"firm {n}" for n in range(20)], "site": [f"site {n}" for n in range(40)]}
    )
    only = Replace(column="firm", pairs={"pell": "quay"}, when={"column": "site", "equals": "site 0"})
    applied = Rulebook([only, Case(column="firm", style="upper")]).apply(table)
    assert applied.table["firm"].tolist() == ["QUAY", *["PELL"] * 19, *(f"FIRM {n}" for n in range(20))]
    # quay, pell and the twenty others.
    assert applied.account.effects[1].values == 22


def test_a_cascade_refuses_a_column_that_it_would_make_far_larger() -> None:
    table = {"firm": [f"{n:03} " + "a" * 1_000 for n in range(400)]}
    grow = Replace(column="firm", pairs={"a": "b" * 900, "x": "y"}, cascade=True)
    with pytest.raises(RulebookError, match="bytes of distinct values"):
        Rulebook([grow]).apply(table)
