"""The parts of matching one by one: keys, sounds, q-grams, words, doubts and scores."""

from __future__ import annotations

import importlib
import importlib.util
import itertools

import numpy as np
import pyarrow as pa
import pytest
from hypothesis import given
from hypothesis import strategies as st

import igual
from igual.matching import fitted
from igual.matching.alignment import CUT, SAME, STATED
from igual.matching.chunks import work_in_chunks
from igual.matching.doubts import find_doubts, mark_doubtful
from igual.matching.edit_kinds import EDIT_KINDS, PLACE_OF, slips
from igual.matching.edits import FAR, Edits
from igual.matching.exact_parts import number_by_exact_parts
from igual.matching.forms import Forms
from igual.matching.grams import Grams
from igual.matching.index import MatchIndex
from igual.matching.keys import MOST_CHARACTERS, letters_key, plain, two_letter_key, words_key
from igual.matching.lookalikes import group_lookalikes
from igual.matching.scope import Scope, keep_allowed
from igual.matching.scoring import BY_LETTERS, BY_WORDS, Candidates, chance_of_one, chances, weigh_letters
from igual.matching.sounds import consonants, sounds, unspaced
from igual.matching.spellings import Spellings
from igual.matching.texts import LONGEST, Texts
from igual.matching.vocabulary import (
    ABBREVIATIONS,
    OPPOSITES,
    SMALL_WORDS,
    Vocabulary,
    is_roman,
    one_word,
)
from igual.matching.wording import Wording
from igual.matching.words import Words, divide
from igual.report.reasons import format_reasons
from tests.conftest import texts


def shown(found: Texts) -> list[str]:
    return ["".join(chr(point) for point in row if point) for row in found.characters]


@pytest.mark.parametrize(
    ("text", "letters", "words"),
    [
        ("Norway-Maple", "norwaymaple", "norway maple"),
        ("  O'Brien & Sons ", "obrien&sons", "obrien & sons"),
        ("Brión", "brion", "brion"),
        ("Straße", "strasse", "strasse"),
        ("1.5 m", "1.5m", "1 5 m"),
        ("Lоndоn", "london", "london"),
        ("Лондон", "лондон", "лондон"),
        ("St. John's", "stjohns", "st johns"),
        ("snake_case", "snakecase", "snake case"),
        ("?", "?", ""),
    ],
)
def test_keys(text: str, letters: str, words: str) -> None:
    bare = plain(texts(text))
    assert letters_key(bare).to_pylist() == [letters]
    assert words_key(bare).to_pylist() == [words]


def test_letters_written_as_two() -> None:
    assert two_letter_key(texts("Müller", "Møller", "Muller", None)).to_pylist() == [
        "mueller",
        "moeller",
        None,
        None,
    ]


@pytest.mark.parametrize(
    ("one", "other"),
    [
        ("nucular", "nuclear"), ("gaurentee", "guarantee"), ("porshon", "portion"), ("vaccume", "vacuum"),
        ("exersize", "exercise"), ("faught", "fought"), ("phone", "fone"), ("knight", "nite"), ("scene", "seen"),
        ("quay", "kuay"), ("shure", "sure"), ("lamb", "lam"), ("back road", "bak rode"),
    ],
)  # fmt: skip
def test_what_sounds_alike_has_the_same_consonants(one: str, other: str) -> None:
    spoken = consonants(unspaced(sounds(Texts.of(texts(one, other)))))
    first, second = shown(spoken)
    # An s before u may sound as sh; English has no rule for it.
    assert first.replace("S", "s") == second.replace("S", "s")


def test_sounds_keep_the_borders_of_words_and_other_scripts() -> None:
    assert shown(sounds(Texts.of(texts("knee knob", "東京", "")))) == ["na nab", "東京", ""]
    assert shown(unspaced(sounds(Texts.of(texts("knee knob"))))) == ["nanab"]


def test_texts_are_cut_and_counted() -> None:
    found = Texts.of(texts("ab", "", "x" * 500, "🌳a"))
    assert found.lengths.tolist() == [2, 0, LONGEST, 2]
    assert found.take(np.array([0, 1])).characters.tolist() == [[97, 98], [0, 0]]
    assert [length for length, _ in found.by_length] == [0, 2, LONGEST]
    compared = Forms.of(texts("x" * 500, "x" * 100, "x"))
    assert compared.is_cut.tolist() == [True, True, False]
    assert compared.is_truncated.tolist() == [len("x" * 500) > MOST_CHARACTERS, False, False]


