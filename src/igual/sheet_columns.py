"""The columns of sheets that go out to a steward and come back."""

from __future__ import annotations

# What stands in a row of a sheet.
SHEET = (
    "column", "value", "shown", "rows", "proposal", "score", "why", "runners-up", "ruling", "reason",
)  # fmt: skip
# A column more behind the value, for what stands beside it where that counts.
WITHIN_SHEET = (*SHEET[:2], "within", *SHEET[2:])
# That of a page to decide on also says what the page was made for.
MADE_FOR = "made for"
PAGE_SHEET = (*WITHIN_SHEET, "kind", MADE_FOR)
# A sheet with questions on kinds has two more: the kind, whose words stand in the place of the value, and its values.
KIND_SHEET = ("column", "kind", "value", "values", "rows", "why", "ruling", "reason")
