"""Steps that read numbers and dates in one notation and write them in another."""

from __future__ import annotations

import itertools
import re
from collections.abc import Iterator

import numpy as np
import pyarrow as pa

from igual.column import TEXT
from igual.learning.prior import STEP
from igual.learning.steps import RuleStep, cost_of_text, date, number
from igual.text.dates import ISO, MONTHS, check_form, days, written
from igual.text.reading import number_writer

_NUMBER = re.compile(
    r"(?P<before>[^0-9+\-−]*?)\s*(?P<number>[+\-−]?[0-9][0-9.,' ]*)(?<! )\s*(?P<behind>[^0-9]*)"
)
_NOTATIONS = ((".", ""), (".", ","), (",", ""), (",", "."), (".", " "), (",", " "), (".", "'"), (",", "'"))
_WRITTEN = re.compile(
    r"-?(?P<whole>[0-9]{1,3}(?P<group>[.,' ])[0-9]{3}(?:[.,' ][0-9]{3})*|[0-9]+)(?:(?P<mark>[.,])(?P<decimals>[0-9]+))?"
)
_ONE_RUN = {8: ("YYYYMMDD", "DDMMYYYY", "MMDDYYYY"), 6: ("YYMMDD", "DDMMYY")}
_GIVEN = ("YYYY", "YY", "MONTH", "MON", "MM", "M", "DD", "D", "WEEKDAY", "WDAY", "QQ", "Q")
_MOST_FORMS = 60


def propose_readings(text: str, wanted: str) -> Iterator[RuleStep]:
    """Propose steps that read a number or a date and write it as it is wanted."""
    if len(text) <= 40 and len(wanted) <= 60 and any(one.isdecimal() for one in text):
        yield from _numbers(text, wanted)
        yield from _dates(text, wanted)


def _read_number(text: str, decimal: str, grouping: str, units: tuple[str, ...]) -> str | None:
    bare = text.strip()
    for unit in units:
        if bare.startswith(unit):
            bare = bare[len(unit) :].strip()
        elif bare.endswith(unit):
            bare = bare[: -len(unit)].strip()
    point, group = re.escape(decimal), re.escape(grouping)
    grouped = rf"[0-9]{{1,3}}(?:{group}[0-9]{{3}})+|" if grouping else ""
    if not re.fullmatch(rf"[+\-−]?(?:{grouped}[0-9]+)(?:{point}[0-9]+)?", bare):
        return None
    plain = bare.replace(grouping, "") if grouping else bare
    plain = plain.replace(decimal, ".").replace("−", "-").removeprefix("+")
    sign, digits = ("-", plain[1:]) if plain.startswith("-") else ("", plain)
    whole, _, decimals = digits.partition(".")
    decimals = decimals.rstrip("0")
    digits = (whole.lstrip("0") or "0") + (f".{decimals}" if decimals else "")
    return digits if digits == "0" else sign + digits


def _numbers(text: str, wanted: str) -> Iterator[RuleStep]:
    match = _NUMBER.fullmatch(text.strip())
    if match is None or not any(one.isdecimal() for one in wanted):
        return
    units = tuple(unit for unit in (match["before"].strip(), match["behind"].strip()) if unit)
    if len(units) > 1 or any(one in "+-−.,'" for unit in units for one in unit):
        return
    seen = set()
    for decimal, grouping in _NOTATIONS:
        plain = _read_number(text, decimal, grouping, units)
        marks = {mark for mark in (decimal, grouping) if mark and mark in match["number"]}
        if plain is None or (grouping and grouping not in marks):
            continue
        words = {
            **({"decimal": decimal} if decimal != "." else {}),
            **({"grouping": grouping} if grouping else {}),
            **({"unit": units[0]} if units else {}),
        }
        cost = STEP["number"] + 0.3 * bool(grouping) + 0.2 * (decimal == ",") + 0.3 * bool(units)
        for give, more in ((None, 0.0), *((form, 0.6) for form in _number_forms(wanted))):
            key = (*sorted(words.items()), give)
            if key in seen:
                continue
            seen.add(key)

            def run(
                given: str, mark: str = decimal, group: str = grouping, form: str | None = give
            ) -> str | None:
                read = _read_number(given, mark, group, units)
                if read is None or form is None:
                    return read
                return number_writer(form)(read)

            yield number(run, cost + more, **words, **({"give": give} if give else {}))


