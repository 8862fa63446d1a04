"""How messages say numbers, values and examples."""

from __future__ import annotations

from collections.abc import Iterable

from igual.text.characters import visible

# So many examples stand in one message; the rest are counted.
EXAMPLES = 3
_LONGEST = 40


def format_count(number: int, thing: str, things: str | None = None) -> str:
    """A number and its thing; `things` where there isn't just an s behind several.

    Example:
        >>> format_count(1, "row"), format_count(2000, "row")
        ('1 row', '2,000 rows')
    """
    return f"{number:,} {thing if number == 1 else things or f'{thing}s'}"


def quote_value(text: str | None) -> str:
    """A value as messages show it: what is invisible or odd drawn, in quotes, cut when long."""
    return f"'{visible(text, _LONGEST, every_space=False)}'"


def quote_words(words: Iterable[str]) -> str:
    """Single words that a sentence is about."""
    return " and ".join(f"‘{word}’" for word in words)


def format_examples(texts: Iterable[str], total: int | None = None) -> str:
    """A few examples and how many more there are."""
    some = list(texts)
    total = len(some) if total is None else total
    more = f" and {total - EXAMPLES:,} more" if total > EXAMPLES else ""
    return ", ".join(some[:EXAMPLES]) + more


def format_score(score: float) -> str:
    """A score as people read it; none looks as if it were nothing, or certain when it isn't.

    Example:
        >>> format_score(0.8214), format_score(0.001), format_score(0.997), format_score(1)
        ('0.82', '< 0.01', '> 0.99', '1.00')
    """
    if score < 0.005:
        return "< 0.01"
    return "> 0.99" if 0.995 <= score < 1 else f"{score:.2f}"
