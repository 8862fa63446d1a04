"""The rules beyond the first: tables of cases (rule, raw, wanted), each alone on one column."""

from __future__ import annotations

from typing import Any

import pandas as pd
import pyarrow as pa
import pytest
from hypothesis import given
from hypothesis import strategies as st

import igual
from igual.rules import (
    Bands,
    Blanks,
    Case,
    Characters,
    Check,
    Compose,
    Condition,
    Date,
    Extract,
    Label,
    Mention,
    Number,
    Overlay,
    Pad,
    Part,
    Replace,
    Spacing,
)  # fmt: skip
from igual.text.identifiers import split_words
from igual.text.patterns import checked_pattern, substituted
from tests.conftest import texts

SIZES = [
    {"label": "small", "below": 5},
    {"label": "mid", "at_least": 5, "at_most": 10},
    {"label": "tall", "above": 10},
]
COUNTRIES = igual.ReferenceList(
    ["Guinea", "Guinea-Bissau", "Papua New Guinea", "Niger", "Nigeria", "Mali"],
    aliases={"Mali": ["Republic of Mali"]},
)

CASES: list[tuple[Any, list[str | None], list[Any]]] = [
    (Case(style="name"), ["MCDONALD'S FARM", "macaroni", "JOHN MACDONALD", "deVries"],
     ["McDonald's Farm", "Macaroni", "John MacDonald", "deVries"]),
    (Case(style="name"), ["o'brien-smith", "MARY D'ANGELO", "j.r.r. tolkien", "john smith iii", "smith jr."],
     ["O'Brien-Smith", "Mary D'Angelo", "J.R.R. Tolkien", "John Smith III", "Smith Jr."]),
    (Case(style="name"), ["po box 12", "P.O. BOX 3", "3RD STREET", "12b baker st", "acme ltd"],
     ["PO Box 12", "P.O. Box 3", "3rd Street", "12B Baker St", "Acme Ltd"]),
    (Case(style="name", small=("van", "of"), keep=("NW",)), ["LUDWIG VAN BEETHOVEN", "van NW van"],
     ["Ludwig van Beethoven", "Van NW Van"]),
    (Case(style="camel"), ["HTTPServer2Go", "tree id", None, "don't stop"], ["httpServer2Go", "treeId", None, "dontStop"]),
    (Case(style="snake"), ["HTTPServer2Go", "already_snake", "Größe (m)"], ["http_server_2_go", "already_snake", "größe_m"]),
    (Case(style="pascal", keep=("HTTP",)), ["HTTPServer", "XMLHttpRequest"], ["HTTPServer", "XmlHttpRequest"]),
    (Case(style="kebab"), ["TreeID"], ["tree-id"]),
    (Case(style="train"), ["tree_id"], ["Tree-Id"]),
    (Case(style="constant"), ["treeId"], ["TREE_ID"]),
    (Case(style="title", small=("the", "of")), ["war: the end of it"], ["War: The End of It"]),
    (Case(style="lower", language="tr"), ["ISTANBUL İzmir"], ["ıstanbul izmir"]),
    (Case(style="upper", language="tr"), ["izmir"], ["İZMİR"]),
    (Case(style="title", language="nl"), ["ijssel IJMUIDEN"], ["IJssel IJmuiden"]),
    (Case(style="upper", language="de"), ["straße"], ["STRAẞE"]),
    (Case(style="upper", language="el"), ["Άθήνα ϊ"], ["ΑΘΗΝΑ Ϊ"]),
    (Characters(keep=("digits",)), ["a1-2é", None], ["12", None]),
    (Characters(keep=("letters",), stated="-]^"), ["a-]^.1"], ["a-]^"]),
    (Characters(drop=("punctuation", "spaces")), ["a.b, c"], ["abc"]),
    (Characters(drop=("invisible", "control")), ["a\u200b\x00b\u00ad"], ["ab"]),
    (Characters(fold=True), ["Müller Łódź ø æ ß đ"], ["Muller Lodz o ae ss d"]),
    (Characters(form="NFKC"), ["ﬁ ①"], ["fi 1"]),
    (Characters(form="NFC"), ["e\u0301"], ["é"]),
    (Characters(straighten=True), ["“x” – ‘y’"], ['"x" - \'y\'']),
    (Characters(repair=True), ["MÃ¼hlweg", "Mühlweg", "Úžice"], ["Mühlweg", "Mühlweg", "Úžice"]),
    (Replace(pairs={"oak": "beech"}, ignore_case=True, keep_case=True), ["OAK Oak oak"], ["BEECH Beech beech"]),
    (Replace(pairs={r"(\w+), (\w+)": r"\2 \1"}, pattern=True), ["Maple, Norway", "x"], ["Norway Maple", "x"]),
    (Replace(pairs={"[0-9]+": "#"}, pattern=True, where="end"), ["1a2", "1"], ["1a#", "#"]),
    (Replace(pairs={"A": "x"}, pattern=True, ignore_case=True, nth=2), ["aAa"], ["axa"]),
    (Overlay(start=2, length=2, text="XYZ"), ["abcdef", "a", None], ["aXYZdef", "a", None]),
    (Overlay(start=-2, length=2, text="X"), ["abcd"], ["abX"]),
    (Overlay(start=2, length=3, text="X", same_length=True, pad="*"), ["abcdef"], ["aX**ef"]),
    (Overlay(start=2, length=1, text="XYZ", same_length=True), ["abc"], ["aXc"]),
    (Part(separator=",", nth=2), ["a, b ,c", "x", None], ["b", "", None]),
    (Part(separator=",", nth=-1, trim=False), ["a, b", "x"], [" b", "x"]),
    (Extract(pieces={"pattern": "^[0-9]{4,6}$"}), ["a 12 12345, 999999", "none"], ["12345", "none"]),
    (Extract(pieces={"length": (2, 3)}, nth=-1), ["a bcd ef"], ["ef"]),
    (Extract(pattern=r"\d+", nth=2), ["1 22 333"], ["22"]),
    (Extract(pattern=r"no\. (?P<n>\d+)"), ["tree no. 17"], ["17"]),
    (Blanks(texts=("n/a", "-")), ["N/A", " - ", "", "x", None], [None, None, None, "x", None]),
    (Blanks(texts=("n/a",), ignore_case=False, fill="?"), ["N/A", "n/a", " "], ["N/A", "?", "?"]),
    (Bands(bands=SIZES), ["4.9", "5", "10", "10.1", "x", None], ["small", "mid", "mid", "tall", "x", None]),  # type: ignore[arg-type]
    (Number(), ["7", "-12", None], [7, -12, None]),
    (Number(decimal=",", grouping="."), ["1.234,5", "12,5", "1.23", "−3", "x", ""], [1234.5, 12.5, None, -3, None, None]),
    (Date(form="DD/MM/YYYY", give="YYYY.MM.DD"), ["31/02/2020", "1/2/2020", "29/02/2020"], [None, "2020.02.01", "2020.02.29"]),
    (Date(form="DD MON YYYY", give="MM/DD/YY"), ["3 Mar 1999", "31 apr 2020", "x"], ["03/03/99", None, None]),
    (Date(form="MONTH DD, YY", give="YYYYMMDD"), ["May 4, 68", "MAY 4, 69"], ["20680504", "19690504"]),
    (Date(form="D.M.YYYY", give="WEEKDAY WDAY, D MONTH"), ["1.2.2024", "29.02.1999", None], ["Thursday Thu, 1 February", None, None]),
    (Date(form="YYYY-MM-DD", give="YYYY-QQ Q M"), ["0999-12-31", "2024-04-01"], ["0999-Q4 4 12", "2024-Q2 2 4"]),
    (Pad(width=4), ["7", "12345", "", None, "é1"], ["0007", "12345", "", None, "00é1"]),
    (Pad(width=3, fill="·", side="end"), ["a", "abcd"], ["a··", "abcd"]),
    (Number(unit=("€", "cm"), decimal=","), ["€ 5,2", "-€5", "12 cm", "€3 cm", "cm", "4"], [5.2, -5, 12, None, None, 4]),
    (Number(give="1,234.50"), ["1234.005", "-0.004", "x", None], ["1,234.01", "0.00", None, None]),
    (Number(give="1 235"), ["1234567.5", "-0.5"], ["1 234 568", "-1"]),
    (Number(give="1.234,5"), ["99.95", "12"], ["100,0", "12,0"]),
]  # fmt: skip


