# fmt: off
"""Tasks for `learn`: columns of a made-up harbour town and of other worlds, and what each value is to become.

Tasks stand in pairs of about one kind: the first of a pair is tuned on, the second is held out.
"""

from __future__ import annotations

import datetime as dt
import os
import random
import unicodedata
from collections.abc import Callable, Sequence
from typing import Any, NamedTuple

Raw = str | tuple[str, ...]

TREES = "Norway maple|small-leaved lime|London plane|horse chestnut|silver birch|field maple|common ash|wych elm|holm oak|white willow|grey alder|wild cherry|black poplar|red oak|hornbeam".split("|")  # fmt: skip
LATIN = "Acer platanoides|Tilia cordata|Platanus hispanica|Aesculus hippocastanum|Betula pendula|Acer campestre|Fraxinus excelsior|Ulmus glabra|Quercus ilex|Salix alba|Alnus incana|Prunus avium|Populus nigra|Quercus rubra|Carpinus betulus".split("|")  # fmt: skip
STREETS = "Quay Street|Mill Lane|Harbour Road|Net Alley|Lighthouse Way|Chandler Street|Rope Walk|Tern Close|Old Customs Road|Salt Lane|Kestrel Hill|Pier North|Anchor Row".split("|")  # fmt: skip
TOWNS = "Port Almery|Vessel Bay|Kestrel Hill|Harrowgate Quay|Stonemere|Ilex Point|Low Tarn|Saltby|Nether Fenwick".split("|")  # fmt: skip
FIRST = "Ana|Bruno|Carla|Dario|Elena|Fabio|Greta|Hugo|Ines|Jonas|Karin|Luca|Marta|Nuno|Olga|Pavel|Rita|Simon".split(
    "|"
)
MIDDLE = "Maria|Sofia|Luis|Paul|Irene|Anton|Vera|Felix".split("|")
LAST = "Morel|Sandoval|Brandt|Okafor|Lindqvist|Petrov|Almeida|Castell|Duarte|Eriksen|Fontana|Garber|Holm|Ibarra|Jansen|Keller|Lorenz|Moreau".split("|")  # fmt: skip
ACCENTED = (
    "Núñez|Müller|Šimek|Dvořák|Ólafsson|García|Łukasz|Peña|Désirée|Ångström|Zoë|François|Jiří|Köhler".split(
        "|"
    )
)
FIRMS = "Almery Tree Care|Harbour Saw|North Quay Arborists|Green Crown|Tern Gardens|Salt and Sons|Kestrel Landscaping|Old Port Nursery".split("|")  # fmt: skip
COLOURS = "red|green|blue|yellow|black|white|orange|violet".split("|")


class Task(NamedTuple):
    """A column, and what is to become of each value."""

    kind: str
    raws: tuple[Raw, ...]
    wanted: tuple[str, ...]


TASKS: list[Task] = []
# `python -m benchmarks.learning` with IGUAL_LEARN_ROWS=1000 measures the time on larger columns.
_ROWS = int(os.environ.get("IGUAL_LEARN_ROWS", "30"))


def add(
    kind: str, make: Callable[[random.Random], Raw], wanted: Callable[[Any], str], rows: int = _ROWS
) -> None:
    """Add a task: a function that makes a value, and one that says what it is to become."""
    source = random.Random(len(TASKS) * 7919 + 17)
    raws = list(dict.fromkeys(make(source) for _ in range(rows)))
    TASKS.append(Task(kind, tuple(raws), tuple(wanted(raw) for raw in raws)))


def two(kind: str, *sides: tuple[Callable[[random.Random], Raw], Callable[[Any], str]]) -> None:
    """Add a pair of tasks: one to tune on, one held out."""
    assert len(sides) == 2
    for make, wanted in sides:
        add(kind, make, wanted)


def person(r: random.Random) -> str:
    return f"{r.choice(FIRST)} {r.choice(LAST)}"


def day(r: random.Random) -> dt.date:
    return dt.date(2018, 1, 1) + dt.timedelta(days=r.randrange(2800))


def plain(text: str) -> str:
    table = str.maketrans({"Ł": "L", "ł": "l", "ø": "o"})
    return "".join(
        c for c in unicodedata.normalize("NFD", text.translate(table)) if not unicodedata.combining(c)
    )


