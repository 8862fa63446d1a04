"""Rulebooks that are in order, with odd words, over tables of odd texts."""

from __future__ import annotations

import json
from collections.abc import Callable
from functools import partial
from random import Random

from tests.attack.mutators import NASTY_TEXTS

_LETTERS = (
    "a",
    "B",
    "é",
    "ß",
    "İ",
    "ﬁ",
    "Д",
    "中",
    " ",
    "  ",
    "-",
    ",",
    ".",
    "(",
    "1",
    "23",
    "/",
    "\u00a0",
    "\u0301",
    "😀",
    "oak",
    "Oak",
    "ELM",
)
COLUMNS = ("a", "b", "c", "odd name")
_PATTERNS = ('columns = ["*"]', 'columns = ["a", "odd*"]', 'columns = ["?"]')
_SOUGHT = ("oak", "a", "ß", "é", " ")
_WHERE = ("anywhere", "whole", "word", "start", "end")


def make_text(random: Random) -> str:
    """A short text of odd pieces."""
    if random.random() < 0.15:
        return random.choice(NASTY_TEXTS)
    return "".join(random.choice(_LETTERS) for _ in range(random.randrange(6)))


def make_table(random: Random) -> dict[str, list[str]]:
    """A table of odd texts, without line breaks that a lone row would lose."""
    rows = random.randrange(1, 30)
    pool = [make_text(random) for _ in range(12)]
    if random.random() < 0.1:
        # Steps that grow with the square of a text's length show in long ones.
        pool[0] = (make_text(random)[:9] + make_text(random)[:3]) * 10_000
    return {name: [random.choice(pool) for _ in range(rows)] for name in COLUMNS}


def _quote_text(random: Random) -> str:
    return json.dumps(make_text(random).replace("\x7f", ""), ensure_ascii=False)


def _condition(random: Random, depth: int = 0) -> str:
    text = partial(_quote_text, random)
    inner = partial(_condition, random, depth + 1)
    words: list[Callable[[], str]] = [
        lambda: f"contains = {text()}", lambda: f"starts = {text()}", lambda: f"ends = {text()}", lambda: f"equals = {text()}",
        lambda: "blank = true", lambda: f"length = [{random.randrange(3)}, {random.randrange(9)}]",
        lambda: f"above = {random.choice(('5', '-1.5', '0'))}", lambda: "at_most = 3", lambda: "between = [1, 30]", lambda: f"one_of = [{text()}, {text()}]",
        lambda: f"like = {text()}", lambda: 'pattern = "^[a-z]"',
        lambda: 'in_list = "l"', lambda: f"contains = {text()}, ignore_case = true",
    ]  # fmt: skip
    if depth == 0:
        words.append(lambda: f'column = "b", contains = {text()}')
    if depth < 2:
        words += [
            lambda: f"not = {inner()}",
            lambda: f"any = [{inner()}, {inner()}]",
            lambda: f"all = [{inner()}]",
        ]
    return "{ " + random.choice(words)() + " }"


# Further words of each rule: lines of which some are added.
_MORE: dict[str, tuple[str, ...]] = {
    "spacing": (
        'ends = "left"', 'ends = "keep"', 'inner = "none"', 'inner = "keep"', 'tabs = "remove"', 'tabs = "keep"', 'odd = "keep"', 'odd = "remove"',
        'zero_width = "keep"', 'between_unspaced = "remove"', 'gaps = "double"', "nth = 2", 'breaks = "space"',
    ),
    "case": ('language = "tr"', 'language = "de"', 'language = "el"', 'language = "nl"', 'keep = ["OAK", "ß"]', 'small = ["a"]'),
    "overlay": ('pad = "x"', 'pad = "é"'),
    "part": ("trim = false",),
    "number": ('unit = "m"', 'unit = ["m", "cm", "€"]', 'grouping = "."', 'grouping = " "', "grouping = \"'\"", 'give = "1234.50"'),
    "label": ('otherwise = "blank"', 'otherwise = "keep"', 'dated_by = "c"'),
    "match": (
        "settle = 0.5", "settle = 1.0", "ask = 0.01", "margin = 0.0", "margin = 1.0", "case_sensitive = true", 'abbreviations = { Qy = "Quay", f = ["Field", "Fir"] }',
        'opposites = [["oak", "elm"]]', 'small_words = ["field"]', 'otherwise = "blank"', 'otherwise = { text = "?" }', 'within = { kind = "b" }', 'within = { kind = "c", place = "b" }',
    ),
    "mention": ('multiple = "all"', "ignore_case = false", 'by = ["exact", "folded", "fuzzy"]', 'otherwise = "keep"', 'by = ["fuzzy"]'),
    "characters": ("straighten = true", "repair = true", "fold = true", 'stated = "a-z"', 'keep = ["letters"]', 'form = "NFD"'),
    "blanks": ('texts = ["oak", "-"]', "ignore_case = true", 'fill = "?"'),
    "bands": ('otherwise = "keep"', 'otherwise = { text = "?" }'),
    "pad": ('side = "end"', 'fill = "é"'),
}  # fmt: skip


