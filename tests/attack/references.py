"""What text rules do, said slowly and obviously, one text at a time: what the fast functions are held against."""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Callable, Mapping, Sequence
from datetime import date
from decimal import Decimal
from random import Random
from typing import Any

from igual import Codebook, Rulebook
from igual.rules import (
    Band,
    Bands,
    Blanks,
    Case,
    Characters,
    Compose,
    Condition,
    Date,
    Extract,
    Label,
    Number,
    Overlay,
    Part,
    Replace,
    Spacing,
)
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


def find_piece(text: str, length: tuple[int, int], nth: int) -> str | None:
    """The n-th piece of so many characters between spaces and some signs."""
    found = [piece for piece in re.split(r"[ \t\n\f\r,;/|()]+", text) if length[0] <= len(piece) <= length[1]]
    place = nth - 1 if nth > 0 else len(found) + nth
    return found[place] if 0 <= place < len(found) else None


def _check_pieces(random: Random, texts: Sequence[str]) -> tuple[list[Any], list[Any], Any]:
    length, nth = (random.choice((0, 1, 2)), random.choice((2, 3, 8))), random.choice((1, 2, -1, -2))
    joined = [random.choice(",;/| (\t").join(text.partition("a")) for text in texts]
    rule = Extract(pieces={"length": length}, nth=nth)
    found = (find_piece(text, length, nth) for text in joined)
    return list(rule.on(joined)), [text if piece is None else piece for text, piece in zip(joined, found, strict=True)], joined  # fmt: skip


def _check_pattern(random: Random, texts: Sequence[str]) -> tuple[list[Any], list[Any], Any]:
    pattern, given = (
        random.choice(("[a-z]+", "[0-9]", "a|oak", "(k)(.)", "([a-zA-Z]{2})")),
        random.choice(("", "x", r"<\0>")),
    )
    nth = random.choice((1, 2, 3))
    rule = Replace(pairs={pattern: given}, pattern=True, nth=nth)
    expected = []
    for text in texts:
        places = [*re.finditer(pattern, text)][nth - 1 : nth]
        for place in places:
            text = text[: place.start()] + given.replace(r"\0", place[0]) + text[place.end() :]
        expected.append(text)
    return list(rule.on(list(texts))), expected, rule


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


_BREAKS = "\n\r\v\f\x85\u2028\u2029"
_ODD_SPACES = (
    "\u00a0\u1680\u2000\u2001\u2002\u2003\u2004\u2005\u2006\u2007\u2008\u2009\u200a\u202f\u205f\u3000"
)
_NAMED = "".join(
    (
        " \t",
        _BREAKS,
        _ODD_SPACES,
        "\u200b\u2060\ufeff\u200c\u200d\u00ad\u061c\u180e\u200e\u200f\u202a\u202b\u202c\u202d\u202e\u2066\u2067\u2068\u2069",
    )
)


def space(text: str) -> str:
    """Odd spaces become plain, breaks with what is round them become one, and runs and ends go."""
    kept = ""
    for at, letter in enumerate(text):
        beside = (
            [text[place : place + 1] or "a" for place in (at - 1, at + 1)] if at else ["a", text[1:2] or "a"]
        )
        if letter in "\u200c\u200d" and any(one.isascii() for one in beside):
            continue
        kept += (
            ""
            if letter in "\u200b\u2060\ufeff"
            else " "
            if letter in "\t" + _ODD_SPACES + _BREAKS
            else letter
        )
    return " ".join(part for part in kept.split(" ") if part)


def keep_kinds(text: str, starts: str) -> str:
    """The characters of some of Unicode's general categories."""
    return "".join(letter for letter in text if unicodedata.category(letter).startswith(tuple(starts)))


def read_date(text: str) -> str | None:
    """A day as DD/MM/YYYY, leading zeros or not."""
    found = re.fullmatch(r"([0-9]{1,2})/([0-9]{1,2})/([0-9]{4})", text.strip(_NAMED))
    try:
        return None if found is None else date(int(found[3]), int(found[2]), int(found[1])).isoformat()
    except ValueError:
        return None


def find_band(text: str) -> str:
    """Below 5 low, from 5 on high; what is no plain number stays."""
    plain = text.strip(_NAMED).replace("−", "-")
    return (
        ("low" if Decimal(plain) < 5 else "high") if re.fullmatch(r"[+-]?[0-9]+(\.[0-9]+)?", plain) else text
    )


