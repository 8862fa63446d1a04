"""Which page each result has."""

from __future__ import annotations

from functools import singledispatch
from typing import Any

from igual.looking.lookalikes import Lookalikes
from igual.looking.survey import Survey
from igual.looking.tally import Tally
from igual.matching.matches import Matches
from igual.report.pages.looking_pages import (
    build_lookalikes_page,
    build_matches_page,
    build_survey_page,
    build_tally_page,
)
from igual.report.pages.parts import Page
from igual.report.pages.rendering import render_page
from igual.report.pages.run_page import RunFacts, build_run_page
from igual.runs.outcome import Outcome


@singledispatch
def build_page(result: Any, title: str) -> Page:
    """Build the page of a result.

    Args:
        result: The result.
        title: The heading.

    Returns:
        The page.
    """
    raise TypeError(f"no page of {type(result).__name__}")


@build_page.register
def _(result: Outcome, title: str) -> Page:
    rows = max((int(trail.column.counts.sum()) for trail in result.account.trails.values()), default=0)
    return build_run_page(result.account, RunFacts(rows, title, hints=result.hints))


@build_page.register
def _(result: Survey, title: str) -> Page:
    return build_survey_page(result, RunFacts(result.rows, title))


@build_page.register
def _(result: Tally, title: str) -> Page:
    return build_tally_page(result, RunFacts(result.rows, title))


@build_page.register
def _(result: Matches, title: str) -> Page:
    return build_matches_page(result, RunFacts(int(result.rows.sum()), title))


@build_page.register
def _(result: Lookalikes, title: str) -> Page:
    return build_lookalikes_page(result, RunFacts(0, title))


_TITLES = {
    Outcome: "What the rules made of the table",
    Survey: "What is in the table",
    Tally: "How often each value occurs",
    Matches: "What the values match",
    Lookalikes: "Values that are probably one",
}


def render_result(result: Any, title: str | None = None) -> str:
    """Render a result as a page.

    Args:
        result: The result.
        title: The heading; None: what the result is.

    Returns:
        The HTML.
    """
    return render_page(build_page(result, title or _TITLES.get(type(result), "")))
