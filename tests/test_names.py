"""Names of several words: what words tell, questions on kinds, and lookalikes by rows and by words."""

from __future__ import annotations

import dataclasses
import itertools
import json
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import openpyxl
import pytest

import igual
from igual.decisions import Cause
from igual.matching.causes import find_causes
from igual.matching.endings import Endings
from igual.matching.information import weigh_words
from igual.matching.letter_model import LetterModel
from igual.matching.questions import AT_A_LOOK, Pair, Question, group_questions
from igual.matching.reasons import Reason
from igual.matching.texts import Texts
from igual.matching.words import Words, divide
from igual.rules import Match, Mention
from tests.attack.forked import Done
from tests.conftest import texts
from tests.test_review import Terminal

Run = Callable[..., Done]
TOWNS = ("Almery", "Brannock", "Kestrel", "Saltmarsh", "Harbour", "Lantern")
HOSPITALS = [f"{town} {kind} Hospital" for town in TOWNS for kind in ("University", "General", "Royal")]
LIBRARIES = [f"{name} Library" for name in (*TOWNS, "Old Town", "Kestrel Hill", "Pier North", "Pier South")]


def matched(values: list[str], entries: Any, **words: Any) -> dict[str, dict[str, Any]]:
    table = igual.match(values, entries, **words).table
    return {
        str(row["value"]): {str(name): cell for name, cell in row.items()} for row in table.to_dict("records")
    }


def book_of(values: Any, rulings: igual.Rulings | None = None, **words: Any) -> igual.Rulebook:
    rules = [Match(column="at", list="places", **words)]
    book = igual.Rulebook(
        rules,
        lists={"places": values if isinstance(values, igual.ReferenceList) else igual.ReferenceList(values)},
    )
    return book if rulings is None else dataclasses.replace(book, rulings=rulings)


def test_a_word_that_most_entries_have_may_be_left_out() -> None:
    found = matched(["Old Town", "kestrel hill", "Pier", "Library Saltmarsh", "Old Twon"], LIBRARIES)
    assert {value: row["status"] for value, row in found.items()} == {
        "Old Town": "settled", "kestrel hill": "settled", "Pier": "open", "Library Saltmarsh": "settled",
        "Old Twon": "settled",
    }  # fmt: skip
    assert found["Old Town"]["proposal"] == "Old Town Library"
    assert {found["Pier"]["proposal"], found["Pier"]["runner_up"]} == {
        "Pier North Library",
        "Pier South Library",
    }


def test_words_that_tell_entries_apart_say_so_with_an_example() -> None:
    row = matched(["Kestrel"], ["Kestrel North", "Pier North", "Pier South", "Old Mill", "Quay"])["Kestrel"]
    assert row["status"] == "open"
    assert row["why"].endswith("but ‘north’ tells Pier North from Pier South")
    assert (
        matched(["Almery General Hospital (North)"], HOSPITALS)["Almery General Hospital (North)"]["status"]
        == "open"
    )
    instead = matched(["Old Town School"], LIBRARIES)["Old Town School"]
    assert instead["status"] == "open"
    assert "‘school’ and ‘library’ may matter" in instead["why"]


def test_initials_inside_a_name() -> None:
    entries = ["Quayside University Press", "Lantern Books", "Kestrel AB", "Old Mill Press"]
    found = matched(["Quayside UP", "Kestrel Air Base", "Quayside UB"], entries)
    assert [row["status"] for row in found.values()].count("settled") == 2
    assert found["Quayside UP"]["why"] == "‘up’ short for ‘university press’"
    assert found["Kestrel Air Base"]["proposal"] == "Kestrel AB"
    assert found["Quayside UB"]["status"] != "settled"
    clinics = matched(["ENT ward", "ENT clinic"], ["Ear, nose and throat ward", "Eye clinic", "Eye ward"])
    assert clinics["ENT ward"]["why"].startswith("‘ent’ short for ‘ear nose and throat’; ")
    assert clinics["ENT clinic"]["proposal"] != "Ear, nose and throat ward"


@pytest.mark.parametrize(
    ("value", "entry", "why"),
    [
        ("ENT", "Ear, nose and throat", "the initials of Ear, nose and throat"),
        ("e.n.t.", "Ear, nose and throat", "the initials of Ear, nose and throat"),
        ("ENAT", "Ear, nose and throat", "the initials of Ear, nose and throat"),
        ("RIP", "Records for Inland Ports Ltd", "the initials of Records for Inland Ports Ltd"),
        ("B&Q", "Berths and quays", "the initials of Berths and quays"),
        ("B & Q", "Berths and quays", "the initials of Berths and quays"),
        ("b and q", "Berths and quays", "the initials of Berths and quays"),
        ("B&Q", "Berths & Quays", "the initials of Berths & Quays"),
        ("BQ", "Berths & Quays", "the initials of Berths & Quays"),
        ("B&T", "Berths and quays", None),
        ("Kestrel Hill", "KH", "‘KH’ short for ‘kestrel hill’"),
        ("Clinic of the old town", "C.O.T.", "‘C.O.T.’ short for ‘clinic of the old town’"),
        ("Old Ale Kitchen", "oak", None),  # a word, unless it is written as initials are
        ("m", "The Maple", None),
        ("BQ Ltd", "Berths & Quays Ltd", "the initials of Berths & Quays Ltd"),
    ],
)
def test_initials_leave_out_small_words_and_stand_on_either_side(
    value: str, entry: str, why: str | None
) -> None:
    found = matched([value], [entry, "Oncology", "Pier Street"])[value]
    assert found["proposal"] == (entry if why else None)
    assert found["why"] == (
        f"{why}; but initials may stand for something else" if why else "no entry comes near"
    )


