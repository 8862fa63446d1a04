"""How dates are written: forms stated in plain letters."""

from __future__ import annotations

import re
from collections.abc import Sequence

import numpy as np
import numpy.typing as npt
import pyarrow as pa
import pyarrow.compute as pc

from igual.column import TEXT, Mask
from igual.text.folding import trimmed

Floats = npt.NDArray[np.float64]

ISO = "YYYY-MM-DD"
# What a form may have, longest first; the last row only tells about a date, and so can only be written.
_LETTERS = re.compile("YYYY|YY|MONTH|MON|MM|M|DD|D|WEEKDAY|WDAY|QQ|Q")
_GROUPS = {
    "YYYY": r"(?P<year>\d{4})",
    "YY": r"(?P<year>\d{2})",
    "MM": r"(?P<month>\d{1,2})",
    "M": r"(?P<month>\d{1,2})",
    "DD": r"(?P<day>\d{1,2})",
    "D": r"(?P<day>\d{1,2})",
    "MON": r"(?P<month>[A-Za-z]{3})",
    "MONTH": r"(?P<month>[A-Za-z]{3,9})",
}
_SAME = {"MON": "MM", "MONTH": "MM", "M": "MM", "YY": "YYYY", "D": "DD"}
MONTHS = (
    "january", "february", "march", "april", "may", "june", "july", "august", "september", "october", "november",
    "december",
)  # fmt: skip
_WEEKDAYS = ("Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday")
# Years of two digits from here on belong to the 1900s, as POSIX has it.
_PIVOT = 69
# The forms that a look at a column tries.
COMMON = (
    ISO, "YYYY/MM/DD", "YYYY.MM.DD", "YYYYMMDD", "DD/MM/YYYY", "MM/DD/YYYY", "DD.MM.YYYY", "DD-MM-YYYY", "MM-DD-YYYY",
    "DD/MM/YY", "MM/DD/YY", "DD.MM.YY", "DD MON YYYY", "DD MONTH YYYY", "MON DD, YYYY", "MONTH DD, YYYY", "DD-MON-YYYY",
    "DD-MON-YY",
)  # fmt: skip
# Of so many shapes of texts it is soon told which forms they may have, and most columns have none.
_FEW_SHAPES = 1000


def check_form(form: str, *, to_write: bool = False) -> str:
    """Give a form back if dates can be read by it, or written.

    Args:
        form: The form, in plain letters.
        to_write: Whether dates are to be written by it, so that a part of them is enough.

    Returns:
        The form.

    Raises:
        ValueError: Where something is missing or too much.
    """
    letters = _LETTERS.findall(form)
    if to_write and not letters:
        raise ValueError(
            f"the form {form!r} has none of YYYY, YY, MM, M, MON, MONTH, DD, D, WEEKDAY, WDAY, QQ, Q"
        )
    if not to_write and sorted(_SAME.get(letter, letter) for letter in letters) != ["DD", "MM", "YYYY"]:
        raise ValueError(f"the form {form!r} needs YYYY (or YY), MM (or MON, MONTH) and DD, each once")
    return form


def form_pattern(form: str) -> str:
    r"""A regular expression that texts of a form meet, such as `^\d{1,2}/\d{1,2}/\d{4}$` for `DD/MM/YYYY`.

    Args:
        form: The form, in plain letters.

    Returns:
        The expression.
    """
    digits = {"YYYY": r"\d{4}", "YY": r"\d{2}", "MON": "[A-Za-z]{3}", "MONTH": "[A-Za-z]{3,9}"}
    parts, letters = _LETTERS.split(form), _LETTERS.findall(form)
    written = [digits.get(letter, r"\d{1,2}") for letter in letters]
    return (
        "^"
        + "".join(re.escape(between) + one for between, one in zip(parts, [*written, ""], strict=True))
        + "$"
    )


