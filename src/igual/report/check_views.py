"""What a gate found, one line a finding."""

from __future__ import annotations

from collections.abc import Sequence

from rich.text import Text

from igual.report.records import format_found_by
from igual.report.wording import format_count, format_examples, quote_value
from igual.runs.findings import KINDS, Finding, FoundValue, Since


def finding_line(one: Finding, allowed: bool = False) -> Text:
    """One finding: column, how many values and rows, what is wrong, and the first examples."""
    what = format_finding_kind(one)
    rows = f" ({format_count(one.rows, 'row')}, {100 * one.share:.1f} %)" if one.rows else ""
    return Text.assemble(
        (f"{one.column}: ", "bold"),
        f"{format_count(len(one.values), 'value')}{rows} {what}",
        (f", found by {format_found_by(one.by)}" if one.by.kind else "", "dim"),
        f": {format_found_examples(one.values)}",
        ("  (allowed)" if allowed else "", "green"),
    )


def format_finding_kind(one: Finding) -> str:
    """What is the matter with the values of a finding."""
    kind = next((known for known in KINDS if known.name == one.kind), None)
    return one.kind if kind is None else kind.one if len(one.values) == 1 else kind.several


def format_found_examples(values: Sequence[FoundValue]) -> str:
    """The first values of a finding."""
    return format_examples([_example(one) for one in values[:3]], len(values))


def _example(one: FoundValue) -> str:
    if one.before is not None or one.now is not None:
        return f"{quote_value(one.value)}: {quote_value(one.before)} → {quote_value(one.now)}"
    return quote_value(one.value) + (f" ({quote_value(' or '.join(one.near))}?)" if one.near else "")


def since_lines(changes: Sequence[Since]) -> list[Text]:
    """What is new, gone or moved since an earlier run, a line a column; nothing for columns where nothing is."""
    lines = []
    for one in changes:
        said = []
        for what, values in (("new", one.new), ("gone", one.vanished)):
            if values:
                rows = format_count(sum(value.rows for value in values), "row")
                said.append(
                    f"{format_count(len(values), 'raw value')} {what} ({rows}): {format_found_examples(values)}"
                )
        if one.are_identifiers:
            said.append("nearly every row has a value of its own; which are new or gone is left out")
        if one.moved:
            moves = [
                f"{quote_value(clean)} {100 * old:.1f} → {100 * new:.1f} %" for clean, old, new in one.moved
            ]
            said.append(f"shares moved: {format_examples(moves)}")
        if said:
            lines.append(Text.assemble((f"{one.column}: ", "bold"), ("since then ", "dim"), "; ".join(said)))
    return lines
