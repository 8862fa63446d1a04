"""Case folding and normalisation held against Unicode's own tables (Debian's package unicode-data)."""

from __future__ import annotations

import bz2
import unicodedata
from pathlib import Path

import pytest

from igual.text.arrays import has_pattern
from igual.text.filtering import in_form
from igual.text.folding import casefold
from igual.text.patterns import LETTER
from tests.conftest import texts

FOLDER = Path("/usr/share/unicode")
needs_tables = pytest.mark.skipif(
    not (FOLDER / "CaseFolding.txt").exists(), reason="Debian's unicode-data is not installed here"
)


def characters(codes: str) -> str:
    return "".join(chr(int(code, 16)) for code in codes.split())


def is_known(text: str) -> bool:
    """Whether this Python's tables are new enough for a text."""
    return all(unicodedata.category(c) != "Cn" for c in text)


@needs_tables
def test_case_folding_is_unicodes() -> None:
    folded: dict[str, str] = {}
    for line in (FOLDER / "CaseFolding.txt").read_text(encoding="utf-8").splitlines():
        if line and not line.startswith("#"):
            code, status, mapping, _ = line.split("; ", 3)
            if status in "CF":
                folded[characters(code)] = characters(mapping)
    known = {given: wanted for given, wanted in folded.items() if is_known(given)}
    assert len(known) > 1_400
    assert dict(zip(known, casefold(texts(*known)).to_pylist(), strict=True)) == known


@needs_tables
@pytest.mark.parametrize(("form", "column"), [("NFC", 1), ("NFD", 2), ("NFKC", 3), ("NFKD", 4)])
def test_normalisation_is_unicodes(form: str, column: int) -> None:
    packed = FOLDER / "NormalizationTest.txt.bz2"
    plain = (
        bz2.decompress(packed.read_bytes())
        if packed.exists()
        else (FOLDER / "NormalizationTest.txt").read_bytes()
    )
    rows = [line.split(";") for line in plain.decode("utf-8").splitlines() if line and line[0] not in "#@"]
    pairs = [(characters(row[0]), characters(row[column])) for row in rows]
    known = [(given, wanted) for given, wanted in pairs if is_known(given)]
    assert len(known) > 18_000
    made = in_form(texts(*(given for given, _ in known)), form).to_pylist()  # type: ignore[arg-type]
    assert made == [wanted for _, wanted in known]


def test_the_quick_class_of_letters_has_all_of_them() -> None:
    every = [chr(code) for code in range(0x110000) if not 0xD800 <= code < 0xE000]
    is_letter, is_taken = (has_pattern(texts(*every), f"^[{letters}]") for letters in (r"\pL", LETTER))
    assert [every[place] for place in (is_letter & ~is_taken).nonzero()[0]] == [
        "\u2e2f"
    ]  # a sign, for all that
    # In Latin no other sign is taken, nor are those that all scripts share.
    more = [every[place] for place in (is_taken & ~is_letter).nonzero()[0]]
    assert not [
        sign
        for sign in more
        if sign < "\u02c2" or "\u2010" <= sign < "\u2070" or "\U0001f000" <= sign < "\U00020000"
    ]
