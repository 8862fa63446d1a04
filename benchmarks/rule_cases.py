"""Every rule with every setting that the reference names, and distinct texts to try them on."""

from __future__ import annotations

from collections.abc import Mapping
from typing import NamedTuple

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

import igual
from benchmarks import chains
from igual import rules

# So long a text is, about.
LENGTH = 20
_ACCENTS = {"a": "á", "e": "é", "o": "ö", "u": "ü"}


class RuleCase(NamedTuple):
    """A rule with some settings.

    Attributes:
        name: What it is called in the list.
        rule: The rule.
        plain: Distinct ASCII texts of about 20 characters, (values,).
        beyond: The same with characters beyond ASCII, (values,).
        is_common: Whether it is one of those that must be fastest.
    """

    name: str
    rule: rules.Rule
    plain: pa.Array
    beyond: pa.Array
    is_common: bool


def lists() -> Mapping[str, igual.ReferenceList]:
    words = chains.vocabulary(50)
    return {
        "list": igual.ReferenceList(words),
        "words": igual.ReferenceList([*words, *map(_accented, words)]),
    }


def codebooks() -> Mapping[str, igual.Codebook]:
    return {"book": igual.Codebook({str(n / 8): f"label {n}" for n in range(1_000)})}


def pair_lists() -> Mapping[str, igual.PairList]:
    return {"pairs": igual.PairList(many_pairs())}


def many_pairs() -> dict[str, str]:
    return {word: word.upper() for word in chains.vocabulary(1_000, seed=11)}


def _accented(text: str) -> str:
    return "".join(_ACCENTS.get(letter, letter) for letter in text)


def _texts(count: int) -> pa.Array:
    """Two words, some in capitals or misspelt, with spaces too many, and a number that makes each its own."""
    words = chains.vocabulary(50)
    rng = np.random.default_rng(5)
    wrong = [chains.misspelt(word) if n % 3 == 0 else word for n, word in enumerate(words)]
    styled = [[word, word.title(), word.upper()][n % 3] for n, word in enumerate(wrong)]
    first, second = (pa.array(some).take(pa.array(rng.integers(0, 50, count))) for some in (styled, wrong))
    gap = pa.array([" ", "  ", " - "]).take(pa.array(rng.integers(0, 3, count)))
    number = pc.cast(pa.array(np.arange(count)), pa.string())
    return pc.binary_join_element_wise(first, gap, pc.utf8_slice_codeunits(second, 0, 4), " ", number, "")