def days(values: pa.Array, form: str) -> Floats:
    """The days since 1970-01-01 of texts that are dates of a form such as `DD/MM/YYYY`; NaN for all others."""
    parts, letters = _LETTERS.split(form), _LETTERS.findall(form)
    groups = [*(_GROUPS[letter] for letter in letters), ""]
    pattern = "".join(re.escape(between) + group for between, group in zip(parts, groups, strict=True))
    fields = pc.extract_regex(trimmed(values), pattern=f"^{pattern}$")
    there = fields.is_valid().to_numpy(zero_copy_only=False)
    years, dates = (
        pc.struct_field(fields, name).cast(pa.int64()).fill_null(0).to_numpy(zero_copy_only=False)
        for name in ("year", "day")
    )
    month = pc.struct_field(fields, "month")
    if "MM" in letters or "M" in letters:
        months = month.cast(pa.int64()).fill_null(0).to_numpy(zero_copy_only=False)
    else:
        names = [name[:3] for name in MONTHS] if "MON" in letters else list(MONTHS)
        places = pc.index_in(pc.ascii_lower(month), pa.array(names, TEXT)).fill_null(-1)
        months = places.to_numpy(zero_copy_only=False) + 1
    if "YY" in letters:
        years = np.where(years < _PIVOT, years + 2000, years + 1900)
    good = there & (years >= 1) & (months >= 1) & (months <= 12) & (dates >= 1)
    first = np.where(good, (years - 1970) * 12 + months - 1, 0).astype("datetime64[M]")
    days_of = first.astype("datetime64[D]") + np.where(good, dates - 1, 0)
    # The 31st of a month that has none would fall into the next one.
    good &= days_of.astype("datetime64[M]") == first
    return np.where(good, days_of.astype(np.int64), np.nan)


def written(days: Floats, form: str) -> pa.Array:
    """Days since 1970-01-01, NaN for none, as texts of a form."""
    none = np.isnan(days)
    dates = np.where(none, 0, days).astype("datetime64[D]")
    months, years = dates.astype("datetime64[M]"), dates.astype("datetime64[Y]")
    parts, letters = _LETTERS.split(form), _LETTERS.findall(form)
    texts: list[pa.Array | pa.Scalar] = [pa.scalar(parts[0], TEXT)]
    for letter, between in zip(letters, parts[1:], strict=True):
        if letter in ("YYYY", "YY"):
            numbers = years.astype(np.int64) + 1970
            names = _write_numbers(numbers if letter == "YYYY" else numbers % 100, len(letter))
        elif letter in ("DD", "D"):
            names = _write_numbers((dates - months).astype(np.int64) + 1, len(letter))
        elif letter in ("WEEKDAY", "WDAY"):
            names = _name((dates.astype(np.int64) + 3) % 7, _WEEKDAYS, 3 if letter == "WDAY" else None)
        else:
            month = (months - years).astype(np.int64)
            if letter in ("MON", "MONTH"):
                names = _name(month, [name.title() for name in MONTHS], 3 if letter == "MON" else None)
            elif letter in ("QQ", "Q"):
                names = _name(
                    month // 3, ["Q1", "Q2", "Q3", "Q4"] if letter == "QQ" else ["1", "2", "3", "4"]
                )
            else:
                names = _write_numbers(month + 1, len(letter))
        texts += [names, pa.scalar(between, TEXT)]
    made = pc.binary_join_element_wise(*texts, pa.scalar("", TEXT))
    return pc.if_else(pa.array(none), pa.scalar(None, TEXT), made)


def _write_numbers(numbers: npt.NDArray[np.int64], width: int) -> pa.Array:
    return pc.utf8_lpad(pa.array(numbers).cast(TEXT), width, padding="0")


def _name(places: npt.NDArray[np.int64], names: Sequence[str], length: int | None = None) -> pa.Array:
    return pa.array([name[:length] for name in names], TEXT).take(pa.array(places))


def forms_of(values: pa.Array) -> list[tuple[str, Mask]]:
    """The common forms in which some of the texts are dates, and for each which those are."""
    letters = pc.replace_substring_regex(trimmed(values), pattern="[A-Za-z]", replacement="a")
    shapes = pc.replace_substring_regex(letters, pattern=r"\d", replacement="0").drop_null().unique()
    forms = list(COMMON)
    if len(shapes) <= _FEW_SHAPES:
        forms = [form for form in forms if any(map(re.compile(form_pattern(form)).match, shapes.to_pylist()))]
    read = [(form, ~np.isnan(days(values, form))) for form in forms]
    return [(form, mask) for form, mask in read if mask.any()]
