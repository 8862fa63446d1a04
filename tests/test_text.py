"""Functions over texts: tables of cases (raw, settings, wanted)."""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection
from itertools import accumulate, takewhile

import pytest
from hypothesis import given
from hypothesis import strategies as st

from igual.text.casing import recased
from igual.text.characters import visible
from igual.text.folding import folded_key, light_key
from igual.text.in_turn import ReplacingInTurn
from igual.text.replacing import Replacing, Where, in_case_of
from igual.text.spacing import SpacingSettings, respaced
from tests.conftest import examples, texts

ANY_TEXT = st.lists(st.text(), max_size=8)


@pytest.mark.parametrize(
    ("raw", "settings", "wanted"),
    [
        ("  a  b ", {}, "a b"),
        ("\ta\t b", {}, "a b"),
        ("a\u00a0\u3000b\u202f", {}, "a b"),
        ("a\u200bb\ufeff", {}, "ab"),
        ("x\u200d \u200cy", {}, "x y"),
        ("می\u200cخواهم", {}, "می\u200cخواهم"),
        ("Old\r\n Town\n", {}, "Old Town"),
        ("a\u2028b", {}, "a b"),
        ("a \n b", {"breaks": "remove"}, "ab"),
        (" a\nb ", {"breaks": "keep"}, "a\nb"),
        ("  a  b  ", {"ends": "left"}, "a b  "),
        ("  a  b  ", {"ends": "right"}, "  a b"),
        ("  a  b  ", {"ends": "keep"}, "  a b  "),
        ("  a  b  ", {"inner": "keep"}, "a  b"),
        (" a b c ", {"inner": "none"}, "abc"),
        (" a b c ", {"inner": "none", "ends": "keep"}, " abc "),
        ("__a___b_", {"also": "_"}, "a_b"),
        ("^^a^^b", {"also": "^", "ends": "keep"}, "^^a^b"),
        ("--a--", {"also": "-", "ends": "left"}, "a--"),
        ("a\tb\u00a0c", {"tabs": "keep", "odd": "remove"}, "a\tbc"),
        ("a\u200b b", {"zero_width": "keep"}, "a\u200b b"),
        ("日本 語 a  b", {"between_unspaced": "remove"}, "日本語 a b"),
        ("日 本 語", {"between_unspaced": "remove"}, "日本語"),
        ("日本\u3000語", {}, "日本 語"),
        ("a b  c d", {"nth": 2}, "a b c d"),
        ("a b  c d", {"nth": 1, "inner": "none"}, "ab  c d"),
        ("a b  c  d", {"nth": 2, "gaps": "double"}, "a b  c d"),
        ("a b  c  d", {"nth": 2, "gaps": "double", "inner": "none"}, "a b  cd"),
        ("a b", {"nth": 2, "inner": "none"}, "a b"),
        ("", {}, ""),
        (" \u00a0 ", {}, ""),
        (None, {}, None),
    ],
)
def test_spacing(raw: str | None, settings: dict[str, str], wanted: str | None) -> None:
    assert respaced(texts(raw), SpacingSettings(**settings)).to_pylist() == [wanted]  # type: ignore[arg-type]


@pytest.mark.parametrize(
    ("raw", "style", "wanted"),
    [
        ("NORWAY Maple", "lower", "norway maple"),
        ("straße", "upper", "STRASSE"),
        ("ΟΔΟΣ", "lower", "οδος"),
        ("NORWAY MAPLE", "sentence", "Norway maple"),
        ("“norway MAPLE”", "sentence", "“Norway maple”"),
        ("don't SAY", "title", "Don't Say"),
        ("saint-DENIS", "title", "Saint-Denis"),
        ("3rd street", "title", "3rd Street"),
        ("e\u0301TUDE", "title", "E\u0301tude"),
        ("ǆungla", "title", "ǅungla"),
        ("ßa", "title", "Ssa"),
        ("nw RING road NW", "title", "Nw Ring Road NW"),
        ("of mice OF men OF", "title", "Of Mice of Men Of"),
        ("visit NW now", "upper", "VISIT NW NOW"),
        ("visit NW NOW", "lower", "visit NW now"),
        (None, "title", None),
    ],
)
def test_case(raw: str | None, style: str, wanted: str | None) -> None:
    assert recased(texts(raw), style, ("NW",), ("of",)).to_pylist() == [wanted]  # type: ignore[arg-type]