def test_a_letter_or_two_are_short_for_the_only_entry_that_begins_so() -> None:
    found = matched(["M", "f", "Un", "X", "No"], ["Male", "Female", "Unknown", "Northern", "Noon"])
    assert [found[value]["proposal"] for value in ("M", "f", "Un")] == ["Male", "Female", "Unknown"]
    assert {found[value]["status"] for value in ("M", "f", "Un")} == {"open"}
    assert found["f"]["why"] == "‘f’ short for ‘female’; but it may be a word of its own"
    assert "short for" not in found["X"]["why"] + found["No"]["why"]
    assert matched(["ab", "c", "d"], ["a", "c", "b"])["d"]["status"] == "unknown"
    # Of a name, one letter says too little, be all its other words usual.
    libraries = [f"{name} Library" for name in ("Kestrel", "Pier", "Tarn", "Quay", "Marden")]
    assert {row["status"] for row in matched(["K", "p.", "Ta"], libraries).values()} <= {"open", "unknown"}
    within = igual.Rulebook(
        [Match(column="a", list="l", within={"town": "b"})],
        {"l": igual.ReferenceList(["Quay", "Pier"], {}, {"town": ["Tarn", "Almery"]})},
    )
    outcome = within.apply({"a": ["Q", "Q"], "b": ["Tarn", "Almery"]})
    assert outcome.open["proposal"].tolist() == ["Quay"]


@pytest.mark.parametrize(
    ("value", "entry"),
    [
        ("Green way", "Greenway Airport"),
        ("Sunriver", "Sun River Airport"),
        ("R Mel", "R'mel Airport"),
        ("Air Port Sunriver Intl.", "Sun River International Airport"),
        ("Unit 2 a Harbour", "Harbour Unit 2A"),
    ],
)
def test_words_that_are_written_as_one_or_as_two(value: str, entry: str) -> None:
    entries = [
        entry,
        "Tarn Airport",
        "Kestrel Airport",
        "Lantern Airport",
        "Quay Airport",
        "Mole 1 2 Airport",
    ]
    assert (matched([value], entries)[value]["status"], matched([value], entries)[value]["proposal"]) == (
        "settled", entry,
    )  # fmt: skip


def test_units() -> None:
    entries = [
        "Resin 100 microgram tin",
        "Resin 200 microgram tin",
        "Rope 12 millimetre",
        "1 Market Street",
        "Tarn",
    ]
    found = matched(
        ["Resin 100mcg tin", "resin 200 µg", "Rope 12mm", "Rope 12 cm", "Resin 100mg tin", "1st Market"],
        entries,
    )
    assert {value: (row["status"], row["proposal"]) for value, row in found.items()} == {
        "Resin 100mcg tin": ("settled", "Resin 100 microgram tin"),
        "resin 200 µg": ("settled", "Resin 200 microgram tin"),
        "Rope 12mm": ("settled", "Rope 12 millimetre"),
        "Rope 12 cm": ("open", "Rope 12 millimetre"),
        "Resin 100mg tin": ("open", "Resin 100 microgram tin"),
        "1st Market": ("unknown", "1 Market Street"),
    }  # fmt: skip
    assert found["Rope 12mm"]["why"] == "‘mm’ stands for ‘millimetre’"
    assert found["Rope 12 cm"]["why"].endswith("but the units differ (cm, millimetre)")
    # No answer about a kind settles another unit.
    assert igual.match(["Rope 12 cm"], entries).questions[0].kind == "single value"


def test_what_is_denied_and_what_names_another_entry() -> None:
    entries = ["Arson", "Criminal damage", "Burglary - dwelling", "Gluten free", "Low salt"]
    values = [
        "Arson/criminal damage",
        "Burglary non dwelling",
        "Not gluten free",
        "No salt",
        "criminl damage",
    ]
    found = matched(values, entries)
    assert [value for value, row in found.items() if row["status"] == "settled"] == ["criminl damage"]
    assert found["Arson/criminal damage"]["why"].endswith("but ‘arson’ may matter")
    assert found["Not gluten free"]["why"].endswith("but ‘not’ may matter")


def test_a_strange_word_too_many_is_no_slip() -> None:
    entries = ["Hip replacement", "Knee replacement", "Right hip replacement"]
    found = matched(["Zq hip replacement", "Rt hip replacement"], entries)
    assert found["Zq hip replacement"]["status"] != "settled"
    assert found["Rt hip replacement"]["proposal"] == "Right hip replacement"


ENDINGS = {
    "ology": ["Cardi", "Neur", "Ur", "Onc", "Haemat", "Dermat", "Rheumat", "Path", "Immun", "Toxic"],
    "ectomy": ["Tonsill", "Col", "Mast", "Nephr", "Splen", "Cyst", "Thyroid", "Lob", "Gastr", "Hyster"],
}


