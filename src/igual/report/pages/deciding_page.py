"""The page to decide on: open questions with buttons, for colleagues who have nothing but a browser."""

from __future__ import annotations

import secrets
from collections.abc import Callable, Mapping, Sequence
from typing import Any

from igual.decisions import KEEP, NEW, NO, NOT_LISTED, YES
from igual.matching.questions import GUESS, Question
from igual.report.pages.rendering import embed, render
from igual.report.questions import ask_about, format_question
from igual.report.reasons import format_reasons
from igual.report.wording import format_count, format_score
from igual.runs.account import Account
from igual.runs.due_questions import digest_plan, list_choices, list_due_questions, write_made_for
from igual.runs.open_values import OpenValue
from igual.runs.review import draw_between_marks
from igual.sheet_columns import PAGE_SHEET
from igual.text.characters import visible

# Rows of a value with what stands in other columns.
Beside = Callable[[OpenValue], Sequence[Mapping[str, str]]]
# So many entries of a list are in the page; others can be typed.
MOST_ENTRIES = 50_000
# So many values are asked about; the page says how many are left for the next one.
MOST_ASKED = 5_000
_LONGEST = 1_000


def render_deciding_page(account: Account, name: str, beside: Beside = lambda _: ()) -> str:
    """Render the open questions of a run as a page to decide on.

    Args:
        account: The account of the run.
        name: What the rules are called; the saved sheet is called after it.
        beside: What stands in other columns of some rows of a value.

    Returns:
        The HTML, one file with nothing to fetch.
    """
    data = _collect(account, name, beside)
    # Pages opened as files share one storage: nobody else can tell under which name this one keeps its answers.
    data["id"] = secrets.token_hex(16)
    return render(
        "decide.html",
        ("page.css", "decide.css"),
        "decide.js",
        name=visible(name, every_space=False),
        data=embed(data),
    )


def _collect(account: Account, name: str, beside: Beside) -> dict[str, Any]:
    asked = list_due_questions(account)
    waiting = account.waiting
    places = {one.key: place for place, one in enumerate(waiting[:MOST_ASKED])}
    items: list[dict[str, Any]] = []
    for item in asked:
        if isinstance(item, Question):
            members = [places[key] for key in item.keys if key in places]
            if members:
                items.append(_describe_kind(item, members))
        elif (place := places.get(item.key)) is not None:
            items.append({"value": place})
    lists: dict[str, list[Any]] = {}
    for column in dict.fromkeys(one.column for one in waiting):
        lists[column] = _list_entries(account, column)
    return {
        "name": name,
        "header": PAGE_SHEET,
        "madeFor": write_made_for(digest_plan(account.plan)),
        "words": {"keep": KEEP, "notListed": NOT_LISTED, "new": NEW, "yes": YES, "no": NO},
        "values": [_describe_value(one, beside) for one in waiting[:MOST_ASKED]],
        "items": items,
        "lists": lists,
        "left": max(len(waiting) - MOST_ASKED, 0),
    }


def _draw(text: str) -> str:
    return visible(text, _LONGEST, every_space=False)


def _describe_kind(question: Question, members: Sequence[int]) -> dict[str, Any]:
    cause = question.cause
    asked = ask_about(cause) if cause else f"Are these {len(members)} right? ({question.kind})"
    return {
        "column": question.column,
        "kind": question.kind if cause else "",
        "text": cause.text if cause else "",
        "asked": asked,
        "why": format_question(question) if cause else "",
        "rows": question.rows,
        "size": f"{format_count(len(members), 'value')}, {format_count(question.rows, 'row')}",
        "members": members,
    }


def _describe_value(one: OpenValue, beside: Beside) -> dict[str, Any]:
    choices = list_choices(one)
    return {
        "column": one.column,
        "value": one.value,
        "shown": draw_between_marks(one.value),
        "drawn": _draw(one.value) + (f" (within {_draw(one.within)})" if one.within else ""),
        "within": one.within,
        "rows": one.rows,
        "size": format_count(one.rows, "row"),
        "why": format_reasons(one.reasons, one.value, one.proposal),
        "choices": [[entry, _draw(entry), format_score(score)] for entry, score in choices],
        "rival": _draw(one.rival) if one.rival else "",
        "score": round(one.score, 2) if one.proposal else "",
        "isLikely": bool(choices) and one.score >= GUESS,
        "beside": [[[_draw(name), _draw(text)] for name, text in row.items()] for row in beside(one)],
    }


def _list_entries(account: Account, column: str) -> list[Any]:
    """The entries that values of a column may be: each with how it is drawn if otherwise, and its aliases."""
    entries: dict[str, list[Any]] = {}
    for reference in account.plan.lists_of(column).values():
        for entry in reference.values[:MOST_ENTRIES]:
            drawn = _draw(entry)
            entries.setdefault(
                entry, [entry, "" if drawn == entry else drawn, *reference.aliases.get(entry, ())]
            )
    return list(entries.values())[:MOST_ENTRIES]
