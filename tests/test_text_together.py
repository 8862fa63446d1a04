"""Texts are worked on all together, as bytes: what comes out is what one after another would give."""

from __future__ import annotations

import re
import unicodedata
from decimal import ROUND_HALF_UP, Decimal
from itertools import accumulate

import pyarrow as pa
import pytest
from hypothesis import example, given
from hypothesis import strategies as st

from igual import distinct, pieces
from igual.column import Column
from igual.hashing import hash_texts
from igual.rules import Case, Mention, Replace, Spacing
from igual.rules.base import Rule
from igual.text import casing, folding, reading
from igual.text.arrays import has_pattern, together
from igual.text.casing import Style, recased
from igual.text.finding import TextFinder
from igual.text.identifiers import IDENTIFIER_STYLES, identifier_in
from igual.text.mentions import Mentions
from igual.text.packed import ByteKinds, pack, slices, splice, unpack
from igual.text.spacing import SpacingSettings, respaced
from tests.conftest import texts

# Pieces of texts in which bytes go wrong most easily: letters that grow or shrink, marks, joiners, other scripts.
PIECES = st.sampled_from(
    [*"aBcI1_-.:'’ \t", "of", "The", "oak", "McDonald", "deVries", "PO", "iii", "3rd", "don't", "o'brien", "É", "à", "ß",
     "ŉ", "ǆ", "K", "Σ", "σας", "İ", "ı", "IJ", "дом", "日本", "e\u0301", "²", "\u00a0", "٣a", "Ⅻ", "ﬁ", "\x1f", "😀", "กา", "ϣ", "Ϥi", "IiıİI"]
)  # fmt: skip
WRITTEN = st.lists(PIECES, max_size=7).map("".join)
CELLS = st.lists(st.one_of(st.none(), WRITTEN, st.text(st.characters(codec="utf-8"), max_size=8)), max_size=7)
STYLES = [
    "lower",
    "upper",
    "sentence",
    "title",
    "name",
    "camel",
    "pascal",
    "snake",
    "kebab",
    "train",
    "constant",
]
SOME_WORDS = st.sampled_from([(), ("of", "à"), ("McDonald", "PO", "É", "don't")])


@example(["ÉCOLE éa ΟΔΟΣ ΣΑΣ’Σ İzmir'Σ"], "title", (), (), None)
@example(["ΑΣ ΟΔΟΣ2Σ ʰΣ"], "pascal", (), (), None)
@example(["\u0345b", "a\u0345B", "ΣΑΣ.İZ"], "name", (), (), "tr")
@example(["ΣΑΣ.IZ"], "title", (), ("σας",), None)
@example(["İZMİR VE K"], "title", ("VE",), ("ve", "k"), None)
@given(
    CELLS, st.sampled_from(STYLES), SOME_WORDS, SOME_WORDS, st.sampled_from([None, "tr", "nl", "el", "de"])
)
def test_case(
    cells: list[str | None],
    style: Style,
    keep: tuple[str, ...],
    small: tuple[str, ...],
    language: casing.Language | None,
) -> None:
    if style in IDENTIFIER_STYLES:
        one = identifier_in(style, keep)  # type: ignore[arg-type]
    else:
        one = casing.text_recaser(style, frozenset(keep), frozenset(map(str.lower, small)), language)
    made = recased(texts(*cells), style, keep, small, language).to_pylist()
    assert made == [None if cell is None else one(cell) for cell in cells]


@given(CELLS, st.sampled_from(["both", "left", "right"]), st.sampled_from(["", "_", "-’"]))
def test_spacing(cells: list[str | None], ends: str, also: str) -> None:
    def one(text: str) -> str:
        for characters, become in (("[\u200b\u2060\ufeff]", ""), ("[\t\u00a0]", " ")):
            text = re.sub(characters, become, text)
        sides = {"both": str.strip, "left": str.lstrip, "right": str.rstrip}
        text = sides[ends](text, " " + also)
        for character in " " + also:
            run = re.escape(character) + "{2,}"
            edge = f"[^{re.escape(character)}]"
            text = re.sub(run if ends == "both" else f"(?<={edge}){run}(?={edge})", character, text)
        return text

    settings = SpacingSettings(ends=ends, also=also, breaks="keep", odd="space")  # type: ignore[arg-type]
    plain = [cell if cell is None else "".join(c for c in cell if c not in ODD) for cell in cells]
    assert respaced(texts(*plain), settings).to_pylist() == [
        None if cell is None else one(cell) for cell in plain
    ]


# Spaces and joiners for which the lines above would need the rule's own tables.
ODD = "\u1680\u2000\u2001\u2002\u2003\u2004\u2005\u2006\u2007\u2008\u2009\u200a\u202f\u205f\u3000\u200c\u200d"


@given(CELLS)
def test_accents_case_and_forms(cells: list[str | None]) -> None:
    for work, one in (
        (folding.casefold, str.casefold),
        (folding.without_accents, folding.plain_letters),
        (lambda some: together(some, lambda text: unicodedata.normalize("NFC", text)),
         lambda text: unicodedata.normalize("NFC", text)),
    ):  # fmt: skip
        assert work(texts(*cells)).to_pylist() == [None if cell is None else one(cell) for cell in cells]


