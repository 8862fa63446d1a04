"""Hints as sentences."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Mapping, Sequence

from igual.report.wording import format_count, format_examples, quote_value
from igual.runs.hints import Hint, HintValue

# Of more hints of one kind on one rule nobody reads every single one.
_MOST_ALIKE = 20


def name_rule(number: int, do: str) -> str:
    """Write how messages call a rule, such as 'rule 3 (label)'."""
    return f"rule {number} ({do})"


def format_hint(hint: Hint) -> str:
    """Write a hint as a sentence.

    Args:
        hint: The hint.

    Returns:
        The sentence, with everything invisible drawn.
    """
    return f"{name_rule(hint.rule, hint.do)}{_FORMATS[hint.kind](hint)}"


def format_hints(hints: Sequence[Hint], most: int) -> list[str]:
    """Write the first hints as sentences, of many alike only some, and at the end how many more there are.

    Args:
        hints: The hints.
        most: How many sentences at most.

    Returns:
        The sentences.
    """
    alike: Counter[tuple[int, str]] = Counter()
    shown: list[str] = []
    for hint in hints:
        alike[hint.rule, hint.kind] += 1
        if alike[hint.rule, hint.kind] <= _MOST_ALIKE and len(shown) < most:
            shown.append(format_hint(hint))
    left = len(hints) - len(shown)
    return [*shown, f"and {format_count(left, 'more hint')}; --json tells of all"] if left else shown


def _rows(value: HintValue) -> str:
    return format_count(value.rows, "row")


def _with_rows(hint: Hint) -> list[str]:
    return [f"{quote_value(one.value)} ({_rows(one)})" for one in hint.values]


def _count_in_column(hint: Hint, of: str = "of column") -> str:
    rows = format_count(sum(one.rows for one in hint.values), "row")
    return f"{format_count(len(hint.values), 'value')} {of} {quote_value(hint.column)} ({rows})"


_READ = {
    "numbers": "numbers, read in plain decimal notation",
    "dates": "dates, read as ISO 8601 has them",
    "times": "times, read as ISO 8601 has them",
    "mixed": "cells of several kinds, read as texts that look like them",
}


def _format_read(hint: Hint) -> str:
    example = f", such as {quote_value(hint.values[0].value)}" if hint.values[0].value is not None else ""
    return f": column {quote_value(hint.column)} holds {_READ[hint.parts[0]]}{example}"


def _format_idle(hint: Hint) -> str:
    near = [f"{quote_value(one.value)} ({_rows(one)}) for {quote_value(one.other)}" for one in hint.values]
    but = f"; near misses: {format_examples(near)}" if near else ""
    return f" changed nothing in {' and '.join(map(quote_value, hint.columns))}{but}"


def _format_unused(hint: Hint) -> str:
    entries = [
        quote_value(one.value)
        + (f" (near miss: {quote_value(one.other)}, {_rows(one)})" if one.other is not None else "")
        for one in hint.values
    ]
    return f" found nowhere: {format_examples(entries)}"


def _format_unknown(hint: Hint) -> str:
    predicate = hint.parts[0 if len(hint.values) == 1 else 1]
    return f": {_count_in_column(hint)} {predicate}: {format_examples(_with_rows(hint))}"


def _format_open(hint: Hint) -> str:
    predicate = hint.parts[0 if len(hint.values) == 1 else 1]
    proposals = [f"{quote_value(one.value)} (perhaps {quote_value(one.other)})" for one in hint.values]
    return f": {_count_in_column(hint)} {predicate}: {format_examples(proposals)}"


def _format_frequent(hint: Hint) -> str:
    (value,) = hint.values
    return (
        f": {_rows(value)} of column {quote_value(hint.column)} have {quote_value(value.value)}, and "
        f"{format_count(int(hint.parts[0]), 'row')} its entry {quote_value(value.other)}: it may be an entry of its own"
    )


def _format_merged(hint: Hint) -> str:
    pairs = [f"{quote_value(one.value)} ({_rows(one)}) as {quote_value(one.other)}" for one in hint.values]
    return f" matched only because ignore_case is set: {format_examples(pairs)}"


def _format_unread(hint: Hint) -> str:
    values = format_examples([quote_value(one.value) for one in hint.values])
    return f" {hint.parts[0]} {_count_in_column(hint, 'of')}: {values}"


def _format_unstable(hint: Hint) -> str:
    (example,) = hint.values
    change = f"{quote_value(example.value)} → {quote_value(example.other)}"
    return f" would change its own output again: {change}"


def _format_unstable_rulebook(hint: Hint) -> str:
    values = format_count(hint.values[0].rows, "value")
    steps = " → ".join(map(quote_value, hint.parts))
    return (
        f": this rulebook applied to its own output would change {values} of column {quote_value(hint.column)} "
        f"again, from here on: {steps}"
    )


def _format_numbers_left(hint: Hint) -> str:
    return (
        f": column {quote_value(hint.column)} holds nothing but numbers now that its spaces are right; it stays text "
        "(the rule 'number' would change that)"
    )


def _format_changed_again(hint: Hint) -> str:
    earlier, later, values = hint.parts
    return (
        f": what the pair {quote_value(earlier)} put in was changed again by the pair {quote_value(later)}, "
        f"in {format_count(int(values), 'value')}"
    )


def _format_not_applied(hint: Hint) -> str:
    ruling, value, author, name = hint.parts
    return (
        f": the ruling {quote_value(ruling)} on {quote_value(value)} {author} is not applied: list "
        f"{quote_value(name)} has no such entry (any more)"
    )


def _format_contested(hint: Hint) -> str:
    name, alias, first, second, more = hint.parts
    others = f", and {format_count(int(more), 'alias', 'aliases')} more such" if more != "0" else ""
    return (
        f": list {quote_value(name)} gives the alias {quote_value(alias)} to {quote_value(first)} and "
        f"{quote_value(second)}{others}; values that are spelled so are left open"
    )


def _format_beside_kind(hint: Hint) -> str:
    value, ruling, entry, kind, words = hint.parts
    return (
        f": {quote_value(value)} is ruled {quote_value(ruling)}, and stays so, though the ruling on the kind "
        f"{quote_value(kind)} ({words}) would make it {quote_value(entry)}"
    )


_FORMATS: Mapping[str, Callable[[Hint], str]] = {
    "read": _format_read,
    "no effect": _format_idle,
    "unused": _format_unused,
    "unknown": _format_unknown,
    "open": _format_open,
    "as frequent": _format_frequent,
    "merged": _format_merged,
    "unread": _format_unread,
    "unstable": _format_unstable,
    "unstable rulebook": _format_unstable_rulebook,
    "numbers left": _format_numbers_left,
    "changed again": _format_changed_again,
    "ruling not applied": _format_not_applied,
    "ruling beside kind": _format_beside_kind,
    "contested aliases": _format_contested,
}
