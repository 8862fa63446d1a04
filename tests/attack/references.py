"""What text rules do, said slowly and obviously, one text at a time: what the fast functions are held against."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping, Sequence
from decimal import Decimal
from random import Random
from typing import Any

from igual.rules import Condition, Extract, Number, Overlay, Part, Replace
from tests.attack.generators import make_text

_SOUGHT = ("oak", "a", "ß", "ss", "é", "Oak ", "-", "İ", "ﬁ", "fi", "1", "23", "中", "B", "aB")


def _is_wordish(letter: str) -> bool:
    return letter.isalnum() or letter == "_"


def replace(text: str, pairs: Mapping[str, str], where: str, nth: int | None, ignore_case: bool) -> str:
    """At each place the longest text that stands there and may; then on behind it."""
    fold: Callable[[str], str] = str.casefold if ignore_case else str
    keys = {fold(sought): given for sought, given in pairs.items()}
    made, seen, at = "", dict[str, int](), 0
    while at < len(text):
        best = ("", at)
        for stop in range(at + 1, len(text) + 1):
            key = fold(text[at:stop])
            before, behind = fold(text[:at]), fold(text[stop:])
            starts_apart = not (_is_wordish(key[0]) and before and _is_wordish(before[-1])) if key else False
            ends_apart = not (_is_wordish(key[-1]) and behind and _is_wordish(behind[0])) if key else False
            may = {
                "anywhere": True, "whole": at == 0 and stop == len(text), "start": at == 0, "end": stop == len(text),
                "word": starts_apart and ends_apart,
            }[where]  # fmt: skip
            if key in keys and may and len(key) > len(best[0]):
                best = (key, stop)
        key, stop = best
        if not key:
            made, at = made + text[at], at + 1
            continue
        seen[key] = seen.get(key, 0) + 1
        made += keys[key] if nth in (None, seen[key]) else text[at:stop]
        at = stop
    return made


def overlay(text: str, start: int, length: int, put: str, same_length: bool, pad: str) -> str:
    """Characters taken out one by one, others put in."""
    first = start - 1 if start > 0 else len(text) + start
    if first < 0 or (start > 0 and len(text) < start):
        return text
    if same_length:
        room = min(length, len(text) - first)
        put = "".join((put + pad * length)[at] for at in range(room))
    return text[:first] + put + text[first + length :]


def part(text: str, separator: str, nth: int) -> str:
    """The n-th of the parts; nothing where there are fewer."""
    parts = text.split(separator)
    at = nth - 1 if nth > 0 else len(parts) + nth
    return parts[at] if 0 <= at < len(parts) else ""


def number(text: str, decimal: str) -> str | None:
    """A plain decimal without zeros that say nothing; None where it isn't one."""
    plain = text.strip(" \t\n\r\v\f\x85\u2028\u2029\u00a0\u200b\ufeff\u2062\u00ad").replace("−", "-")
    if not re.fullmatch(rf"[+-]?[0-9]+({re.escape(decimal)}[0-9]+)?", plain):
        return None
    exact = Decimal(plain.replace(decimal, "."))
    said = format(exact, "f")
    said = said.rstrip("0").rstrip(".") if "." in said else said
    said = re.sub(r"^(-?)0+(?=\d)", r"\1", said)
    return "0" if said in ("-0", "0", "") else said


def extract(text: str, pattern: str, nth: int) -> str | None:
    """The n-th of the places where a pattern is found."""
    found = [place[0] for place in re.finditer(pattern, text)]
    return found[nth - 1] if len(found) >= nth else None


def _check_replace(random: Random, texts: Sequence[str]) -> tuple[list[Any], list[Any], Any]:
    where = random.choice(("anywhere", "whole", "word", "start", "end"))
    ignore_case, nth = random.random() < 0.5, random.choice((None, None, 1, 2))
    sought = random.sample(_SOUGHT, random.randrange(1, 5))
    folded = {(s.casefold() if ignore_case else s): s for s in sought}
    pairs = {s: random.choice(("", "x", "Oak", "ss", "a")) for s in folded.values()}
    rule = Replace(pairs=pairs, where=where, nth=nth, ignore_case=ignore_case)  # type: ignore[arg-type]
    return list(rule.on(list(texts))), [replace(t, pairs, where, nth, ignore_case) for t in texts], rule


