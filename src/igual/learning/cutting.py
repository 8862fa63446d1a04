"""Steps that take something out of a text: parts, what stands between, pieces by their shape."""

from __future__ import annotations

import re
from collections.abc import Iterator

from igual.learning.prior import PER_LETTER, PER_MARK, STEP
from igual.learning.steps import RuleStep, cost_of_text, extract, overlay, part

_MOST_SEPARATORS, _MOST_PARTS, _MOST_RUNS = 8, 6, 4
_BRACKETS = (("(", ")"), ("[", "]"), ("{", "}"), ("<", ">"), ('"', '"'), ("'", "'"), ("“", "”"), ("«", "»"))
_RUNS = (
    ("[0-9]+", 0.0),
    (r"[0-9]+(?:[.,][0-9]+)+", 0.2),
    (r"[\p{L}]+", 0.3),
    ("[A-Z]{2,}", 0.3),
    ("[A-Z][a-z]+", 0.8),
    (r"[A-Z]+-?[0-9]+", 0.2),
    (r"[^\s]*[0-9][^\s]*", 0.3),
)


def find_separators(text: str) -> list[str]:
    """The marks and spaces of a text, and those of several characters with a space among them."""
    single = [one for one in dict.fromkeys(text[:2_000]) if not one.isalnum()]
    several = dict.fromkeys(re.findall(r"[^\w]{2,3}", text[:2_000]))
    inner = [
        one for one in several if one != one.strip() and one.strip() and len(one.strip()) + 2 == len(one)
    ]
    return [*single[:_MOST_SEPARATORS], *inner[:3]]


def propose_cuts(text: str, wanted: str) -> Iterator[RuleStep]:
    """Propose steps that take something out of a text; the search drops those that lose what is wanted."""
    separators = find_separators(text)
    for separator in separators:
        count = text.count(separator) + 1
        for nth in range(1, min(count, _MOST_PARTS) + 1):
            yield part(separator, nth)
            yield part(separator, -nth)
    yield from _between(text)
    yield from _runs(text)
    yield from _shapes(text, wanted)
    yield from _ends(text, wanted)
    yield from _sides(text, separators)
    yield from _beside_words(text, wanted)


def _between(text: str) -> Iterator[RuleStep]:
    for opens, closes in _BRACKETS:
        if opens in text and closes in text:
            first, last = re.escape(opens), re.escape(closes)
            inside = f"[^{re.escape(opens if opens == closes else opens + closes)}]"
            for nth in range(1, min(text.count(opens), 2) + 1):
                yield extract(f"{first}(?P<value>{inside}*){last}", STEP["bracketed"], nth)


def _runs(text: str) -> Iterator[RuleStep]:
    for pattern, cost in _RUNS:
        step = extract(pattern, STEP["run"] + cost)
        for nth in range(1, _MOST_RUNS + 1):
            step = extract(pattern, STEP["run"] + cost, nth)
            if step.run(text) is None:
                break
            yield step
    yield extract("^.*?(?P<value>[0-9]+)[^0-9]*$", STEP["run"] + 0.3)


def _shapes(text: str, wanted: str) -> Iterator[RuleStep]:
    """Pieces that are like what is wanted: as many digits and capitals, or some, with the same marks."""
    at = text.casefold().find(wanted.casefold())
    if at < 0 or len(wanted) > 40 or not any(one.isdigit() or one.isupper() for one in wanted):
        return
    piece = text[at : at + len(wanted)]
    if not piece.isascii() or " " in piece:
        return
    if piece.isdecimal() and len(piece) > 3:
        for nth in range(1, 3):
            yield extract(rf"\b[0-9]{{{len(piece)},}}\b", STEP["shape"] + 0.2, nth)
    for exact in (True, False):
        pattern, cost = "", STEP["shape"]
        for run in re.findall("[0-9]+|[A-Z]+|[a-z]+|.", piece):
            kind = next((name for name in ("0-9", "A-Z", "a-z") if re.match(f"[{name}]", run)), None)
            count = f"{{{len(run)}}}" if exact and len(run) > 1 else "" if exact else "+"
            pattern += f"[{kind}]{count}" if kind else re.escape(run)
            cost += 0.1 if kind else PER_MARK
        edges = [r"\b" if piece[end].isalnum() else "" for end in (0, -1)]
        for nth in range(1, 4):
            yield extract(f"{edges[0]}{pattern}{edges[1]}", cost, nth)


