"""Entries in free texts: all that are there, none that is denied, and nothing lost without a word."""

from __future__ import annotations

import dataclasses
import tracemalloc
from typing import Any, Literal

import pytest

import igual
from igual.rules import Mention
from igual.text.mentions import Mentions
from tests.conftest import texts

CLOTH = igual.ReferenceList(["silk", "cotton", "brocade", "moth", "wool felt"])
ALL_WAYS: tuple[Literal["exact", "folded", "fuzzy"], ...] = ("exact", "folded", "fuzzy")


def find(written: list[str], rulings: igual.Rulings | None = None, **words: Any) -> igual.Outcome:
    book = igual.Rulebook([Mention(column="text", list="cloth", **words)], lists={"cloth": CLOTH})
    return (dataclasses.replace(book, rulings=rulings) if rulings else book).apply({"text": written})


@pytest.mark.parametrize(
    ("written", "wanted"),
    [
        ("silk; coton", "silk; cotton"), ("coton; silk", "silk; cotton"), ("silk and cottn", "silk; cotton"),
        ("wool feld / silk", "silk; wool felt"), ("made of silk; new", "silk"), ("with silk", "silk"), ("with", ""),
        ("not oak, silk", "silk"), ("no. 5 silk", "silk"), ("silk, silk; SILK", "silk"), ("nothing at all", ""),
    ],
)  # fmt: skip
def test_an_entry_that_is_spelled_out_does_not_end_the_search(written: str, wanted: str) -> None:
    outcome = find([written], multiple="all", by=ALL_WAYS)
    if written == "made of silk; new":
        written = "made of silk"  # free text that goes on lists nothing
    assert (outcome.table["text"], len(outcome.open)) == ([wanted], 0)


@pytest.mark.parametrize("by", ["exact", ALL_WAYS])
@pytest.mark.parametrize("written", ["silk; Xyzzy", "Xyz | silk", "silk/cotton/unheard of"])
def test_a_list_with_a_piece_that_is_not_known_is_undecided(by: Any, written: str) -> None:
    outcome = find([written], multiple="all", by=by, into="cloth")
    assert outcome.table["cloth"] == [""]
    assert outcome.unknown["value"].tolist() == [written]
    assert outcome.unknown["kind"].tolist() == ["undecided"]
    assert "silk" in outcome.unknown["near"][0]


@pytest.mark.parametrize("written", ["no moth found", "silk without any moth", "kein silk", "No moth"])
def test_what_is_denied_is_not_mentioned(written: str) -> None:
    exact = find([written], ignore_case=True)
    assert exact.table["text"] == [""]
    assert exact.unknown["kind"].tolist() == ["undecided"]
    outcome = find([written], by=ALL_WAYS, into="cloth")
    assert outcome.table["cloth"] == [""]
    assert outcome.open["why"][0].endswith("but a word before it denies it")
    # Who knows better rules on the text.
    said = igual.Rulings().decide("cloth", written, "moth", on="2026-05-08")
    assert find([written], said, by=ALL_WAYS, into="cloth").table["cloth"] == ["moth"]


def test_a_text_in_which_more_may_be_meant_is_open_and_does_not_land_whole_in_a_new_column() -> None:
    quays = igual.ReferenceList(["Marina Quay", "Marine Quay", "Old Town"])
    rule = Mention(column="text", list="quays", by=ALL_WAYS, multiple="all", into="where")
    book = igual.Rulebook([rule], lists={"quays": quays})
    outcome = book.apply({"text": ["from Old Town to Marinx Quay", "Old Town"]})
    assert outcome.table["where"] == ["", "Old Town"]
    assert outcome.open["value"].tolist() == ["from Old Town to Marinx Quay"]
    assert outcome.open["why"][0].startswith("in the text: ‘Marinx Quay’")
    said = igual.Rulings().decide("where", "from Old Town to Marinx Quay", "Marine Quay", on="2026-05-08")
    ruled = dataclasses.replace(book, rulings=said).apply({"text": ["from Old Town to Marinx Quay"]})
    assert ruled.table["where"] == ["Marine Quay; Old Town"]


def test_all_words_of_a_long_text_are_looked_at() -> None:
    long = " ".join(f"word{number}" for number in range(500))
    assert find([f"{long} coton"], by=ALL_WAYS).table["text"] == ["cotton"]
    assert find([f"{long} cotton"]).table["text"] == ["cotton"]


@pytest.mark.parametrize("size", [1, 8, 9, 40])
def test_spellings_of_any_length_are_found_where_they_stand(size: int) -> None:
    spelling = " ".join(f"w{number}" for number in range(size))
    other = spelling.replace(f"w{size - 1}", "w0")
    found = Mentions({spelling: 0, "zzz": 1}).find_in(
        texts(f"a {spelling} b", other if size > 1 else "", f"zzz {spelling}")
    )
    assert found.owners.tolist() == [0, 2, 2]
    assert found.entries.tolist() == [0, 1, 0]


def test_long_spellings_in_long_texts_take_little_memory() -> None:
    repeated = "a " * 100_000
    spellings = {("a " * size).strip(): size for size in (1, 50, 5_000, 50_000)}
    tracemalloc.start()
    found = Mentions(spellings).find_in(texts(repeated))
    _, most = tracemalloc.get_traced_memory()
    tracemalloc.stop()
    assert found.entries.tolist() == [50_000]
    assert most < 200_000_000
