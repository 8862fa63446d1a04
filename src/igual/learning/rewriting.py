"""Steps that write a whole text otherwise: spaces, case, characters, separators, what is added or taken off."""

from __future__ import annotations

import itertools
import re
from collections.abc import Iterator

import pyarrow as pa

from igual.column import TEXT
from igual.learning.measures import bare
from igual.learning.prior import PER_KIND, PER_LETTER, STEP
from igual.learning.steps import (
    RuleStep,
    case,
    cost_of_own_text,
    cost_of_text,
    drop,
    escape_given,
    fold,
    keep,
    overlay,
    pad,
    replace,
    respace,
    step,
    substitute,
    substitute_in_turn,
    without_spaces,
)
from igual.text.casing import Style
from igual.text.filtering import straightened
from igual.text.identifiers import IDENTIFIER_STYLES

_PLAIN: tuple[Style, ...] = ("lower", "upper", "sentence", "title")
_STYLES: tuple[Style, ...] = (*_PLAIN, "name", "camel", "pascal", "snake", "kebab", "train", "constant")
_MARKS_GIVEN = ("", " ", "-", "_", "/", ".", ", ", ",", ":", ";", "|")


def propose_rewriting(text: str, wanted: str, from_stage: int) -> Iterator[RuleStep]:
    """Propose steps that write a text otherwise, those that are due from a stage on."""
    for stage, steps in (
        (0, _spaces(text, wanted)),
        (1, _removals(text, wanted)),
        (3, _characters(text, wanted)),
        (3, _separators(text, wanted)),
        (3, _initials(text, wanted)),
        (3, _words(text, wanted)),
        (4, _cases(text, wanted)),
        (5, _additions(text, wanted)),
        (5, _zeros(text, wanted)),
        (5, _zeros_inside(text, wanted)),
        (5, _overlays(text, wanted)),
    ):
        for one in steps if stage >= from_stage or stage in (0, 4) else ():
            is_identifier = one.do == "case" and dict(one.words)["style"] in IDENTIFIER_STYLES
            yield one._replace(stage=3 if is_identifier else stage)


def _spaces(text: str, wanted: str) -> Iterator[RuleStep]:
    if " ".join(text.split()) != text:
        yield respace()
    if len(text.split()) > 1 and len(wanted.split()) < 2:
        yield without_spaces()


def _cases(text: str, wanted: str) -> Iterator[RuleStep]:
    """Styles that bring the letters nearer; those of identifiers only where the marks become those of one."""
    if not any(one.isalpha() for one in text):
        return
    has_words = bare(text) == bare(wanted)
    for style in _STYLES:
        made = case(style).run(text)
        if made == wanted or style in _PLAIN or style == "name" or has_words:
            yield case(style)


def _characters(text: str, wanted: str) -> Iterator[RuleStep]:
    if not text.isascii():
        yield fold()
        yield step(
            "characters",
            STEP["straighten"],
            lambda given: str(straightened(pa.array([given], TEXT))[0].as_py()),
            straighten=True,
        )
    kinds = {
        "digits": any(one.isdecimal() for one in wanted),
        "letters": any(one.isalpha() for one in wanted),
        "spaces": " " in wanted,
    }
    kept = tuple(kind for kind, is_wanted in kinds.items() if is_wanted)
    marks = "".join(dict.fromkeys(one for one in wanted if not one.isalnum() and one != " " and one in text))
    if kept and len(marks) <= 3:
        yield keep(kept, "", PER_KIND * (len(kept) - 1))
        if marks:
            yield keep(kept, marks, PER_KIND * (len(kept) - 1) + 2 * cost_of_text(marks))
    if "spaces" in kept:
        yield keep(tuple(kind for kind in kept if kind != "spaces"), "", PER_KIND * (len(kept) - 2))
    if not any(one.isdecimal() for one in wanted):
        yield drop(("digits",), "", 0.0)
    if not any(one.isalpha() for one in wanted):
        yield drop(("letters",), "", 0.2)
    if all(one.isalnum() or one.isspace() for one in wanted):
        yield drop(("punctuation",), "", 0.0)
        yield drop(("punctuation", "symbols"), "", PER_KIND)
    gone = "".join(
        dict.fromkeys(one for one in text if not one.isalnum() and one != " " and one not in wanted)
    )
    if 0 < len(gone) <= 4:
        yield drop((), gone, cost_of_text(gone))
        if " " in text and " " not in wanted:
            yield drop((), f"{gone} ", cost_of_text(gone) + 0.2)


