"""Rules that the values of one column ask for: repair, blanks, case, numbers and dates."""

from __future__ import annotations

import re
from collections.abc import Iterator
from typing import NamedTuple

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from igual.column import Counts, Mask, to_mask
from igual.conditions import Condition
from igual.rules.base import Rule
from igual.rules.blanks import Blanks
from igual.rules.case import Case
from igual.rules.characters import Characters
from igual.rules.date import Date
from igual.rules.number import Number
from igual.rules.pad import Pad
from igual.rules.replace import Replace
from igual.text.arrays import has_pattern
from igual.text.blanks import LIKE_MISSING, is_blank
from igual.text.casing import Style, recased
from igual.text.dates import ISO, form_pattern, forms_of
from igual.text.folding import folded_key, trimmed
from igual.text.patterns import LETTER

# From which share of the rows on a column is of one kind, and a second form of dates or numbers is one.
_NEARLY_ALL, _SECOND = 0.95, 0.02
# From which share of the rows on one case is the column's.
_MOST = 0.6
# Texts that people write for nothing, but that may be a value as well.
_MAYBE_VALUES = frozenset(
    {
        "na", "none", "nil", "unknown", "not known", "unk", "missing", "*", ".", "..", "xxx", "empty", "blank",
        "undefined",
    }
)  # fmt: skip
_MAYBE = pa.array(sorted(_MAYBE_VALUES), pa.large_string())
_NAMED = 5
_STYLES: tuple[Style, ...] = ("lower", "upper", "sentence", "title")
_POINT, _COMMA = r"^[+-]?\d+\.\d+$", r"^[+-]?\d+,\d+$"
_PLAIN = r"^[+-]?\d+([.,]\d+)?$"
_WITH_UNIT = (
    r"^(?P<sign>[$€£¥]?)\s?[+-]?\d+(?:[.,]\d+)?\s?"
    rf"(?P<unit>[{LETTER}]{{1,4}}\.?|%|°C?|[{LETTER}]{{1,2}}[²³23]|[$€£¥]|)$"
)
_WHOLE = r"^[+-]?(0|[1-9]\d*)$"
_ISO_DATE = r"^\d{4}-\d{2}-\d{2}$"
_EXAMPLES = 3


class DraftEvidence(NamedTuple):
    """What speaks for a rule; `report` makes a sentence of it.

    Attributes:
        kind: What was found, such as 'numbers'.
        share: Of the rows in which it was, 0 to 1.
        texts: What it is about: a form of dates, units, words, the name of a list.
        examples: Values that are something else, or in doubt.
        number: How many there are of it: rows, digits or spellings.
        other_share: Of the rows in which something else was that belongs to it, 0 to 1.
        rivals: What else it may be.
    """

    kind: str
    share: float = 0.0
    texts: tuple[str, ...] = ()
    examples: tuple[str, ...] = ()
    number: int = 0
    other_share: float = 0.0
    rivals: tuple[str, ...] = ()


class Suggestion(NamedTuple):
    """A rule that a column may need.

    Attributes:
        rule: The rule.
        evidence: What speaks for it.
        is_certain: Whether nothing speaks against it.
        is_reading: Whether it is needed though it changes no text: it makes numbers of them.
    """

    rule: Rule
    evidence: DraftEvidence
    is_certain: bool
    is_reading: bool = False


def suggest_rules(name: str, values: pa.Array, rows: Counts) -> Iterator[Suggestion]:
    """Suggest rules for a column whose spaces are in order, in the order in which they would act.

    Args:
        name: The column.
        values: Its distinct values, (values,).
        rows: Of each, (values,).

    Yields:
        The suggestions.
    """
    yield Suggestion(
        Characters(column=name, repair=True), DraftEvidence("texts decoded wrongly"), is_certain=True
    )
    blanks, missing = _suggest_blanks(name, values, rows)
    yield from blanks
    said = ~is_blank(values) & ~missing
    if not said.any():
        return
    values, rows = values.filter(pa.array(said)), rows[said]
    measured: list[Suggestion] = []
    # Dates and numbers have digits, all of them.
    if rows[has_pattern(values, r"\d")].sum() >= rows.sum() * _NEARLY_ALL:
        measured = [*_suggest_dates(name, values, rows), *_suggest_numbers(name, values, rows)]
    yield from measured
    if not measured:
        yield from _suggest_case(name, values, rows)


