"""What a gate found, one line a finding."""

from __future__ import annotations

from collections.abc import Sequence

from rich.text import Text

from igual.core.findings import KINDS, Finding, Found, Since
from igual.core.text.saying import counted, examples, quoted


def finding_line(one: Finding, allowed: bool = False) -> Text:
    """One finding: column, how many values and rows, what is wrong, and the first examples."""
    what = KINDS[one.kind]
    if len(one.values) == 1:
        what = _singular(what)
    rows = f" ({counted(one.rows, 'row')}, {100 * one.share:.1f} %)" if one.rows else ""
    return Text.assemble(
        (f"{one.column}: ", "bold"),
        f"{counted(len(one.values), 'value')}{rows} {what}",
        (f", says {one.by}" if one.by else "", "dim"),
        f": {_examples(one.values)}",
        ("  (allowed)" if allowed else "", "green"),
    )


def _singular(what: str) -> str:
    for several, single in (("are ", "is "), ("have ", "has "), ("don't ", "doesn't "), ("wait ", "waits "),
                            ("mention ", "mentions "), ("come ", "comes ")):  # fmt: skip
        if what.startswith(several):
            return single + what.removeprefix(several)
    return what


def _examples(values: Sequence[Found]) -> str:
    said = [quoted(one.value) + (f" ({quoted(one.near)}?)" if one.near else "") for one in values[:3]]
    return examples(said, len(values))


def since_lines(found: Sequence[Since]) -> list[Text]:
    """What is new, gone or moved since an earlier run, a line a column; nothing for columns where nothing is."""
    lines = []
    for one in found:
        said = []
        for what, values in (("new", one.new), ("gone", one.vanished)):
            if values:
                rows = counted(sum(value.rows for value in values), "row")
                said.append(f"{counted(len(values), 'raw value')} {what} ({rows}): {_examples(values)}")
        if one.moved:
            moves = [f"{quoted(clean)} {100 * old:.1f} → {100 * new:.1f} %" for clean, old, new in one.moved]
            said.append(f"shares moved: {examples(moves)}")
        if said:
            lines.append(Text.assemble((f"{one.column}: ", "bold"), ("since then ", "dim"), "; ".join(said)))
    return lines


def changed_finding(one: Since, rows: int) -> Finding | None:
    """Raw values that come out differently than before, as a finding."""
    if not one.changed:
        return None
    values = tuple(Found(f"{raw}: {old} → {new}", many) for raw, old, new, many in one.changed)
    many = sum(value.rows for value in values)
    return Finding("changed", one.column, "", values, many, many / rows if rows else 0.0)