def _gaps(text: str) -> tuple[list[str], list[str]]:
    """A text cut into letters-and-digits and what stands between, ends included."""
    pieces = re.split(r"([^\W_]+)", text)
    return pieces[1::2], pieces[0::2]


def _separators(text: str, wanted: str) -> Iterator[RuleStep]:
    """Separators in the place of others: everywhere, at the first or the last place, several at once."""
    own, gaps = _gaps(text)
    _, wanted_gaps = _gaps(wanted)
    marks = [one for one in dict.fromkeys(gaps[1:-1]) if one][:6]
    given = {one for one in wanted_gaps[1:-1] if one} | {"", " "}
    for mark in marks:
        for new in sorted(given):
            if new == mark or (new and new not in wanted):
                continue
            named = cost_of_text(mark) + cost_of_text(new)
            yield replace({mark: new}, STEP["replace"] + named)
            if gaps.count(mark) > 1 or text.count(mark) > 1:
                yield replace({mark: new}, STEP["replace one place"] + named, nth=1)
                quoted = re.escape(mark)
                yield substitute(
                    f"(.*){quoted}(.*)", rf"\1{escape_given(new)}\2", STEP["replace one place"] + named + 0.2
                )
    for one, other in itertools.combinations(marks[:4], 2):
        for new in sorted(given & set(_MARKS_GIVEN)):
            if new not in (one, other):
                named = cost_of_text(one + other) + cost_of_text(new)
                yield replace({one: new, other: new}, STEP["replace"] + named + 0.3)
    if len(own) == len(wanted_gaps) - 1 and [bare(one) for one in own] == [
        bare(one) for one in _gaps(wanted)[0]
    ]:
        pairs = dict(zip(gaps[1:-1], wanted_gaps[1:-1], strict=True))
        changed = {mark: new for mark, new in pairs.items() if mark and mark != new}
        if len(changed) > 1 and all(
            pairs[mark] == new for mark, new in zip(gaps[1:-1], wanted_gaps[1:-1], strict=True)
        ):
            yield replace(
                changed,
                STEP["replace"] + sum(cost_of_text(one) + cost_of_text(new) for one, new in changed.items()),
            )
    for first, second, cost in (
        (r"([\p{L}])", "([0-9])", 0.2),
        ("([0-9])", r"([\p{L}])", 0.2),
        ("([a-z])", "([A-Z])", 0.4),
    ):
        for new in sorted(given - {""} | {one for one in (" ", "-") if one in wanted}):
            yield substitute(
                first + second,
                rf"\1{escape_given(new)}\2",
                STEP["replace"] + cost_of_text(new) + cost,
                whole=False,
            )


def _removals(text: str, wanted: str) -> Iterator[RuleStep]:
    """A text at the start or the end that isn't wanted, or a word."""
    pieces = re.findall(r"\w+|[^\w]+", text[:400])
    start = ""
    for piece in pieces[:4]:
        start += piece
        cost = STEP["remove"] + 0.4 * cost_of_text(start)
        if len(start) < len(text) and not wanted.startswith(start):
            yield replace({start: ""}, cost, "start")
    end = ""
    for piece in reversed(pieces[-4:]):
        end = piece + end
        cost = STEP["remove"] + 0.4 * cost_of_text(end)
        if len(end) < len(text) and not wanted.endswith(end):
            yield replace({end: ""}, cost, "end")
    low = wanted.casefold()
    for place, piece in enumerate(pieces[:24]):
        if piece[0].isalnum() and 0 < place < len(pieces) - 1 and piece.casefold() not in low:
            yield replace({pieces[place - 1] + piece: ""}, STEP["remove"] + 0.4 * cost_of_text(piece) + 0.4)


def _additions(text: str, wanted: str) -> Iterator[RuleStep]:
    """A text put before or behind."""
    at = wanted.find(text) if text else -1
    if at < 0 or text == wanted:
        return
    before, behind = wanted[:at], wanted[at + len(text) :]
    cost = STEP["add"] + cost_of_own_text(before) + cost_of_own_text(behind)
    yield substitute("(.+)", rf"{escape_given(before)}\1{escape_given(behind)}", cost)