def _list_examples(values: pa.Array, mask: Mask) -> tuple[str, ...]:
    return tuple(values.filter(pa.array(mask)).slice(0, _EXAMPLES).to_pylist())


def _suggest_blanks(name: str, values: pa.Array, rows: Counts) -> tuple[list[Suggestion], Mask]:
    """Texts that mean there is no value; those that may be one as well are left to the steward."""
    texts = trimmed(values)
    lower = pc.utf8_lower(texts).to_pylist()
    is_meant = np.array([text in LIKE_MISSING for text in lower], np.bool_)
    if not is_meant.any():
        return [], is_meant
    # A word in the case that the column's values have, such as Nan in one of places or NAN among codes, may be one.
    maybe = is_meant & (
        to_mask(pc.is_in(pc.utf8_lower(texts), _MAYBE)) | _are_like_the_others(texts, rows, is_meant)
    )
    suggestions = []
    for mask, kind in ((is_meant & ~maybe, "words for nothing"), (maybe, "words perhaps for nothing")):
        named = tuple(sorted({lower[place] for place in np.flatnonzero(mask)}))
        if named:
            rule = Blanks(column=name, texts=named)
            suggestions.append(Suggestion(rule, DraftEvidence(kind, texts=named[:_NAMED]), mask is not maybe))
    return suggestions, is_meant


def _are_like_the_others(texts: pa.Array, rows: Counts, is_meant: Mask) -> Mask:
    """Which texts are a word in the case in which most of the others begin."""
    is_such_word = np.zeros(len(texts), np.bool_)
    others = ~is_meant & ~is_blank(texts)
    for pattern, word in (
        (r"^[\p{Lu}\P{L}]+$", r"^\p{Lu}+$"),
        (r"^\p{Lu}\p{Ll}", r"^\p{Lu}\p{Ll}+$"),
        (r"^[\p{Ll}\P{L}]+$", r"^\p{Ll}+$"),
    ):
        if rows[others & has_pattern(texts, pattern)].sum() >= 0.8 * max(rows[others].sum(), 1):
            is_such_word |= has_pattern(texts, word)
    return is_such_word


def _suggest_dates(name: str, values: pa.Array, rows: Counts) -> Iterator[Suggestion]:
    total = rows.sum()
    forms = [(form, mask, int(rows[mask].sum())) for form, mask in forms_of(values)]
    forms.sort(key=lambda option: -option[2])
    if not forms or (forms[0][0] == ISO and forms[0][2] >= total * _NEARLY_ALL):
        return
    if forms[0][2] < total * _NEARLY_ALL:
        yield from _suggest_two_forms(name, values, rows, forms)
        return
    form, mask, fitting = forms[0]
    rivals = [other for other, _, its_rows in forms[1:] if its_rows == fitting]
    evidence = DraftEvidence(
        "dates", fitting / total, (form,), _list_examples(values, ~mask), rivals=tuple(rivals)
    )
    # What is a date already stays one, when the rulebook meets its own output.
    when = Condition(not_=Condition(pattern=_ISO_DATE))
    yield Suggestion(Date(column=name, form=form, when=when), evidence, is_certain=not rivals)