@pytest.mark.parametrize(("value", "proposal"), [("Nephrology", "Neurology"), ("Virology", "Urology")])
def test_what_many_entries_end_in_says_little(value: str, proposal: str) -> None:
    entries = [stem + ending for ending, stems in ENDINGS.items() for stem in stems]
    found = matched([value, "Cardiolgy", "Neurolgoy", "Tonsilectomy"], entries)
    assert (found[value]["status"], found[value]["proposal"]) == ("open", proposal)
    assert found[value]["why"].endswith("but many entries have ‘…ology’")
    assert [row["status"] for row in found.values()].count("settled") == 3
    # In a list without such endings it may well be a slip.
    assert matched([value], [proposal, "Quay", "Pier", "Lantern"])[value]["status"] == "settled"


def test_months_and_days() -> None:
    values = ["Jan 2021", "Sept 2021", "Wednsday clinic"]
    entries = ["January 2021", "June 2021", "September 2021", "Jun 2021", "Wednesday clinic", "Monday clinic"]
    found = matched(values, entries) | matched(["Sunday clinic"], ["Monday clinic", "Quay"])
    assert {value: (row["status"], row["proposal"]) for value, row in found.items()} == {
        "Jan 2021": ("open", "January 2021"), "Sept 2021": ("settled", "September 2021"),
        "Wednsday clinic": ("settled", "Wednesday clinic"),
        "Sunday clinic": ("open", "Monday clinic"),
    }  # fmt: skip
    assert found["Sunday clinic"]["why"].endswith("but the days differ (sunday, monday)")
    other = matched(["Jan 2021", "May 2021"], ["Jun 2021", "Mar 2021"])
    assert {row["status"] for row in other.values()} == {"open"}
    assert other["Jan 2021"]["why"].endswith("but the months differ (jan, jun)")


@pytest.mark.parametrize(
    "value", ["HDL cholesterol", "VLDL cholesterol", "vldl cholesterol", "VLDL CHOLESTEROL"]
)
def test_another_acronym_is_no_slip(value: str) -> None:
    row = matched([value, "LDl cholesterol", "LDL colesterol"], ["LDL cholesterol", "Urea"])
    assert row[value]["status"] == "open"
    assert row[value]["why"].endswith(" may matter")
    assert row["LDl cholesterol"]["status"] == row["LDL colesterol"]["status"] == "settled"


def test_a_word_alone_that_stands_for_an_entry_as_stated() -> None:
    entries = ["Department", "Quay", "Kilogram", "Kestrel Quay"]
    index = igual.MatchIndex(entries, abbreviations={"Qy": "Quay"})
    table = igual.match(["dept.", "qy", "kg", "xy"], index).table.set_index("value")
    assert table["proposal"].dropna().to_dict() == {"dept.": "Department", "qy": "Quay", "kg": "Kilogram"}
    assert set(table["status"]) == {"open", "unknown"}
    assert table.loc["qy", "why"] == "‘qy’ stands for ‘quay’; but it may be a word of its own"


def test_numbers_are_not_joined() -> None:
    entries = ["Mole 12 Airport", "Pier 3 4 Airport", "Quay Airport", "Tarn Airport"]
    found = matched(["Mole 1 2", "Pier 34", "Mole 12"], entries)
    assert [value for value, row in found.items() if row["status"] == "settled"] == ["Mole 12"]
    assert matched(["green way", "x", ""], ["Greenway"])["green way"]["proposal"] == "Greenway"


def test_a_letter_alone_may_be_a_word_cut_short() -> None:
    entries = ["Tennis", "Table tennis", "Kestrel Hill", "Orchard", "Lantern Quay"]
    found = matched(["T. tennis", "Kestrel Hill B", "Orchard's", "l’Orchard", "Kestrels Hill"], entries)
    assert {value: row["status"] for value, row in found.items()} == {
        "T. tennis": "open", "Kestrel Hill B": "open",
        "Orchard's": "settled", "l’Orchard": "settled", "Kestrels Hill": "settled",
    }  # fmt: skip
    assert (found["T. tennis"]["proposal"], found["T. tennis"]["runner_up"]) == ("Tennis", "Table tennis")
    assert found["Kestrel Hill B"]["why"].endswith("but ‘b’ may matter")


def test_what_connects_words_is_short_for_none() -> None:
    entries = ["Lantern Quay International", "Kestrel Quay Denmere", "Tarn del Mar"]
    found = matched(
        ["La Mesa Quay International", "Kestrel Quay DE", "Tarn de Mar", "Lan Quay International"], entries
    )
    # As the last word it connects nothing, and it may stand for another that does.
    assert [row["status"] for row in found.values()].count("settled") == 3
    assert found["La Mesa Quay International"]["status"] != "settled"
    assert "‘la’ short for" not in found["La Mesa Quay International"]["why"]


