"""The page of a run: what was read, what became of it, what is to be done."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import NamedTuple, TypeVar

from igual.matching.matched import OPEN, UNKNOWN
from igual.report.check_views import format_finding_kind, format_found_examples
from igual.report.hints import format_hints, name_rule
from igual.report.pages.flows import Spelling, draw_flow, draw_name
from igual.report.pages.parts import (
    MOST_VALUES,
    AnyCell,
    Cell,
    Figure,
    Figures,
    Flow,
    Grid,
    Lines,
    Page,
    Section,
    cut,
    draw,
    mark,
    number,
    quiet,
    score,
    share,
    share_room,
    value,
)
from igual.report.questions import format_question
from igual.report.reasons import format_reasons
from igual.report.records import format_found_by
from igual.report.wording import format_count
from igual.rules.kinds import OPEN as OPEN_KIND
from igual.runs.account import Account, UnknownValue
from igual.runs.crosswalk_rows import make_crosswalk_table
from igual.runs.findings import Finding, Since, list_findings
from igual.runs.hints import Hint
from igual.runs.open_values import OpenValue
from igual.runs.preview import make_preview

_MAX_QUESTIONS, _MOST_CHANGES, _MOST_HINTS = 1_000, 6, 60
# So many values to decide are in a page, and can be searched; grids of more rows than the second have a search.
_MAX_DUE, _MAX_SHORT = 20_000, 12
Due = TypeVar("Due", OpenValue, UnknownValue)
_OPEN_FLOWS = 1


class ReadFile(NamedTuple):
    """A file that was read.

    Attributes:
        what: What it is, such as 'table'.
        name: Its name.
        sha256: Its digest.
    """

    what: str
    name: str
    sha256: str


@dataclass(frozen=True)
class RunFacts:
    """What a page tells of a run besides its account.

    Attributes:
        rows: How many rows the table has.
        title: The heading.
        files: What was read.
        hints: Warnings worth reading.
        findings: What is not in order; None: what the account says.
        since: What became of each column since an earlier run; None where there is none to compare with.
        rulings: Who has ruled, and on how much.
    """

    rows: int
    title: str = "What the rules made of the table"
    files: Sequence[ReadFile] = ()
    hints: Sequence[Hint] = ()
    findings: Sequence[Finding] | None = None
    since: Sequence[Since] | None = None
    rulings: Mapping[str, int] = field(default_factory=dict)


def build_run_page(account: Account, facts: RunFacts) -> Page:
    """Build the page of a run.

    Args:
        account: The account of the run.
        facts: What else is known of it.

    Returns:
        The page.
    """
    findings = list_findings(account, facts.rows) if facts.findings is None else facts.findings
    sections = [
        Section("figures", "", (_count(account, facts.rows),)),
        _list_due(account, findings),
        _draw_flows(account),
        _list_rules(account),
        _list_crosswalk(account),
        Section(
            "hints",
            "Hints",
            (Lines(tuple(format_hints(facts.hints, _MOST_HINTS))),)
            if facts.hints
            else (Lines(("There is nothing to hint at.",)),),
        ),
        list_checks(findings, facts.rows),
    ]
    if facts.since is not None:
        sections.append(list_since(facts.since))
    return compose_page("A run", facts, sections)


def compose_page(kind: str, facts: RunFacts, sections: Sequence[Section]) -> Page:
    """Put a page together: its heading, what was read and who ruled, its sections.

    Args:
        kind: What it shows.
        facts: What is known of the run.
        sections: The sections.

    Returns:
        The page.
    """
    names: dict[str, list[str]] = {}
    for one in facts.files:
        names.setdefault(one.what, []).append(draw(one.name))
    about = [(what, ", ".join(some)) for what, some in names.items()]
    if facts.rulings:
        by = [
            f"{draw(name) if name else 'nobody named'} ({count:,})" for name, count in facts.rulings.items()
        ]
        about.append(("rulings by", ", ".join(by)))
    digests = tuple((draw(one.name), one.sha256) for one in facts.files)
    return Page(facts.title, kind, tuple(about), tuple(sections), digests)


def _count(account: Account, rows: int) -> Figures:
    before = after = touched = settled = 0
    for trail in account.trails.values():
        if any(stage.changed.any() for stage in trail.stages):
            touched += 1
            before += len(trail.column.values)
            after += len(trail.clean.unique())
    for stage in account.stages:
        matched = stage.details.matched
        if matched is not None:
            settled += int(((matched.status != OPEN) & (matched.status != UNKNOWN)).sum())
    return Figures(
        (
            Figure(f"{rows:,}", "rows"),
            Figure(f"{touched:,}", "columns touched"),
            Figure(f"{before:,} → {after:,}", "distinct values in them"),
            Figure(f"{settled:,}", "values settled by matching"),
            Figure(f"{len(account.open):,}", "open", bool(account.open)),
            Figure(
                f"{len(account.unknown):,}", "without a label, an entry or a reading", bool(account.unknown)
            ),
        )
    )


def _list_due(account: Account, findings: Sequence[Finding]) -> Section:
    """What needs a decision: by column, questions that settle many, open values, what has no label or entry."""
    if not findings:
        return Section("due", "To do", (), "Nothing: every value is settled, labelled and in form.")
    rows_of = _count_due_rows(account)
    parts = [_sum_up_columns(rows_of)] if rows_of else []
    kinds = [question for question in account.questions if question.cause is not None]
    if kinds:
        asked = [
            (
                Cell(format_question(one)),
                value(one.column),
                number(len(one.members)),
                number(one.rows),
            )
            for one in kinds
        ]
        shown, more = cut(asked, _MAX_QUESTIONS, "question")
        parts.append(
            Grid(
                "Questions of which one answer settles many",
                ("question", "column", "values#", "rows#"),
                shown,
                more,
                is_long=len(asked) > _MAX_SHORT,
            )
        )
    waiting = [
        (
            value(one.value),
            number(one.rows),
            value(f"{one.column}, within {one.within}" if one.within else one.column),
            value(one.proposal) if one.proposal else Cell("–", "q"),
            score(one.score if one.proposal else None),
            quiet(format_reasons(one.reasons, one.value, one.proposal)),
        )
        for one in _group_by_column(account.open, rows_of)
    ]
    if waiting:
        names = ("value", "rows#", "column", "perhaps", "score#", "why it is open")
        parts.append(
            _make_due_grid(
                f"Open: {format_count(len(account.open), 'value')}", names, waiting, len(account.open)
            )
        )
    unknown = [
        (
            value(one.value),
            number(one.rows),
            value(one.column),
            Cell(f"{one.kind}, rule {one.rule}"),
            value(" or ".join(one.near)) if one.near else Cell(""),
        )
        for one in _group_by_column(account.unknown, rows_of)
    ]
    if unknown:
        headings = ("value", "rows#", "column", "what", "nearest")
        title = f"Without a label, an entry or a reading: {format_count(len(account.unknown), 'value')}"
        parts.append(_make_due_grid(title, headings, unknown, len(account.unknown)))
    return Section("due", "To do", tuple(parts))


def _count_due_rows(account: Account) -> dict[str, dict[str, tuple[int, int]]]:
    """For each column, most rows first, the values and rows of each kind of thing to do."""
    counts: dict[str, dict[str, tuple[int, int]]] = {}
    due = [(one.column, OPEN_KIND.name, one.rows) for one in account.open]
    due += [(one.column, one.kind, one.rows) for one in account.unknown]
    for column, kind, count in due:
        of_column = counts.setdefault(column, {})
        values, rows = of_column.get(kind, (0, 0))
        of_column[kind] = values + 1, rows + count
    return dict(sorted(counts.items(), key=lambda item: (-_sum_rows(item[1]), item[0])))


def _sum_rows(kinds: Mapping[str, tuple[int, int]]) -> int:
    return sum(rows for _, rows in kinds.values())


def _sum_up_columns(rows_of: Mapping[str, Mapping[str, tuple[int, int]]]) -> Grid:
    rows = [
        (value(column), Cell(kind), number(values), number(count))
        for column, kinds in rows_of.items()
        for kind, (values, count) in kinds.items()
    ]
    headings = ("column", "what", "values#", "rows#")
    return Grid("By column", headings, rows, is_long=len(rows) > _MAX_SHORT)


def _group_by_column(due: Sequence[Due], rows_of: Mapping[str, object]) -> list[Due]:
    """What is to be done column by column, those of most rows first; of very many each column gets its share."""
    by_column: dict[str, list[Due]] = {column: [] for column in rows_of}
    for one in due:
        by_column[one.column].append(one)
    rooms = share_room([len(some) for some in by_column.values()], _MAX_DUE)
    return [one for some, room in zip(by_column.values(), rooms, strict=True) for one in some[:room]]


def _make_due_grid(
    title: str, headings: tuple[str, ...], rows: Sequence[Sequence[AnyCell]], whole: int
) -> Grid:
    left = whole - len(rows)
    more = f"and {format_count(left, 'more value')}, which --json lists" if left else ""
    return Grid(title, headings, rows, more, is_long=len(rows) > _MAX_SHORT)


def _spellings(account: Account, column: str) -> list[Spelling]:
    part = make_crosswalk_table(account.trails[column])
    cells = (part[name].to_pylist() for name in ("raw", "clean", "rows", "how", "settled"))
    return [
        Spelling(raw, clean, rows, how or "", settled is False)
        for raw, clean, rows, how, settled in zip(*cells, strict=True)
    ]


def _draw_flows(account: Account) -> Section:
    flows: list[Flow] = []
    for column in account.trails:
        flow = draw_flow(column, _spellings(account, column), is_open=len(flows) < _OPEN_FLOWS)
        if flow is not None:
            flows.append(flow)
    lead = (
        "Raw spellings at the left, as thick as they have rows; clean values at the right. Coloured is what was "
        "changed, dashed what needs a decision."
    )
    if not flows:
        return Section(
            "flows", "How spellings flow together", (), "No value was changed, and none needs a decision."
        )
    return Section("flows", "How spellings flow together", tuple(flows), lead)


def _list_rules(account: Account) -> Section:
    effects = [
        (
            number(one.rule),
            Cell(one.do),
            value(one.column),
            number(one.values),
            number(one.rows),
            number(one.near_misses),
            quiet(one.note or ""),
        )
        for one in account.effects
    ]
    names = ("rule#", "does", "column", "values changed#", "rows changed#", "near misses#", "note")
    parts = [Grid("", names, effects)]
    for preview in make_preview(account.stages, _MOST_CHANGES).rules:
        if not preview.changes:
            continue
        rows = [(*mark(one.before, one.after), number(one.rows)) for one in preview.changes]
        left = preview.values - len(rows)
        stage = preview.stage
        title = f"{name_rule(stage.number, stage.rule.do)}, column {draw_name(stage.target)}: "
        parts.append(
            Grid(
                title + format_count(preview.values, "value") + " changed",
                ("before", "after", "rows#"),
                rows,
                f"and {format_count(left, 'more value')}" if left else "",
            )
        )
    return Section("rules", "What each rule changed", tuple(parts))


def _list_crosswalk(account: Account) -> Section:
    """The crosswalk: what changed or waits first, then by rows; the rest is counted."""
    rows: list[Sequence[AnyCell]] = []
    total = 0
    rooms = share_room([len(trail.column.values) for trail in account.trails.values()], MOST_VALUES)
    for column, room in zip(account.trails, rooms, strict=True):
        spellings = _spellings(account, column)
        total += len(spellings)
        spellings.sort(key=lambda one: (one.raw == one.clean and not one.is_due, -one.rows, one.raw or ""))
        name = Cell(draw_name(column))
        rows += [
            (name, value(one.raw), value(one.clean), number(one.rows), quiet(one.how))
            for one in spellings[:room]
        ]
    left = total - len(rows)
    more = (
        f"and {format_count(left, 'more value')}, which igual apply --crosswalk FILE writes" if left else ""
    )
    names = ("column", "raw", "clean", "rows#", "how")
    grid = Grid("", names, rows, more, is_long=True)
    lead = "Every raw value and what became of it: what was changed first."
    return Section("crosswalk", "Crosswalk", (grid,), lead)


def list_checks(findings: Iterable[Finding], rows: int) -> Section:
    """What is not in order, a line for each finding.

    Args:
        findings: What was found.
        rows: How many rows the table has.

    Returns:
        The section.
    """
    listed = [
        (
            value(one.column),
            Cell(format_finding_kind(one), "bad"),
            number(len(one.values)),
            number(one.rows),
            share(one.share),
            Cell(format_found_by(one.by) if one.by.kind else "", "q"),
            Cell(format_found_examples(one.values), "v"),
        )
        for one in findings
    ]
    if not listed:
        return Section(
            "checks", "Checks", (), f"In order: {format_count(rows, 'row')}, and nothing was found."
        )
    names = ("column", "what", "values#", "rows#", "share#", "found by", "examples")
    return Section("checks", "Checks", (Grid("", names, listed),))


def list_since(compared: Sequence[Since]) -> Section:
    """What is new, gone and changed since an earlier run.

    Args:
        compared: Each column beside what it was.

    Returns:
        The section.
    """
    rows: list[Sequence[AnyCell]] = []
    for one in compared:
        column = value(one.column)
        for what, look, values in (("new", "good", one.new), ("gone", "q", one.vanished)):
            rows += [
                (column, Cell(what, look), value(change.value), Cell(""), Cell(""), number(change.rows))
                for change in values
            ]
        rows += [
            (
                column,
                Cell("changed", "bad"),
                value(change.value),
                *mark(change.before, change.now),
                number(change.rows),
            )
            for change in one.changed
        ]
    moved = [
        (value(one.column), value(clean), share(old), share(new))
        for one in compared
        for clean, old, new in one.moved
    ]
    shown, more = cut(rows, MOST_VALUES // 5, "value")
    names = ("column", "what", "raw value", "before", "now", "rows#")
    parts = [Grid("", names, shown, more, is_long=len(rows) > 12)] if rows else []
    if moved:
        parts.append(Grid("Shares that moved", ("column", "clean value", "before#", "now#"), moved))
    lead = "" if parts else "The same raw values came, and all came out as before."
    return Section("since", "Since the last run", tuple(parts), lead)