@pytest.mark.parametrize(("rule", "raw", "wanted"), CASES, ids=lambda value: getattr(value, "do", ""))
def test_cases(rule: Any, raw: list[str | None], wanted: list[Any]) -> None:
    assert rule.on(raw) == wanted


def test_a_rule_alone_gives_back_what_it_got() -> None:
    series = Spacing().on(pd.Series([" a", None], index=[7, 8], name="x"))
    assert (series.tolist()[0], series.index.tolist(), series.name) == ("a", [7, 8], "x")
    assert Spacing().on(pa.array([" a", None])).equals(pa.array(["a", None]))
    assert Part(separator="/", into=("p", "q")).on(["a/b/c", "d"]) == {"p": ["a", "d"], "q": ["b/c", ""]}
    assert Number().on(pd.Series(["1", "2"])).dtype == "int64"
    assert Date(form="DD.MM.YYYY").on(pd.Series(["31.12.2024"])).dt.year.tolist() == [2024]
    with pytest.raises(igual.RulebookError, match="the rule looks at column 'b'"):
        Spacing(when={"column": "b", "equals": "x"}).on(["a"])


@pytest.mark.parametrize(
    ("settings", "text", "wanted"),
    [
        ({}, "to Guinea-Bissau", "Guinea-Bissau"),
        ({}, "in Nigeria, not elsewhere", "Nigeria"),
        ({}, "Papua New Guinea", "Papua New Guinea"),
        ({}, "the Republic of Mali", "Mali"),
        ({}, "guinea", ""),
        ({"ignore_case": True}, "GUINEA", "Guinea"),
        ({}, "Guinea and Niger", ""),
        ({"multiple": "all"}, "Guinea, Niger, Guinea", "Guinea; Niger"),
        ({"otherwise": "keep"}, "nowhere", "nowhere"),
        ({}, "Nigerian", ""),
    ],
)
def test_mention(settings: dict[str, Any], text: str, wanted: str) -> None:
    assert Mention(list="l", **settings).on([text], lists={"l": COUNTRIES}) == [wanted]