def parse(form: str) -> Callable[[str], dt.date]:
    return lambda text: dt.datetime.strptime(text, form).date()


def pick(*choices: Sequence[str]) -> Callable[[random.Random], str]:
    return lambda r: " ".join(r.choice(one) for one in choices)


C = random.Random.choice


# Parts by separators, from either end.
two("part",
    (lambda r: f"{C(r, TREES)}; {C(r, STREETS)}; {C(r, COLOURS)}", lambda x: x.split(";")[1].strip()),
    (lambda r: f"{r.randrange(10, 99)}/{C(r, COLOURS)}/{C(r, LAST)}", lambda x: x.split("/")[2]))  # fmt: skip
two("part",
    (lambda r: f"{C(r, STREETS)}, {C(r, TOWNS)}", lambda x: x.split(", ")[1]),
    (lambda r: f"{C(r, TREES)} - {C(r, LATIN)}", lambda x: x.split(" - ")[0]))  # fmt: skip
two("part from the end",
    (lambda r: "/".join(C(r, COLOURS) for _ in range(r.randrange(2, 5))), lambda x: x.split("/")[-1]),
    (lambda r: ">".join(C(r, TOWNS) for _ in range(r.randrange(2, 5))), lambda x: x.split(">")[-2]))  # fmt: skip
two("part",
    (lambda r: f"{C(r, FIRST).lower()}.{C(r, LAST).lower()}@{C(r, FIRMS).replace(' ', '').lower()}.example", lambda x: x.split("@")[0]),
    (lambda r: f"https://{C(r, FIRMS).replace(' ', '').lower()}.example/{C(r, COLOURS)}/{r.randrange(99)}", lambda x: x.split("//")[1].split("/")[0]))  # fmt: skip
two("part",
    (lambda r: f"{C(r, COLOURS)}|{r.randrange(100)}|{C(r, TREES)}|{C(r, LAST)}", lambda x: x.split("|")[2]),
    (lambda r: f"{C(r, LAST)}_{r.randrange(2000, 2030)}_{C(r, COLOURS)}.csv", lambda x: x.split("_")[1]))  # fmt: skip
two("file name",
    (lambda r: f"{C(r, COLOURS)}_{C(r, LAST)}.{C(r, ['csv', 'xlsx', 'txt', 'parquet'])}", lambda x: x.rsplit(".", 1)[1]),
    (lambda r: f"data/{C(r, COLOURS)}/{C(r, LAST)}.{C(r, ['csv', 'json'])}", lambda x: x.split("/")[-1].split(".")[0]))  # fmt: skip
# Words.
two("word",
    (person, lambda x: x.split()[0]),
    (lambda r: f"{C(r, FIRST)} {C(r, MIDDLE)} {C(r, LAST)}", lambda x: x.split()[1]))  # fmt: skip
two("last word",
    (lambda r: f"{C(r, FIRST)} {C(r, MIDDLE) + ' ' if r.random() < 0.4 else ''}{C(r, LAST)}", lambda x: x.split()[-1]),
    (lambda r: f"{C(r, COLOURS)} {C(r, TREES)}", lambda x: x.split()[-1]))  # fmt: skip
two("all but the first or last word",
    (lambda r: f"{r.randrange(1, 200)} {C(r, STREETS)}", lambda x: x.split(" ", 1)[1]),
    (lambda r: f"{C(r, STREETS)} {r.randrange(1, 200)}", lambda x: x.rsplit(" ", 1)[0]))  # fmt: skip
two("two words",
    (lambda r: f"{C(r, LATIN)} {C(r, ['var. alba', 'L.', 'Mill.', 'f. rubra'])}", lambda x: " ".join(x.split()[:2])),
    (lambda r: f"{C(r, COLOURS)} {C(r, COLOURS)} {C(r, LATIN)}", lambda x: " ".join(x.split()[-2:])))  # fmt: skip
# Before, after, between.
two("in parentheses",
    (lambda r: f"{C(r, LATIN)} ({C(r, TREES)})", lambda x: x.split("(")[1][:-1]),
    (lambda r: f"{C(r, FIRMS)} [{r.randrange(1000)}] {C(r, TOWNS)}", lambda x: x.split("[")[1].split("]")[0]))  # fmt: skip