def _number_forms(wanted: str) -> Iterator[str]:
    """The forms in which a number may be written that stands in what is wanted."""
    match = _WRITTEN.search(wanted)
    if match is None:
        return
    mark, decimals = match["mark"] or "", len(match["decimals"] or "")
    group = match["group"] or ""
    groups = [group] if group else ["", *(one for one in ",. '" if one != mark)]
    for one in groups:
        if one == mark and mark:
            continue
        yield f"1{one}23{'4' + mark + '5' + '0' * (decimals - 1) if decimals else '5'}"


def _dates(text: str, wanted: str) -> Iterator[RuleStep]:
    forms = sorted((_cost_of_form(form), form) for form in itertools.islice(_forms_of(text), 24))
    for form_cost, form in forms:
        day = days(pa.array([text], TEXT), form)
        if np.isnan(day[0]):
            continue
        cost = STEP["date"] + form_cost
        yield date(form, ISO, cost + 0.2)
        for give, more in itertools.islice(_find_day_forms(day[0], wanted), _MOST_FORMS):
            if give != ISO:
                yield date(form, give, cost + more)


def _cost_of_form(form: str) -> float:
    """What a form costs: dates are written from the day to the year or the other way round, or else month first."""
    order = "".join(letters[0] for letters in re.findall("YYYY|YY|MONTH|MON|MM|DD", form))
    cost = {"DMY": 0.0, "YMD": 0.0, "MDY": 0.3}.get(order, 2.5)
    return cost + (0.6 if order[0] == "Y" and "YYYY" not in form else 0.0)


def _forms_of(text: str) -> Iterator[str]:
    """Forms that a text may be a date of."""
    runs = re.findall(r"[0-9]+|[A-Za-z]+|[^0-9A-Za-z]+", text)
    kinds: list[tuple[str, ...]] = []
    numbers = sum(run.isdecimal() for run in runs)
    for run in runs:
        if run.isdecimal():
            if numbers == 1 and len(run) in _ONE_RUN:
                kinds.append(_ONE_RUN[len(run)])
            elif len(run) == 4:
                kinds.append(("YYYY",))
            elif len(run) <= 2:
                kinds.append(("DD", "MM", "YY") if len(run) == 2 else ("DD", "MM"))
            else:
                return
        elif run.lower() in MONTHS and len(run) > 3:
            kinds.append(("MONTH",))
        elif any(name.startswith(run.lower()) for name in MONTHS) and len(run) == 3:
            kinds.append(("MON",))
        else:
            kinds.append((run,))
    if len(kinds) > 9:
        return
    for chosen in itertools.product(*kinds):
        letters = "".join(chosen)
        counts = [
            sum(letter in part for part in re.findall("YYYY|YY|MONTH|MON|MM|DD", letters))
            for letter in ("Y", "D")
        ]
        if counts[0] == 1 and counts[1] == 1 and len(re.findall("MONTH|MON|MM", letters)) == 1:
            try:
                yield check_form(letters)
            except ValueError:
                continue


def _find_day_forms(day: float, wanted: str) -> Iterator[tuple[str, float]]:
    """Forms that write a day as it is wanted, but for case."""
    shown = {letter: str(written(np.array([day]), letter)[0].as_py()) for letter in _GIVEN}
    low = wanted.lower()

    def carry_on(at: int, form: str, cost: float, known: frozenset[str]) -> Iterator[tuple[str, float]]:
        if at == len(low):
            if known:
                yield form, cost
            return
        for letter, text in shown.items():
            kind = {"W": "W", "Q": "Q"}.get(letter[0], letter[0])
            if kind not in known and low.startswith(text.lower(), at):
                cheap = 0.0 if letter in ("YYYY", "MM", "DD", "MONTH", "MON", "WEEKDAY", "QQ") else 0.15
                yield from carry_on(at + len(text), form + letter, cost + cheap, known | {kind})
        one = wanted[at]
        if not one.isdecimal() and not one.isupper():
            yield from carry_on(at + 1, form + one, cost + 0.5 * cost_of_text(one), known)

    yield from carry_on(0, "", 0.2, frozenset())