def test_every_pair_of_characters_has_a_kind_and_every_kind_a_cost() -> None:
    assert set(fitted.EDITS) == set(EDIT_KINDS)
    assert min(fitted.EDITS.values()) > 0
    tables = slips()
    assert np.array_equal(tables.substitutions, tables.substitutions.T)

    def kind(a: str, b: str) -> str:
        return str(EDIT_KINDS[tables.substitutions[tables.classes[ord(a)], tables.classes[ord(b)]]])

    for a, b, wanted in (
        ("a", "e", "vowels alike"), ("a", "u", "vowels"), ("c", "s", "sounds alike"), ("b", "p", "sounds like it"),
        ("r", "t", "neighbouring key"), ("h", "q", "consonants"), ("a", "p", "vowel and consonant"), ("1", "7", "digits"),
        ("0", "o", "digit like letter"), ("4", "q", "other"), ("&", "q", "other"), ("д", "q", "consonants"),
    ):  # fmt: skip
        assert kind(a, b) == f"instead: {wanted}"


@pytest.mark.parametrize(
    ("value", "entry", "kinds"),
    [
        ("aple", "apple", ["missing doubled"]),
        ("appple", "apple", ["extra doubled"]),
        ("mueller", "muller", ["extra e after a, o, u"]),
        ("oaks", "oak", ["extra last s", "last"]),
        ("mapel", "maple", ["swapped"]),
        ("lveo", "love", ["moved"]),
        ("yrea", "year", ["moved"]),
        ("privelige", "privilege", ["exchanged"]),
        ("xoak", "oak", ["extra consonant", "first"]),
        ("pier1", "pier7", ["instead: digits", "last"]),
        ("seperate", "separate", ["instead: vowels alike"]),
        ("goverment", "government", ["missing weak consonant"]),
    ],
)
def test_slips_are_told_by_kind(value: str, entry: str, kinds: list[str]) -> None:
    edits = Edits(fitted.EDITS)
    at = np.array([0])
    counts = edits.counts(
        edits.values(Texts.of(texts(value))), edits.entries(Texts.of(texts(entry))), at, at
    )[0]
    assert [EDIT_KINDS[place] for place in np.flatnonzero(counts)] == sorted(kinds, key=PLACE_OF.__getitem__)


def test_rare_runs_of_letters_find_entries_that_edits_do_not() -> None:
    entries = [f"{street} street" for street in ("kestrel", "lantern", "saltmarsh", "ropemaker", "millfield")]
    index = MatchIndex(igual.ReferenceList(entries))
    grams = Grams(index.search.forms.words, index.search.forms.sounds)
    forms = Forms.of(texts("the old street of the kestrels", "zzz"))
    one, other = grams.pairs(forms.words, forms.sounds)
    assert index.spellings[int(other[0])].as_py() == "kestrel street"
    assert set(one.tolist()) == {0}
    assert [len(part) for part in grams.pairs(Texts.of(texts()), Texts.of(texts()))] == [0, 0]


def test_words_stand_for_each_other_in_several_ways() -> None:
    def parted(*some: str) -> tuple[pa.Array, pa.Array]:
        return texts(*some), divide(texts(*some))

    entries = Words.of(*parted("norway maple", "saint brannock street", "two trees"))
    wording = Wording(entries, Edits(fitted.EDITS), Vocabulary())
    values = wording.words(*parted("maple nor", "st brannock", "2 trees", ""))
    one, other = np.array([0, 1, 2]), np.array([0, 1, 2])
    compared = wording.align(values, one, other)
    assert compared.aligned.how.tolist() == [SAME, CUT, STATED, SAME, STATED, SAME]
    assert wording.list_left_over(values, 3, compared) == [
        ([], [], [], []),
        ([], [], ["street"], []),
        ([], [], [], []),
    ]
    events, says = wording.compare(values, np.array([0, 0, 1, 2]), np.array([0, 1, 1, 2]))
    costs = events.weigh(fitted.WORDS, 4)
    assert says.tolist() == [True, False, True, True]
    assert costs[0] < costs[1]
    assert costs[3] < costs[2]
    assert wording.knows_all_words(values).tolist() == [False, True, True, False]


