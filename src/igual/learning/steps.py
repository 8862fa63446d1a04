"""One step of a chain: the words of a rule, what it costs, and how it acts on a single text."""

from __future__ import annotations

import functools
import itertools
import re
import unicodedata
from collections.abc import Callable, Mapping, Sequence
from functools import lru_cache
from typing import Any, NamedTuple, cast

import numpy as np
import pyarrow as pa

from igual.column import TEXT
from igual.learning.prior import (
    BORROWED_INITIAL,
    BORROWED_PART,
    BORROWED_WORD,
    OWN_LETTER,
    OWN_WORD,
    PER_LETTER,
    PER_MARK,
    PER_PLACE,
    STEP,
)
from igual.rules.base import Rule
from igual.rules.registry import find_rules
from igual.text.casing import Style, recased, text_recaser
from igual.text.dates import days, written
from igual.text.folding import without_accents
from igual.text.identifiers import IDENTIFIER_STYLES, IdentifierStyle, identifier_in

# Longer texts aren't searched: what stands in them is no value, and patterns would take too long for them.
LONGEST = 1_000

Words = tuple[tuple[str, Any], ...]
# What a pattern says in RE2's notation, and in that of Python for a single text.
_LETTER, _LETTER_HERE, _NO_LETTER_HERE = r"\p{L}", r"[^\W\d_]", r"[\W\d_]"


class RuleStep(NamedTuple):
    """A step of a chain.

    Attributes:
        words: The rule's words, but for those that name columns; pairs stand as tuples.
        cost: Of the step, as in `prior`.
        run: What it makes of a text; None where it can't take it.
        names_text: Whether it names a text of the examples.
        stage: When it is due, so that steps that may come in any order come in one: spaces 0, cutting 1, reading 2,
            rewriting 3, case 4, adding 5.
        run_many: The same for many texts at once, where that is much faster.
        guard: Which values it is for (None: all), a `guards.Guard`.
        reading: How a first step reads several columns, a `columns.ColumnStep`.
    """

    words: Words
    cost: float
    run: Callable[[str], str | None]
    names_text: bool = False
    stage: int = 3
    run_many: Callable[[pa.Array], pa.Array] | None = None
    guard: Any = None
    reading: Any = None

    @property
    def do(self) -> str:
        """Which rule it is."""
        return str(self.words[0][1])

    def cost_of_borrowing(self, texts: Sequence[str]) -> float:
        """What it costs that words which the rule puts in of itself stand in the values of the examples."""
        given: list[str] = []
        for word, text in self.words:
            if word == "pairs":
                given += [re.sub(r"\\\d", " ", new) for _, new in text]
            elif word == "text":
                given.append(text)
        own = {word.casefold() for new in given for word in re.findall(r"[^\W_]+", new)}
        if not own:
            return 0.0
        joined = " ".join(texts).casefold()
        known = set(re.findall(r"[^\W_]+", joined))
        initials = {word[0] for word in known}
        cost = 0.0
        for word in own:
            if len(word) == 1:
                cost += BORROWED_INITIAL * (word in initials)
            elif word in known:
                cost += BORROWED_WORD
            elif word in joined:
                cost += BORROWED_PART
        return cost

    @property
    def leaves_others(self) -> bool:
        """Whether values that it can't take stay as they are."""
        return self.do in ("replace", "extract", "overlay")

    @property
    def key(self) -> tuple[Any, ...]:
        """What tells it from other steps."""
        return (self.words, None if self.guard is None else self.guard.words)

    def run_guarded(self, text: str) -> str | None:
        """Run the step on a text that it is for; others stay as they are."""
        return self.run(text) if self.guard is None or self.guard.is_met(text) else text

    def run_on(self, texts: Sequence[str | None]) -> list[str | None]:
        """Run the step on many texts; None where it can't take one."""
        if self.run_many is not None and self.guard is None:
            made: list[str | None] = self.run_many(pa.array(texts, TEXT)).to_pylist()
            return made
        run = self.run if self.guard is None else self.run_guarded
        return [None if text is None or len(text) > LONGEST else run(text) for text in texts]

    def build(self, column: str, into: str | None = None) -> Rule:
        """Build the rule for a column."""
        when = None if self.guard is None else self.guard.build()
        given: dict[str, Any] = {
            word: dict(text) if word == "pairs" else text for word, text in self.words if word != "do"
        }
        more: dict[str, Any] = {"into": into, "when": when}
        rule = find_rules()[self.do]
        return rule(column=column, **given, **{word: text for word, text in more.items() if text is not None})