@given(ANY_TEXT, st.sampled_from(["lower", "upper", "sentence", "title"]))
def test_quick_and_careful_case_agree(values: list[str], style: str) -> None:
    """Without words to keep Arrow's kernels do the ASCII texts: they must do what the careful way does."""
    quick = recased(texts(*values), style, (), ())  # type: ignore[arg-type]
    assert quick.to_pylist() == recased(texts(*values), style, ("\x00",), ()).to_pylist()  # type: ignore[arg-type]


@given(ANY_TEXT)
def test_spacing_twice_is_spacing_once(values: list[str]) -> None:
    once = respaced(texts(*values), SpacingSettings(also="_"))
    assert respaced(once, SpacingSettings(also="_")).equals(once)


REPLACING = [
    ("mapel mapels", {"mapel": "maple"}, {}, "maple maples"),
    ("mapel mapels", {"mapel": "maple"}, {"where": "word"}, "maple mapels"),
    ("mapel mapels", {"mapel": "maple", "mapels": "maples"}, {"where": "word"}, "maple maples"),
    ("a b", {"a": "b", "b": "a"}, {}, "b a"),
    ("oaks oak", {"oak": "x", "oaks": "y"}, {}, "y x"),
    ("ab", {"ab": "", "b": "z"}, {}, ""),
    ("St. St.John", {"St.": "Saint"}, {"where": "word"}, "Saint SaintJohn"),
    ("oak", {"oak": "elm"}, {"where": "whole"}, "elm"),
    ("oak tree", {"oak": "elm"}, {"where": "whole"}, "oak tree"),
    ("OAK", {"oak": "elm"}, {"where": "whole", "ignore_case": True}, "elm"),
    ("oak oak", {"oak": "elm"}, {"where": "start"}, "elm oak"),
    ("oak oak", {"oak": "elm"}, {"where": "end"}, "oak elm"),
    ("oak\n", {"oak": "elm"}, {"where": "end"}, "oak\n"),
    ("a a a b b", {"a": "x", "b": "y"}, {"nth": 2}, "a x a b y"),
    ("a a", {"a": "x"}, {"nth": 3}, "a a"),
    ("a a", {"a": "x"}, {"nth": 2, "where": "end"}, "a a"),
    ("OAK Oak", {"oak": "elm"}, {"ignore_case": True}, "elm elm"),
    ("ÖL öl", {"öl": "oil"}, {"ignore_case": True}, "oil oil"),
    ("ıI", {"i": "x"}, {"ignore_case": True}, "ıx"),
    ("a.c abc", {"a.c": "x"}, {}, "x abc"),
    (r"a\1", {r"\1": r"\2"}, {}, r"a\2"),
    (None, {"a": "b"}, {}, None),
]


@pytest.mark.parametrize(("raw", "pairs", "settings", "wanted"), REPLACING)
def test_replacing(raw: str, pairs: dict[str, str], settings: dict[str, object], wanted: str) -> None:
    assert Replacing(pairs, **settings).replace(texts(raw)).values.to_pylist() == [wanted]  # type: ignore[arg-type]


def test_replacing_says_what_was_found() -> None:
    assert Replacing({"a": "x", "z": "y", "c": "c"}).replace(texts("ab", "c")).used.tolist() == [
        True,
        False,
        True,
    ]


def test_pairs_in_turn_act_on_what_the_ones_before_made() -> None:
    replaced = ReplacingInTurn({"a": "b", "b": "c"}).replace(texts("a b", "c"))
    assert replaced.values.to_pylist() == ["c c", "c"]
    assert replaced.used.tolist() == [True, True]
    assert replaced.changed_again == (("a", "b", 1),)