two("before parentheses",
    (lambda r: f"{C(r, TREES)} ({C(r, LATIN)})", lambda x: x.split(" (")[0]),
    (lambda r: f"{C(r, TOWNS)} [{C(r, COLOURS)}]", lambda x: x.split(" [")[0]))  # fmt: skip
two("after a mark",
    (lambda r: f"height: {r.randrange(2, 30)} m", lambda x: x.split(": ")[1]),
    (lambda r: f"{C(r, ['crew', 'team', 'lot'])}={C(r, COLOURS)}", lambda x: x.split("=")[1]))  # fmt: skip
two("after a word",
    (lambda r: f"planted by {person(r)}", lambda x: x.split("by ")[1]),
    (lambda r: f"{C(r, TREES)} near {C(r, STREETS)}", lambda x: x.split(" near ")[1]))  # fmt: skip
two("before a word",
    (lambda r: f"{C(r, STREETS)} in {C(r, TOWNS)}", lambda x: x.split(" in ")[0]),
    (lambda r: f"{person(r)} for {C(r, FIRMS)}", lambda x: x.split(" for ")[0]))  # fmt: skip
two("between marks",
    (lambda r: f"id={r.randrange(1000)};crew={C(r, COLOURS)};year={r.randrange(2000, 2025)}", lambda x: x.split("crew=")[1].split(";")[0]),
    (lambda r: f"{C(r, LAST)}: {C(r, TREES)}, {r.randrange(2, 30)} m", lambda x: x.split(": ")[1].split(",")[0]))  # fmt: skip
two("in quotes",
    (lambda r: f'sort "{C(r, COLOURS).title()}" of {C(r, LATIN)}', lambda x: x.split('"')[1]),
    (lambda r: f"{C(r, LATIN)} '{C(r, COLOURS).title()} {C(r, LAST)}'", lambda x: x.split("'")[1]))  # fmt: skip
# Pieces by shape.
two("digits of a length",
    (lambda r: f"{r.randrange(1, 99)} {C(r, STREETS)}, {r.randrange(20000, 29999)} {C(r, TOWNS)}", lambda x: x.split(", ")[1].split()[0]),
    (lambda r: f"permit {r.randrange(1, 99)} of {r.randrange(100000, 999999)}{C(r, ['', ', urgent', ' (copy)'])}", lambda x: next(w for w in x.replace(",", "").split() if len(w) == 6 and w.isdigit())))  # fmt: skip
two("code",
    (lambda r: f"{C(r, ['lot', 'tree', 'see'])} {C(r, ['AB', 'CD', 'QX'])}-{r.randrange(10, 99)} {C(r, ['checked', 'by crew B', 'ok'])}", lambda x: next(w for w in x.split() if "-" in w)),
    (lambda r: f"{C(r, TREES)}, tag {C(r, 'ABC')}{r.randrange(1000, 9999)}{C(r, ['', ' new', ', lost'])}", lambda x: x.split("tag ")[1].replace(",", " ").split()[0]))  # fmt: skip
two("number in a text",
    (lambda r: f"about {r.randrange(2, 40)} trees", lambda x: x.split()[1]),
    (lambda r: f"{C(r, TREES)}{C(r, [' no. ', ' nr ', ' #'])}{r.randrange(1, 500)}", lambda x: "".join(c for c in x if c.isdigit())))  # fmt: skip
two("year in a text",
    (lambda r: f"{C(r, ['planted in ', 'since ', 'spring '])}{r.randrange(1960, 2024)}{C(r, ['', ', crew B', ' (?)'])}", lambda x: next(x[i : i + 4] for i in range(len(x)) if x[i : i + 4].isdigit())),
    (lambda r: f"{C(r, LATIN)} L., {r.randrange(1700, 1900)}", lambda x: x[-4:]))  # fmt: skip
# Characters kept or dropped.
two("digits only",
    (lambda r: f"({r.randrange(100, 999)}) 555-{r.randrange(1000, 9999)}", lambda x: "".join(c for c in x if c.isdigit())),
    (lambda r: f"tel. {r.randrange(10, 99)}/{r.randrange(100, 999)} {r.randrange(10, 99)}", lambda x: "".join(c for c in x if c.isdigit())))  # fmt: skip