def test_compose_writes_a_column_anew_that_a_rule_made() -> None:
    rules = [
        Case(column="last", style="upper", into="name"),
        Compose(column="name", template="{name}, {first}"),
    ]
    made = igual.Rulebook(rules).apply({"first": ["Ana", None], "last": ["Morel", "Holm"]}).table
    assert made["name"] == ["MOREL, Ana", "HOLM"]
    assert rules[1].dump_words() == {"column": "name", "do": "compose", "template": "{name}, {first}"}


def test_compose_leaves_out_what_is_missing() -> None:
    table = {"a": ["x", "", None, "x"], "b": ["1", "2", " ", None], "c": ["t", "t", "", "t"]}
    made = igual.Rulebook([Compose(template="{a} {b}, {c}!", into="z")]).apply(table)
    assert made.table["z"] == ["x 1, t!", "2, t!", None, "x, t!"]


@pytest.mark.parametrize(
    ("template", "made"),
    [
        ("{a} ({b})", ["x (y)", "x", "(y)", None]),
        ("{a} [{b}]!", ["x [y]!", "x!", "[y]!", None]),
        ("“{a}”, “{b}”", ["“x”, “y”", "“x”", "“y”", None]),
        ("({a} {b})", ["(x y)", "(x)", "(y)", None]),
        ("{a}){b}(", ["x)y(", "x(", "y(", None]),
        ("{a}/({b})/{a}", ["x/(y)/x", "x/x", "(y)", None]),
    ],
)
def test_brackets_around_a_part_go_with_it(template: str, made: list[str | None]) -> None:
    table = {"a": ["x", "x", "", None], "b": ["y", None, "y", " "]}
    assert igual.Rulebook([Compose(template=template, into="z")]).apply(table).table["z"] == made


def test_rules_that_look_at_other_columns() -> None:
    book = igual.Rulebook(
        [
            Replace(column="c", pairs={"-": "{p}-"}, fill=True),
            Case(column="c", style="upper", when={"any": [{"column": "p", "equals": "y"}, {"length": 1}]}),
        ]
    )
    outcome = book.apply({"c": ["a-1", "a-1", "b", None], "p": ["x", "y", "x", "x"]})
    assert outcome.table["c"] == ["ax-1", "AY-1", "B", None]
    assert outcome.trail[["raw", "clean", "rows", "given"]].to_numpy().tolist()[:2] == [
        ["a-1", "ax-1", 1, "p = x"], ["a-1", "AY-1", 1, "p = y"]
    ]  # fmt: skip
    assert outcome.effects["rows"].tolist() == [2, 2]