@pytest.mark.parametrize(
    ("value", "entry", "said"),
    [
        ("pier 01", "pier 1", []),
        ("pier one", "pier 1", []),
        ("pier 1", "pier 7", ["the numbers differ (1, 7)"]),
        ("pier 1", "pier", ["the numbers differ (1, none)"]),
        ("henry iv", "henry vi", ["the roman numerals differ (IV, VI)"]),
        ("north quay", "south quay", ["‘north’ and ‘south’ exclude each other"]),
        ("nonlisted house", "listed house", ["one of ‘nonlisted’ and ‘listed’ denies the other"]),
        ("room 101a", "room 101", ["the numbers differ (101a, 101)"]),
        ("room 101 a", "room 101a", []),
        ("room 101 a", "room 102", ["the numbers differ (101, 102)"]),
        ("room 101 a", "room 101 b", ["the numbers differ (101a, 101b)"]),
        ("under 18s", "under 18", []),
        ("the 5th pier", "5 the pier", []),
        ("theft from vehicle", "theft of vehicle", ["short words differ (from, of)"]),
        ("65 and under", "65 and over", ["‘under’ and ‘over’ exclude each other"]),
        ("not gluten free", "gluten free", ["‘not’ may matter"]),
        ("biweekly visit", "weekly visit", ["‘bi’ makes ‘biweekly’ another word"]),
        ("search", "research", ["‘re’ makes ‘research’ another word"]),
        ("block a", "block b", ["short words differ (a, b)"]),
        ("norway maple", "norwy maple", []),
        ("12 maple street", "maple street 12", []),
        ("rope 12 cm", "rope 12 millimetres", ["the units differ (cm, millimetres)"]),
        ("rope 12cm", "rope 12mm", ["the units differ (cm, mm)"]),
        ("rope 12 mm", "rope 12 millimeter", []),
        ("rope 12 mm", "rope 12", []),
        ("yard 3 mole", "3 metre mole", []),
        ("pier 1 berth 2", "pier 2 berth 1", ["the numbers stand in another order (1 2, 2 1)"]),
    ],
)
def test_doubts(value: str, entry: str, said: list[str]) -> None:
    doubts = find_doubts(value.split(), entry.split(), Vocabulary())
    assert [format_reasons((doubt,)).removeprefix("; but ") for doubt in doubts] == said
    # The quick scan looks at every pair that any doubt has something to say about.
    assert mark_doubtful(texts(value), texts(entry), Vocabulary()).tolist()[0] or not said


NUMBERED = [
    "pier 1",
    "pier one",
    "pier 01",
    "pier 7",
    "pier",
    "1 pier 2",
    "pier 2 1",
    "a12 pier",
    "12 piers",
    "twelve",
]


@pytest.mark.parametrize(("one", "other"), list(itertools.combinations(NUMBERED, 2)))
def test_texts_with_other_numbers_are_told_apart(one: str, other: str) -> None:
    codes = number_by_exact_parts(texts(one, "pier 7", other))
    doubts = find_doubts(one.split(), other.split(), Vocabulary())
    assert (codes[0] != codes[2]) == any(doubt.kind.startswith("numbers") for doubt in doubts)


def test_lost_words() -> None:
    def lost(value: str, entry: str) -> list[str]:
        doubts = find_doubts(value.split(), entry.split(), Vocabulary())
        return [word for doubt in doubts if doubt.kind == "words may matter" for word in doubt.parts]

    assert lost("acer", "acer platanoides") == ["platanoides"]
    assert lost("the lantern works", "lantern works inc") == []
    assert lost("lantern works", "lantern works inc") == []
    assert lost("water front", "waterfront") == []
    assert lost("norway mapel", "norway maple") == []


def test_the_vocabulary_is_in_order() -> None:
    words = [*ABBREVIATIONS, *SMALL_WORDS, *(word for group in OPPOSITES for word in group)]
    words += [long for longs in ABBREVIATIONS.values() for long in longs]
    assert all(one_word(word) == word for word in words)
    assert all(len(set(group)) == len(group) > 1 for group in OPPOSITES)
    assert [word for word in ("i", "ii", "iv", "ix", "xiv", "xxxix") if not is_roman(word)] == []
    assert [word for word in ("x", "mix", "vv", "iiii", "civic", "") if is_roman(word)] == []


