"""What a gate finds: values that aren't settled, labelled, listed or in form, one finding a rule and column."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from typing import NamedTuple

import pyarrow as pa

from igual.core.crosswalk import Crosswalk
from igual.core.errors import RulebookError, did_you_mean
from igual.core.outcome import Outcome

KINDS = {
    "open": "wait for a person",
    "unlisted": "are not in the list",
    "unlabelled": "have no label",
    "unread": "can't be read in the stated form",
    "undecided": "mention several entries, or none",
    "ruled out": "are ruled not to be in the list",
    "unfit": "don't meet a check",
    "stale": "have a ruling that the list no longer knows",
    "changed": "come out differently than before",
}
# Shares of clean values that moved by less aren't worth a line.
_MOVED = 0.02


class Found(NamedTuple):
    """A value of a finding: rows that have it, and the nearest entry or what is proposed."""

    value: str | None
    rows: int
    near: str | None = None


class Finding(NamedTuple):
    """What is not in order about a column: values of one kind that one rule or check found, most rows first.

    by: such as 'rule 3' or 'check 1'. rows: of all values. share: of the table's rows.
    """

    kind: str
    column: str
    by: str
    values: tuple[Found, ...]
    rows: int
    share: float


class Since(NamedTuple):
    """A column beside what it was: raw values that are new, vanished or come out differently, and shares.

    changed: raw value, what it became before, what it becomes now, rows. moved: clean values with their shares
    before and now, farthest moved first.
    """

    column: str
    new: tuple[Found, ...]
    vanished: tuple[Found, ...]
    changed: tuple[tuple[str, str | None, str | None, int], ...]
    moved: tuple[tuple[str, float, float], ...]


def findings_of(outcome: Outcome, rows: int, stale: Iterable[tuple[str, str]] = ()) -> list[Finding]:
    """All findings of an outcome, in the order of rules and checks. stale: columns and values of stale rulings."""
    grouped: dict[tuple[str, str, str], list[Found]] = {}
    for unknown in outcome.unknown:
        near = Found(unknown.value, unknown.rows, unknown.near)
        grouped.setdefault((unknown.kind, unknown.column, f"rule {unknown.rule}"), []).append(near)
    for one in outcome.open:
        perhaps = Found(one.value, one.rows, one.proposal)
        grouped.setdefault(("open", one.column, f"rule {one.rule}"), []).append(perhaps)
    for unfit in outcome.unfit:
        grouped.setdefault(("unfit", unfit.column, f"check {unfit.check}"), []).append(
            Found(unfit.value, unfit.rows)
        )
    for column, value in stale:
        grouped.setdefault(("stale", column, "the file of rulings"), []).append(Found(value, 0))
    found = []
    for (kind, column, by), values in grouped.items():
        many = sum(value.rows for value in values)
        found.append(Finding(kind, column, by, tuple(values), many, many / rows if rows else 0.0))
    return sorted(
        found, key=lambda one: (one.by.split()[0] == "check", _number(one.by), one.column, one.kind)
    )


def _number(by: str) -> int:
    last = by.split()[-1]
    return int(last) if last.isdecimal() else 0


class Allowed(NamedTuple):
    """How much of a kind passes: so many rows, or such a share of them."""

    kind: str
    rows: int | None
    share: float | None

    def passes(self, rows: int, share: float) -> bool:
        return rows <= self.rows if self.rows is not None else share <= (self.share or 0) + 1e-12


def allowance(text: str) -> Allowed:
    """Read what is allowed, such as 'open=12' (rows) or 'unlisted=0.5%'.

    >>> allowance("open=0.5%")
    Allowed(kind='open', rows=None, share=0.005)
    """
    kind, equals, much = (part.strip() for part in text.partition("="))
    if kind not in KINDS:
        raise RulebookError(f"no finding is called {kind!r}{did_you_mean(kind, KINDS)}")
    number = much.removesuffix("%").strip()
    try:
        given = float(number) if equals else -1.0
    except ValueError:
        given = -1.0
    if not 0 <= given < float("inf") or (not much.endswith("%") and given != int(given)):
        raise RulebookError(f"{text!r}: give a number of rows ({kind}=12), or a share of them ({kind}=0.5%)")
    if much.endswith("%"):
        return Allowed(kind, None, given / 100)
    return Allowed(kind, int(given), None)


def beyond(findings: Sequence[Finding], allowed: Mapping[str, Allowed]) -> list[Finding]:
    """The findings of kinds of which there is more than is allowed."""
    rows: dict[str, int] = {}
    shares: dict[str, float] = {}
    for one in findings:
        rows[one.kind] = rows.get(one.kind, 0) + one.rows
        shares[one.kind] = shares.get(one.kind, 0.0) + one.share
    return [
        one
        for one in findings
        if one.kind not in allowed or not allowed[one.kind].passes(rows[one.kind], shares[one.kind])
    ]


def since(before: Crosswalk, now: Crosswalk) -> list[Since]:
    """What became of each column since an earlier run; only columns that both have."""
    found = []
    for column in now.columns:
        if column not in before.columns:
            continue
        old, new = _by_raw(before.of(column)), _by_raw(now.of(column))
        appeared = [Found(raw, rows) for (raw, given), (_, rows) in new.items() if (raw, given) not in old]
        gone = [Found(raw, rows) for (raw, given), (_, rows) in old.items() if (raw, given) not in new]
        changed = [
            (raw, old[raw, given][0], clean, rows)
            for (raw, given), (clean, rows) in new.items()
            if (raw, given) in old and (old[raw, given][0] or "") != (clean or "")
        ]
        moved = _moved(_shares(old.values()), _shares(new.values()))
        found.append(
            Since(
                column,
                tuple(sorted(appeared, key=lambda one: (-one.rows, one.value or ""))),
                tuple(sorted(gone, key=lambda one: (-one.rows, one.value or ""))),
                tuple(sorted(changed, key=lambda one: (-one[3], one[0]))),
                moved,
            )
        )
    return found


def _by_raw(part: pa.Table) -> dict[tuple[str, str], tuple[str | None, int]]:
    cells = (part[name].to_pylist() for name in ("raw", "given", "clean", "rows"))
    return {
        (raw, given or ""): (clean, rows)
        for raw, given, clean, rows in zip(*cells, strict=True)
        if raw is not None
    }


def _shares(made: Iterable[tuple[str | None, int]]) -> dict[str, float]:
    rows: dict[str, int] = {}
    for clean, many in made:
        rows[clean or ""] = rows.get(clean or "", 0) + many
    whole = sum(rows.values())
    return {clean: many / whole for clean, many in rows.items()} if whole else {}


def _moved(old: Mapping[str, float], new: Mapping[str, float]) -> tuple[tuple[str, float, float], ...]:
    both = [(clean, old.get(clean, 0.0), new.get(clean, 0.0)) for clean in {**old, **new}]
    far = [one for one in both if abs(one[1] - one[2]) >= _MOVED]
    return tuple(sorted(far, key=lambda one: (-abs(one[1] - one[2]), one[0])))