def _rule(random: Random, number: int) -> list[str]:
    text = partial(_quote_text, random)
    yes = partial(random.choice, ("true", "false"))
    where = f'where = "{random.choice(_WHERE)}"'
    pairs = f"pairs = {{ {', '.join(f'{json.dumps(key)} = {text()}' for key in _SOUGHT)} }}"
    kinds: list[tuple[str, list[str]]] = [
        ("pad", [f"width = {random.choice((1, 5, 40))}"]), ("match", ['list = "m"']), ("spacing", []), ("spacing", ['also = "_-"']), ("spacing", ['breaks = "keep"']),
        ("case", ['style = "title"', 'small = ["of"]']), ("case", ['style = "sentence"']), ("case", ['style = "upper"']),
        ("replace", [pairs, where, f"ignore_case = {yes()}"]), ("replace", [pairs, where, f"nth = {random.choice((1, 2, 500))}"]),
        ("replace", [pairs, "ignore_case = true", "keep_case = true"]), ("replace", [pairs, "cascade = true"]),
        ("replace", ["pairs = { '([a-z]+)' = '<\\1>' }", "pattern = true", f"nth = {random.choice((1, 3))}"]),
        ("replace", ["pairs = { '\\b' = '|' }", "pattern = true"]), ("replace", ["pairs = { 'x*' = '-' }", "pattern = true", "nth = 2"]),
        ("overlay", [f"start = {random.choice((1, 3, -2, 100))}", f"length = {random.choice((0, 2, 50))}", f"text = {text()}", f"same_length = {yes()}"]),
        ("part", ['separator = "-"', f"nth = {random.choice((1, 2, -1, -7))}"]), ("part", ['separator = " "', f'into = ["p{number}", "q{number}"]']),
        ("extract", ["pattern = '[0-9]+'", f"nth = {random.choice((1, 2))}"]),
        ("extract", ["pattern = '(?P<x>[a-z])(?P<y>.)'", f'into = ["x{number}", "y{number}"]', "nth = 2"]),
        ("number", [f"decimal = {random.choice(('.', ','))!r}"]), ("date", ['form = "DD/MM/YYYY"']), ("date", ['form = "YYYY-MM-DD"', 'give = "DD.MM.YY"']),
        ("label", ['codebook = "k"', f"ignore_case = {yes()}"]), ("label", ['codebook = "k"', 'otherwise = { text = "?" }', f'into = "l{number}"']),
        ("match", ['list = "l"']), ("match", ['list = "l"', 'by = ["folded"]']), ("match", ['list = "l"', f'into = "m{number}"', 'give = "kind"']), ("match", ['list = "l"', 'within = { kind = "b" }']),
        ("bands", ['bands = [{ label = "low", below = 5 }, { label = "high", at_least = 5 }]']),
        ("blanks", []), ("characters", ['drop = ["marks"]']), ("characters", ['form = "NFKC"']), ("compose", ["template = '{a} ({b}) {c}'", f'into = "t{number}"']),
        ("mention", ['list = "l"', f'into = "n{number}"']), ("mention", ['list = "m"', 'by = ["exact", "fuzzy"]']), ("replace", ["pairs = { 'oak' = '{b}!' }", "fill = true"]),
    ]  # fmt: skip
    do, words = random.choice(kinds)
    known = {line.split(" =")[0] for line in words}
    more = [line for line in _MORE.get(do, ()) if random.random() < 0.15 and line.split(" =")[0] not in known]
    lines = [f'do = "{do}"', *words, *{line.split(" =")[0]: line for line in more}.values()]
    if do != "compose":
        names = "column = " + json.dumps(random.choice(COLUMNS))
        lines.insert(
            0,
            names
            if any("into" in word for word in words) or random.random() < 0.8
            else random.choice(_PATTERNS),
        )
    if random.random() < 0.3 and do not in ("compose",):
        lines.append(f"when = {_condition(random)}")
    return lines


def make_rulebook(random: Random) -> str:
    """A rulebook of a few rules, or of none but headers and checks, with a list and a codebook in it."""
    head = [
        "igual = 1", *random.sample(['headers = "snake"', 'headers = "title"'], int(random.random() < 0.1)), "[lists.l]", 'values = ["Oak", "Elm", "Field maple", "ß", "12 Quay"]', 'aliases = { Oak = ["QR", "oak tree"] }',
        'attributes = { kind = ["t", "t", "t", "", "p"], place = ["a", "oak", "", "é", "B"] }', "[lists.m]", 'values = ["Oak", "Elms", "Field"]', "[codebooks.k]", 'labels = { a = "good", B = "fair", "1" = "poor", "é" = "x" }',
    ]  # fmt: skip
    rules = [
        ["[[rule]]", *_rule(random, number)]
        for number in range(random.choice((0, 1, 1, 2, 2, 3, 3, 4, 4, 5)))
    ]
    checks = (
        [["[[check]]", 'column = "a"', f"must = {_condition(random, 2)}"]] if random.random() < 0.3 else []
    )
    return "\n".join([*head, *(line for part in (*rules, *checks) for line in part), ""])
