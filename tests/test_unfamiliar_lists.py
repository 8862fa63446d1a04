"""Names that no list of ours taught: words the column often has, brackets, crowded lists, several words at once."""

from __future__ import annotations

import dataclasses
from pathlib import Path
from typing import Any

import numpy as np
import pyarrow as pa
import pytest

import igual
from igual.column import TEXT
from igual.decisions import Cause, check_kind
from igual.files.rulings import record_rulings
from igual.matching.causes import find_covering, join_causes
from igual.matching.crowding import crowding_among, usual_crowding
from igual.matching.reasons import Reason
from igual.matching.spellings import Spellings
from igual.rules import Match
from igual.runs.review import find_stale_rulings

STOPS = ("Almery", "Brannock", "Dawlish", "Epsom", "Harbour", "Kestrel", "Lantern", "Oxmoor", "Quayside")


def row_of(value: str, entries: Any, beside: list[str] | None = None) -> dict[str, Any]:
    table = igual.match([value, *(beside or [])], entries).table.set_index("value")
    return {str(name): cell for name, cell in table.loc[value].items()}


def run_book(values: list[str], rulings: igual.Rulings | None = None, **words: Any) -> igual.Outcome:
    rule = Match(column="at", list="places", **words)
    book = igual.Rulebook([rule], lists={"places": igual.ReferenceList(STOPS)})
    return (dataclasses.replace(book, rulings=rulings) if rulings else book).apply({"at": values})


def test_a_word_that_follows_a_name_is_asked_about_however_often_the_column_has_it() -> None:
    alone = row_of("Dawlish Warren", STOPS)
    assert (alone["status"], alone["why"]) == ("open", "with ‘warren’; but ‘warren’ may matter")
    assert row_of("Dawlish Warren", STOPS, [f"{stop} Warren" for stop in STOPS[3:]]) == alone
    # One question, and one ruling, settles all of them.
    values = [f"{stop} Warren" for stop in STOPS]
    (question,) = run_book(values).questions
    assert question.cause == Cause("extra word", ("warren",))
    yes = igual.Rulings().decide_kind("at", "extra word", "warren", yes=True, on="2026-05-08")
    assert run_book(values, yes).table["at"] == list(STOPS)


@pytest.mark.parametrize(
    ("value", "entry", "word"),
    [
        ("Herrenberg", "Bondorf (b Herrenberg)", "bondorf"),
        ("Bondorf (b Herrenberg)", "Herrenberg", "bondorf"),
        ("Ennedi Est", "Ennedi Ouest", "ouest"),
        ("Zona Norte", "Zona Sur", "sur"),
        ("Kestrel Noord", "Kestrel Zuid", "zuid"),
    ],
)
def test_what_stands_in_brackets_is_no_name_and_directions_exclude_each_other(
    value: str, entry: str, word: str
) -> None:
    found = row_of(value, [entry, *STOPS])
    assert found["status"] != "settled", found
    assert found["proposal"] != entry or word in found["why"]


def test_what_stands_behind_a_name_in_brackets_says_little() -> None:
    assert row_of("Dawlish (town)", STOPS)["status"] == "settled"


def test_words_of_a_list_of_single_words_may_be_written_as_two() -> None:
    found = row_of("the water frnt", ["waterfront", "bridge"])
    assert found["proposal"] in ("waterfront", None)
    assert row_of("the water front", ["waterfront", "bridge"])["proposal"] == "waterfront"


def test_crowded_lists_settle_less() -> None:
    sparse = ["Almery", "Brannock", "Dawlish", "Epsom", "Kestrel", "Lantern", "Oxmoor", "Quayside"]
    crowded = ["Almery", "Almory", "Elmery", "Almere", "Dawlish", "Dowlish", "Dawlash", "Quayside"]
    slip = "Quaysde"
    scores = [row_of(slip, some)["score"] for some in (sparse, crowded)]
    assert scores[0] > scores[1] > 0.5
    # What is short for an entry lies near to none: a crowded list asks about it as well.
    sexes = ["Male", "Female", "Unknown"]
    assert [row_of(short, sexes)["proposal"] for short in ("M", "F", "Unk")] == sexes
    assert usual_crowding(10) < usual_crowding(10_000) <= 1
    some = crowding_among(0.2, 1_000, np.array([0, 10, 1_000]))
    assert some[0] <= some[1] < some[2] == 0.2


