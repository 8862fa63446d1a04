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
        lambda: f"above = {random.choice(('5', '-1.5', '0'))}", lambda: f"one_of = [{text()}, {text()}]",
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


def _rule(random: Random, number: int) -> list[str]:
    text = partial(_quote_text, random)
    yes = partial(random.choice, ("true", "false"))
    where = f'where = "{random.choice(_WHERE)}"'
    pairs = f"pairs = {{ {', '.join(f'{json.dumps(key)} = {text()}' for key in _SOUGHT)} }}"
    kinds: list[tuple[str, list[str]]] = [
        ("spacing", []), ("spacing", ['also = "_-"']), ("spacing", ['breaks = "keep"']),
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
        ("mention", ['list = "l"', f'into = "n{number}"']), ("replace", ["pairs = { 'oak' = '{b}!' }", "fill = true"]),
    ]  # fmt: skip
    do, words = random.choice(kinds)
    lines = [f'do = "{do}"', *words]
    if do != "compose":
        lines.insert(0, f"column = {json.dumps(random.choice(COLUMNS))}")
    if random.random() < 0.3 and do not in ("compose",):
        lines.append(f"when = {_condition(random)}")
    return lines


def make_rulebook(random: Random) -> str:
    """A rulebook of a few rules, with a list and a codebook in it."""
    head = [
        "igual = 1", "[lists.l]", 'values = ["Oak", "Elm", "Field maple", "ß", "12 Quay"]', 'aliases = { Oak = ["QR", "oak tree"] }',
        'attributes = { kind = ["t", "t", "t", "", "p"] }', "[codebooks.k]", 'labels = { a = "good", B = "fair", "1" = "poor", "é" = "x" }',
    ]  # fmt: skip
    rules = [["[[rule]]", *_rule(random, number)] for number in range(random.randrange(1, 6))]
    checks = (
        [["[[check]]", 'column = "a"', f"must = {_condition(random, 2)}"]] if random.random() < 0.3 else []
    )
    return "\n".join([*head, *(line for part in (*rules, *checks) for line in part), ""])