two("letters only",
    (lambda r: f"{r.randrange(10)}{C(r, COLOURS)}{r.randrange(100)}", lambda x: "".join(c for c in x if c.isalpha())),
    (lambda r: f"{C(r, 'ABC')}{r.randrange(10, 99)}-{C(r, 'XYZ')}{r.randrange(9)}", lambda x: "".join(c for c in x if c.isalpha())))  # fmt: skip
two("marks dropped",
    (lambda r: f"{r.randrange(10, 99)}-{r.randrange(100, 999)}-{r.randrange(10, 99)}", lambda x: x.replace("-", "")),
    (lambda r: f"{C(r, 'ABC')}.{C(r, 'KLM')}.{r.randrange(100)}", lambda x: x.replace(".", "")))  # fmt: skip
two("digits dropped",
    (lambda r: f"{C(r, TREES)} {r.randrange(100)}", lambda x: "".join(c for c in x if not c.isdigit()).strip()),
    (lambda r: f"{C(r, COLOURS)}{r.randrange(1, 20)}", lambda x: "".join(c for c in x if not c.isdigit())))  # fmt: skip
two("marks dropped",
    (lambda r: f"{C(r, COLOURS)}{C(r, ['!', '?', '.', '*', ''])}", lambda x: x.rstrip("!?.*")),
    (lambda r: f"{C(r, ['#', '@', '$', ''])}{C(r, LAST)}", lambda x: x.lstrip("#@$")))  # fmt: skip
# Case and identifiers.
two("case",
    (lambda r: C(r, TREES).upper(), str.capitalize),
    (lambda r: C(r, [str.upper, str.lower, str.title])(C(r, STREETS)), str.title))  # fmt: skip
two("case",
    (lambda r: C(r, [str.upper, str.title])(C(r, COLOURS)), str.lower),
    (lambda r: f"{C(r, 'abc')}{r.randrange(10, 99)}{C(r, 'xyz')}", str.upper))  # fmt: skip
two("identifier apart",
    (lambda r: f"{C(r, COLOURS)}{C(r, COLOURS).title()}{C(r, LAST)}", lambda x: "".join(f" {c.lower()}" if c.isupper() else c for c in x)),
    (lambda r: f"{C(r, COLOURS)}_{C(r, COLOURS)}_{C(r, TREES).split()[-1]}", lambda x: x.replace("_", " ").capitalize()))  # fmt: skip
two("identifier together",
    (lambda r: f"{C(r, COLOURS)} {C(r, TREES).split()[-1]} height", lambda x: x.replace(" ", "_").replace("-", "_")),
    (lambda r: C(r, STREETS), lambda x: x.lower().replace(" ", "-")))  # fmt: skip
two("identifier together",
    (lambda r: f"{C(r, COLOURS)} {C(r, COLOURS)} code", lambda x: x.split()[0] + "".join(w.title() for w in x.split()[1:])),
    (lambda r: f"{C(r, COLOURS)}{C(r, COLOURS).title()}", lambda x: "".join(f"_{c}" if c.isupper() else c for c in x).upper()))  # fmt: skip
# Spacing.
two("spacing",
    (lambda r: f"{' ' * r.randrange(3)}{C(r, TREES).replace(' ', ' ' * r.randrange(1, 4))}{' ' * r.randrange(2)}", lambda x: " ".join(x.split())),
    (lambda r: f"{' ' * r.randrange(3)}{C(r, STREETS).upper().replace(' ', ' ' * r.randrange(1, 4))}", lambda x: " ".join(x.split()).title()))  # fmt: skip
two("no spaces",
    (lambda r: f"{C(r, 'ABC')} {r.randrange(10, 99)} {r.randrange(100, 999)}", lambda x: x.replace(" ", "")),
    (lambda r: f"{r.randrange(10, 99)} {C(r, 'KLM')} {r.randrange(10)}", lambda x: x.replace(" ", "")))  # fmt: skip
