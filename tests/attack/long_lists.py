"""Lists, codebooks, pairs, rulings, sheets, crosswalks, rulebooks and tables of very many lines, and calls on them."""

from __future__ import annotations

import csv
from collections.abc import Callable, Iterable, Sequence
from pathlib import Path
from random import Random

_SYLLABLES = ("al", "be", "cor", "du", "el", "fen", "gar", "hol", "in", "ju", "ker", "lo", "mar", "ne", "ot", "pri", "qua", "ro", "sten", "tu", "ul", "ver", "wy", "yar")  # fmt: skip
# How many times as many lines the longest files have as the shortest.
_MOST = 10
_KINDS = ("wood", "park", "hospital", "library", "street")


def _name(random: Random, at: int) -> str:
    words = ("".join(random.choices(_SYLLABLES, k=random.choice((2, 3)))).title() for _ in range(2))
    return f"{' '.join(words)} {random.choice(_KINDS)} {at}" if at % 7 == 0 else " ".join(words)


# What the entries of a list look like: names, numbered ones, words of which all are near each other, and long ones
# that begin alike.
_SHAPES: dict[str, Callable[[Random, int], str]] = {
    "names": _name,
    "numbered": lambda random, at: f"Entry {at}",
    "near": lambda random, at: "".join(random.choices("abcdeo", k=7)),
    "alike": lambda random, at: f"{'The first and foremost of all the places of the town ' * 2}{at:x}",
}
_RULES = (
    'do = "match"\nlist = "l"\nby = ["exact", "folded"]', 'do = "match"\nlist = "l"', 'do = "label"\ncodebook = "k"', 'do = "label"\ncodebook = "k"\nignore_case = true',
    'do = "replace"\npairs = "p"\nwhere = "whole"', 'do = "replace"\npairs = "p"\nwhere = "word"', 'do = "replace"\npairs = "p"\nignore_case = true\nkeep_case = true',
    'do = "replace"\npairs = "p"\ncascade = true', 'do = "mention"\nlist = "l"\ninto = "n"', 'do = "match"\nlist = "l"\nby = ["exact"]\ngive = "kind"\ninto = "n"',
    'do = "match"\nlist = "l"\nwithin = { group = "b" }',
)  # fmt: skip
CALLS = (
    "survey t.csv", "survey t.csv --json", "survey t.csv --report r.html", "tally t.csv -c a", "tally t.csv -c a --json", "tally t.csv -c a --of words", "tally t.csv -c a --by b --top 5",
    "tally t.csv -c a --report r.html", "tally t.csv -c a --against u.csv", "tally t.csv -c a --against u.csv --json", "tally t.csv -c a --distinct", "draft t.csv --out d.toml",
    "draft t.csv --list l.csv --codebook k.csv --out d.toml", "lookalikes t.csv -c a --pairs p2.csv --rulings ru.csv", "lookalikes t.csv -c a --list l.csv --report r.html --weaker",
    "match t.csv -c a -l l.csv", "match t.csv -c a -l l.csv --json", "match t.csv -c a -l l.csv --out m.csv --report r.html", "match t.csv -c a -l l.csv --by folded --give kind",
    "match t.csv -c a -l l.ttl --by folded", "learn t.csv -c a -e oak Oak", "learn t.csv -c a -c b -e oak|1 Oak", "learn t.csv -c a --wanted b", "lists l.csv l2.csv", "lists l.csv l2.csv --json", "lists l.csv l2.csv --rulebook b.toml",
    "crosswalk walk.csv t.csv --out o.csv", "crosswalk walk.csv u.csv --out o.parquet --json", "apply b.toml t.csv --out o.csv", "apply b.toml t.csv --out o.xlsx --open op.xlsx",
    "apply b.toml t.csv --out o.parquet --trail tr.csv --crosswalk w.csv --open op.csv --record r.json --report r.html", "apply b.toml u.csv --crosswalk w.sssom.tsv --json",
    "apply b.toml t.csv --preview 5", "apply b.toml t.csv --report r.html --since walk.csv", "check b.toml t.csv", "check b.toml u.csv --json --since walk.csv --report r.html",
    "apply many.toml t.csv --out o.csv", "check many.toml t.csv", "survey wide.csv", "survey wide.csv --report r.html", "draft wide.csv --out d.toml", "tally wide.csv -c c*",
    "apply wide.toml wide.csv --out o.csv --trail tr.csv --report r.html", "apply wide.toml wide.csv --out o.xlsx --open op.xlsx --crosswalk w.csv", "check wide.toml wide.csv --json",
    "review b.toml sheet.csv --look", "review b.toml sheet.csv --by me", "review b.toml --add-to-lists", "review b.toml --table t.csv --page page.html", "review b.toml --table t.csv --show b --page page.html", "review b.toml --withdraw nothing",
)  # fmt: skip


def _write(path: Path, rows: Iterable[Sequence[object]]) -> None:
    with path.open("w", encoding="utf-8", newline="") as file:
        csv.writer(file).writerows(rows)


