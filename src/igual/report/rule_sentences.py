"""What a rule does, in words."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping, Sequence
from typing import Any

from igual.learning.building import Chained
from igual.report.wording import format_count, quote_value
from igual.rules.base import Rule

_ORDINALS = {1: "first", 2: "second", 3: "third", -1: "last", -2: "last but one"}
_MOST_PAIRS = 3


def format_chain(chain: Chained) -> str:
    """Write what a chain of rules does: one clause a rule."""
    return (
        "; then ".join(map(format_rule_sentence, chain.rules))
        if chain.rules
        else "leave every value as it is"
    )


def format_rule_sentence(rule: Rule) -> str:
    """Write what a rule does, such as "take the second part between ';'"."""
    words = rule.dump_words()
    says = _SAYS.get(rule.do)
    sentence = says(words) if says else f"{rule.do} ({', '.join(_list_words(words))})"
    if "when" in words:
        sentence += f", where the value {format_condition(words['when'])}"
    return sentence


def format_condition(given: Mapping[str, Any]) -> str:
    """Write a condition as the end of "where the value …"."""
    if "not" in given:
        return f"isn't one that {format_condition(given['not'])}"
    verbs = {
        "contains": "contains",
        "starts": "starts with",
        "ends": "ends with",
        "word": "has the word",
        "pattern": "fits",
    }
    parts = [
        f"{verbs[word]} {quote_value(str(text))}" if word in verbs else f"has {word.replace('_', ' ')} {text}"
        for word, text in given.items()
    ]
    return " and ".join(parts)


def _list_words(words: Mapping[str, Any]) -> Sequence[str]:
    return [
        f"{word} = {text}"
        for word, text in words.items()
        if word not in ("column", "columns", "do", "into", "when")
    ]


def _nth(nth: int) -> str:
    if nth in _ORDINALS:
        return _ORDINALS[nth]
    return f"{abs(nth)}th" if nth > 0 else f"{-nth}th from the end"


def _describe_part(words: Mapping[str, Any]) -> str:
    return f"take the {_nth(words.get('nth', 1))} part between {quote_value(words['separator'])}"


def _describe_extract(words: Mapping[str, Any]) -> str:
    pattern = words.get("pattern", "")
    nth = words.get("nth", 1)
    plain = {"[0-9]+": "number", r"[\p{L}]+": "word of letters", "[A-Z]{2,}": "word in capitals"}
    if pattern in plain:
        return f"take the {_nth(nth)} {plain[pattern]}"
    if match := re.fullmatch(r"\\?(.)\(\?P<value>\[\^[^\]]*\]\*\)\\?(.)", pattern):
        return f"take what stands between {match[1]} and {match[2]}"
    for form, where in ((r"\^\.(?:\{(\d+)\})?", "first"), (r"\.(?:\{(\d+)\})?\$", "last")):
        if match := re.fullmatch(form, pattern):
            count = int(match[1] or 1)
            return (
                f"take the {where} {format_count(count, 'character')}"
                if count > 1
                else f"take the {where} character"
            )
    return f"take what fits {quote_value(pattern)}" + (f", at its {_nth(nth)} place" if nth != 1 else "")


def _describe_replace(words: Mapping[str, Any]) -> str:
    pairs = words["pairs"]
    if isinstance(pairs, str):
        return f"replace by the pair list {quote_value(pairs)}"
    if words.get("pattern"):
        (pattern, given), *_ = pairs.items()
        if match := re.fullmatch(r"(.*)\\1(.*)", given, re.DOTALL):
            if pattern == "(.+)":
                sides = [
                    f"{quote_value(text)} {side}"
                    for text, side in zip(match.groups(), ("before", "behind"), strict=True)
                    if text
                ]
                return f"add {' and '.join(sides)}"
            if pattern.startswith("0+"):
                return "take leading zeros off"
        if words.get("cascade"):
            widths = re.findall(r"\{(\d+)\}", "".join(pairs))
            return f"fill the number in a code up to {widths[-1] if widths else '?'} digits"
        if pattern == "(?s).*":
            return f"write {quote_value(given)}"
        if pattern.startswith((r"([\p{L}])[\p{L}]*[^", "([A-Z])[")):
            return f"take the first letter of each word, as {quote_value(given)}"
        return f"write {quote_value(pattern)} as {quote_value(given)}"
    shown = ", ".join(
        f"{quote_value(old)} → {quote_value(new)}" if new else f"drop {quote_value(old)}"
        for old, new in list(pairs.items())[:_MOST_PAIRS]
    )
    more = f" and {format_count(len(pairs) - _MOST_PAIRS, 'more pair')}" if len(pairs) > _MOST_PAIRS else ""
    where = {
        "start": " at the start",
        "end": " at the end",
        "word": ", whole words",
        "whole": ", whole values",
    }
    nth = f", the {_nth(words['nth'])} only" if "nth" in words else ""
    return f"replace {shown}{more}{where.get(words.get('where', ''), '')}{nth}"


def _describe_characters(words: Mapping[str, Any]) -> str:
    stated = f" and {quote_value(words['stated'])}" if words.get("stated") else ""
    for word, verb in (("keep", "keep only"), ("drop", "drop")):
        if word in words:
            return f"{verb} {' and '.join(words[word])}{stated}"
    if stated:
        return f"drop {quote_value(words['stated'])}"
    names = {
        "fold": "take accents off",
        "straighten": "make quotes and dashes plain",
        "repair": "repair wrongly decoded text",
    }
    return (
        " and ".join(text for word, text in names.items() if words.get(word))
        or f"write as {words.get('form')}"
    )


def _describe_overlay(words: Mapping[str, Any]) -> str:
    start, length, text = words["start"], words["length"], words["text"]
    if not text:
        if start == 1:
            return f"cut the first {format_count(length, 'character')} off"
        if start == -length:
            return f"cut the last {format_count(length, 'character')} off"
    place = f"character {abs(start)}" + ("" if start > 0 else " from the end")
    if length == 0:
        return f"put {quote_value(text)} before {place}"
    return f"write {quote_value(text)} over {format_count(length, 'character')} from {place} on"


def _describe_number(words: Mapping[str, Any]) -> str:
    marks = [f"decimal mark {words.get('decimal', '.')}"]
    marks += [f"groups parted by {quote_value(words['grouping'])}"] if words.get("grouping") else []
    unit = words.get("unit")
    marks += [f"unit {', '.join([unit] if isinstance(unit, str) else unit)}"] if unit else []
    give = f", write it as {words['give']}" if "give" in words else ""
    return f"read a number ({', '.join(marks)}){give}"


def _describe_pad(words: Mapping[str, Any]) -> str:
    fill, side = quote_value(words.get("fill", "0")), words.get("side", "start")
    return f"fill up to {words['width']} characters with {fill} at the {side}"


_SAYS: dict[str, Callable[[Mapping[str, Any]], str]] = {
    "part": _describe_part,
    "extract": _describe_extract,
    "replace": _describe_replace,
    "characters": _describe_characters,
    "overlay": _describe_overlay,
    "number": _describe_number,
    "spacing": lambda words: "take all spaces out" if words.get("inner") == "none" else "put spaces right",
    "case": lambda words: f"write in {words['style']} case",
    "pad": _describe_pad,
    "date": lambda words: f"read a date as {words['form']}, write it as {words.get('give', 'YYYY-MM-DD')}",
    "compose": lambda words: f"put together {quote_value(words['template'])}",
    "blanks": lambda words: (
        f"fill what is missing with {quote_value(words['fill'])}"
        if "fill" in words
        else f"take {', '.join(map(quote_value, words.get('texts', ())))} for no value"
    ),
}  # fmt: skip