def all_cases(count: int) -> list[RuleCase]:
    """All cases on so many texts."""
    plain = _texts(count)
    beyond = plain
    for letter, accented in _ACCENTS.items():
        beyond = pc.replace_substring(beyond, letter, accented)
    numbers = pc.cast(pa.array(np.arange(count) / 8), pa.string())
    grouped = pc.binary_join_element_wise(
        pc.cast(pa.array(np.arange(count) % 900 + 100), pa.string()),
        pc.utf8_lpad(pc.cast(pa.array(np.arange(count) // 900), pa.string()), 3, padding="0"),
        ".",
    )
    days = pc.strftime(pa.array(np.arange(count) % 30_000 * 86_400, pa.timestamp("s")), format="%d/%m/%Y")
    days = pc.utf8_slice_codeunits(days, 0, 10)
    made = [
        *(RuleCase(name, rule, plain, beyond, True) for name, rule in _common().items()),
        *(RuleCase(name, rule, plain, beyond, False) for name, rule in _others().items()),
    ]
    bands = [
        {"label": "low", "below": 100},
        {"label": "mid", "at_least": 100, "below": 9_000},
        {"label": "high", "at_least": 9_000},
    ]
    label = rules.Label(codebook="book")
    return [
        *made,
        RuleCase("label", label, numbers, beyond, True),
        RuleCase("label, any case", rules.Label(codebook="book", ignore_case=True), numbers, beyond, False),
        RuleCase("bands", rules.Bands(bands=bands), numbers, beyond, False),  # type: ignore[arg-type]
        RuleCase("number", rules.Number(), numbers, beyond, False),
        RuleCase("number, grouping", rules.Number(decimal=",", grouping="."), grouped, beyond, False),
        RuleCase(
            "number, unit",
            rules.Number(unit="cm"),
            pc.binary_join_element_wise(numbers, "cm", " "),
            beyond,
            False,
        ),
        RuleCase("number, give", rules.Number(give="1,234.50"), numbers, beyond, False),
        RuleCase("date", rules.Date(form="DD/MM/YYYY"), days, beyond, False),
    ]


def _common() -> dict[str, rules.Rule]:
    pairs, ends = chains.pairs(), ("both", "left", "right", "keep")
    return {
        **{f"spacing, ends {end}": rules.Spacing(ends=end) for end in ends},  # type: ignore[arg-type]
        "spacing, inner none": rules.Spacing(inner="none"),
        "spacing, inner keep": rules.Spacing(inner="keep"),
        "spacing, also - and _": rules.Spacing(also="-_"),
        "spacing, n-th gap": rules.Spacing(nth=2),
        "spacing, n-th double gap": rules.Spacing(nth=1, gaps="double"),
        "spacing, between unspaced": rules.Spacing(between_unspaced="remove"),
        "case lower": rules.Case(style="lower"),
        "case upper": rules.Case(style="upper"),
        "case title": rules.Case(style="title"),
        "case title, small": rules.Case(style="title", small=("of", "the")),
        "case title, keep": rules.Case(style="title", keep=("NATO", "EU")),
        "case sentence": rules.Case(style="sentence"),
        "characters, keep": rules.Characters(keep=("letters", "spaces")),
        "characters, drop": rules.Characters(drop=("digits", "punctuation")),
        "characters, stated": rules.Characters(stated="-#"),
        "characters, fold": rules.Characters(fold=True),
        "characters, form": rules.Characters(form="NFC"),
        "characters, straighten": rules.Characters(straighten=True),
        "characters, repair": rules.Characters(repair=True),
        "replace, 50 pairs": rules.Replace(pairs=pairs),
        "replace, 1,000 pairs": rules.Replace(pairs=many_pairs()),
        "replace, a pair list of 1,000": rules.Replace(pairs="pairs"),
        "part": rules.Part(separator=" ", nth=2),
        "part, from the end": rules.Part(separator=" ", nth=-1),
        "overlay": rules.Overlay(start=2, length=2, text="--"),
        "overlay, from the end": rules.Overlay(start=-2, length=2, text="--"),
        "overlay, same length": rules.Overlay(start=15, length=8, text="--------", same_length=True),
        "blanks": rules.Blanks(texts=("n/a",)),
        "blanks, this case": rules.Blanks(texts=("n/a",), ignore_case=False),
        "blanks, fill": rules.Blanks(texts=("n/a",), fill="none"),
    }


def _others() -> dict[str, rules.Rule]:
    pairs = chains.pairs()
    styles = ("name", "camel", "pascal", "snake", "kebab", "train", "constant")
    places = ("whole", "word", "start", "end")
    return {
        **{f"case {style}": rules.Case(style=style) for style in styles},  # type: ignore[arg-type]
        "case snake, keep": rules.Case(style="snake", keep=("NATO", "EU")),
        "case title, Turkish": rules.Case(style="title", language="tr"),
        "case title, Dutch": rules.Case(style="title", language="nl"),
        "case upper, Greek": rules.Case(style="upper", language="el"),
        **{f"replace, {where}": rules.Replace(pairs=pairs, where=where) for where in places},  # type: ignore[arg-type]
        "replace, the first": rules.Replace(pairs=pairs, nth=1),
        "replace, any case": rules.Replace(pairs=pairs, ignore_case=True),
        "replace, any case, kept": rules.Replace(pairs=pairs, ignore_case=True, keep_case=True),
        "replace, any case, kept, words": rules.Replace(
            pairs=pairs, ignore_case=True, keep_case=True, where="word"
        ),
        "replace, 5 pairs in turn": rules.Replace(pairs=dict([*pairs.items()][:5]), cascade=True),
        "replace, a pattern": rules.Replace(pairs={r"(\w+) (\w+)": r"\2 \1"}, pattern=True),
        "replace, a pattern, second": rules.Replace(pairs={r"\w+": "x"}, pattern=True, nth=2),
        "replace, fill": rules.Replace(pairs=dict.fromkeys(pairs, "{other}-"), fill=True),
        "part, two columns": rules.Part(separator=" ", into=("one", "two")),
        "extract, pattern": rules.Extract(pattern=r"\d{4,6}"),
        "extract, named groups": rules.Extract(pattern=r"(?P<a>\w+) +(?P<b>\w+)", into=("a", "b")),
        "extract, the second": rules.Extract(pattern=r"\w+", nth=2),
        "extract, pieces": rules.Extract(pieces={"pattern": r"^\d{4,6}$"}),
        "pad": rules.Pad(width=30),
        "compose": rules.Compose(template="{values}, {other}", into="both"),
        "mention": rules.Mention(list="words"),
        "mention, any case": rules.Mention(list="words", ignore_case=True),
        "mention, all": rules.Mention(list="words", multiple="all"),
        "match, exact": rules.Match(list="list", by="exact"),
        "match, exact and folded": rules.Match(list="list", by=("exact", "folded")),
    }