def step(
    do: str,
    cost: float,
    run: Callable[[str], str | None],
    *,
    names_text: bool = False,
    run_many: Callable[[pa.Array], pa.Array] | None = None,
    **words: Any,
) -> RuleStep:
    """Build a step."""
    kept = tuple(
        (word, tuple(text.items()) if isinstance(text, Mapping) else text) for word, text in words.items()
    )
    return RuleStep((("do", do), *kept), cost, run, names_text, run_many=run_many)


def cost_of_text(text: str) -> float:
    """What it costs that a rule names a text."""
    return sum(PER_LETTER if character.isalnum() else PER_MARK for character in text[:40])


def cost_of_own_text(text: str) -> float:
    """What it costs that a rule puts in a text of its own."""
    marks = sum(PER_MARK for character in text if not character.isalnum())
    words = [word for word in re.split(r"[\W_]+", text) if word]
    return marks + sum(OWN_WORD + OWN_LETTER * min(len(word) - 1, 8) for word in words)


def respace() -> RuleStep:
    """Spaces put right."""
    return step("spacing", STEP["spacing"], lambda text: " ".join(text.split()))


def without_spaces() -> RuleStep:
    """All spaces taken out."""
    return step("spacing", STEP["no spaces"], lambda text: "".join(text.split()), inner="none")


@lru_cache(maxsize=20_000)
def _recase(text: str, style: Style) -> str:
    """A text in a style; the rule itself has the last word."""
    if style in IDENTIFIER_STYLES:
        return identifier_in(cast(IdentifierStyle, style), ())(text)
    return text_recaser(style)(text)


def case(style: Style) -> RuleStep:
    """One case."""
    kind = "case, identifiers" if style in IDENTIFIER_STYLES else "case, names" if style == "name" else "case"
    is_quick = style in ("lower", "upper") or style in IDENTIFIER_STYLES
    run_many = None if is_quick else lambda texts: recased(texts, style, (), ())
    return step("case", STEP[kind], lambda text: _recase(text, style), run_many=run_many, style=style)


_KINDS: dict[str, Callable[[str], bool]] = {
    "digits": str.isdecimal,
    "letters": str.isalpha,
    "punctuation": lambda one: unicodedata.category(one)[0] == "P",
    "symbols": lambda one: unicodedata.category(one)[0] == "S",
    "spaces": lambda one: one == "\t" or unicodedata.category(one)[0] == "Z",
}


@lru_cache(maxsize=50_000)
def _is_of(kinds: tuple[str, ...], stated: str, character: str) -> bool:
    return character in stated or any(_KINDS[kind](character) for kind in kinds)


def keep(kinds: tuple[str, ...], stated: str, cost: float) -> RuleStep:
    """Only some kinds of characters."""
    is_kept = functools.partial(_is_of, kinds, stated)
    words: dict[str, Any] = {"keep": kinds, "stated": stated} if stated else {"keep": kinds}
    return step("characters", STEP["keep"] + cost, lambda text: "".join(filter(is_kept, text)), **words)


def drop(kinds: tuple[str, ...], stated: str, cost: float) -> RuleStep:
    """Without some kinds of characters."""
    is_dropped = functools.partial(_is_of, kinds, stated)
    words: dict[str, Any] = {**({"drop": kinds} if kinds else {}), **({"stated": stated} if stated else {})}
    return step(
        "characters",
        STEP["drop"] + cost,
        lambda text: "".join(itertools.filterfalse(is_dropped, text)),
        **words,
    )


def fold() -> RuleStep:
    """Letters without accents."""

    def run(text: str) -> str:
        return text if text.isascii() else str(without_accents(pa.array([text], TEXT))[0].as_py())

    return step("characters", STEP["fold"], run, run_many=without_accents, fold=True)


_PLACES = {"start": ("^", ""), "end": ("", "$"), "word": (r"(?<!\w)", r"(?!\w)"), "whole": ("^", "$")}


@lru_cache(maxsize=5_000)
def _compile_plain(pattern: str) -> re.Pattern[str]:
    return re.compile(pattern)


def replace(
    pairs: Mapping[str, str], cost: float, where: str = "anywhere", nth: int | None = None
) -> RuleStep:
    """Texts in the place of others, all at once."""
    first, last = _PLACES.get(where, ("", ""))
    pattern = first + "(" + "|".join(re.escape(sought) for sought in pairs) + ")" + last

    def run(text: str) -> str:
        compiled = _compile_plain(pattern)
        if nth is None:
            return compiled.sub(lambda place: pairs[place[1]], text)
        for number, place in enumerate(compiled.finditer(text), 1):
            if number == nth:
                return text[: place.start()] + pairs[place[1]] + text[place.end() :]
        return text

    words: dict[str, Any] = {"pairs": pairs}
    if where != "anywhere":
        words["where"] = where
    if nth is not None:
        words["nth"] = nth
    is_named = any(character.isalnum() for sought in pairs for character in sought)
    return step("replace", cost, run, names_text=is_named, **words)