def test_initials_of_two_entries_are_asked_about_alone() -> None:
    entries = ["Kestrel Quay", "Kites Quest", "Intensive care", "Ear, nose and throat"]
    asked = igual.match(["KQ", "KQ", "IC", "ENT"], entries).questions
    assert [list(question.pairs) for question in asked] == [["IC", "ENT"], ["KQ"]]
    assert "another entry is as near" in matched(["KQ"], entries)["KQ"]["why"]
    ruled = igual.Rulings().decide_kind("at", "initials", "any", yes=True, by="Ines")
    outcome = book_of(entries, ruled).apply({"at": ["KQ", "IC", "E.N.T."]})
    assert outcome.table == {"at": ["KQ", "Intensive care", "Ear, nose and throat"]}
    assert outcome.open["runners_up"].tolist() == [
        [{"entry": "Kites Quest", "score": outcome.open["score"][0]}]
    ]


def test_what_people_write_for_a_missing_value_is_asked_about_alone() -> None:
    entries = ["Nursing assistant", "Occupational therapist", "Ward clerk"]
    found = matched(["n/a", "NA", "OT"], entries)
    for value in ("n/a", "NA"):
        assert found[value]["why"].endswith("but people write it for a missing value, too")
    ruled = igual.Rulings().decide_kind("at", "initials", "any", yes=True, by="Ines")
    outcome = book_of(entries, ruled).apply({"at": ["n/a", "NA", "OT"]})
    assert outcome.table == {"at": ["n/a", "NA", "Occupational therapist"]}


MONTHS = "January February March April May June July August September October November December".split()


@pytest.mark.parametrize(
    ("entries", "values", "entry"),
    [
        (MONTHS, ["Sept", "SEP.", "sep"], "September"),
        (MONTHS, ["Jan", "jan."], "January"),
        (["Gastroenterology", "Geriatrics", "Urology"], ["Gastro", "gastroent."], "Gastroenterology"),
        (["Paediatrics", "Pathology", "Orthopaedics"], ["Paeds"], "Paediatrics"),
        (["Physiotherapist", "Consultant physician"], ["physio"], "Physiotherapist"),
    ],
)
def test_a_word_cut_short_is_asked_about(entries: list[str], values: list[str], entry: str) -> None:
    for value, row in matched(values, entries).items():
        assert (value, row["proposal"], row["status"]) == (value, entry, "open")
        assert row["why"].endswith(f"for ‘{entry.lower()}’; but it may be a word of its own")
        assert row["score"] > 0.7


def test_words_that_are_too_short_or_misspelt_are_not_cut_short() -> None:
    found = matched(["Ju", "Septembr", "Setpember", "sp", "bern", "Novembre"], MONTHS)
    assert not [value for value, row in found.items() if "short for" in row["why"]]
    assert found["Septembr"]["status"] == found["Setpember"]["status"] == "settled"
    # Of two that it may be short for none is ahead.
    both = matched(["Card"], ["Cardiology", "Cardinal", "Urology"])["Card"]
    assert (both["status"], both["score"] < 0.5) == ("open", True)


def test_a_yes_to_a_word_cut_short_settles_it_however_it_is_written() -> None:
    asked = igual.match(["Sept", "SEPT.", "Oct"], MONTHS).questions
    assert [(question.kind, sorted(question.pairs)) for question in asked] == [
        ("abbreviation", ["Oct", "SEPT.", "Sept"])
    ]
    ruled = igual.Rulings().decide_kind("at", "abbreviation", "sept = september", yes=True, by="Ines")
    outcome = book_of(MONTHS, ruled).apply({"at": ["Sept", "SEPT.", "sept", "Oct"]})
    assert outcome.table == {"at": ["September", "September", "September", "Oct"]}


def test_slips_never_make_a_match_surer() -> None:
    species = ["Horse chestnut", "Turkey oak", "Common oak", "Norway maple", "Field maple"]
    found = matched(["Horse chesnut tree", "Horse chestnut tree", "Turkish oak"], species)
    assert found["Horse chestnut tree"]["score"] >= found["Horse chesnut tree"]["score"]
    assert found["Turkish oak"]["proposal"] == "Turkey oak"
    assert "‘turkish’ another form of ‘turkey’" in found["Turkish oak"]["why"]


@pytest.mark.parametrize(
    ("entries", "values", "settled"),
    [
        (["Library"] + [f"Library {name}" for name in TOWNS], ["Library", "Almery", "library almery"], 3),
        (["Old", "Old Town", "Old Town Quay", "Old Town Quay North"], ["Old Town", "Town Quay", "Quay"], 1),
        ([f"Gate {number}" for number in range(40)], ["Gate 7", "Gate 77", "Gate", "gaet 7"], 1),
        (["one"], ["one", "one two", "two"], 1),
    ],
)
def test_lists_of_an_awkward_kind(entries: list[str], values: list[str], settled: int) -> None:
    found = matched(values, entries)
    assert sum(row["status"] == "settled" for row in found.values()) == settled
    assert all(row["proposal"] == value for value, row in found.items() if row["score"] == 1)


def test_scores_depend_on_no_order_and_on_no_other_value() -> None:
    values = ["Almery Univ Hosp", "Brannock Trust", "Kestrel Royl", "Harbour General Trust", "Lantern"]
    whole = matched(values, HOSPITALS)
    backwards = matched(values[::-1], HOSPITALS[::-1])
    alone = {value: matched([value], HOSPITALS)[value] for value in values}
    for value in values:
        assert whole[value]["score"] == backwards[value]["score"] == alone[value]["score"]