def _suggest_two_forms(
    name: str, values: pa.Array, rows: Counts, forms: list[tuple[str, Mask, int]]
) -> Iterator[Suggestion]:
    """Two forms of dates in one column, where each can be told from the other: two rules with a condition."""
    total = rows.sum()
    for place, (first, first_mask, _) in enumerate(forms):
        for second, second_mask, _ in forms[place + 1 :]:
            both = rows[first_mask | second_mask].sum() / total
            shares = [rows[mask].sum() / total for mask in (first_mask, second_mask)]
            looks = [
                to_mask(pc.match_substring_regex(values, form_pattern(form))) for form in (first, second)
            ]
            apart = not (looks[0] & second_mask).any() and not (looks[1] & first_mask).any()
            if both < _NEARLY_ALL or min(shares) < _SECOND or not apart:
                continue
            for form, share in zip((first, second), shares, strict=True):
                evidence = DraftEvidence("dates in two forms", share, (form,), other_share=both - share)
                when = Condition(pattern=form_pattern(form))
                if form != ISO:
                    yield Suggestion(Date(column=name, form=form, when=when), evidence, is_certain=True)
            return


def _suggest_zeros(name: str, values: pa.Array, rows: Counts) -> Iterator[Suggestion]:
    """Codes of one width, some of which begin with zeros, where others have lost theirs."""
    digits, zero_first = has_pattern(values, r"^\d+$"), has_pattern(values, r"^0\d+$")
    if not zero_first.any() or rows[digits].sum() < rows.sum() * _NEARLY_ALL:
        return
    lengths = pc.utf8_length(values).to_numpy(zero_copy_only=False)
    width = int(lengths[digits].max())
    whole, short = rows[digits & (lengths == width)].sum(), digits & (lengths < width)
    if not short.any():
        return
    evidence = DraftEvidence(
        "codes of a width", whole / rows.sum(), examples=_list_examples(values, short), number=width
    )
    # Where a short code begins with a zero itself, codes have several widths.
    is_certain = bool(whole >= _MOST * rows.sum() and not (zero_first & short).any())
    rule = Pad(column=name, width=width, when=Condition(pattern=r"^\d+$"))
    yield Suggestion(rule, evidence, is_certain)


def _suggest_units(name: str, values: pa.Array, rows: Counts) -> Iterator[Suggestion]:
    """Numbers with a unit behind, or a currency sign before them, all in one unit."""
    total = rows.sum()
    parts = pc.extract_regex(trimmed(values), pattern=_WITH_UNIT)
    units = pc.if_else(
        pc.equal(pc.struct_field(parts, "sign"), ""),
        pc.struct_field(parts, "unit"),
        pc.struct_field(parts, "sign"),
    )
    has_unit = to_mask(pc.fill_null(pc.not_equal(units, ""), False))
    known = has_unit | has_pattern(values, _PLAIN)
    if rows[has_unit].sum() < total * 0.5 or rows[known].sum() < total * _NEARLY_ALL:
        return
    spellings = sorted(set(units.filter(pa.array(has_unit)).to_pylist()))
    is_one = len({spelling.casefold().rstrip(".") for spelling in spellings}) == 1
    is_sure = is_one and bool(known.all())
    comma = known & has_pattern(values, r"\d,\d")
    if comma.any():
        when = Condition(pattern=r"^\D*\d+,\d+\D*$")
        yield Suggestion(
            Replace(column=name, pairs={",": "."}, when=when),
            DraftEvidence("decimal comma", rows[comma].sum() / total),
            is_sure,
        )
    named = tuple(spellings[:_NAMED])
    evidence = DraftEvidence("numbers", rows[known].sum() / total, named, _list_examples(values, ~known))
    yield Suggestion(Number(column=name, unit=named), evidence, is_sure, is_reading=True)


