"""The pages of what looks at a table: survey, tally, matches, lookalikes, check."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import groupby

from igual.looking.lookalikes import Lookalikes
from igual.looking.survey import Survey
from igual.looking.tally import Tally
from igual.matching.lookups import How
from igual.matching.matched import OPEN, SETTLED, STATUSES, UNKNOWN
from igual.matching.matches import Matches
from igual.report.pages.flows import Spelling, draw_flow, draw_name
from igual.report.pages.parts import (
    MOST_VALUES,
    AnyCell,
    BarCell,
    Cell,
    Figure,
    Figures,
    Grid,
    Page,
    Section,
    cut,
    number,
    quiet,
    score,
    share,
    value,
)
from igual.report.pages.run_page import RunFacts, compose_page, list_checks, list_since
from igual.report.questions import format_question
from igual.report.reasons import format_reasons
from igual.report.wording import format_count
from igual.runs.findings import Finding

_FOLDED = "folded"


def build_survey_page(survey: Survey, facts: RunFacts) -> Page:
    """Build the page of a survey: figures, the columns, what is odd about them."""
    odd = [(column, oddity) for column in survey.surveyed for oddity in column.oddities]
    columns = [
        (
            value(one.name),
            Cell(one.kind, "q"),
            number(one.distinct),
            BarCell(100 * one.distinct / one.rows if one.rows else 0),
            number(one.missing),
            number(one.blank),
            number(one.shortest) if one.shortest is not None else Cell(""),
            number(one.longest) if one.longest is not None else Cell(""),
            value(one.most_frequent) if one.most_frequent is not None else Cell(""),
        )
        for one in survey.surveyed
    ]
    oddities = [
        (
            value(column.name),
            Cell(oddity.kind + (f" ({format_count(oddity.groups, 'group')})" if oddity.groups else "")),
            number(oddity.values),
            number(oddity.rows),
            Cell("   ".join(oddity.examples), "v"),
        )
        for column, oddity in odd
    ]
    shown, more = cut(columns, MOST_VALUES // 5, "column")
    names = (
        "column", "kind", "distinct#", "of all rows", "missing#", "blank#", "shortest#", "longest#", "most frequent",
    )  # fmt: skip
    odd_shown, odd_more = cut(oddities, MOST_VALUES // 5, "line")
    figures = Figures(
        (
            Figure(f"{survey.rows:,}", "rows"),
            Figure(f"{len(survey.surveyed):,}", "columns"),
            Figure(
                f"{sum(bool(one.oddities) for one in survey.surveyed):,}",
                "columns with something odd",
                bool(odd),
            ),
        )
    )
    what = ("column", "what", "values#", "rows#", "examples")
    return compose_page(
        "A survey",
        facts,
        (
            Section("figures", "", (figures,)),
            Section(
                "odd",
                "What is odd",
                (Grid("", what, odd_shown, odd_more, is_long=len(oddities) > 12),) if odd else (),
                "" if odd else "Nothing odd was found.",
            ),
            Section("columns", "Columns", (Grid("", names, shown, more, is_long=len(columns) > 12),)),
        ),
    )


def build_tally_page(tally: Tally, facts: RunFacts, column: str = "") -> Page:
    """Build the page of a tally: figures, and the values with their rows, shares and bars."""
    records = tally.counts.slice(0, MOST_VALUES).to_pylist()
    most = max((record["rows"] for record in records), default=1)
    rows = [
        (
            value(record["value"]),
            number(record["rows"]),
            BarCell(100 * record["rows"] / most),
            share(record["share"]),
            share(record["running_share"]),
        )
        for record in records
    ]
    left = len(tally.counts) - len(records)
    figures = Figures(
        (
            Figure(f"{len(tally.counts):,}", "distinct values"),
            Figure(f"{tally.counted:,}", f"of {format_count(tally.rows, 'row')} counted"),
        )
    )
    more = f"and {format_count(left, 'more value')}" if left else ""
    names = ("value", "rows#", "", "share#", "running#")
    return compose_page(
        f"A tally of {draw_name(column)}" if column else "A tally",
        facts,
        (
            Section("figures", "", (figures,)),
            Section("values", "Values", (Grid("", names, rows, more, is_long=len(rows) > 12),)),
        ),
    )


def build_matches_page(matches: Matches, facts: RunFacts, column: str = "") -> Page:
    """Build the page of matches: figures, questions, and values: open ones, unknown ones, settled ones."""
    counts = matches.count_statuses()
    figures = [Figure(f"{values:,}", f"{status}, {format_count(rows, 'row')}", status != "settled" and values > 0)
               for status, (values, rows) in counts.items()]  # fmt: skip
    matched, names = matches.matched, [*matches.names, ""]
    positions = sorted(
        matches.order, key=lambda position: (OPEN, UNKNOWN, SETTLED).index(int(matched.status[position]))
    )
    looked_up = (matched.status == SETTLED) & (matched.how != How.FUZZY)
    rows: list[Sequence[AnyCell]] = []
    for position in positions[:MOST_VALUES]:
        status = STATUSES[matched.status[position]]
        text, entry = matched.values[position].as_py(), names[matched.entry[position]]
        is_known = status != "unknown" and bool(entry)
        rival = names[matched.runner_up[position]] if status == "open" else ""
        rows.append(
            (
                Cell(status, "good" if status == "settled" else "bad"),
                value(text),
                number(int(matches.rows[position])),
                value(entry) if is_known else Cell("–", "q"),
                score(float(matched.score[position]) if is_known and not looked_up[position] else None),
                value(rival) if rival else Cell(""),
                quiet(format_reasons(matched.reasons_of(position), text, entry)),
            )
        )
    left = len(positions) - len(rows)
    questions = [
        (Cell(format_question(one)), number(len(one.members)), number(one.rows)) for one in matches.questions
        if one.cause is not None
    ]  # fmt: skip
    sections = [Section("figures", "", (Figures(tuple(figures)),))]
    if questions:
        grid = Grid("", ("question", "values#", "rows#"), questions)
        sections.append(Section("questions", "Questions of which one answer settles many", (grid,)))
    headings = ("status", "value", "rows#", "entry", "score#", "or", "why")
    more = f"and {format_count(left, 'more value')}" if left else ""
    sections.append(
        Section(
            "values",
            "Values",
            (Grid("", headings, rows, more, is_long=True),),
            "Values that need a decision come first.",
        )
    )
    kind = f"Matches of {draw_name(column)}" if column else "Matches"
    return compose_page(kind, facts, sections)


def build_lookalikes_page(lookalikes: Lookalikes, facts: RunFacts, column: str = "") -> Page:
    """Build the page of lookalikes: the picture of what flows together, and the groups."""
    groups = [list(group) for _, group in groupby(lookalikes.members, key=lambda one: one.group)]
    spellings = [
        Spelling(
            one.value, one.proposal, one.rows, format_reasons(one.reasons, one.value, one.proposal), False
        )
        for one in lookalikes.members
    ]
    rows = [
        (
            number(place),
            value(one.value),
            number(one.rows),
            value(one.proposal),
            Cell("stays", "q") if one.value == one.proposal else score(one.score),
            quiet(format_reasons(one.reasons, one.value, one.proposal)),
        )
        for place, group in enumerate(groups, 1)
        for one in group
    ]
    shown, more = cut(rows, MOST_VALUES, "value")
    replaced = sum(one.value != one.proposal for one in lookalikes.members)
    figures = Figures(
        (
            Figure(f"{len(groups):,}", "groups, probably one value each"),
            Figure(f"{replaced:,}", "spellings to replace"),
        )
    )
    sections = [Section("figures", "", (figures,))]
    flow = draw_flow(column or "values", spellings, is_open=True)
    if flow is not None:
        sections.append(Section("flows", "What would flow together", (flow,)))
    names = ("group#", "value", "rows#", "proposal", "score#", "why")
    sections.append(
        Section("groups", "Groups", (Grid("", names, shown, more, is_long=len(rows) > 12),) if rows else (),
                "" if rows else "Nothing looks alike.")
    )  # fmt: skip
    if lookalikes.related:
        related = [
            (value(one.value), number(one.rows), value(one.other), number(one.other_rows),
             quiet(format_reasons(one.reasons, one.value, one.other)))
            for one in lookalikes.related
        ]  # fmt: skip
        shown, more = cut(related, MOST_VALUES // 5, "pair")
        headings = ("value", "rows#", "other", "its rows#", "why")
        sections.append(
            Section(
                "related", "May be one: only you can tell", (Grid("", headings, shown, more, is_long=True),)
            )
        )
    kind = f"Lookalikes of {draw_name(column)}" if column else "Lookalikes"
    return compose_page(kind, facts, sections)


def build_check_page(findings: Sequence[Finding], bad: Sequence[Finding], facts: RunFacts) -> Page:
    """Build the page of a check: what is not in order, and what became of the columns since an earlier run."""
    figures = Figures(
        (
            Figure(f"{facts.rows:,}", "rows"),
            Figure(f"{len(bad):,}", "findings" if len(bad) != 1 else "finding", bool(bad)),
            Figure(f"{len(findings) - len(bad):,}", "allowed"),
            Figure(f"{sum(one.rows for one in bad):,}", "rows in them", bool(bad)),
        )
    )
    sections = [Section("figures", "", (figures,)), list_checks(bad, facts.rows)]
    allowed = [one for one in findings if one not in bad]
    if allowed:
        passed = list_checks(allowed, facts.rows)
        sections.append(passed._replace(anchor="allowed", title="Found, but allowed"))
    if facts.since is not None:
        sections.append(list_since(facts.since))
    return compose_page("A check", facts, sections)