def test_what_words_tell() -> None:
    keys = texts("pier north", "pier south", "old mill", "old quay mill", "pier")
    words = Words.of(keys, divide(keys))
    told = weigh_words(words, np.arange(5))
    place = {word: at for at, word in enumerate(words.vocabulary.to_pylist())}
    assert told.rarity[place["pier"]] < told.rarity[place["north"]]
    assert told.apart[place["north"]] == pytest.approx(1 / 3)
    assert told.apart[place["quay"]] > 0
    assert told.apart[place["old"]] == 0
    assert keys[int(told.beside[place["north"]])].as_py() in ("pier south", "pier")
    # Spellings of one entry aren't told apart by a word.
    assert weigh_words(words, np.array([0, 0, 1, 1, 0])).apart.max() == 0


def test_letters_of_a_word_that_all_entries_have_tell_nothing() -> None:
    sides = (
        ["Al", "Tar", "Bro", "Kes", "Mor", "Sel"],
        ["me", "vi", "do", "ra", "lu"],
        ["ry", "nd", "xa", "gil", "stow"],
    )
    names = ["".join(parts) for parts in itertools.product(*sides)]
    names.remove("Broragil")
    values = ["Broragil", "Tarvist", "Kesdoxs"]
    alone, shared = (
        igual.match(
            [value + word for value in values], igual.ReferenceList([name + word for name in names])
        ).table
        for word in ("", " Library")
    )
    assert alone["proposal"].add(" Library").tolist() == shared["proposal"].tolist()
    assert shared["score"].tolist() == pytest.approx(alone["score"].tolist(), abs=0.005)


def test_parts_of_names() -> None:
    written = texts(
        "Old Town", "Greek, Ancient (to 1453)", "Trieste / Ronchi", "Quay - North", "North-Quay", "(x)", ""
    )
    assert divide(written).to_pylist() == [[], [0, 2, 5, 5], [0, 2], [0, 2], [], [1], []]


def test_endings_and_letters_tell_words_of_their_own() -> None:
    entries = Texts.of(
        texts(*[stem + end for stem in ("walk", "talk", "quay", "lamp", "tree") for end in ("", "s")])
    )
    values, near = Texts.of(texts("gates", "gatez")), Texts.of(texts("gate", "gate"))
    shares = Endings(entries).share(values, near, np.array([0, 1]), np.array([0, 1]))
    assert shares[0] > 0.2 > shares[1] == 0
    model = LetterModel(
        Texts.of(texts(*(f"{a}{b}a" for a in ("mar", "tor", "sel") for b in ("in", "ol", "ed"))))
    )
    odd = model.oddness(Texts.of(texts("marola", "xqzwkj", "")))
    assert odd[1] > odd[0]
    assert LetterModel(Texts.of(texts())).oddness(Texts.of(texts("abc"))).tolist() == [0]


TRUSTS = [
    "Almery General Trust",
    "Brannock Royal Trust",
    "Kestrel Royal Trust",
    "Harbour General Trust",
    "Lantern Roial",
]


def test_open_values_are_grouped_into_questions() -> None:
    found = igual.match(TRUSTS, HOSPITALS)
    first = found.questions[0]
    assert (first.kind, first.cause) == ("extra word", Cause("extra word", ("trust",)))
    assert first.pairs == {value: value.replace("Trust", "Hospital") for value in TRUSTS[:4]}
    assert first.rows == 4
    assert first.text.startswith("May ‘trust’ be too many? 4 values, 4 rows: ")
    scores = [pair.score for pair in first.members]
    assert scores == sorted(scores)
    assert first.examples == first.members[:3]


def reason(kind: str, *parts: str) -> Reason:
    return Reason(kind, parts)


@pytest.mark.parametrize(
    ("reasons", "causes"),
    [
        (
            [reason("missing words", "quay"), reason("usual words missing", "library")],
            [("word left out", "quay")],
        ),
        ([reason("usual words missing", "library"), reason("rival near")], [("word left out", "library")]),
        ([reason("short for", "hosp", "hospital")], [("abbreviation", "hosp = hospital")]),
        ([reason("same words in other order")], [("word order", "any")]),
        ([reason("initials", "Port Almery"), reason("ambiguous initials")], [("initials", "any")]),
        ([reason("other form", "turkish", "turkey")], [("spelling variant", "turkish = turkey")]),
        ([reason("missing words", "quay"), reason("numbers differ", "1", "")], []),
        ([reason("extra words", "north"), reason("opposite may matter", "north")], []),
        ([reason("missing words", "quay"), reason("rival equal")], []),
        ([reason("letter missing", "Quay")], []),
    ],
)
def test_what_a_match_is_open_for(reasons: list[Reason], causes: list[tuple[str, str]]) -> None:
    found = find_causes(tuple(reasons))
    assert [(cause.kind, cause.text) for cause in found] == causes
    assert [Cause.read(cause.kind, cause.text) for cause in found] == list(found)


@dataclasses.dataclass
class Waiting:
    value: str
    score: float
    reasons: tuple[Reason, ...]
    rows: int = 1
    proposal: str = "Quay"
    within: str = ""
    rival: str = ""