# Separators.
two("separator",
    (lambda r: f"{C(r, COLOURS)};{C(r, COLOURS)};{C(r, COLOURS)}", lambda x: x.replace(";", ", ")),
    (lambda r: f"{r.randrange(10, 99)}.{r.randrange(100, 999)}.{r.randrange(10, 99)}", lambda x: x.replace(".", "-")))  # fmt: skip
two("first separator",
    (lambda r: f"{C(r, 'ABC')}-{r.randrange(10, 99)}-{r.randrange(10, 99)}", lambda x: x.replace("-", "/", 1)),
    (lambda r: f"{C(r, COLOURS)} {C(r, COLOURS)} {C(r, COLOURS)}", lambda x: x.replace(" ", ": ", 1)))  # fmt: skip
two("several separators",
    (lambda r: f"{C(r, COLOURS)}/{C(r, COLOURS)}-{C(r, COLOURS)}", lambda x: x.replace("/", "_").replace("-", "_")),
    (lambda r: f"{r.randrange(10, 99)}-{r.randrange(10, 99)}/{r.randrange(10, 99)}", lambda x: x.replace("-", " ").replace("/", " ")))  # fmt: skip
two("separator in between",
    (lambda r: f"{C(r, ['AB', 'CD', 'EF'])}{r.randrange(1000, 9999)}", lambda x: f"{x[:2]}-{x[2:]}"),
    (lambda r: f"{r.randrange(10000000, 99999999)}", lambda x: f"{x[:2]} {x[2:5]} {x[5:]}"))  # fmt: skip
# Prefixes and suffixes.
two("prefix",
    (lambda r: str(r.randrange(1, 900)), lambda x: f"No. {x}"),
    (lambda r: C(r, LATIN), lambda x: f"sp. {x}"))  # fmt: skip
two("suffix",
    (lambda r: str(r.randrange(2, 90)), lambda x: f"{x} cm"),
    (lambda r: f"{C(r, FIRST)}.{C(r, LAST)}".lower(), lambda x: f"{x}@almery.example"))  # fmt: skip
two("prefix off",
    (lambda r: f"{C(r, ['Tree: ', ''])}{C(r, TREES)}", lambda x: x.removeprefix("Tree: ")),
    (lambda r: f"PA-{r.randrange(100, 999)}-{C(r, 'ABC')}", lambda x: x.removeprefix("PA-")))  # fmt: skip
two("suffix off",
    (lambda r: f"{C(r, FIRMS)}{C(r, [' Ltd', ''])}", lambda x: x.removesuffix(" Ltd")),
    (lambda r: f"{C(r, LAST)}{C(r, [' (old)', ''])}", lambda x: x.removesuffix(" (old)")))  # fmt: skip
two("word for another",
    (lambda r: C(r, ["Quay St", "Mill St", "Chandler St", "Harbour Rd", "Net St", "Rope St", "Salt Rd", "Tern St"]), lambda x: x.replace(" St", " Street")),
    (lambda r: f"{C(r, COLOURS)} & {C(r, COLOURS)}", lambda x: x.replace("&", "and")))  # fmt: skip
# Cutting and padding.
two("first characters",
    (lambda r: C(r, LATIN), lambda x: x[:3].upper()),
    (lambda r: f"{r.randrange(100000, 999999)}", lambda x: x[:2]))  # fmt: skip
two("last characters",
    (lambda r: f"{C(r, 'ABCDEF')}{r.randrange(100000, 999999)}", lambda x: x[-4:]),
    (lambda r: f"{r.randrange(1000, 99999)}", lambda x: x[-2:]))  # fmt: skip
two("characters cut off",
    (lambda r: f"{C(r, 'AB')}{C(r, COLOURS)}{r.randrange(10)}", lambda x: x[1:]),
    (lambda r: f"{C(r, COLOURS)}{r.randrange(10, 99)}", lambda x: x[:-2]))  # fmt: skip
two("leading zeros",
    (lambda r: str(r.randrange(1, 99999)), lambda x: x.zfill(5)),
    (lambda r: str(r.randrange(1, 999)), lambda x: f"T-{x.zfill(4)}"))  # fmt: skip
two("leading zeros off",
    (lambda r: str(r.randrange(1, 99999)).zfill(6), lambda x: x.lstrip("0")),
    (lambda r: f"{C(r, 'ABC')}-{str(r.randrange(1, 9999)).zfill(5)}", lambda x: f"{x[:2]}{x[2:].lstrip('0')}"))  # fmt: skip