def candidates(*pairs: tuple[int, float], letters: int = 10) -> Candidates:
    value, cost = (np.array(column) for column in zip(*pairs, strict=True))
    reading, evidence = (
        np.full(len(value), BY_LETTERS, np.int8),
        weigh_letters(np.full(len(value), letters), np.zeros(len(value)), np.full(len(value), 0.004)),
    )
    return Candidates(value.astype(np.int64), np.arange(len(value)), cost.astype(float), reading, evidence)


def test_chances_are_probabilities_and_fall_with_cost() -> None:
    likely, any_meant = chances(candidates((0, 1.0), (0, 4.0), (1, 8.0)), 3)
    assert likely[0] > likely[1] > 0
    assert likely[:2].sum() == pytest.approx(any_meant[0])
    assert any_meant[2] == 0
    assert (any_meant < 1).all()
    assert any_meant[0] > any_meant[1] == pytest.approx(likely[2])
    alone = chance_of_one(np.array([8.0, np.inf]), np.array([10, 10]))
    assert 0 < alone[0] < 1
    assert alone[1] == 0
    longer = chance_of_one(np.array([6.0, 6.0, 6.0]), np.array([4, 8, 200]))
    assert longer.tolist() == sorted(longer)


@given(st.lists(st.floats(0, 40), min_size=1, max_size=8), st.integers(1, 40))
def test_chances_sum_to_that_of_any(costs: list[float], letters: int) -> None:
    likely, any_meant = chances(candidates(*((0, cost) for cost in costs), letters=letters), 1)
    assert likely.sum() == pytest.approx(any_meant[0])
    assert np.argmax(likely) == np.argmin(costs) or likely.max() == pytest.approx(likely[np.argmin(costs)])


def test_spellings_few_and_many_are_looked_up_alike() -> None:
    found = Spellings(texts("a", "b", "b", "c", None), np.arange(5))
    few = texts("a", "b", "c", "d", None)
    many = texts(*["a", "b", "c", "d", None] * 200)
    assert found.look_up(few).tolist() == [0, -1, 3, -1, -1]
    assert found.look_up(many).tolist() == [0, -1, 3, -1, -1] * 200
    assert found.is_contested(few).tolist() == [False, True, False, False, False]


def test_very_many_spellings_are_told_apart_though_hashes_are_the_same() -> None:
    # What stands between the beginning, the middle and the end of a text isn't hashed.
    alike = [f"{'b' * 12}{number:02}{'m' * 20}{'e' * 12}" for number in range(12)]
    listed = [f"entry {number}" for number in range(70_000)] + alike[:8]
    for more, contested in (([], {}), (["entry 7"], {"entry 7": {7, len(listed)}})):
        spellings = Spellings(texts(*listed, *more, None), np.arange(len(listed) + len(more) + 1))
        assert spellings.contested == contested
        sought = [*reversed(alike), "entry 69999", "Entry 1", "", None, "entry 7", *listed[:600]]
        places = {text: place for place, text in enumerate(listed) if text not in contested}
        assert spellings.look_up(texts(*sought)).tolist() == [places.get(text or "?", -1) for text in sought]


def test_chunks_cover_everything_and_tell() -> None:
    told: list[tuple[int, int]] = []
    lengths = np.where(np.arange(2_300) % 2, 10, 5_000)
    parts = list(
        work_in_chunks(np.arange(2_300), lengths, lambda chunk: chunk.sum(), lambda *done: told.append(done))
    )
    assert sorted(np.concatenate([chunk for chunk, _ in parts]).tolist()) == list(range(2_300))
    assert sum(made for _, made in parts) == sum(range(2_300))
    # After the first few, texts of one length come together, and fewer of the long ones.
    sizes = [(set(lengths[chunk].tolist()), len(chunk)) for chunk, _ in parts[1:]]
    assert [sizes[0], *sizes[1:-1]] == [({10}, 900), *[({5_000}, 480)] * (len(sizes) - 2)]
    assert told == [(number, len(parts)) for number in range(2, len(parts) + 1)]
    assert list(work_in_chunks(np.arange(0), np.arange(0), len)) == []


def test_readings_are_the_cheapest_of_each_pair() -> None:
    index = MatchIndex(igual.ReferenceList(["norway maple", "field maple"]))
    search = index.search
    near, likely, _ = search.find(search.prepare(Forms.of(texts("maple norway", "norwy maple"))))
    pairs = list(zip(near.value.tolist(), near.spelling.tolist(), strict=True))
    assert len(pairs) == len(set(pairs))
    best = {
        value: at for at, value in sorted(enumerate(near.value.tolist()), key=lambda pair: likely[pair[0]])
    }
    assert near.reading[best[0]] == BY_WORDS
    assert near.reading[best[1]] == BY_LETTERS