def _check_spacing(random: Random, texts: Sequence[str]) -> tuple[list[Any], list[Any], Any]:
    return list(Spacing().on(list(texts))), [space(t) for t in texts], "spacing"


def _check_case(random: Random, texts: Sequence[str]) -> tuple[list[Any], list[Any], Any]:
    # Words of Greek end in another sigma, and Python knows that too.
    rule, change = random.choice(((Case(style="upper"), str.upper), (Case(style="lower"), str.lower)))
    return list(rule.on(list(texts))), [change(t) for t in texts], rule


def _check_characters(random: Random, texts: Sequence[str]) -> tuple[list[Any], list[Any], Any]:
    kind, starts = random.choice(
        (("digits", ("Nd",)), ("letters", ("L",)), ("punctuation", ("P",)), ("symbols", ("S",)))
    )
    rule = Characters(keep=(kind,))  # type: ignore[arg-type]
    return list(rule.on(list(texts))), [keep_kinds(t, starts) for t in texts], rule  # type: ignore[arg-type]


def _check_label(random: Random, texts: Sequence[str]) -> tuple[list[Any], list[Any], Any]:
    labels, ignore_case = {"a": "good", "B": "fair", "oak": "é", "1": " x"}, random.random() < 0.5
    fold: Callable[[str], str] = str.casefold if ignore_case else str
    folded = {fold(code): label for code, label in labels.items()}
    rule = Label(codebook="k", ignore_case=ignore_case)
    made = rule.on(
        [random.choice((t, t[:1], t[:3])) if t else t for t in texts], codebooks={"k": Codebook(labels)}
    )
    given = [*made]
    again = rule.on(list(texts), codebooks={"k": Codebook(labels)})
    return list(again), [labels.get(t) or folded.get(fold(t), t) for t in texts], (rule, given)


def _check_blanks(random: Random, texts: Sequence[str]) -> tuple[list[Any], list[Any], Any]:
    rule = Blanks(texts=("n/a", "Oak", "-"))
    meant = {"n/a", "oak", "-", ""}
    return (
        list(rule.on(list(texts))),
        [None if t.strip(_NAMED).casefold() in meant else t for t in texts],
        rule,
    )


def _check_date(random: Random, texts: Sequence[str]) -> tuple[list[Any], list[Any], Any]:
    parts = [
        f"{random.randrange(40)}/{random.choice((1, 2, '02', 12, 13))}/{random.choice((0, 4, 1900, 2024, 9999)):04}"
        for _ in texts
    ]
    texts = [
        random.choice((part, f" {part}", part.replace("/", "-", 1), t))
        for part, t in zip(parts, texts, strict=True)
    ]
    made = Date(form="DD/MM/YYYY").on(texts)
    return [None if day is None else day.isoformat() for day in made], [read_date(t) for t in texts], texts


def _check_bands(random: Random, texts: Sequence[str]) -> tuple[list[Any], list[Any], Any]:
    texts = [random.choice((t, f"{random.randrange(-9, 9)}", f" {random.randrange(90) / 10}")) for t in texts]
    rule = Bands(bands=(Band(label="low", below=5), Band(label="high", at_least=5)))
    return list(rule.on(texts)), [find_band(t) for t in texts], texts


def _check_compose(random: Random, texts: Sequence[str]) -> tuple[list[Any], list[Any], Any]:
    others = random.sample(list(texts), len(texts))
    book = Rulebook([Compose(template="<{a}> {b}.", into="c")])
    made = book.apply({"a": list(texts), "b": others}).table["c"]
    expected = []
    for one, other in zip(texts, others, strict=True):
        there = [part for part in ((one, "> "), (other, "")) if part[0].strip(_NAMED)]
        body = one + "> " + other if len(there) == 2 else there[0][0] if there else None
        expected.append(None if body is None else f"<{body}.")
    return list(made), expected, (texts, others)


CHECKS: Mapping[str, Callable[[Random, Sequence[str]], tuple[list[Any], list[Any], Any]]] = {
    "replace": _check_replace, "overlay": _check_overlay, "part": _check_part, "number": _check_number,
    "extract": _check_extract, "pieces": _check_pieces, "pattern": _check_pattern, "conditions": _check_condition,
    "spacing": _check_spacing, "case": _check_case, "characters": _check_characters, "label": _check_label, "blanks": _check_blanks, "date": _check_date,
    "bands": _check_bands, "compose": _check_compose,
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