@given(st.lists(WRITTEN, max_size=6), st.lists(WRITTEN.filter(bool), min_size=1, max_size=6, unique=True))
def test_finding_is_leftmost_and_longest(values: list[str], sought: list[str]) -> None:
    pattern = re.compile("|".join(map(re.escape, sorted(sought, key=len, reverse=True))))
    packed = unpack(texts(*values))
    found = TextFinder(sought).find(packed)
    put_in = texts(*(f"<{place}>" for place in range(len(sought))))
    made = pack(splice(packed, found.starts, found.stops, put_in, found.which), texts(*values))
    assert made.to_pylist() == [
        pattern.sub(lambda hit: f"<{sought.index(hit[0])}>", value) for value in values
    ]
    stood = slices(packed, found.starts, found.stops).to_pylist()
    assert stood == [sought[place] for place in found.which.tolist()]


@given(CELLS, st.lists(WRITTEN, max_size=5))
def test_mentions(cells: list[str | None], entries: list[str]) -> None:
    word = re.compile(r"[^\W_]+(?:['’\-‐][^\W_]+)*")
    known: dict[tuple[str, ...], int] = {}
    for place, entry in enumerate(dict.fromkeys(entries)):
        if words := tuple(word.findall(entry)):
            known.setdefault(words, place)
    wanted: list[tuple[int, int]] = []
    for owner, cell in enumerate(cells):
        words = tuple(word.findall(cell or ""))
        at, found = 0, dict[int, None]()
        while at < len(words):
            size = next((n for n in range(len(words) - at, 0, -1) if words[at : at + n] in known), 0)
            found |= {known[words[at : at + size]]: None} if size else {}
            at += size or 1
        wanted += [(owner, entry) for entry in found]
    spellings = {entry: place for place, entry in enumerate(dict.fromkeys(entries))}
    made = Mentions(spellings).find_in(texts(*cells))
    assert [*zip(made.owners.tolist(), made.entries.tolist(), strict=True)] == wanted


@given(
    st.lists(st.one_of(st.none(), st.decimals(-(10**15), 10**15, places=5)), max_size=6),
    st.sampled_from(["1234.50", "1,234.5", "1.234,50", "1 235", "1'234.50", "1234.50000000"]),
)
def test_numbers_by_example(cells: list[Decimal | None], form: str) -> None:
    found = reading._NUMBER_FORM.fullmatch(form)
    assert found is not None
    step = Decimal(1).scaleb(-len(found["decimals"] or ""))

    def one(number: Decimal) -> str:
        rounded = number.quantize(step, ROUND_HALF_UP)
        whole, _, decimals = f"{abs(rounded):,f}".partition(".")
        return (
            ("-" if rounded < 0 else "")
            + whole.replace(",", found["group"])
            + (found["mark"] or "")
            + decimals
        )

    plain = reading.plain_decimals(texts(*(None if cell is None else f"{cell:f}" for cell in cells)))
    assert reading.write_numbers(plain, form).to_pylist() == [
        None if cell is None else one(cell) for cell in cells
    ]


@given(
    st.lists(
        st.one_of(st.none(), st.sampled_from(["", "a", "ab", "é" * 200, "é" * 200 + "b"]), WRITTEN),
        max_size=20,
    )
)
def test_hashes_tell_the_distinct_ones(cells: list[str | None]) -> None:
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(distinct, "_MANY", 0)
        patch.setattr(distinct, "_repeats", lambda _: False)
        column = Column.from_arrow(texts(*cells))
    assert column.values.to_pylist() == [*dict.fromkeys(cells)]
    assert column.values.take(pa.array(column.codes)).to_pylist() == cells
    twice = distinct.find_equal(hash_texts(texts(*cells)))
    assert twice.tolist() == [place for place, cell in enumerate(cells) if cells.count(cell) > 1]


@pytest.mark.parametrize(
    ("others", "pattern"),
    [
        (folding._NO_WORD, r"\d[^\w]+\d|(^|[\s\x{80}-\x{10ffff}])-\d"),
        (folding._NO_WORD_OR_SPACE, r"\d[^\w\s]+\d|(^|[\s\x{80}-\x{10ffff}])-\d"),
    ],
)
@given(cells=st.lists(st.text("019a_-., /é\u00a0\t\v", max_size=7)))
def test_marks_between_digits_are_found(cells: list[str], others: ByteKinds, pattern: str) -> None:
    values = texts(*cells)
    found = folding._has_before_digits(values, unpack(values), others)
    assert found.tolist() == has_pattern(values, pattern).tolist()


RULES: list[Rule] = [
    Spacing(), Case(style="title", small=("of",)), Case(style="snake"),
    Replace(pairs={"oak": "elm", "É": "E"}, where="word"), Replace(pairs={"a": "b", "b": "c"}, cascade=True),
    Mention(list="list", otherwise="keep"),
]  # fmt: skip


@pytest.mark.parametrize("rule", RULES, ids=lambda rule: rule.do)
def test_pieces_change_nothing(rule: Rule, monkeypatch: pytest.MonkeyPatch) -> None:
    from igual import ReferenceList

    cells = [
        f"{word} {n}" for n, word in enumerate(accumulate(["oak ", " of", " The", "É", "  a b", ""] * 20))
    ]
    lists = {"list": ReferenceList(["oak", "The"])}
    whole = rule.on(cells, lists=lists)
    monkeypatch.setattr(pieces, "_TEXTS", 7)
    assert rule.on(cells, lists=lists) == whole