def test_labels_carry_their_order() -> None:
    book = igual.Codebook({"3": "poor", "2": "fair", "1": "good"})
    series = Label(codebook="b").on(pd.Series(["1", "3", "9", None]), codebooks={"b": book})
    assert series.cat.ordered
    assert series.cat.categories.tolist() == ["poor", "fair", "good", "9"]
    assert series.sort_values().tolist()[:3] == ["poor", "good", "9"]
    arrow = Label(codebook="b").on(pa.array(["1", "3"]), codebooks={"b": book})
    assert arrow.type.ordered
    assert arrow.dictionary.to_pylist()[:3] == ["poor", "fair", "good"]


def test_what_rules_could_not_do_is_reported() -> None:
    outcome = igual.Rulebook(
        [
            Part(column="p", separator="/", into=("x", "y")),
            Number(column="n"),
            Spacing(column="s", inner="none"),
            Replace(column="r", pairs={"a": "b", "b": "c"}, cascade=True),
        ]
    ).apply(
        {"p": ["a/b", "a/b/c", ""], "n": ["1", "tall", None], "s": ["1 000", "2", ""], "r": ["a", "x", "b"]}
    )
    assert [hint.text for hint in outcome.hints] == [
        "rule 1 (part) found other parts than it asks for in 1 value of 'x' (1 row): 'a/b/c'",
        "rule 1 (part) found other parts than it asks for in 1 value of 'y' (1 row): 'a/b/c'",
        "rule 2 (number): 1 value of column 'n' (1 row) can't be read in the stated form: 'tall' (1 row)",
        "rule 3 (spacing): column 's' holds nothing but numbers now that its spaces are right; "
        "it stays text (the rule 'number' would change that)",
        "rule 4 (replace): what the pair 'a' put in was changed again by the pair 'b', in 1 value",
    ]


@pytest.mark.parametrize(
    ("make", "said"),
    [
        (lambda: Characters(), "there is nothing to do"),
        (lambda: Characters(keep=("digit",)), "'keep' can't be 'digit'; did you mean 'digits'?"),  # type: ignore[arg-type]
        (lambda: Part(separator=","), "give 'nth' for one part"),
        (lambda: Part(separator=",", nth=0), "'nth' counts from 1"),
        (lambda: Extract(pattern="(?P<a>x)(?P<b>y)"), "the pattern has 2 named groups"),
        (lambda: Extract(), "give 'pattern' or 'pieces'"),
        (lambda: Overlay(start=0, length=1, text="x"), "'start' counts from 1"),
        (lambda: Number(decimal=",", grouping=","), "can't be the same mark"),
        (lambda: Date(form="DD/MM"), "needs YYYY (or YY), MM (or MON, MONTH) and DD, each once"),
        (lambda: Bands(bands=[{"label": "a", "below": 5}, {"label": "b", "above": 5}]), "a gap between bands 'a' and 'b', at 5"),  # type: ignore[arg-type]
        (lambda: Bands(bands=[{"label": "a", "at_most": 5}, {"label": "b", "at_least": 5}]), "overlap at 5"),  # type: ignore[arg-type]
        (lambda: Compose(template="{a}"), "the word 'into' is missing"),
        (lambda: Date(form="DD/MM/YYYY", give="day"), "has none of YYYY"),
        (lambda: Date(form="DD/MM/YYYY WEEKDAY"), "needs YYYY (or YY), MM (or MON, MONTH) and DD, each once"),
        (lambda: Number(unit="5"), "without digits, signs and marks"),
        (lambda: Number(give="12"), "isn't 1234.5 as an example"),
        (lambda: Number(give="1,234,5"), "isn't 1234.5 as an example"),
        (lambda: Pad(width=0), "'width'"),
        (lambda: Pad(width=3, fill="ab"), "'fill'"),
        (lambda: Compose(template="a", into="b"), "needs names of columns in braces"),
        (lambda: Replace(pairs={"(": "x"}, pattern=True), "the pattern '(' can't be used: missing )"),
        (lambda: Replace(pairs={"(?=x)": "x"}, pattern=True), "without look-around"),
        (lambda: Replace(pairs={"a": "x", "b": "y"}, pattern=True), "say cascade = true"),
        (lambda: Replace(pairs={"a": "x"}, keep_case=True), "'keep_case' needs 'ignore_case'"),
        (lambda: Spacing(inner="keep", nth=2), "'nth' needs inner"),
        (lambda: Spacing(into=("a", "b")), "'into' takes one column"),
        (lambda: Spacing(when={"contians": "x"}), "unknown word 'contians'; did you mean 'contains'?"),
        (lambda: igual.count(["a"], above="tall"), "'tall' is neither a number nor a date"),
        (lambda: igual.count(["a"], between=(1, "2024-01-01")), "the limits are numbers and dates"),
    ],
)  # fmt: skip
def test_what_is_refused(make: Any, said: str) -> None:
    with pytest.raises(igual.IgualError) as caught:
        make()
    assert said in str(caught.value)