def test_a_hundred_thousand_values_are_grouped_at_once() -> None:
    many = [
        Waiting(f"v{n}", 0.5 + n % 50 / 100, (reason("missing words", f"w{n % 30_000}"),))
        for n in range(100_000)
    ]
    questions = group_questions(many)
    assert sum(len(question.members) for question in questions) == 100_000
    alone = [
        Waiting(f"v{n}", 0.9, (reason("missing words", f"w{n}"), reason("extra words", f"x{n}")))
        for n in range(20)
    ]
    assert sorted(len(question.members) for question in group_questions(alone)) == [4, AT_A_LOOK, AT_A_LOOK]
    guesses = [Waiting(f"v{n}", 0.3, alone[n].reasons) for n in range(4)]
    assert {question.kind for question in group_questions(guesses)} == {"single value"}


def test_a_yes_settles_later_values_but_none_that_is_doubtful() -> None:
    rulings = igual.Rulings().decide_kind(
        "at", "extra word", "trust", yes=True, by="Ines", on="2026-05-08", reason="all are"
    )
    later = ["Saltmarsh Royal Trust", "Almery Trust", "Kestrel Royal Trust 2", "Lantern North Royal Trust"]
    outcome = book_of(HOSPITALS, rulings).apply({"at": [*TRUSTS, *later]})
    clean = dict(zip([*TRUSTS, *later], outcome.table["at"], strict=True))
    assert clean["Saltmarsh Royal Trust"] == "Saltmarsh Royal Hospital"
    # Three entries are as near; numbers and directions are never ruled away.
    assert [clean[value] for value in later[1:]] == later[1:]
    walk = outcome.crosswalk("at").set_index("raw")["how"].to_dict()
    assert walk["Saltmarsh Royal Trust"] == "match: ruling on ‘trust’"
    assert outcome.crosswalks.apply({"at": TRUSTS}).table["at"][:4] == [
        value.replace("Trust", "Hospital") for value in TRUSTS[:4]
    ]
    taken_back = rulings.withdraw("at", "trust", "extra word")
    assert book_of(HOSPITALS, taken_back).apply({"at": TRUSTS}).table["at"] == TRUSTS


def test_a_no_has_values_asked_singly_and_single_rulings_win() -> None:
    no = igual.Rulings().decide_kind("at", "extra word", "trust", yes=False, on="2026-05-08")
    asked = book_of(HOSPITALS, no).apply({"at": TRUSTS}).questions
    assert {question.kind for question in asked} == {"single value"}
    both = igual.Rulings().decide_kind("at", "extra word", "trust", yes=True, on="2026-05-08")
    both = both.decide("at", TRUSTS[0], "Almery Royal Hospital", on="2026-05-08")
    outcome = book_of(HOSPITALS, both).apply({"at": TRUSTS})
    assert outcome.table["at"][0] == "Almery Royal Hospital"
    (said,) = [hint.text for hint in outcome.hints if hint.kind == "ruling beside kind"]
    assert "'Almery General Trust' is ruled 'Almery Royal Hospital', and stays so" in said


def test_five_single_rulings_that_agree_propose_the_kind() -> None:
    rulings = igual.Rulings()
    for town in TOWNS[:5]:
        rulings = rulings.decide("at", f"{town} General Trust", f"{town} General Hospital", on="2026-05-08")
    (question,) = book_of(HOSPITALS, rulings).apply({"at": ["Lantern Royal Trust"]}).questions
    assert question.cause == Cause("extra word", ("trust",))


def test_kinds_that_mean_nothing_are_refused(tmp_path: Path) -> None:
    for kind, words, said in (
        ("extra wrod", "trust", "did you mean 'extra word'"),
        ("abbreviation", "hosp", "takes two words such as"),
        ("single value", "x", "no kind of difference"),
    ):
        with pytest.raises(igual.RulingError, match=said):
            igual.Rulings().decide_kind("at", kind, words, yes=True)
    file = tmp_path / "r.rulings.csv"
    file.write_text("column,value,ruling,reason,by,on,kind\nat,trust,maybe,,,2026-05-08,extra word\n")
    with pytest.raises(igual.RulingError, match=r"row 2: a kind is ruled yes or no; found 'maybe'"):
        igual.Rulings.load(file)


def test_files_of_rulings_on_values_alone_stay_as_they_were(tmp_path: Path) -> None:
    file = tmp_path / "r.rulings.csv"
    file.write_text("column,value,ruling,reason,by,on\nat,Oak?,Common oak,,Ines,2026-05-08\n")
    rulings = igual.Rulings.load(file).decide("at", "Elm", "keep as it is", on="2026-05-09")
    assert file.read_text().splitlines()[0] == "column,value,ruling,reason,by,on"
    rulings.decide_kind("at", "word order", "any", yes=True, on="2026-05-09")
    assert file.read_text().splitlines()[0] == "column,value,ruling,reason,by,on,kind"
    assert igual.Rulings.load(file).of_kinds("at")["word order", "any"].ruling == "yes"
    igual.Rulings.load(file).withdraw("at", "any", "word order")
    assert file.read_text().splitlines()[0] == "column,value,ruling,reason,by,on"