def _ends(text: str, wanted: str) -> Iterator[RuleStep]:
    """The first or last characters or words, or all but those."""
    size, length = len(wanted), len(text)
    low, target = text.casefold(), wanted.casefold()
    cost = STEP["first or last"] + 0.05 * size
    if 0 < size < length:
        if low.startswith(target):
            yield extract(f"^.{{{size}}}" if size > 1 else "^.", cost)
        if low.endswith(target):
            yield extract(f".{{{size}}}$" if size > 1 else ".$", cost)
    for count in range(1, min(length, 7)):
        off = STEP["cut off"] + 0.1 * count
        yield overlay(1, count, "", off)
        yield overlay(-count, count, "", off)
    for count in range(1, 7):
        if count < length:
            yield extract(f"^.{{{count}}}" if count > 1 else "^.", STEP["first or last"] + 0.05 * count + 0.3)
            yield extract(f".{{{count}}}$" if count > 1 else ".$", STEP["first or last"] + 0.05 * count + 0.3)
    words = text.split(" ")
    for count in range(2, min(len(words), 5)):
        more = rf"(?: [^ ]+){{{count - 1}}}"
        yield extract(f"^[^ ]+{more}", STEP["words"] + 0.2 * (count - 2))
        yield extract(f"[^ ]+{more}$", STEP["words"] + 0.2 * (count - 2))


def _sides(text: str, separators: list[str]) -> Iterator[RuleStep]:
    """All before or after a mark, where it stands several times; between two marks."""
    marks = [one for one in separators if len(one) == 1]
    for mark in marks:
        quoted = r"\s" if mark == " " else re.escape(mark)
        cost = STEP["before or after"] + cost_of_text(mark)
        if text.count(mark) > 1:
            yield extract(rf"^[^{quoted}]*{quoted}\s*(?P<value>.*)$", cost)
            yield extract(rf"^(?P<value>.*?)\s*{quoted}[^{quoted}]*$", cost)
        for other in marks:
            ends = r"\s" if other == " " else re.escape(other)
            if other != mark and mark in text and other in text[text.index(mark) + 1 :]:
                named = cost_of_text(mark) + cost_of_text(other)
                gap = "" if mark == " " or other == " " else r"\s*"
                yield extract(rf"{quoted}{gap}(?P<value>[^{ends}]*?){gap}{ends}", STEP["between"] + named)


def _beside_words(text: str, wanted: str) -> Iterator[RuleStep]:
    """What stands before or after a word, or between two."""
    at = text.casefold().find(wanted.casefold())
    if at >= 0:
        before, behind = re.findall(r"\w+", text[:at]), re.findall(r"\w+", text[at + len(wanted) :])
        if before and behind and (before[-1] + behind[0]).isascii():
            cost = STEP["between"] + 0.15 * (len(before[-1]) + len(behind[0]))
            gap = r"[\s:.,#=-]*"
            pattern = rf"\b{before[-1]}\b{gap}(?P<value>.*?){gap}\b{behind[0]}\b"
            yield extract(pattern, cost)._replace(names_text=True)
    words = list(re.finditer(r"\w+", text[:300]))
    for span in words[:12]:
        word = span[0]
        if not word.isascii() or word.isdigit() or text.count(word) > 1:
            continue
        cost = STEP["beside a word"] + min(PER_LETTER, 0.15) * len(word)
        for step in (
            extract(rf"\b{word}\b[\s:.,#=-]*(?P<value>.*)$", cost),
            extract(rf"^(?P<value>.*?)[\s:.,#=-]*\b{word}\b", cost),
            extract(rf"\b{word}\b[\s:.,#=-]*(?P<value>[^\s,;]+)", cost + 0.2),
        ):
            yield step._replace(names_text=True)
