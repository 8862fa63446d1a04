"""Very long lists and many rulings: what is looked up, prepared or counted once, and how much is told."""

from __future__ import annotations

import difflib
import os
import subprocess
import sys
from dataclasses import replace
from pathlib import Path
from typing import Any

import pytest

import igual
from igual.errors import NearestWord, did_you_mean
from igual.matching import near_spellings
from igual.matching.kinds import count_agreed
from igual.rules import Match, Spacing
from igual.runs.review import Answer, check_answers, find_stale_rulings
from tests.conftest import Run

WORDS = [f"{first} {second} {number}" for first in ("Pier", "Quay", "Old Wharf") for second in ("North", "South") for number in range(400)]  # fmt: skip


class Counted:
    """A function that counts its calls."""

    def __init__(self, called: Any) -> None:
        self.called, self.times = called, 0

    def __get__(self, instance: Any, owner: type) -> Any:
        return lambda *given: self(instance, *given)

    def __call__(self, *given: Any) -> Any:
        self.times += 1
        return self.called(*given)


@pytest.fixture
def ruled() -> igual.Rulebook:
    """A match with a ruling on each of fifty values."""
    rulings = igual.Rulings()
    for number in range(50):
        rulings = rulings.decide("place", f"Peer {number}", WORDS[number], by="Ana", on="2026-05-08")
    return igual.Rulebook(
        [Match(column="place", list="places")],
        lists={"places": igual.ReferenceList(WORDS[:60])},
        rulings=rulings,
    )


@pytest.mark.parametrize(
    "word", ["Pier Nroth 17", "quay  south 399", "Old Warf North 3", "Old", "nothing like it", ""]
)
def test_the_nearest_of_very_many_words_is_the_nearest(word: str) -> None:
    by_key = {one.lower(): one for one in WORDS}
    near = difflib.get_close_matches(word.lower(), by_key, n=1)
    found = NearestWord(WORDS).find(word)
    ratio = difflib.SequenceMatcher(None, word.lower(), (found or "").lower()).ratio()
    assert bool(found) == bool(near)
    assert not near or ratio == difflib.SequenceMatcher(None, word.lower(), near[0]).ratio()


def test_of_many_words_as_near_the_same_is_told_under_any_hash_seed() -> None:
    code = (
        "from igual.errors import NearestWord\n"
        "words = [word for n in range(100, 1_000) for word in (f'{n}kleaf', f'oakle{n}')]\n"
        "print(NearestWord(words).find('oakleaf'))"
    )
    told = {
        subprocess.check_output([sys.executable, "-c", code], env={**os.environ, "PYTHONHASHSEED": seed})
        for seed in ("1", "2", "4")
    }
    assert len(told) == 1


def test_a_word_may_be_looked_for_among_the_same_words_again() -> None:
    nearest = NearestWord(WORDS)
    assert did_you_mean("Peir North 1", nearest) == did_you_mean("Peir North 1", WORDS)


def test_the_lists_of_a_column_are_looked_up_once(
    ruled: igual.Rulebook, monkeypatch: pytest.MonkeyPatch
) -> None:
    lists_of = Counted(igual.Rulebook.lists_of)
    monkeypatch.setattr(igual.Rulebook, "lists_of", lists_of)
    assert find_stale_rulings(ruled) == []
    # Once for single rulings, and once for those on kinds of differences.
    assert lists_of.times <= 2


def test_a_rule_is_prepared_once_also_to_see_whether_it_is_stable(
    ruled: igual.Rulebook, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(Match, "rewriter", prepared := Counted(Match.rewriter))
    outcome = ruled.apply({"place": ["Peer 1", "Pier Nroth 2", "pier north 3", "elsewhere"]})
    assert outcome.hints is not None
    assert prepared.times == 1


def test_single_rulings_are_counted_for_questions_only(
    ruled: igual.Rulebook, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("igual.rules.match.count_agreed", counted := Counted(count_agreed))
    trees = igual.ReferenceList(["Field maple", "Norway maple", "Sycamore maple", *WORDS[:60]])
    outcome = replace(ruled, lists={"places": trees}).apply({"place": ["Maple"]})
    assert len(outcome.open) > 0
    assert outcome.hints is not None
    assert counted.times == 0
    assert outcome.questions
    assert counted.times == 1


def test_the_nearest_entry_is_told_of_the_first_wrong_rulings(ruled: igual.Rulebook) -> None:
    answers = [Answer(row, "place", f"value {row}", ruling=f"Peir North {row}") for row in range(300)]
    review = check_answers(answers, ruled, "Ana", "2026-05-09")
    told = ["did you mean" in one.why for one in review.rejected]
    assert told == [True] * 200 + [False] * 100


def test_of_many_hints_alike_some_are_shown(ruled: igual.Rulebook) -> None:
    outcome = replace(ruled, lists={"places": igual.ReferenceList(["Weir"])}).apply(
        {"place": [f"Peer {number}" for number in range(50)]}
    )
    shown = repr(outcome)
    assert len([hint for hint in outcome.hints if hint.kind == "ruling not applied"]) == 50
    assert shown.count("the ruling 'Pier") == 20
    assert "and 30 more hints; --json tells of all" in shown


def test_of_many_rows_of_a_sheet_the_first_are_shown(ruled: igual.Rulebook, run: Run, tmp_path: Path) -> None:
    ruled.save(tmp_path / "places.toml")
    sheet = [f"place,value {row},1,,,,Pier," for row in range(250)]
    names = "column,value,rows,proposal,score,why,ruling,reason"
    (tmp_path / "open.csv").write_text("\n".join([names, *sheet, ""]), encoding="utf-8")
    done = run("review places.toml open.csv")
    assert done.returncode == 1
    assert "Not taken: 250 rows of the sheet" in done.stdout
    assert "and 50 more lines; --json tells of all" in done.stdout


def test_keys_of_a_list_are_made_once_for_all_columns(monkeypatch: pytest.MonkeyPatch) -> None:
    made = Counted(near_spellings._KEYS[-1])
    monkeypatch.setattr(near_spellings, "_KEYS", (*near_spellings._KEYS[:-1], made))
    columns = {f"c{number}": [f"PIER NORTH, {number}", "elsewhere"] for number in range(20)}
    book = igual.Rulebook([Match(columns=["c*"], list="l", by=("exact",))], lists={"l": igual.ReferenceList(WORDS)})  # fmt: skip
    outcome = book.apply(columns)
    assert [hint.kind for hint in outcome.hints].count("unknown") == 20
    assert outcome.near_misses["entry"].tolist() == [f"Pier North {number}" for number in range(20)]
    # Once for the list, and once for the unknown values of each column, though unknown values and hints ask for them.
    assert made.times == 1 + 20


def test_open_values_know_the_raw_values_that_they_come_from() -> None:
    trees = igual.ReferenceList(["Field maple", "Norway maple"])
    book = igual.Rulebook([Spacing(column="t"), Match(column="t", list="l")], lists={"l": trees})
    account = book.apply({"t": ["Maple", "Norway maple", " Maple", "Oak", "Maple  ", None]}).account
    assert account.find_raw(account.waiting) == {
        ("t", "Maple"): ("t", ["Maple", " Maple", "Maple  "]),
        ("t", "Oak"): ("t", ["Oak"]),
    }