ODD = st.text("abAß Sİiﬁé-", max_size=6)


@examples(200)
@given(
    values=st.lists(ODD | st.none(), max_size=8),
    pairs=st.dictionaries(ODD.filter(bool), ODD, min_size=1, max_size=6),
    where=st.sampled_from(["anywhere", "whole", "word", "start", "end"]),
    nth=st.sampled_from([None, None, 1, 2]),
    ignore_case=st.booleans(),
    share=st.sampled_from([1, 2, 1 << 21]),
)
def test_pairs_in_turn_equal_one_pair_after_another(
    values: list[str | None],
    pairs: dict[str, str],
    where: Where,
    nth: int | None,
    ignore_case: bool,
    share: int,
) -> None:
    if ignore_case:
        pairs = dict({sought.casefold(): (sought, put) for sought, put in pairs.items()}.values())
    made, changes, again = texts(*values), dict[str, set[int]](), []
    for sought, put in pairs.items():
        one = Replacing({sought: put}, where, nth, ignore_case)
        before, made = made, one.replace(made).values
        changes[sought] = {
            place
            for place, (x, y) in enumerate(zip(before.to_pylist(), made.to_pylist(), strict=True))
            if x != y
        }
        for earlier in takewhile(lambda other: other != sought, pairs):  # noqa: B023
            both = len(changes[earlier] & changes[sought])
            if both and one.replace(texts(pairs[earlier])).values[0].as_py() != pairs[earlier]:
                again.append((earlier, sought, both))
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr("igual.pieces._BYTES", share)
        replaced = ReplacingInTurn(pairs, where, nth, ignore_case).replace(texts(*values))
    assert replaced.values.to_pylist() == made.to_pylist()
    assert replaced.used.tolist() == [bool(changes[sought]) for sought in pairs]
    assert list(replaced.changed_again) == again


def test_many_pairs_in_turn_are_not_tried_on_every_value() -> None:
    pairs = {f"<{number}>": f"<{number + 1}>" for number in range(0, 60_000, 2)}
    values = texts(*(f"{number} <{number}> <{number // 2}>" for number in range(60_000)))
    made = ReplacingInTurn(pairs).replace(values).values.to_pylist()
    assert made[30_000] == "30000 <30001> <15001>"


def test_deeply_shared_beginnings() -> None:
    pairs = {"a" * length: str(length) for length in range(1, 400)}
    assert Replacing(pairs).replace(texts("a" * 399 + "b" + "a" * 7)).values.to_pylist() == ["399b7"]


@given(
    st.lists(st.text("abc. ", max_size=12), max_size=6),
    st.dictionaries(
        st.text("abc.", min_size=1, max_size=3), st.text("xyz", max_size=2), min_size=1, max_size=5
    ),
)
def test_all_at_once_equals_an_obvious_way(values: list[str], pairs: dict[str, str]) -> None:
    def obvious(text: str) -> str:
        made, at = "", 0
        while at < len(text):
            here = [sought for sought in pairs if text.startswith(sought, at)]
            longest = max(here, key=len, default="")
            made += pairs[longest] if longest else text[at]
            at += max(len(longest), 1)
        return made

    assert Replacing(pairs).replace(texts(*values)).values.to_pylist() == [obvious(text) for text in values]


SOUGHT = st.text(
    alphabet=st.one_of(st.sampled_from("aAbBsS_ .éÉßſKİΣ"), st.characters(codec="utf-8")),
    min_size=1,
    max_size=6,
)
PLACES = st.sampled_from(["anywhere", "whole", "word", "start", "end"])