two("masked",
    (lambda r: f"{r.randrange(1000, 9999)}-{r.randrange(1000, 9999)}", lambda x: f"****-{x[5:]}"),
    (lambda r: f"{r.randrange(10000000, 99999999)}", lambda x: f"{x[:4]}****"))  # fmt: skip
# Initials.
two("initials",
    (lambda r: f"{C(r, FIRST)} {C(r, MIDDLE)} {C(r, LAST)}", lambda x: "".join(w[0] for w in x.split())),
    (person, lambda x: "".join(f"{w[0]}." for w in x.split())))  # fmt: skip
two("initial and name",
    (person, lambda x: f"{x[0]}. {x.split()[1]}"),
    (person, lambda x: f"{x.split()[1]} {x[0]}."))  # fmt: skip
two("initials",
    (lambda r: C(r, FIRMS), lambda x: "".join(w[0].upper() for w in x.split())),
    (lambda r: C(r, LATIN), lambda x: f"{x[0]}. {x.split()[1]}"))  # fmt: skip
# Turned round.
two("turned round",
    (lambda r: f"{C(r, LAST)}, {C(r, FIRST)}", lambda x: " ".join(x.split(", ")[::-1])),
    (person, lambda x: ", ".join(x.split()[::-1])))  # fmt: skip
two("turned round",
    (lambda r: f"{C(r, LAST)}, {C(r, FIRST)}{' ' + C(r, MIDDLE) if r.random() < 0.3 else ''}", lambda x: " ".join(x.split(", ")[::-1])),
    (lambda r: f"{C(r, FIRST)} {C(r, MIDDLE) + ' ' if r.random() < 0.4 else ''}{C(r, LAST)}", lambda x: f"{x.rsplit(' ', 1)[1]}, {x.rsplit(' ', 1)[0]}"))  # fmt: skip
two("put together anew",
    (lambda r: f"{C(r, TREES)} ({C(r, LATIN)})", lambda x: f"{x.split(' (')[1][:-1]}: {x.split(' (')[0]}"),
    (lambda r: f"{C(r, STREETS)} {r.randrange(1, 90)}, {C(r, TOWNS)}", lambda x: f"{x.split(', ')[1]} / {x.split(', ')[0]}"))  # fmt: skip
two("put together anew",
    (lambda r: f"{r.randrange(100, 999)}{r.randrange(1000, 9999)}", lambda x: f"({x[:3]}) {x[3:]}"),
    (lambda r: f"{r.randrange(10, 99)}{C(r, 'ABC')}{r.randrange(100, 999)}", lambda x: f"{x[2]}-{x[:2]}/{x[3:]}"))  # fmt: skip
# Numbers.
two("number",
    (lambda r: f"{r.randrange(1, 9)}.{r.randrange(100, 999)},{r.randrange(10, 99)}", lambda x: x.replace(".", "").replace(",", ".").rstrip("0")),
    (lambda r: f"{r.randrange(1, 900):,}.{r.randrange(1, 9)}", lambda x: x.replace(",", "")))  # fmt: skip
two("number with a unit",
    (lambda r: f"{r.randrange(2, 300)} cm", lambda x: x[:-3]),
    (lambda r: f"{r.randrange(1, 30)},{r.randrange(1, 9)} m", lambda x: x[:-2].replace(",", ".")))  # fmt: skip
two("number with a unit",
    (lambda r: f"€ {r.randrange(1, 9)}.{r.randrange(100, 999)},{r.randrange(1, 9)}5", lambda x: x[2:].replace(".", "").replace(",", ".")),
    (lambda r: f"${r.randrange(1000, 99999):,}", lambda x: x[1:].replace(",", "")))  # fmt: skip
two("number written",
    (lambda r: f"{r.randrange(1000, 9999999)}", lambda x: f"{int(x):,}"),
    (lambda r: f"{r.randrange(1, 99)}.{r.randrange(100, 999)}", lambda x: f"{int(float(x) * 10 + 0.5 + 1e-9) / 10:.1f}"))  # fmt: skip