@pytest.mark.parametrize(
    "pattern", ["(a+)+$", "(a|a)*$", "(a|aa)+$", "(.*)*x", "(a?){40}a{40}$", "^(([a-z])+.)+[A-Z]([a-z])+$"]
)
def test_catastrophic_patterns_end(pattern: str) -> None:
    """Each of these takes longer than the universe lasts where patterns backtrack."""
    text = "a" * 20_000 + "!"
    assert substituted(texts(text), checked_pattern(pattern), "x").to_pylist() is not None
    assert igual.count([text], pattern=pattern) in (0, 1)


@pytest.mark.parametrize(
    ("words", "wanted"),
    [
        ({"word": "maple"}, ["Norway maple"]),
        ({"like": "*a?"}, ["oak"]),
        ({"like": "OA*", "ignore_case": True}, ["oak", "OAK"]),
        ({"pattern": "^[a-z]+$"}, ["oak"]),
        ({"length": 3}, ["oak", "OAK"]),
        ({"length": (4, 5)}, ["12.5"]),
        ({"not_": {"contains": "a"}}, ["12.5", "2024-05-31", "OAK", None]),
        ({"any": [{"equals": "oak"}, {"blank": True}]}, ["oak", None]),
        (
            {"all": [{"blank": False}, {"not": {"ignore_case": True, "contains": "a"}}]},
            ["12.5", "2024-05-31"],
        ),
        ({"in_list": igual.ReferenceList(["Oak"], {"Oak": ["oak"]})}, ["oak"]),
    ],
)
def test_more_conditions(words: dict[str, Any], wanted: list[str | None]) -> None:
    found = igual.tally(["Norway maple", "oak", "12.5", "2024-05-31", "OAK", None], **words).table["value"]
    assert {None if pd.isna(v) else v for v in found} == set(wanted)


@pytest.mark.parametrize(
    ("words", "wanted"),
    [
        ({"above": 5}, 1), ({"at_least": 5}, 2), ({"below": 5.5}, 2), ({"at_most": "5"}, 2), ({"between": (-1, 5)}, 2),
        ({"above": "2024-01-01"}, 1), ({"at_most": "2024-01-01"}, 1),
    ],
)  # fmt: skip
def test_limits_report_what_they_cannot_read(words: dict[str, Any], wanted: int) -> None:
    with pytest.warns(igual.IgualWarning, match="can't be read as plain numbers or dates"):
        assert (
            igual.count(["5", "7", "-0.5", "5,5", "2024-01-01", "2024-02-29", "2024-02-30", None], **words)
            == wanted
        )


def test_tallies_in_other_ways() -> None:
    assert (
        igual.tally(["a b", "c", None, "d  e "], of="words").table.set_index("value")["rows"].to_dict()["2"]
        == 2
    )
    assert igual.tally(["ab", "c"], of="characters").table["value"].tolist() == ["1", "2"]
    top = igual.tally(["a", "a", "b", "c"], top=1)
    assert (top.table["value"].tolist(), top.rest) == (["a"], 2)
    many = [str(number) for number in range(4_000)]
    with pytest.raises(
        igual.TableError, match="4,000 values by 4,000 others are more than the 10,000,000 cells"
    ):
        igual.cross_table(many, by=many)
    crossed = igual.cross_table(
        ["a", "a", "b", None], by={"x": ["1", "1", "2", "2"], "y": ["p", "q", "p", "p"]}
    )
    assert crossed.loc["a"].to_dict() == {("1", "p"): 1, ("1", "q"): 1, ("2", "p"): 0}
    assert crossed.to_numpy().sum() == 4
    compared = igual.compare(["Oak", "oak", "elm", "ash"], ["oak", "oak", "elm", "yew"]).set_index("value")
    assert compared["status"].to_dict() == {
        "oak": "merged",
        "elm": "same",
        "yew": "appeared",
        "Oak": "vanished",
        "ash": "vanished",
    }
    assert compared.loc["oak", "made_of"] == ("Oak", "oak")
    assert igual.date_forms(["31.12.2024", "x", None])["form"].tolist() == ["DD.MM.YYYY"]