def test_several_words_are_one_question_and_one_ruling(tmp_path: Path) -> None:
    values = [f"{stop} Canal Wharf" for stop in STOPS[:4]]
    asked = run_book(values, settle=0.999)
    (question,) = asked.questions
    assert question.cause == Cause("extra word", ("canal", "wharf"))
    assert question.text.startswith("May ‘canal’ and ‘wharf’ be too many? 4 values, 4 rows: ")
    rulings = igual.Rulings().decide_kind("at", "extra word", "canal + wharf", yes=True, on="2026-05-08")
    record_rulings(tmp_path / "r.csv", rulings.rulings)
    rulings = igual.Rulings.load(tmp_path / "r.csv")
    outcome = run_book([*values, "Kestrel Canal", "Kestrel Wharf Canal"], rulings, settle=0.999)
    # One of both words alone isn't what was ruled on; another order is.
    assert outcome.table["at"] == [*STOPS[:4], "Kestrel Canal", "Kestrel"]
    how = outcome.crosswalk("at").set_index("raw")["how"]
    assert how[values[0]] == "match: ruling on ‘canal + wharf’"
    single = igual.Rulings().decide_kind("at", "extra word", "canal", yes=True, on="2026-05-08")
    both = single.decide_kind("at", "extra word", "wharf", yes=True, on="2026-05-08")
    assert run_book(values, both, settle=0.999).table["at"] == list(STOPS[:4])
    assert run_book(values, single, settle=0.999).table["at"] == values
    taken_back = rulings.withdraw("at", "canal + wharf", "extra word")
    assert run_book(values, taken_back, settle=0.999).table["at"] == values


def test_several_words_of_which_the_list_lost_one_are_said() -> None:
    entries = [f"{stop} Canal Wharf" for stop in STOPS]
    lists = {"places": igual.ReferenceList(entries)}
    for words, stale in (("canal + wharf", 0), ("canal + pier", 1)):
        rulings = igual.Rulings().decide_kind("at", "word left out", words, yes=True, on="2026-05-08")
        book = igual.Rulebook([Match(column="at", list="places")], lists=lists, rulings=rulings)
        assert len(find_stale_rulings(book)) == stale


def test_causes_are_joined_where_they_are_of_one_kind() -> None:
    extra = [Cause("extra word", (word,)) for word in ("canal", "wharf", "old")]
    assert join_causes(extra[:1]) == extra[0]
    assert join_causes([*extra, Cause("word left out", ("pier",))]) is None
    assert join_causes([Cause("word order"), Cause("word order")]) is None
    assert join_causes([]) is None
    joint = check_kind("extra word", "canal + wharf")
    assert joint.text == "canal + wharf"
    reasons = (Reason("extra words", ("canal", "wharf", "old")),)
    assert find_covering(reasons, [joint]) == ()
    assert find_covering(reasons, [joint, extra[2]]) == (extra[2], joint)
    with pytest.raises(igual.IgualError, match="'x \\+ y'"):
        check_kind("extra word", "canal + ")


def test_what_has_a_rival_is_no_part_of_a_kind() -> None:
    entries = ["Kestrel", "Kestrel General", "Almery", "Brannock", "Dawlish", "Epsom"]
    values = [f"{stop} Halt" for stop in ("Almery", "Brannock", "Dawlish", "Epsom")]
    found = igual.match([*values, "Oxmor Halt"], [*entries, "Oxmoor", "Oxmore"], settle=0.999)
    kinds = [question for question in found.questions if question.cause is not None]
    assert [sorted(question.pairs) for question in kinds] == [values]
    ruled = igual.Rulings().decide_kind("at", "extra word", "halt", yes=True, on="2026-05-08")
    rule = Match(column="at", list="places", settle=0.999)
    lists = {"places": igual.ReferenceList([*entries, "Oxmoor", "Oxmore"])}
    book = dataclasses.replace(igual.Rulebook([rule], lists=lists), rulings=ruled)
    clean = book.apply({"at": [*values, "Oxmor Halt"]}).table["at"]
    assert clean == ["Almery", "Brannock", "Dawlish", "Epsom", "Oxmor Halt"]


def test_a_guess_is_no_part_of_a_kind_and_no_yes_settles_it() -> None:
    entries = [*STOPS, "Pier North Quay", "Pier South Quay", "Pier West Quay"]
    values = [f"{stop} Halt" for stop in STOPS[:4]]
    asked = igual.match([*values, "Pier Halt"], entries, settle=0.999)
    (guess,) = [one for one in asked.table.to_dict("records") if one["value"] == "Pier Halt"]
    assert guess["score"] < 0.5
    kinds = [question for question in asked.questions if question.cause == Cause("extra word", ("halt",))]
    assert [sorted(kind.pairs) for kind in kinds] == [values]


def test_small_words_are_no_cause_beside_others() -> None:
    found = igual.match([f"Canton of {stop}" for stop in STOPS], STOPS, settle=0.999)
    (question,) = found.questions
    assert question.cause == Cause("extra word", ("canton",))
    assert found.table["why"].str.startswith("with ‘canton’ and ‘of’").all()


def test_few_keys_are_found_among_very_many_spellings() -> None:
    many = pa.array([f"entry {number}" for number in range(70_000)], TEXT)
    spellings = Spellings(many, np.arange(70_000))
    asked = pa.array(["entry 7", "nothing", "entry 69999", "entry 7"], TEXT)
    wanted = [7, -1, 69_999, 7]
    assert spellings.look_up(asked).tolist() == wanted
    assert spellings.look_up(asked).tolist() == wanted
