"""What each result looks like: in a terminal, in a notebook, as a sentence."""

from __future__ import annotations

from functools import singledispatch
from typing import Any

from rich.console import RenderableType
from rich.text import Text

from igual.learning.building import Chained
from igual.learning.learned import Learned
from igual.looking.lookalikes import Lookalikes
from igual.looking.survey import Survey
from igual.looking.tally import Tally, Unread
from igual.matching.matches import Matches
from igual.matching.questions import Question
from igual.report import (
    draft_views,
    learned_views,
    looking_views,
    matching_views,
    notebook,
    review_views,
    run_views,
)
from igual.report.frames import list_frames
from igual.report.hints import format_hint
from igual.report.questions import format_question
from igual.report.rule_sentences import format_chain
from igual.report.terminal import as_text
from igual.report.wording import format_count, quote_value
from igual.rulings import Rulings
from igual.runs.crosswalk import Applied
from igual.runs.draft import Draft
from igual.runs.hints import Hint
from igual.runs.outcome import Outcome
from igual.runs.preview import Preview
from igual.runs.review import Review
from igual.runs.review_page import ReviewPage

__all__ = ["as_html", "as_plain_text", "as_sentence"]
_SHOWN_RULINGS = 10


@singledispatch
def view(result: Any) -> RenderableType:
    """Draw a result for a terminal.

    Args:
        result: The result.

    Returns:
        Something that a console prints.
    """
    raise TypeError(f"no view of {type(result).__name__}")


view.register(Survey, looking_views.survey_view)
view.register(Draft, draft_views.draft_view)
view.register(Learned, learned_views.learned_view)
view.register(
    Outcome, lambda outcome: run_views.outcome_view(outcome.account, outcome.hints, outcome.ran_inside)
)
view.register(Preview, lambda preview: run_views.preview_view(preview.rules, plain=True))
view.register(Matches, matching_views.matches_view)
view.register(Lookalikes, lambda lookalikes: matching_views.lookalikes_view(lookalikes.members))
view.register(Review, review_views.review_view)
view.register(Rulings, lambda rulings: review_views.rulings_view(rulings, _SHOWN_RULINGS))
view.register(Tally, lambda tally: looking_views.tally_view(tally, top=tally.top or 40))


@view.register(ReviewPage)
def _review_page_view(page: ReviewPage) -> RenderableType:
    waiting = format_count(len(page.account.waiting), "value")
    return Text(f"page to decide on: {waiting} open; save(path) writes it, take(sheet) takes what comes back")


@view.register(Applied)
def _applied_view(applied: Applied) -> RenderableType:
    if not applied.not_known:
        return Text("every value was in the crosswalk")
    return review_views.not_known_view(applied.not_known)


def as_plain_text(result: Any) -> str:
    """Draw a result as plain text, as `print` shows it.

    Args:
        result: The result.

    Returns:
        Its lines, without colours.
    """
    return as_text(view(result))


def as_html(result: Any) -> str:
    """Draw a result as a fragment of HTML, as a notebook shows it.

    Args:
        result: The result.

    Returns:
        Tables with their first rows; whatever comes from a file is escaped.
    """
    if isinstance(result, Preview):
        return notebook.draw_preview(result.rules)
    if isinstance(result, ReviewPage):
        from igual.report.pages.deciding_page import render_deciding_page

        return notebook.draw_frame(render_deciding_page(result.account, result.name))
    return "".join(notebook.draw_table(*titled) for titled in list_frames(result))


def as_sentence(finding: Any) -> str:
    """Write a structured finding as a sentence.

    Args:
        finding: The finding.

    Returns:
        The sentence, with everything invisible drawn.
    """
    if isinstance(finding, Hint):
        return format_hint(finding)
    if isinstance(finding, Question):
        return format_question(finding)
    if isinstance(finding, Chained):
        return format_chain(finding)
    if isinstance(finding, Unread):
        rows = f"{format_count(finding.values, 'value')} ({format_count(finding.rows, 'row')})"
        return f"not compared: {rows} can't be read as plain numbers or dates, such as {quote_value(finding.example)}"
    raise TypeError(f"no sentence for {type(finding).__name__}")
