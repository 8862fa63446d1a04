"""How dates are written: forms stated in plain letters."""

from __future__ import annotations

import re

import numpy as np
import numpy.typing as npt
import pyarrow as pa
import pyarrow.compute as pc

from igual.column import TEXT, Mask
from igual.text.folding import trimmed

Floats = npt.NDArray[np.float64]

ISO = "YYYY-MM-DD"
_LETTERS = re.compile("YYYY|YY|MONTH|MON|MM|DD")
_STRPTIME = {"YYYY": "%Y", "YY": "%y", "MM": "%m", "DD": "%d", "MON": "%b", "MONTH": "%B"}
_GROUPS = {
    "YYYY": r"(?P<year>\d{4})",
    "YY": r"(?P<year>\d{2})",
    "MM": r"(?P<month>\d{1,2})",
    "DD": r"(?P<day>\d{1,2})",
    "MON": r"(?P<month>[A-Za-z]{3})",
    "MONTH": r"(?P<month>[A-Za-z]{3,9})",
}
_MONTHS = (
    "january", "february", "march", "april", "may", "june", "july", "august", "september", "october", "november",
    "december",
)  # fmt: skip
# Years of two digits from here on belong to the 1900s, as POSIX has it.
_PIVOT = 69
# The forms that a look at a column tries.
COMMON = (
    ISO, "YYYY/MM/DD", "YYYY.MM.DD", "YYYYMMDD", "DD/MM/YYYY", "MM/DD/YYYY", "DD.MM.YYYY", "DD-MM-YYYY", "MM-DD-YYYY",
    "DD/MM/YY", "MM/DD/YY", "DD.MM.YY", "DD MON YYYY", "DD MONTH YYYY", "MON DD, YYYY", "MONTH DD, YYYY", "DD-MON-YYYY",
    "DD-MON-YY",
)  # fmt: skip


def strptime_form(form: str) -> str:
    """A form in plain letters in the notation of strptime; ValueError unless it has year, month and day once."""
    letters = _LETTERS.findall(form)
    kinds = sorted({"MON": "MM", "MONTH": "MM", "YY": "YYYY"}.get(letter, letter) for letter in letters)
    if kinds != ["DD", "MM", "YYYY"]:
        raise ValueError(f"the form {form!r} needs YYYY (or YY), MM (or MON, MONTH) and DD, each once")
    return _LETTERS.sub(lambda found: _STRPTIME[found[0]], form.replace("%", "%%"))


def form_pattern(form: str) -> str:
    r"""A regular expression that texts of a form meet, such as `^\d{1,2}/\d{1,2}/\d{4}$` for `DD/MM/YYYY`.

    Args:
        form: The form, in plain letters.

    Returns:
        The expression.
    """
    digits = {"YYYY": r"\d{4}", "YY": r"\d{2}", "MM": r"\d{1,2}", "DD": r"\d{1,2}", "MON": "[A-Za-z]{3}"}
    parts, letters = _LETTERS.split(form), _LETTERS.findall(form)
    written = [digits.get(letter, "[A-Za-z]{3,9}") for letter in letters]
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
    if "MM" in letters:
        months = month.cast(pa.int64()).fill_null(0).to_numpy(zero_copy_only=False)
    else:
        names = [name[:3] for name in _MONTHS] if "MON" in letters else list(_MONTHS)
        places = pc.index_in(pc.ascii_lower(month), pa.array(names, TEXT)).fill_null(-1)
        months = places.to_numpy(zero_copy_only=False) + 1
    if "YY" in letters:
        years = np.where(years < _PIVOT, years + 2000, years + 1900)
    good = there & (years >= 1) & (months >= 1) & (months <= 12) & (dates >= 1)
    first = np.where(good, (years - 1970) * 12 + months - 1, 0).astype("datetime64[M]")
    found = first.astype("datetime64[D]") + np.where(good, dates - 1, 0)
    # The 31st of a month that has none would fall into the next one.
    good &= found.astype("datetime64[M]") == first
    return np.where(good, found.astype(np.int64), np.nan)


def written(days: Floats, form: str) -> pa.Array:
    """Days since 1970-01-01, NaN for none, as texts of a form."""
    none = np.isnan(days)
    stamps = pa.array(np.where(none, 0, days).astype(np.int64) * 86_400, pa.int64(), mask=none)
    return pc.strftime(stamps.cast(pa.timestamp("s")), format=strptime_form(form)).cast(TEXT)


def forms_of(values: pa.Array) -> list[tuple[str, Mask]]:
    """The common forms in which some of the texts are dates, and for each which those are."""
    found = [(form, ~np.isnan(days(values, form))) for form in COMMON]
    return [(form, mask) for form, mask in found if mask.any()]