@given(
    st.lists(
        st.one_of(st.none(), st.text("aAbBsS_ .éÉßſKİΣ", max_size=12), st.text(st.characters(codec="utf-8"))),
        max_size=6,
    ),
    st.lists(SOUGHT, min_size=1, max_size=5),
    PLACES,
    st.sampled_from([None, 1, 2]),
    st.booleans(),
    st.booleans(),
)
def test_many_texts_at_once_are_replaced_in_an_obvious_way(
    values: list[str | None],
    sought: list[str],
    where: Where,
    nth: int | None,
    ignore_case: bool,
    keep_case: bool,
) -> None:
    pairs = {text.casefold() if ignore_case else text: f"<x{place}>" for place, text in enumerate(sought)}
    used: set[str] = set()

    def find(folded: str, start: int, stops: Collection[int]) -> str:
        def stands(key: str) -> bool:
            stop = start + len(key)
            begins_inside = is_in_word(key[0]) and is_in_word(folded[max(start - 1, 0) : start])
            ends_inside = is_in_word(key[-1]) and is_in_word(folded[stop : stop + 1])
            return {
                "anywhere": True,
                "start": start == 0,
                "end": stop == len(folded),
                "whole": (start, stop) == (0, len(folded)),
                "word": not begins_inside and not ends_inside,
            }[where]

        here = (key for key in pairs if folded.startswith(key, start) and start + len(key) in stops)
        return max(filter(stands, here), key=len, default="")

    def obvious(text: str) -> str:
        parts = [letter.casefold() if ignore_case else letter for letter in text]
        edges = [*accumulate(map(len, parts), initial=0)]
        made, at, counts = "", 0, Counter[str]()
        while at < len(text):
            key = find("".join(parts), edges[at], edges[at + 1 :])
            stop = edges.index(edges[at] + len(key)) if key else at + 1
            counts[key] += 1
            if key and nth in (None, counts[key]):
                used.add(key)
                made += in_case_of(text[at:stop], pairs[key]) if keep_case else pairs[key]
            else:
                made += text[at:stop]
            at = stop
        return made

    replaced = Replacing(pairs, where, nth, ignore_case, keep_case).replace(texts(*values))
    assert replaced.values.to_pylist() == [text if text is None else obvious(text) for text in values]
    assert replaced.used.tolist() == [key in used for key in pairs]


def is_in_word(letter: str) -> bool:
    return letter.isalnum() or letter == "_"


@pytest.mark.parametrize(
    ("one", "other", "same"),
    [
        ("Norway Maple", " NORWAY-maple.", True),
        ("O'Brien", "O’BRIEN", True),
        ("Cala Brión", "cala brion", True),
        ("Łódź", "LODZ", True),
        ("waterfront", "water front", True),
        ("Pier 12", "Pier 1-2", False),
        ("1.5", "15", False),
        ("1 5", "15", False),
        ("Pier -1", "Pier 1", False),
        ("C#", "C", False),
        ("Pell & Quay", "Pell Quay", False),
        ("?", "!", False),
        ("日本 語", "日本語", True),
    ],
)
def test_folded_key(one: str, other: str, same: bool) -> None:
    first, second = folded_key(texts(one, other)).to_pylist()
    assert (first == second) is same


@given(ANY_TEXT)
def test_keys_never_fail_and_fold_to_themselves(values: list[str]) -> None:
    assert len(folded_key(texts(*values))) == len(values)
    light = light_key(texts(*values))
    assert len(light) == len(values)


def test_visible() -> None:
    assert visible(" a\t\u00a0b\r\nc\u200b\x00") == "·a→⟨no-break space⟩b↵c⟨zero-width space⟩⟨control 0x00⟩"
    assert visible("a b  c ", every_space=False) == "a b··c·"
    assert [visible(None), visible(""), visible("abcdef", 4)] == ["⟨missing⟩", "⟨empty⟩", "abc…"]
    cut = [
        visible(text, 5, every_space=False) for text in ("may be so", "may  be so", "may\n be", "    be so")
    ]
    assert cut == ["may …", "may·…", "may↵…", "····…"]
    assert "\x1b" not in visible("\x1b[31mred")