@pytest.fixture
def hospitals(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    monkeypatch.chdir(tmp_path)
    Path("places.csv").write_text("value\n" + "\n".join(HOSPITALS) + "\n")
    rows = [f"{value},D{number},{number} Quay" for number, value in enumerate([*TRUSTS, *TRUSTS[:2]])]
    Path("t.csv").write_text("at,district,street\n" + "\n".join(rows) + "\n")
    rule = '[[rule]]\ncolumn = "at"\ndo = "match"\nlist = "places"\n'
    Path("r.toml").write_text(f'igual = 1\n\n[lists]\nplaces = {{ file = "places.csv" }}\n\n{rule}')
    return tmp_path


@pytest.mark.parametrize("ending", ["csv", "xlsx"])
def test_a_sheet_asks_kinds_first(run: Run, hospitals: Path, ending: str) -> None:
    assert (
        "1 question on what they have in common would settle 4 of them."
        in run("apply r.toml t.csv --out c.csv").stdout
    )
    in_pieces = run(f"apply r.toml t.csv --out p.csv --open pieces.{ending} --most-values 3")
    assert in_pieces.returncode == 0, in_pieces.stderr
    assert run(f"apply r.toml t.csv --out c.csv --open open.{ending}").returncode == 0
    if ending == "xlsx":
        book = openpyxl.load_workbook("open.xlsx")
        assert book.sheetnames == ["kinds", "open", "choices"]
        kinds, single = book["kinds"], book["open"]
        kinds["G2"] = "Yes"
        single["I2"] = "accept"
        wanted = single["E2"].value
        book.save("open.xlsx")
    else:
        lines = Path("open.csv").read_text().splitlines()
        assert lines[1].endswith(",extra word")
        lines[1] = lines[1].replace(",,,extra word", ",yes,,extra word")
        Path("open.csv").write_text("\n".join(lines) + "\n")
    done = run("review r.toml open." + ending + " --by Ines")
    assert done.returncode == 0, done.stderr
    assert "extra word: trust" in done.stdout
    assert "such values are settled" in done.stdout
    rulings = igual.Rulings.load("r.rulings.csv")
    assert rulings.of_kinds("at")["extra word", "trust"].by == "Ines"
    if ending == "xlsx":
        assert [one.ruling for one in rulings.rulings if not one.kind] == [wanted]
    clean = json.loads(run("check r.toml t.csv --json").stdout)
    assert all("Trust" not in str(one) for one in clean["findings"])
    assert run(f"review r.toml open.{ending}").stdout.count("as ruled before") == 1


def test_a_kind_is_asked_withdrawn_and_refused_in_a_terminal(run: Run, hospitals: Path) -> None:
    kept = hospitals / "r.rulings.csv"
    shell = Terminal(
        hospitals, "review", "r.toml", "--table", "t.csv", "--by", "Ines", "--show", "district,street"
    )
    assert "May ‘trust’ be too many?" in shell.until("q stop")
    shell.type("z")
    shell.until("press one of y, n, m, o, s, u, q")
    shell.type("m")
    shell.until("Trust → ")
    shell.type("y")
    assert "district D4" in shell.until("q stop")
    assert "at,trust,yes,,Ines," in kept.read_text()
    shell.type("u")
    assert "taken back: trust → yes" in shell.until("q stop")
    shell.type("n")
    assert "no: asked one by one" in shell.until("q stop")
    shell.type("q")
    shell.until("still open")
    assert shell.ended() == 0
    assert igual.Rulings.load(kept).of_kinds("at")["extra word", "trust"].ruling == "no"
    assert "Taken back: extra word 'trust' → 'no' by Ines" in run("review r.toml --withdraw trust").stdout
    assert igual.Rulings.load(kept).rulings == ()
    refused = run("review r.toml --withdraw trsut")
    assert (refused.returncode, refused.stdout) == (2, "")


def test_a_ruling_on_a_word_that_the_list_lost_is_said(run: Run, hospitals: Path) -> None:
    Path("r.rulings.csv").write_text(
        "column,value,ruling,reason,by,on,kind\nat,clinic,yes,,Ines,2026-05-08,word left out\n"
    )
    found = run("check r.toml t.csv")
    assert "'clinic'" in found.stdout, found.stdout


DISTRICTS = igual.ReferenceList(
    ["Harbour", "Kestrel Hill", "Saint Brannock", "Old Town", "Saltmarsh", "Pier North"]
)


def mentioning(rulings: igual.Rulings | None = None, **words: Any) -> igual.Rulebook:
    rule = Mention(column="text", list="districts", by=["exact", "folded", "fuzzy"], **words)
    book = igual.Rulebook([rule], lists={"districts": DISTRICTS})
    return book if rulings is None else dataclasses.replace(book, rulings=rulings)


def test_mentions_with_slips_on_request() -> None:
    written = [
        "dead wood over Kestral Hill Road", "near the Harbuor, and Saltmrsh", "in Old Twon 7", "st brannock", "up the hill",
        "nothing", "", None, "at Kestrel Hill",
    ]  # fmt: skip
    assert Mention(list="districts").on(written[:2], lists={"districts": DISTRICTS}) == ["", ""]
    outcome = mentioning(multiple="all").apply({"text": written})
    assert outcome.table["text"] == [
        "Kestrel Hill", "Harbour; Saltmarsh", "Old Town", "Saint Brannock", "", "", "", None, "Kestrel Hill",
    ]  # fmt: skip
    assert outcome.crosswalk("text")["how"].tolist()[0].startswith("mention: fuzzy 0.")
    two = mentioning().apply({"text": ["Harbuor or Saltmrsh"]})
    assert (two.table["text"], two.unknown["kind"].tolist()) == ([""], ["undecided"])


def test_likely_mentions_are_open_and_take_rulings() -> None:
    near = igual.ReferenceList(["Marina Quay", "Marine Quay", "Old Town"])
    rule = Mention(column="text", list="near", by=["fuzzy"])
    book = igual.Rulebook([rule], lists={"near": near})
    outcome = book.apply({"text": ["by Marinx Quay at noon"]})
    assert outcome.table["text"] == ["by Marinx Quay at noon"]
    (why,) = outcome.open["why"]
    assert why.startswith("in the text: ‘Marinx Quay’")
    ruled = igual.Rulings().decide("text", "by Marinx Quay at noon", "Marine Quay", on="2026-05-08")
    again = dataclasses.replace(book, rulings=ruled).apply({"text": ["by Marinx Quay at noon"]})
    assert again.table["text"] == ["Marine Quay"]


def test_rows_speak_for_lookalikes() -> None:
    often = ["Charleston"] * 30 + ["Charlestown"] * 28
    assert igual.lookalikes(often).pairs == {}
    assert igual.lookalikes(["Charleston"] * 30 + ["Charlestno"]).pairs == {"Charlestno": "Charleston"}


def test_a_weaker_tier_on_request_is_never_merged() -> None:
    cars = ["mercedes"] * 9 + ["mercedes-benz"] * 5 + ["vw"] * 4 + ["volkswagen"] * 8
    cars += ["Pier North", "Pier", "audi", "Port of Low Tarn", "P.L.T."]
    assert igual.lookalikes(cars).related == ()
    found = igual.lookalikes(cars, weaker=True)
    assert found.pairs == {}
    pairs = set(zip(found.weaker["value"], found.weaker["other"], strict=True))
    initials = ("P.L.T.", "Port of Low Tarn")
    assert pairs == {("mercedes", "mercedes-benz"), ("vw", "volkswagen"), initials}


def test_any_letter_may_stand_in_a_rare_value() -> None:
    names = [
        "Kestrel Hill",
        "Marenholm",
        "Brackenford",
        "Wendlebury",
        "Ashlington",
        "Moorcastle",
        "Redhaven",
        "Carrowby",
    ]
    slips = ["Kesqrel Hill", "Brackeyford", "Wenplebury", "Ashlincton", "Moorcaslle", "Redhaten"]
    found = igual.lookalikes([name for name in names for _ in range(25)] + slips).members
    meant = {one.value: one.proposal for one in found if one.value != one.proposal}
    assert meant == {
        "Kesqrel Hill": "Kestrel Hill", "Brackeyford": "Brackenford", "Wenplebury": "Wendlebury", "Ashlincton": "Ashlington",
        "Moorcaslle": "Moorcastle", "Redhaten": "Redhaven",
    }  # fmt: skip


def test_a_slip_goes_with_the_value_that_it_is_most_like() -> None:
    # Fennimore has more rows, and is not like Fenniore itself.
    found = igual.lookalikes(["Fennimore"] * 40 + ["Fenniore"] * 15 + ["Fenniorre"]).members
    assert [(one.value, one.proposal) for one in found] == [
        ("Fenniore", "Fenniore"),
        ("Fenniorre", "Fenniore"),
    ]


def test_lookalikes_say_the_weaker_tier(run: Run, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.chdir(tmp_path)
    Path("t.csv").write_text("firm\n" + "Tidewater\n" * 3 + "Tidewater Arborists\n" * 5 + "Pell & Quay\n")
    shown = run("lookalikes t.csv -c firm --weaker").stdout
    assert "1 pair that may be one each: only you can tell" in shown
    listed = json.loads(run("lookalikes t.csv -c firm --weaker --json").stdout)
    assert [(one["value"], one["other"]) for one in listed["weaker"]] == [
        ("Tidewater", "Tidewater Arborists")
    ]
    assert "weaker" not in json.loads(run("lookalikes t.csv -c firm --json").stdout)


def test_a_question_prints_as_a_sentence() -> None:
    pair = Pair("Old Town", "Old Town Library", 0.9, 3)
    cause = Cause("word left out", ("library",))
    assert Question("at", "word left out", cause, [pair] * 4).text == (
        "May ‘library’ be left out? 4 values, 12 rows: Old Town → Old Town Library, Old Town → Old Town Library, "
        "Old Town → Old Town Library, …"
    )
    assert (
        Question("at", "single value", None, [pair]).text == "Does 'Old Town' mean 'Old Town Library'? 3 rows"
    )
    assert (
        Question("at", "single value", None, [pair._replace(proposal="")]).text
        == "What does 'Old Town' mean? 3 rows"
    )
