"""What a gate finds: values that aren't settled, labelled, listed or in form, one finding a rule and column."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from typing import NamedTuple

import pyarrow as pa

from igual.decisions import Ruling
from igual.errors import RulebookError, did_you_mean
from igual.rules.kinds import OPEN, RULED_OUT, UNDECIDED, UNLABELLED, UNLISTED, UNREAD, ValueKind
from igual.runs.account import Account
from igual.runs.crosswalk import Crosswalk

UNFIT = ValueKind("unfit", "doesn't meet a check", "don't meet a check")
STALE = ValueKind(
    "stale", "has a ruling that the list no longer knows", "have a ruling that the list no longer knows"
)
CHANGED = ValueKind("changed", "comes out differently than before", "come out differently than before")
KINDS = (OPEN, UNLISTED, UNLABELLED, UNREAD, UNDECIDED, RULED_OUT, UNFIT, STALE, CHANGED)
# Shares of clean values that moved by less aren't worth a line.
_MOVED = 0.02
# So many values are identifiers where at least this share of the rows has one of its own.
_MIN_IDENTIFIERS, _OWN_VALUES = 50, 0.95


class FoundValue(NamedTuple):
    """A value of a finding.

    Attributes:
        value: The value.
        rows: How many rows have it.
        near: The nearest entries, or what is proposed.
        before: What it became before, for values that come out differently.
        now: What it becomes now, for the same.
    """

    value: str | None
    rows: int
    near: tuple[str, ...] = ()
    before: str | None = None
    now: str | None = None


class FoundBy(NamedTuple):
    """What has found something.

    Attributes:
        kind: 'rule', 'check', 'rulings', or '' for a comparison with before.
        number: The place in the rulebook, from 1; 0 for the others.
    """

    kind: str
    number: int = 0


class Finding(NamedTuple):
    """What is not in order about a column: values of one kind that one rule or check found, most rows first.

    Attributes:
        kind: What is the matter; see the names of KINDS.
        column: The column.
        by: What has found it.
        values: The values.
        rows: Of all values.
        share: Of the table's rows, 0 to 1.
    """

    kind: str
    column: str
    by: FoundBy
    values: tuple[FoundValue, ...]
    rows: int
    share: float


class ChangedValue(NamedTuple):
    """A raw value that comes out differently than before.

    Attributes:
        value: The raw value.
        before: What it became before.
        now: What it becomes now.
        rows: How many rows have it now.
    """

    value: str
    before: str | None
    now: str | None
    rows: int


class Since(NamedTuple):
    """A column beside what it was.

    Attributes:
        column: The column.
        new: Raw values that weren't there before.
        vanished: Raw values that are gone.
        changed: Raw values that come out differently, most rows first.
        moved: Clean values with their shares before and now, farthest moved first.
        are_identifiers: Whether nearly every row has a value of its own, before and now: which of them are new or gone
            is left out.
    """

    column: str
    new: tuple[FoundValue, ...]
    vanished: tuple[FoundValue, ...]
    changed: tuple[ChangedValue, ...]
    moved: tuple[tuple[str, float, float], ...]
    are_identifiers: bool = False


def list_findings(account: Account, rows: int, stale: Iterable[Ruling] = ()) -> list[Finding]:
    """List everything that is not in order in an account.

    Args:
        account: The account of a run.
        rows: How many rows the table has.
        stale: Rulings that can no longer be applied.

    Returns:
        The findings, in the order of rules and checks.
    """
    grouped: dict[tuple[str, str, FoundBy], list[FoundValue]] = {}

    def add(kind: str, column: str, by: FoundBy, value: FoundValue) -> None:
        grouped.setdefault((kind, column, by), []).append(value)

    for unknown in account.unknown:
        value = FoundValue(unknown.value, unknown.rows, unknown.near)
        add(unknown.kind, unknown.column, FoundBy("rule", unknown.rule), value)
    for waiting in account.open:
        value = FoundValue(waiting.value, waiting.rows, (waiting.proposal,))
        add(OPEN.name, waiting.column, FoundBy("rule", waiting.rule), value)
    for unfit in account.unfit:
        value = FoundValue(unfit.value, unfit.rows)
        add(UNFIT.name, unfit.column, FoundBy("check", unfit.check), value)
    for ruling in stale:
        add(STALE.name, ruling.column, FoundBy("rulings"), FoundValue(ruling.value, 0))
    findings = []
    for (kind, column, by), values in grouped.items():
        total = sum(value.rows for value in values)
        findings.append(Finding(kind, column, by, tuple(values), total, total / rows if rows else 0.0))
    return sorted(findings, key=lambda one: (one.by.kind == "check", one.by.number, one.column, one.kind))


def find_changed(compared: Since, rows: int) -> Finding | None:
    """Make a finding of the raw values that come out differently than before.

    Args:
        compared: The column beside what it was.
        rows: How many rows the table has.

    Returns:
        The finding; None where all come out the same.
    """
    if not compared.changed:
        return None
    values = tuple(FoundValue(one.value, one.rows, (), one.before, one.now) for one in compared.changed)
    total = sum(value.rows for value in values)
    return Finding(CHANGED.name, compared.column, FoundBy(""), values, total, total / rows if rows else 0.0)


class Allowed(NamedTuple):
    """How much of a kind passes.

    Attributes:
        kind: The kind of finding.
        rows: How many rows; None where a share is given.
        share: Which share of the rows, 0 to 1; None where rows are given.
    """

    kind: str
    rows: int | None
    share: float | None

    def passes(self, rows: int, share: float) -> bool:
        """Tell whether so many rows, or such a share of them, pass."""
        return rows <= self.rows if self.rows is not None else share <= (self.share or 0) + 1e-12


def read_allowance(text: str) -> Allowed:
    """Read what is allowed, such as 'open=12' (rows) or 'unlisted=0.5%'.

    Example:
        >>> read_allowance("open=0.5%")
        Allowed(kind='open', rows=None, share=0.005)
    """
    kind, equals, much = (part.strip() for part in text.partition("="))
    names = [known.name for known in KINDS]
    if kind not in names:
        raise RulebookError(f"no finding is called {kind!r}{did_you_mean(kind, names)}")
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


def exceed_allowance(findings: Sequence[Finding], allowed: Mapping[str, Allowed]) -> list[Finding]:
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


def compare_crosswalks(before: Crosswalk, now: Crosswalk) -> list[Since]:
    """What became of each column since an earlier run; only columns that both have."""
    compared = []
    for column in now.columns:
        if column not in before.columns:
            continue
        old, new = _by_raw(before.of_column(column)), _by_raw(now.of_column(column))
        old_rows, new_rows = _count_raw(old), _count_raw(new)
        # Of identifiers each month has its own, and nobody would read the list of them.
        are_identifiers = _are_identifiers(old_rows) and _are_identifiers(new_rows)
        appeared, gone = (
            [FoundValue(raw, rows) for raw, rows in some.items() if raw not in others and not are_identifiers]
            for some, others in ((new_rows, old_rows), (old_rows, new_rows))
        )
        # What waited before and is ruled now does not come out differently: it comes out at last.
        changed = [
            ChangedValue(raw, old[raw, given].clean, now_.clean, now_.rows)
            for (raw, given), now_ in new.items()
            if (before_ := old.get((raw, given))) is not None
            and before_.settled
            and (before_.clean or "") != (now_.clean or "")
        ]
        moved = () if are_identifiers else _moved(_shares(old.values()), _shares(new.values()))
        compared.append(
            Since(
                column,
                tuple(sorted(appeared, key=lambda one: (-one.rows, one.value or ""))),
                tuple(sorted(gone, key=lambda one: (-one.rows, one.value or ""))),
                tuple(sorted(changed, key=lambda one: (-one.rows, one.value))),
                moved,
                are_identifiers,
            )
        )
    return compared


def _count_raw(rows: Mapping[tuple[str, str], _CleanRows]) -> dict[str, int]:
    """Rows of each raw value, whatever stands beside it."""
    counts: dict[str, int] = {}
    for (raw, _), one in rows.items():
        counts[raw] = counts.get(raw, 0) + one.rows
    return counts


def _are_identifiers(rows: Mapping[str, int]) -> bool:
    """Whether nearly every row has a value of its own."""
    return len(rows) >= _MIN_IDENTIFIERS and len(rows) >= _OWN_VALUES * sum(rows.values())


class _CleanRows(NamedTuple):
    clean: str | None
    rows: int
    settled: bool


def _by_raw(part: pa.Table) -> dict[tuple[str, str], _CleanRows]:
    cells = (part[name].to_pylist() for name in ("raw", "given", "clean", "rows", "settled"))
    return {
        (raw, given or ""): _CleanRows(clean, rows, settled)
        for raw, given, clean, rows, settled in zip(*cells, strict=True)
        if raw is not None
    }


def _shares(became: Iterable[_CleanRows]) -> dict[str, float]:
    rows: dict[str, int] = {}
    for clean, count, _ in became:
        rows[clean or ""] = rows.get(clean or "", 0) + count
    total = sum(rows.values())
    return {clean: count / total for clean, count in rows.items()} if total else {}


def _moved(old: Mapping[str, float], new: Mapping[str, float]) -> tuple[tuple[str, float, float], ...]:
    both = [(clean, old.get(clean, 0.0), new.get(clean, 0.0)) for clean in {**old, **new}]
    far = [one for one in both if abs(one[1] - one[2]) >= _MOVED]
    return tuple(sorted(far, key=lambda one: (-abs(one[1] - one[2]), one[0])))