def test_checks_say_what_must_hold(tmp_path: Any) -> None:
    book = igual.Rulebook(
        [Number(column="n")],
        checks=[
            Check(column="n", must=Condition(above=0)),
            Check(column="t", must=Condition(blank=False), note="why"),
        ],
    )
    outcome = book.apply({"n": ["1", "-1", "-1", ""], "t": ["x", "", None, "y"]})
    assert outcome.unfit.fillna("").to_numpy().tolist() == [
        [1, "n", "-1", 2, ""], [2, "t", "", 1, "why"], [2, "t", "", 1, "why"]
    ]  # fmt: skip
    assert "Not as it must be: 3 values, 4 rows" in repr(outcome)
    book.save(tmp_path / "b.toml")
    assert igual.Rulebook.load(tmp_path / "b.toml") == book
    with pytest.raises(igual.RulebookError, match="check 2: the table has no column 't'; there are: n"):
        book.apply({"n": ["1"]})


def test_headers_in_one_style(tmp_path: Any) -> None:
    book = igual.Rulebook([Spacing(column="Tree ID")], headers="snake")
    outcome = book.apply(pd.DataFrame({"Tree ID": [" 1"], "tree-id": ["2"]}))
    assert list(outcome.table.columns) == ["tree_id", "tree_id_2"]
    assert outcome.headers["collided"].tolist() == [False, True]
    book.save(tmp_path / "b.toml")
    assert igual.Rulebook.load(tmp_path / "b.toml") == book


def test_preview_covers_every_kind_of_change() -> None:
    book = igual.Rulebook([Spacing(column="c"), Case(column="c", style="lower")])
    values = [f"a  {n}" for n in range(50)] * 2 + ["x\u00a0y", "<b> "]
    preview = book.apply({"c": values}, only=1).preview(3)
    assert preview.table["before"].tolist()[1:] == ["x\u00a0y", "<b> "]
    assert "x‹⟨no-break space⟩›y" in repr(preview)
    assert "&lt;b&gt;<del>·</del>" in preview._repr_html_()
    with pytest.raises(igual.RulebookError, match="there is no rule 3: the rulebook has 2"):
        book.apply({"c": values}, only=3)


@given(st.text(st.characters(codec="utf-8"), max_size=20))
def test_identifiers_lose_nothing_and_are_stable(text: str) -> None:
    kept = "".join(c for c in text if c.isalnum())
    assert "".join(split_words(text)) == kept
    once = Case(style="kebab").on([text])
    assert "".join(split_words(once[0])).casefold() == kept.lower().casefold()


def test_all_entries_of_a_text_come_in_the_order_of_the_list() -> None:
    towns = igual.ReferenceList(["Harbour", "Old Town"])
    rule = igual.rules.Mention(list="towns", multiple="all")
    assert (
        rule.on(["Old Town, Harbour", "Harbour, Old Town"], lists={"towns": towns})
        == ["Harbour; Old Town"] * 2
    )


def test_what_has_nothing_to_take_out_is_said_so() -> None:
    rule = igual.rules.Extract(column="a", pattern="[0-9]+", into="number")
    (hint,) = igual.Rulebook([rule]).apply({"a": ["tree 5", "none"]}).hints
    assert hint.text == "rule 1 (extract) found nothing in 1 value of 'number' (1 row): 'none'"


def test_blanks_go_where_the_unknown_go_on_request() -> None:
    book = igual.Codebook({"1": "good"})
    told: dict[str, str | bool] = {"text": "not stated", "blanks": True}
    rule = igual.rules.Label(column="a", codebook="c", otherwise=told)
    outcome = igual.Rulebook([rule], codebooks={"c": book}).apply({"a": ["1", "", "  ", None, "7"]})
    assert outcome.table == {"a": ["good", *["not stated"] * 4]}
    assert outcome.unknown["value"].tolist() == ["7"]
    kept = igual.rules.Label(column="a", codebook="c", otherwise={"text": "not stated"})
    assert kept.on(["1", "", None, "7"], codebooks={"c": book}) == ["good", "", None, "not stated"]
    match = igual.rules.Match(list="l", otherwise=told)
    assert match.on(["oak", None], lists={"l": igual.ReferenceList(["oak"])}) == ["oak", "not stated"]