def _as_python(pattern: str) -> str:
    pattern = pattern.replace(f"[^{_LETTER}]", _NO_LETTER_HERE)
    return pattern.replace(f"[{_LETTER}]", _LETTER_HERE).replace(_LETTER, _LETTER_HERE)


@lru_cache(maxsize=5_000)
def compiled(pattern: str) -> re.Pattern[str]:
    """A pattern in RE2's notation, of the few forms that are used here, for single texts."""
    return re.compile(_as_python(pattern), re.DOTALL | re.ASCII if _LETTER not in pattern else re.DOTALL)


def substitute(
    pattern: str,
    given: str,
    cost: float,
    *,
    whole: bool = True,
    must_take: bool = True,
    is_constant: bool = False,
) -> RuleStep:
    r"""What a pattern finds is written anew, with its groups as \1, \2."""
    body = rf"^(?:{pattern})$" if whole else pattern

    def run(text: str) -> str | None:
        if is_constant:
            return given
        made, times = compiled(body).subn(_as_python_given(given), text)
        return made if times or not must_take else None

    words: dict[str, Any] = {"pairs": {pattern: given}, "pattern": True}
    if whole:
        words["where"] = "whole"
    return step("replace", cost, run, **words)


def substitute_in_turn(pairs: Mapping[str, str], cost: float) -> RuleStep:
    r"""Patterns one after the other, each acting on what the ones before it made."""

    def run(text: str) -> str:
        for pattern, given in pairs.items():
            text = compiled(pattern).sub(_as_python_given(given), text)
        return text

    return step("replace", cost, run, pairs=pairs, pattern=True, cascade=True)


@lru_cache(maxsize=5_000)
def _as_python_given(given: str) -> str:
    r"""A replacement in Python's notation: \1 would take a digit behind it as its own."""
    return re.sub(r"\\(\d)", r"\\g<\1>", given)


def escape_given(text: str) -> str:
    """A text as it stands in a replacement."""
    return text.replace("\\", "\\\\")


def part(separator: str, nth: int) -> RuleStep:
    """The n-th part."""

    def run(text: str) -> str | None:
        parts = text.split(separator)
        place = nth - 1 if nth > 0 else nth
        return parts[place].strip() if -len(parts) <= place < len(parts) else None

    cost = STEP["part"] + PER_PLACE * (abs(nth) - 1) + cost_of_text(separator.strip() or " ") - PER_MARK
    return step("part", cost, run, separator=separator, nth=nth)


def extract(pattern: str, cost: float, nth: int = 1) -> RuleStep:
    """What a pattern finds, or its group `value`."""
    group = "value" if "(?P<value>" in pattern else 0

    def run(text: str) -> str | None:
        for number, place in enumerate(compiled(pattern).finditer(text), 1):
            if number == nth:
                return place[group]
        return None

    words = {"pattern": pattern} if nth == 1 else {"pattern": pattern, "nth": nth}
    return step("extract", cost + PER_PLACE * (nth - 1), run, **words)


def overlay(start: int, length: int, text: str, cost: float) -> RuleStep:
    """Characters at a place written over, or cut off."""

    def run(given: str) -> str | None:
        at = start - 1 if start > 0 else len(given) + start
        return given[:at] + text + given[at + length :] if 0 <= at < len(given) else None

    return step("overlay", cost, run, start=start, length=length, text=text)


def pad(width: int, fill: str, side: str) -> RuleStep:
    """Filled up to a width."""

    def run(text: str) -> str:
        if not text:
            return text
        return text.rjust(width, fill) if side == "start" else text.ljust(width, fill)

    words: dict[str, Any] = {"width": width}
    if fill != "0":
        words["fill"] = fill
    if side != "start":
        words["side"] = side
    return step("pad", STEP["pad"], run, **words)


def date(form: str, give: str, cost: float) -> RuleStep:
    """Dates in another form."""

    def run(text: str) -> str | None:
        read = days(pa.array([text], TEXT), form)
        return None if np.isnan(read[0]) else str(written(read, give)[0].as_py())

    return step(
        "date", cost, run, run_many=lambda texts: written(days(texts, form), give), form=form, give=give
    )


def number(run: Callable[[str], str | None], cost: float, **words: Any) -> RuleStep:
    """Numbers read in one notation, perhaps written in another."""
    return step("number", cost, run, **words)