@given(
    st.dictionaries(
        st.text("abno ", min_size=1, max_size=8).filter(str.strip), st.integers(1, 5), max_size=12
    )
)
def test_lookalikes_keep_every_row_and_name_each_value_once(rows: dict[str, int]) -> None:
    found = group_lookalikes(texts(*rows), np.array(list(rows.values()), np.int64), min_score=0.5)
    assert len({one.value for one in found}) == len(found)
    for group in {one.group for one in found}:
        members = [one for one in found if one.group == group]
        assert len(members) > 1
        assert members[0].value == members[0].proposal
        assert {one.proposal for one in members} == {members[0].value}
        assert all(one.rows == rows[one.value] and 0.5 <= one.score <= 1 for one in members)


def test_surveys_show_what_is_probably_one() -> None:
    values = ["Norway maple"] * 6 + ["Norwy maple", "norway maple", "Pier 1", "Pier 2"]
    found = igual.survey({"tree": values}).oddities.set_index("oddity")
    assert found.loc["probably one", "examples"] == ["Norway·maple | Norwy·maple"]
    assert found.loc["probably one", "rows"] == 7
    assert "probably one" not in igual.survey({"n": ["1", "2", "10", "12"]}).oddities["oddity"].tolist()


@pytest.mark.skipif(importlib.util.find_spec("numba") is None, reason="Numba isn't installed")
def test_compiled_costs_are_the_same() -> None:
    compiled = importlib.import_module("igual.matching.compiled")
    random = np.random.default_rng(5)
    made = ["".join(random.choice([*"aeouxyst1 "], size)) for size in random.integers(0, 14, 4000)]
    made[2000::2] = [text[:2] + text[4:1:-1] + text[5:] for text in made[:2000:2]]
    edits, sides = Edits(fitted.EDITS), (made[:2000], made[2000:])
    values, entries = (
        side(Texts.of(texts(*some))) for side, some in zip((edits.values, edits.entries), sides, strict=True)
    )
    plain = Edits(fitted.EDITS)
    edits.load_compiled()
    one, other = np.c_[random.integers(0, 2000, (2, 6000)), np.tile(np.arange(0, 2000, 2), (2, 1))]
    found, expected = (some.costs(values, entries, one, other) for some in (edits, plain))
    assert found.tolist() == expected.tolist()
    assert len(np.unique(found)) > 100
    kinds_found, kinds_expected = (some.counts(values, entries, one, other) for some in (edits, plain))
    assert kinds_found.tolist() == kinds_expected.tolist()
    assert (kinds_found.sum(axis=0) > 0).sum() > 20
    assert compiled.programme.signatures
    far = edits.values(Texts.of(texts("q" * 64))), edits.entries(Texts.of(texts("a" * 64)))
    assert edits.costs(*far, np.array([0]), np.array([0])).tolist() == [FAR]
    assert not edits.counts(*far, np.array([0]), np.array([0])).any()


_NUMBERS = st.integers(0, 2)


@given(
    st.lists(st.tuples(st.integers(-1, 2), st.integers(-1, 2)), min_size=1),
    st.lists(st.tuples(_NUMBERS, _NUMBERS), min_size=1),
)
def test_a_scope_allows_what_has_the_attributes(
    wanted: list[tuple[int, int]], held: list[tuple[int, int]]
) -> None:
    scope = Scope.of(np.array(wanted), np.array(held))
    allowed = [
        (value, entry)
        for value, sought in enumerate(wanted)
        for entry, has in enumerate(held)
        if all(one in (-1, other) for one, other in zip(sought, has, strict=True))
    ]
    every = np.divmod(np.arange(len(wanted) * len(held)), len(held))
    assert [*zip(*(side.tolist() for side in keep_allowed(scope, *every)), strict=True)] == allowed
    assert (
        scope.sizes.tolist() == np.bincount([value for value, _ in allowed], minlength=len(wanted)).tolist()
    )
    last = np.array([len(wanted) - 1])
    assert (
        scope.take(last).allows(np.zeros(len(held), np.int64), np.arange(len(held))).sum() == scope.sizes[-1]
    )