def _zeros(text: str, wanted: str) -> Iterator[RuleStep]:
    """Leading zeros put in or taken off, and other filling up."""
    if text and len(text) < 40 and (match := re.search(rf"([^\w]+|0+){re.escape(text)}", wanted)):
        fill = match[1][-1]
        run = re.search(rf"{re.escape(fill)}+$", match[1])
        if fill != "0" or text.isalnum():
            yield pad(len(text) + len(run[0] if run else ""), fill, "start")
    if text and wanted.startswith(text) and len(wanted) > len(text):
        fill = set(wanted[len(text) :])
        if len(fill) == 1 and not (one := fill.pop()).isalpha():
            yield pad(len(wanted), one, "end")
    if text.startswith("0") and not wanted.startswith("0"):
        yield substitute("0+([^0].*|0)", r"\1", STEP["zeros"], must_take=False)
    if re.search(r"(?<![0-9])0+[0-9]", text):
        yield substitute("(^|[^0-9])0+([0-9])", r"\1\2", STEP["zeros"] + 0.5, whole=False, must_take=False)


def _zeros_inside(text: str, wanted: str) -> Iterator[RuleStep]:
    """The number at the end of a code, or the first one in it, filled up with zeros: too many, and those off again."""
    for match in itertools.islice(re.finditer("[0-9]+", text), 2):
        filled = re.search(rf"(?<![0-9])0+{match[0]}(?![0-9])", wanted)
        if filled is None or match[0] == text or len(filled[0]) > 12:
            continue
        width = len(filled[0])
        is_last = match.end() == len(text)
        before, behind = ("([^0-9])", "()$") if is_last else ("^([^0-9]*)", "([^0-9]|$)")
        short, whole = f"[0-9]{{1,{width - 1}}}", f"[0-9]{{{width}}}"
        pairs = {
            f"{before}({short}){behind}": rf"\1{'0' * (width - 1)}\2\3",
            f"{before}0*({whole}){behind}": r"\1\2\3",
        }
        yield substitute_in_turn(pairs, STEP["pad"] + 0.6)


def _initials(text: str, wanted: str) -> Iterator[RuleStep]:
    """The first letters of the words, with or without dots and spaces."""
    words = re.findall(r"[^\W\d_]+", text)
    if not 1 < len(words) <= 8 or len(wanted) > 4 * len(words):
        return
    for between in ("", ".", ". ", " ", "-"):
        given = rf"\1{between}"
        yield substitute(
            r"([\p{L}])[\p{L}]*[^\p{L}]*", given, STEP["initials"] + 0.2 * len(between), whole=False
        )
        yield substitute(
            r"([A-Z])[\p{L}]*[^\p{L}]*|[\p{L}]+[^\p{L}]*",
            given.strip(),
            STEP["initials"] + 0.8 + 0.2 * len(between),
            whole=False,
        )


def _overlays(text: str, wanted: str) -> Iterator[RuleStep]:
    """Characters written over, or put in, at a place counted from either end."""
    start = 0
    while start < min(len(text), len(wanted)) and text[start] == wanted[start]:
        start += 1
    end = 0
    while end < min(len(text), len(wanted)) - start and text[-1 - end] == wanted[-1 - end]:
        end += 1
    old, new = text[start : len(text) - end], wanted[start : len(wanted) - end]
    if text == wanted or len(old) > 12 or len(new) > 20 or not new or not (start or end):
        return
    cost = STEP["overlay"] + 0.7 * cost_of_own_text(new) + 0.05 * len(old)
    if start < len(text) and start < 20:
        yield overlay(start + 1, len(old), new, cost + 0.05 * start)
    if len(old) + end > 0 and end < 20:
        yield overlay(-(len(old) + end), len(old), new, cost + 0.05 * end)


def _words(text: str, wanted: str) -> Iterator[RuleStep]:
    """A word in the place of another, where all else agrees."""
    own, others = re.findall(r"\w+", text), re.findall(r"\w+", wanted)
    if len(own) != len(others) or len(own) < 2:
        return
    pairs = {one: other for one, other in zip(own, others, strict=True) if one.casefold() != other.casefold()}
    if 0 < len(pairs) <= 2 and len(pairs) < len(own):
        named = sum(PER_LETTER * 0.4 * (len(one) + len(other)) for one, other in pairs.items())
        yield replace(pairs, STEP["replace words"] + named, "word")