two("number written",
    (lambda r: f"{r.randrange(1, 500)}{C(r, ['', '.5', '.25'])}", lambda x: f"{float(x):.2f}"),
    (lambda r: f"{r.randrange(1, 99)}.{r.randrange(10, 99)}", lambda x: f"{x.replace('.', ',')} €"))  # fmt: skip
# Dates.
two("date",
    (lambda r: day(r).strftime("%d/%m/%Y"), lambda x: parse("%d/%m/%Y")(x).isoformat()),
    (lambda r: day(r).strftime("%m/%d/%Y"), lambda x: parse("%m/%d/%Y")(x).isoformat()))  # fmt: skip
two("date",
    (lambda r: day(r).isoformat(), lambda x: parse("%Y-%m-%d")(x).strftime("%d.%m.%Y")),
    (lambda r: day(r).strftime("%Y%m%d"), lambda x: parse("%Y%m%d")(x).strftime("%d/%m/%Y")))  # fmt: skip
two("date in words",
    (lambda r: day(r).strftime("%d %b %Y"), lambda x: parse("%d %b %Y")(x).isoformat()),
    (lambda r: day(r).isoformat(), lambda x: f"{parse('%Y-%m-%d')(x).day} {parse('%Y-%m-%d')(x):%B %Y}"))  # fmt: skip
two("weekday",
    (lambda r: day(r).isoformat(), lambda x: parse("%Y-%m-%d")(x).strftime("%A")),
    (lambda r: day(r).strftime("%d.%m.%Y"), lambda x: parse("%d.%m.%Y")(x).strftime("%a")))  # fmt: skip
two("month",
    (lambda r: day(r).strftime("%d/%m/%Y"), lambda x: parse("%d/%m/%Y")(x).strftime("%B")),
    (lambda r: day(r).isoformat(), lambda x: parse("%Y-%m-%d")(x).strftime("%b %Y")))  # fmt: skip
two("quarter",
    (lambda r: day(r).isoformat(), lambda x: f"{x[:4]}-Q{(int(x[5:7]) + 2) // 3}"),
    (lambda r: day(r).strftime("%d.%m.%Y"), lambda x: f"Q{(int(x[3:5]) + 2) // 3}"))  # fmt: skip
two("year",
    (lambda r: day(r).strftime("%d.%m.%Y"), lambda x: x[-4:]),
    (lambda r: day(r).strftime("%d %B %Y"), lambda x: x[-4:]))  # fmt: skip
two("date with a time",
    (lambda r: f"{day(r).isoformat()} {r.randrange(10, 24)}:{r.randrange(10, 60)}", lambda x: x[:10]),
    (lambda r: f"{day(r):%d/%m/%Y} {r.randrange(10, 24)}:{r.randrange(10, 60)}", lambda x: parse("%d/%m/%Y")(x[:10]).isoformat()))  # fmt: skip
# Accents.
two("accents",
    (lambda r: C(r, ACCENTED), plain),
    (lambda r: f"{C(r, ACCENTED)} {C(r, ACCENTED)}", lambda x: plain(x).lower()))  # fmt: skip
# Several columns.
two("columns",
    (lambda r: (C(r, FIRST), C(r, LAST)), lambda x: f"{x[0]} {x[1]}"),
    (lambda r: (C(r, STREETS), str(r.randrange(1, 99))), lambda x: f"{x[0]} no. {x[1]}"))  # fmt: skip
two("columns, parts",
    (lambda r: (C(r, FIRST), C(r, LAST)), lambda x: f"{x[0][0]}. {x[1]}"),
    (lambda r: (C(r, TOWNS), str(r.randrange(1900, 2020))), lambda x: f"{x[0].split()[0]} '{x[1][-2:]}"))  # fmt: skip
two("columns, turned round",
    (lambda r: (C(r, FIRST), C(r, LAST)), lambda x: f"{x[1]}, {x[0]}"),
    (lambda r: (C(r, TREES), C(r, LATIN)), lambda x: f"{x[1]} ({x[0]})"))  # fmt: skip
two("columns, one of them changed",
    (lambda r: (C(r, FIRST), C(r, LAST)), lambda x: f"{x[1].upper()}, {x[0]}"),
    (lambda r: (C(r, LAST), str(r.randrange(1, 500))), lambda x: f"{x[0]}-{x[1].zfill(3)}"))  # fmt: skip
