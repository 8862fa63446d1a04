"""Rules applied to their own output, numbers with all their digits, and characters that can't be seen."""

from __future__ import annotations

import unicodedata
from decimal import ROUND_HALF_UP, Decimal, localcontext
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from igual.rules import Band, Bands, Case, Characters, Number
from igual.text.characters import normalize, visible
from tests.conftest import examples
from tests.test_text_together import STYLES

RARE = "ŉİıßǰΐΰªºĸµſǅﬁẞᾳ"
GIVES = ("1234", "1,234", "1 235", "1234.5", "1,234.50", "1.234,50", "1234,500", "1'234.5", "1234.500")


@pytest.mark.parametrize("style", STYLES)
@examples(200)
@given(text=st.text(f"abCD 1_-'{RARE}", max_size=8))
def test_case_leaves_its_own_output_alone(style: str, text: str) -> None:
    rule = Case(style=style)  # type: ignore[arg-type]
    once = rule.on([text])
    assert rule.on(once) == once


def test_single_letters_of_identifiers_stay_as_they_are_written_once() -> None:
    assert Case(style="camel").on(["a b c", "aBc", "x y", "parse HTML"]) == ["aBc", "aBc", "xY", "parseHtml"]
    once = Case(style="pascal").on(["a b c", "Abc", "ǰǰǰİ"])
    assert once[:2] == ["Abc", "Abc"]
    assert Case(style="pascal").on(once) == once


@pytest.mark.parametrize("times", [1, 2, 3])
def test_texts_that_were_decoded_wrongly_several_times_are_repaired_in_one_go(times: int) -> None:
    text = "Łódź, Müller – naïve"
    for _ in range(times):
        text = text.encode().decode("latin-1")
    once = Characters(repair=True).on([text])
    assert once == ["Łódź, Müller – naïve"]
    assert Characters(repair=True).on(once) == once


def expected(text: str, give: str) -> str:
    """The same by Python's own decimals, with as many digits as there are."""
    mark = (
        next((sign for sign in give[-4:] if sign in ".,"), "")
        if give not in ("1,234", "1 235", "1234")
        else ""
    )
    group = give[1] if not give[1].isdigit() else ""
    places = len(give.rpartition(mark)[2]) if mark else 0
    with localcontext() as context:
        context.prec = 200
        rounded = Decimal(text).quantize(Decimal(1).scaleb(-places), rounding=ROUND_HALF_UP)
        whole, _, decimals = f"{rounded:,f}".partition(".")
    return whole.replace(",", group) + (mark + decimals if mark else "")


@pytest.mark.parametrize("give", GIVES)
@pytest.mark.parametrize("digits", [1, 2, 3, 4, 15, 16, 27, 28, 29, 37, 38, 39, 40, 59, 60])
def test_no_digit_is_lost_in_any_form(give: str, digits: int) -> None:
    whole = ("20313257800228940853570108010221100839" * 2)[:digits]
    numbers = [whole, f"{whole}.5", f"{whole}.125", f"-{whole}.995"]
    made = Number(give=give).on(numbers)
    assert [text.removeprefix("-") if text.strip("-0.,' ") == "" else text for text in made] == [
        want.removeprefix("-") if want.strip("-0.,' ") == "" else want
        for want in (expected(one, give) for one in numbers)
    ]


@pytest.mark.parametrize("give", ["1,234.50", "1.234,50", "1234,5", "1 235", "1,234"])
def test_numbers_that_are_written_as_asked_stay(give: str) -> None:
    rule = Number(give=give)
    once = rule.on(["2007", "1234567.125", "-5", "0.5", "n/a"])
    assert once[-1] is None
    assert rule.on(once) == once


def test_band_edges_are_compared_exactly() -> None:
    bands = Bands(bands=(Band(label="low", below=4.1), Band(label="high", at_least=4.1)))
    values = [
        "4.0999999999999999999",
        "4.1",
        "4.1000000000000000000",
        "4.10000000000000000001",
        "-4.0999999999999999999",
        # Whatever counts as a space or a minus elsewhere does so here.
        "\u200b4.0999999999999999999\u00a0",
        "−4.0999999999999999999",
        "+4.1000000000000000001",
    ]
    assert bands.on(values) == ["low", "high", "high", "high", "low", "low", "low", "high"]


def test_a_tab_is_a_space_and_no_control_character() -> None:
    assert Characters(drop=("control",)).on(["a\tb\x07c"]) == ["a\tbc"]
    assert Characters(drop=("spaces",)).on(["a\tb c"]) == ["abc"]


def test_marks_in_any_number_are_ordered_as_unicode_says() -> None:
    few = "a" + "\u0301\u0316\u0327" * 10
    many = "a" + "\u0301\u0316\u0327" * 40
    for form in ("NFC", "NFD", "NFKC", "NFKD"):
        for text in (few, many, f"{many} {many}b", f"é{many}"):
            assert normalize(form, text) == unicodedata.normalize(form, text)


def test_every_default_ignorable_character_is_drawn() -> None:
    listed = Path("/usr/share/unicode/DerivedCoreProperties.txt")
    if not listed.exists():
        pytest.skip("Unicode's own tables aren't here (Debian has them as unicode-data)")
    codes: list[int] = []
    for line in listed.read_text(encoding="utf-8").splitlines():
        where, _, what = line.partition("#")[0].partition(";")
        if what.strip() == "Default_Ignorable_Code_Point":
            first, _, last = where.strip().partition("..")
            codes += range(int(first, 16), int(last or first, 16) + 1)
    codes += range(0x13430, 0x13440)
    assert len(codes) > 4_000
    assert [hex(code) for code in codes if visible(f"a{chr(code)}b") == f"a{chr(code)}b"] == []
    assert visible("a\ufe0fb") != visible("ab")