def _suggest_groups(name: str, values: pa.Array, rows: Counts) -> Iterator[Suggestion]:
    """Numbers with a mark between groups of digits: it goes, then a decimal comma becomes a point."""
    total = rows.sum()
    for group, mark in ((".", ","), (",", "."), ("'", "."), (" ", ","), (" ", ".")):
        between, point = re.escape(group), re.escape(mark)
        # One group of three digits alone may be decimals.
        grouped = rf"^[+-]?\d{{1,3}}({between}\d{{3}})+{point}\d+$|^[+-]?\d{{1,3}}({between}\d{{3}}){{2,}}$"
        if group in "' ":
            grouped = rf"^[+-]?\d{{1,3}}({between}\d{{3}})+({point}\d+)?$"
        sure, plain = has_pattern(values, grouped), has_pattern(values, rf"^[+-]?\d+({point}\d+)?$")
        maybe = has_pattern(values, rf"^[+-]?\d{{1,3}}{between}\d{{3}}$") & ~sure
        known = sure | plain | maybe
        if rows[sure].sum() < total * _SECOND or rows[known].sum() < total * _NEARLY_ALL:
            continue
        evidence = DraftEvidence(
            "groups of digits", rows[sure].sum() / total, (group,), _list_examples(values, maybe)
        )
        is_certain = not maybe.any()
        when = Condition(pattern=grouped)
        yield Suggestion(Replace(column=name, pairs={group: ""}, when=when), evidence, is_certain)
        if mark == "," and (comma := has_pattern(values, r",\d+$")).any():
            evidence = DraftEvidence("decimal comma", rows[comma].sum() / total)
            when = Condition(pattern=_COMMA)
            yield Suggestion(Replace(column=name, pairs={",": "."}, when=when), evidence, is_certain)
        evidence = DraftEvidence("numbers", rows[known].sum() / total)
        yield Suggestion(Number(column=name), evidence, is_certain and bool(known.all()), is_reading=True)
        return


def _suggest_numbers(name: str, values: pa.Array, rows: Counts) -> Iterator[Suggestion]:
    """Numbers with decimals; whole ones are codes as likely as not, and stay."""
    if units := list(_suggest_units(name, values, rows)):
        yield from units
        return
    yield from _suggest_zeros(name, values, rows)
    if grouped := list(_suggest_groups(name, values, rows)):
        yield from grouped
        return
    total = rows.sum()
    point, comma, whole = (
        to_mask(pc.match_substring_regex(values, pattern)) for pattern in (_POINT, _COMMA, _WHOLE)
    )
    known = point | comma | whole
    share = rows[known].sum() / total
    with_comma, with_point = rows[comma].sum() / total, rows[point].sum() / total
    if share < _NEARLY_ALL or with_comma < _SECOND:
        return
    point_too = with_point if with_point >= _SECOND else 0.0
    yield Suggestion(
        Replace(column=name, pairs={",": "."}, when=Condition(pattern=_COMMA)),
        DraftEvidence("decimal comma", with_comma, other_share=point_too),
        is_certain=True,
    )
    evidence = DraftEvidence("numbers", share, examples=_list_examples(values, ~known))
    yield Suggestion(Number(column=name), evidence, is_certain=bool(known.all()), is_reading=True)


def _suggest_case(name: str, values: pa.Array, rows: Counts) -> Iterator[Suggestion]:
    """One case where most rows have it, and others are only another case of theirs."""
    has_words = has_pattern(values, rf"[{LETTER}]{{3}}")
    has_digits = to_mask(pc.match_substring_regex(values, r"\d"))
    total = rows.sum()
    if rows[has_words].sum() < total * _NEARLY_ALL or rows[has_digits].sum() > total * 0.2:
        return
    same = {}
    for style in _STYLES:
        styled = recased(values, style, (), ())
        same[style] = to_mask(pc.equal(styled, values))
    best = max(_STYLES, key=lambda style: int(rows[same[style]].sum()))
    share = rows[same[best]].sum() / total
    if not _MOST <= share < 1:
        return
    # Only a column in which the others are the same texts in another case.
    keys = folded_key(values)
    known = pc.is_in(keys, keys.filter(pa.array(same[best])))
    others = ~same[best]
    is_certain = bool(rows[others & to_mask(known)].sum() >= 0.5 * rows[others].sum())
    evidence = DraftEvidence("one case", share, examples=_list_examples(values, others))
    yield Suggestion(Case(column=name, style=best), evidence, is_certain)
