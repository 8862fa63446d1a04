"""What is drawn where open values are asked about on a terminal."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from rich.text import Text

from igual.matching.questions import GUESS, Pair, Question
from igual.report.questions import ask_about
from igual.report.reasons import format_reasons
from igual.report.tables import draw_in_context, draw_text, draw_value
from igual.report.wording import format_count, format_score
from igual.runs.due_questions import list_choices
from igual.runs.open_values import OpenValue

KIND_KEYS: Mapping[str, str] = {
    "y": "yes", "n": "no", "m": "see more", "o": "one by one", "s": "skip", "u": "undo", "q": "stop",
}  # fmt: skip
VALUE_KEYS: Mapping[str, str] = {
    "/": "search", "n": "new entry", "k": "keep it", "x": "not in the list", "s": "skip", "u": "undo", "q": "stop",
}  # fmt: skip


def draw_keys(keys: Mapping[str, str]) -> Text:
    """Draw which keys there are.

    Args:
        keys: Key to what it does.

    Returns:
        One line.
    """
    return Text("   " + "  ".join(f"{key} {what}" for key, what in keys.items()), style="dim")


def draw_wrong_key(keys: Mapping[str, str], picks: int) -> Text:
    """Say which keys there are, where another was pressed.

    Args:
        keys: Key to what it does.
        picks: How many proposals may be picked by their number.

    Returns:
        One line.
    """
    numbers = f"1 to {picks}, " if picks > 1 else "1, " if picks else ""
    return Text(f"   press one of {numbers}{', '.join(keys)}", style="yellow")


def draw_question(question: Question, number: int, count: int, shown: Sequence[Pair]) -> Text:
    """Draw a question on several values.

    Args:
        question: The question.
        number: Which one it is, from 1.
        count: How many there are.
        shown: The pairs to show.

    Returns:
        Its lines.
    """
    asked = (
        ask_about(question.cause)
        if question.cause
        else f"Are these {len(question.members)} right? ({question.kind})"
    )
    size = f"{format_count(len(question.members), 'value')}, {format_count(question.rows, 'row')}"
    lines = Text.assemble(
        (f"{number} of {count}  ", "dim"),
        draw_text(f"{question.column}  ", "dim"),
        (asked, "bold"),
        (f"  {size}", "dim"),
    )
    if question.cause and len(shown) < len(question.members):
        lines.append("\n   the most doubtful:", "dim")
    for pair in shown:
        lines.append_text(
            Text.assemble(
                "\n   ",
                draw_in_context(pair.value, pair.within),
                (" → ", "dim"),
                draw_value(pair.proposal, "green"),
                *(((" (or ", "dim"), draw_value(pair.rival), (")", "dim")) if pair.rival else ()),
                (f"  {format_score(pair.score)}  {format_count(pair.rows, 'row')}", "dim"),
            )
        )
    return lines


def draw_open_value(one: OpenValue, number: int, count: int, beside: Sequence[Mapping[str, str]]) -> Text:
    """Draw a value with its proposals.

    Args:
        one: The value.
        number: Which one it is, from 1.
        count: How many there are.
        beside: What stands in other columns of some of its rows.

    Returns:
        Its lines.
    """
    lines = Text.assemble(
        (f"{number} of {count}  ", "dim"),
        draw_text(f"{one.column}  ", "dim"),
        draw_in_context(one.value, one.within, "bold"),
        (f"  {format_count(one.rows, 'row')}", "dim"),
        "\n   ",
        draw_text(format_reasons(one.reasons, one.value, one.proposal), "dim"),
    )
    for row in beside:
        lines.append("\n   ")
        lines.append_text(
            Text("  ").join(
                [Text.assemble((f"{name} ", "dim"), draw_value(text)) for name, text in row.items()]
            )
        )
    for place, (entry, score) in enumerate(list_choices(one), 1):
        key = "enter" if place == 1 and one.score >= GUESS else str(place)
        lines.append_text(
            Text.assemble((f"\n   {key:<7}", "cyan"), draw_value(entry), (f"  {format_score(score)}", "dim"))
        )
    return lines