two("columns, three",
    (lambda r: (C(r, STREETS), str(r.randrange(1, 99)), C(r, TOWNS)), lambda x: f"{x[0]} {x[1]}, {x[2]}"),
    (lambda r: (str(r.randrange(2000, 2025)), f"{r.randrange(1, 13):02d}", f"{r.randrange(1, 29):02d}"), lambda x: "-".join(x)))  # fmt: skip
# A constant where a part is missing, and conditions.
two("constant where a part is missing",
    (lambda r: f"{C(r, LATIN)}{C(r, [f' ({C(r, TREES)})', ''])}", lambda x: x.split("(")[1][:-1] if "(" in x else "unnamed"),
    (lambda r: f"{C(r, STREETS)}{C(r, [f', {C(r, TOWNS)}', ''])}", lambda x: x.split(", ")[1] if "," in x else "Port Almery"))  # fmt: skip
two("condition",
    (lambda r: C(r, [f"{C(r, LAST)}, {C(r, FIRST)}", person(r)]), lambda x: " ".join(x.split(", ")[::-1])),
    (lambda r: C(r, [f"{C(r, TREES).split()[-1]}, {C(r, COLOURS)}", C(r, TREES)]), lambda x: " ".join(x.split(", ")[::-1]).capitalize()))  # fmt: skip
two("condition",
    (lambda r: C(r, [day(r).strftime("%d/%m/%Y"), day(r).isoformat()]), lambda x: parse("%d/%m/%Y")(x).isoformat() if "/" in x else x),
    (lambda r: C(r, [f"{r.randrange(100, 999)} cm", f"{r.randrange(100, 999)}"]), lambda x: x.removesuffix(" cm")))  # fmt: skip
two("condition",
    (lambda r: C(r, [f"{C(r, FIRMS)} ({C(r, TOWNS)})", C(r, FIRMS)]), lambda x: x.split(" (")[0]),
    (lambda r: C(r, [f"{C(r, 'AB')}{r.randrange(10, 99)}", f"{r.randrange(10, 99)}"]), lambda x: x if x[0].isalpha() else f"X{x}"))  # fmt: skip
# Chains.
two("chain",
    (lambda r: f" {C(r, LAST).upper()},  {C(r, FIRST).upper()} ", lambda x: " ".join(w.strip().title() for w in x.split(",")[::-1])),
    (lambda r: f"{C(r, TREES).upper()} ({C(r, LATIN).upper()})", lambda x: x.split("(")[1][:-1].capitalize()))  # fmt: skip
two("chain",
    (lambda r: f"tag {C(r, 'ABC').lower()}-{r.randrange(1, 999)}", lambda x: x.split()[1].upper().replace("-", "")),
    (lambda r: f"{C(r, COLOURS)} / crew {C(r, 'abc')}", lambda x: f"Crew {x[-1].upper()}"))  # fmt: skip
two("chain",
    (lambda r: f"{C(r, ACCENTED)}; {r.randrange(10, 99)}", lambda x: plain(x.split(";")[0]).lower()),
    (lambda r: f"{C(r, STREETS)}, {C(r, TOWNS)}", lambda x: x.split(", ")[1].lower().replace(" ", "_")))  # fmt: skip
two("chain",
    (lambda r: f"{C(r, LATIN)} | {r.randrange(1, 900)}", lambda x: f"T{x.split(' | ')[1].zfill(4)}"),
    (lambda r: f"nr {r.randrange(1, 900)} - {C(r, TREES)}", lambda x: x.split()[1].zfill(5)))  # fmt: skip
two("chain",
    (lambda r: f"{C(r, FIRST)} {C(r, LAST)} <{C(r, COLOURS)}@almery.example>", lambda x: x.split("<")[1][:-1].split("@")[0].upper()),
    (lambda r: f"{C(r, TOWNS)} ({C(r, COLOURS)}-{r.randrange(10, 99)})", lambda x: x.split("-")[-1][:-1]))  # fmt: skip


def tuned() -> list[Task]:
    """The tasks to tune on."""
    return TASKS[0::2]


def held_out() -> list[Task]:
    """The tasks that are held out."""
    return TASKS[1::2]