def _change(random: Random, text: str) -> str:
    """The text with a slip, or as it is, or in other case."""
    at = random.randrange(len(text))
    slips = (
        text,
        text.upper(),
        f"{text} ",
        text[:at] + text[at + 1 :],
        text[:at] + "x" + text[at:],
        text[::-1],
    )
    return random.choice(slips)


def lay_out_long(random: Random, folder: Path, shape: str, entries: int) -> None:
    """Lay out files of so many lines, whose entries have this shape.

    Args:
        random: What chooses.
        folder: Where they are laid out.
        shape: What the entries look like: 'names', 'numbered', 'near' or 'alike'.
        entries: How many entries, codes, pairs, rulings and rows there are.
    """
    folder.mkdir(exist_ok=True)
    names = [*dict.fromkeys(_SHAPES[shape](random, at) for at in range(entries))]
    values = [_change(random, name) for name in names]
    others = [*dict.fromkeys(values)]
    _write(folder / "l.csv", [("value", "alias", "kind", "group"), *((name, f"Q{at}|R{at}", random.choice(_KINDS), at % 9) for at, name in enumerate(names))])  # fmt: skip
    newer = [_change(random, name) if at % 5 == 0 else name for at, name in enumerate(names)]
    _write(folder / "l2.csv", [("value",), *((name,) for name in dict.fromkeys(newer) if name.strip())])
    _write(folder / "k.csv", [("code", "label"), *((name, at) for at, name in enumerate(names))])
    _write(folder / "p.csv", [("from", "to"), *((name, f"to {at}") for at, name in enumerate(names))])
    _write(folder / "t.csv", [("a", "b"), *((value, at % 9) for at, value in enumerate(values))])
    _write(folder / "u.csv", [("a", "b"), *((_change(random, value), at) for at, value in enumerate(values))])
    _write(folder / "walk.csv", [("column", "raw", "clean"), *(("a", value, "some") for value in others)])
    columns = (
        "column",
        "value",
        "shown",
        "rows",
        "proposal",
        "score",
        "why",
        "runners-up",
        "ruling",
        "reason",
    )
    _write(folder / "sheet.csv", [columns, *(("a", value, value, 1, names[at % len(names)], 0.5, "", "", random.choice(("yes", "new entry", "keep as it is", "")), "") for at, value in enumerate(others) if value.strip() == value)])  # fmt: skip
    _write(folder / "b.rulings.csv", [("column", "value", "ruling", "reason", "by", "on", "within"), *(("a", f"ruled {value}", "new entry" if at % 2 else names[0], "", "me", "2026-05-08", at % 9 if at % 3 else "") for at, value in enumerate(others))])  # fmt: skip
    concepts = (f'<urn:{at}> a skos:Concept; skos:prefLabel "{name}"@en; skos:altLabel "Q{at}"@en .' for at, name in enumerate(names[:20_000]))  # fmt: skip
    (folder / "l.ttl").write_text("\n".join(["@prefix skos: <http://www.w3.org/2004/02/skos/core#> .", *concepts]), encoding="utf-8")  # fmt: skip
    _write_rulebooks(random, folder, names)


def _write_rulebooks(random: Random, folder: Path, names: Sequence[str]) -> None:
    files = "igual = 1\n" + "\n".join(f'[{kind}]\nfile = "{file}"' for kind, file in (("lists.l", "l.csv"), ("codebooks.k", "k.csv"), ("pairs.p", "p.csv")))  # fmt: skip
    rule = random.choice(_RULES)
    (folder / "b.toml").write_text(f'{files}\n[[rule]]\ncolumn = "a"\n{rule}\n[[check]]\ncolumn = "a"\nmust = {{ in_list = "l" }}\n', encoding="utf-8")  # fmt: skip
    rules = (f'[[rule]]\ncolumn = "a"\ndo = "replace"\npairs = {{ "{name}" = "x{at}" }}\n' for at, name in enumerate(names[:500]))  # fmt: skip
    (folder / "many.toml").write_text("igual = 1\n" + "".join(rules), encoding="utf-8")
    width = min(len(names) // 50, 1_000)
    _write(folder / "wide.csv", [[f"c{at}" for at in range(width)], *(random.choices(names, k=width) for _ in range(50))])  # fmt: skip
    (folder / "wide.toml").write_text(f'{files}\n[[rule]]\ncolumns = ["c*"]\ndo = "match"\nlist = "l"\nby = ["exact", "folded"]\n[[rule]]\ncolumns = ["c*"]\ndo = "case"\nstyle = "upper"\n', encoding="utf-8")  # fmt: skip


def make_long_case(random: Random, folder: Path) -> tuple[str, str]:
    """A call on files of very many lines, and what describes them."""
    shape, entries = random.choice([*_SHAPES]), int(2_000 * _MOST ** random.random())
    lay_out_long(random, folder, shape, entries)
    return random.choice(CALLS), f"{entries} {shape}\n{(folder / 'b.toml').read_text(encoding='utf-8')}"
