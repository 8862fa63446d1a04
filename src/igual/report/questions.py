"""Questions about open values, as sentences."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence

from igual.decisions import Cause
from igual.matching.questions import Pair, Question
from igual.report.wording import format_count, quote_value, quote_words
from igual.text.characters import printable

_ASKED: Mapping[str, Callable[[Sequence[str]], str]] = {
    "word left out": lambda words: f"May {quote_words(words)} be left out?",
    "extra word": lambda words: f"May {quote_words(words)} be too many?",
    "abbreviation": lambda words: f"Does ‘{words[0]}’ stand for ‘{words[1]}’?",
    "word order": lambda _: "May words stand in another order?",
    "initials": lambda _: "May initials stand for the words?",
    "spelling variant": lambda words: f"Is ‘{words[0]}’ another spelling of ‘{words[1]}’?",
}


def ask_about(cause: Cause) -> str:
    """Ask whether a kind of difference means nothing.

    Args:
        cause: The kind.

    Returns:
        The question.

    Example:
        >>> ask_about(Cause("word left out", ("library",)))
        'May ‘library’ be left out?'
    """
    return printable(_ASKED[cause.kind](cause.words))


def format_question(question: Question) -> str:
    """Write a question with how much it settles, and the most doubtful examples.

    Args:
        question: The question.

    Returns:
        The sentence.
    """
    members = question.members
    if len(members) == 1 and question.cause is None:
        one = members[0]
        about = f"{quote_value(one.value)}{_format_context(one)}"
        if not one.proposal:
            return f"What does {about} mean? {format_count(one.rows, 'row')}"
        return f"Does {about} mean {quote_value(one.proposal)}? {format_count(one.rows, 'row')}"
    asked = (
        ask_about(question.cause) if question.cause else f"Are these {len(members)} right ({question.kind})?"
    )
    size = f"{format_count(len(members), 'value')}, {format_count(question.rows, 'row')}"
    return f"{asked} {size}: {format_pairs(question.examples)}{', …' if len(members) > len(question.examples) else ''}"


def format_pairs(pairs: Sequence[Pair]) -> str:
    """Write pairs of a value and its proposal side by side.

    Args:
        pairs: The pairs.

    Returns:
        Such as 'Old Town → Old Town Library, Harbour → Harbour Library'.
    """
    return ", ".join(
        f"{printable(pair.value)}{_format_context(pair)} → {printable(pair.proposal)}"
        + (f" (or {printable(pair.rival)})" if pair.rival else "")
        for pair in pairs
    )


def _format_context(pair: Pair) -> str:
    return f" (within {printable(pair.within)})" if pair.within else ""