def _check_overlay(random: Random, texts: Sequence[str]) -> tuple[list[Any], list[Any], Any]:
    words = (
        random.choice((1, 2, 5, -1, -3)),
        random.choice((0, 1, 3, 9)),
        random.choice(("", "x", "ßé", "longer text")),
    )
    same = random.random() < 0.5
    rule = Overlay(start=words[0], length=words[1], text=words[2], same_length=same, pad="*")
    return list(rule.on(list(texts))), [overlay(t, *words, same, "*") for t in texts], rule


def _check_part(random: Random, texts: Sequence[str]) -> tuple[list[Any], list[Any], Any]:
    separator, nth = random.choice(("-", " ", "a", "Oak", "é")), random.choice((1, 2, 3, -1, -2))
    rule = Part(separator=separator, nth=nth, trim=False)
    return list(rule.on(list(texts))), [part(t, separator, nth) for t in texts], rule


def _check_number(random: Random, texts: Sequence[str]) -> tuple[list[Any], list[Any], Any]:
    decimal = random.choice((".", ","))
    digits = [
        random.choice(("", "-", "+", "−", " ")) + str(random.randrange(10 ** random.choice((1, 3, 17)))).zfill(random.choice((1, 5)))
        + random.choice(("", f"{decimal}50", f"{decimal}000", f"{decimal}0{random.randrange(10**9)}", "e5", "%"))
        for _ in texts
    ]  # fmt: skip
    rule = Number(decimal=decimal, into="n", column="values")  # type: ignore[arg-type]
    import igual

    made = igual.Rulebook([rule]).apply({"values": digits}).crosswalk("n")
    clean = dict(zip(made["raw"], made["clean"], strict=True))
    return (
        [clean[t] if isinstance(clean[t], str) else None for t in digits],
        [number(t, decimal) for t in digits],
        digits,
    )


def _check_extract(random: Random, texts: Sequence[str]) -> tuple[list[Any], list[Any], Any]:
    pattern, nth = random.choice(("[a-z]+", "[0-9]", "a|oak", "k.", "[a-zA-Z]{2}")), random.choice((1, 2, 3))
    rule = Extract(pattern=pattern, nth=nth, into="x", column="values")
    import igual

    made = igual.Rulebook([rule]).apply({"values": list(texts)}).table["x"]
    flags = re.DOTALL if pattern == "k\\." else 0
    return list(made), [extract(t, re.compile(pattern, flags).pattern, nth) for t in texts], rule


def _check_condition(random: Random, texts: Sequence[str]) -> tuple[list[Any], list[Any], Any]:
    import pyarrow as pa

    word = random.choice(("equals", "contains", "starts", "ends"))
    sought, ignore_case = random.choice((*_SOUGHT, "")), random.random() < 0.5
    tests: Mapping[str, Callable[[str, str], bool]] = {
        "equals": str.__eq__, "contains": str.__contains__, "starts": str.startswith, "ends": str.endswith,
    }  # fmt: skip
    fold: Callable[[str], str] = str.casefold if ignore_case else str
    words: dict[str, Any] = {word: sought, "ignore_case": ignore_case}
    condition = Condition(**words)
    made = condition.mask(pa.array(list(texts), pa.large_string()))
    return made.tolist(), [tests[word](fold(t), fold(sought)) for t in texts], condition


CHECKS: Mapping[str, Callable[[Random, Sequence[str]], tuple[list[Any], list[Any], Any]]] = {
    "replace": _check_replace, "overlay": _check_overlay, "part": _check_part, "number": _check_number,
    "extract": _check_extract, "conditions": _check_condition,
}  # fmt: skip


def find_difference(check: str, seed: int, cases: int) -> str:
    """Compare a rule with its reference.

    Args:
        check: The name of the rule.
        seed: The same seed gives the same cases.
        cases: How many texts.

    Returns:
        The first text that comes out differently; '' when none does.
    """
    random = Random(seed)
    for _ in range(max(cases // 20, 1)):
        texts = [make_text(random)[:40] for _ in range(20)]
        made, expected, rule = CHECKS[check](random, texts)
        for text, one, other in zip(texts, made, expected, strict=True):
            if one != other:
                return f"{rule!r} on {text!r}: {one!r}, expected {other!r}"
    return ""
