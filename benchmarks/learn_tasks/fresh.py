# fmt: off
"""Tasks for `learn`, written before its costs were fitted and never tuned on."""

from __future__ import annotations

import datetime as dt
import random
import re
from collections.abc import Callable
from typing import Any

from benchmarks.learn_tasks.made import Raw, Task

TASKS: list[Task] = []
SHIPS = ["Grey Heron", "Morning Star", "Old Margit", "Sea Lark", "Three Brothers", "Wind Rose", "Lone Gull", "Red Kite"]
PORTS = ["Saltby", "Low Tarn", "Stonemere", "Harrowgate Quay", "Eastwick", "Port Almery", "Tarn Head"]
CARGO = ["timber", "salt", "wool", "grain", "slate", "rope", "lamp oil"]
PEOPLE = ["Ines Calder", "Marek Dolan", "Jo Ann Sorrel", "Pietro Vance", "Lia Oberg", "Sven Tallis", "Ruth Amberley"]


def add(kind: str, make: Callable[[random.Random], Raw], wanted: Callable[[Any], str], rows: int = 30) -> None:
    source = random.Random(kind)
    raws = list(dict.fromkeys(make(source) for _ in range(rows)))
    TASKS.append(Task(kind, tuple(raws), tuple(wanted(raw) for raw in raws)))


def day(r: random.Random) -> dt.date:
    return dt.date(2015, 1, 1) + dt.timedelta(days=r.randrange(3500))


C = random.Random.choice
N = random.Random.randrange


def manifest(r: random.Random) -> str:
    return f"{C(r, SHIPS)} / {C(r, CARGO)} / {N(r, 5, 900)} t / {C(r, PORTS)}"


def berth(r: random.Random) -> str:
    return f"{C(r, PORTS)} (berth {N(r, 1, 40)})"


def ticket(r: random.Random) -> str:
    return f"TK-{N(r, 1, 99999):05d}-{C(r, 'ABCD')}"


def crew(r: random.Random) -> str:
    return f"{C(r, PEOPLE)}, {C(r, ['mate', 'cook', 'master', 'deckhand'])}, since {N(r, 1990, 2024)}"


def wide(r: random.Random) -> str:
    return f"  {C(r, SHIPS)}{' ' * N(r, 1, 4)}{C(r, ['I', 'II', 'III'])} "


add("ship of a manifest", manifest, lambda x: x.split(" / ")[0])
add("port of a manifest", manifest, lambda x: x.split(" / ")[-1])
add("tons", manifest, lambda x: x.split(" / ")[2].split()[0])
add("cargo, capital", manifest, lambda x: x.split(" / ")[1].capitalize())
add("cargo to port", manifest, lambda x: f"{x.split(' / ')[1]} to {x.split(' / ')[3]}")
add("manifest with semicolons", manifest, lambda x: x.replace(" / ", ";"))
add("berth", berth, lambda x: re.findall("[0-9]+", x)[0])
add("port without berth", berth, lambda x: x.split(" (")[0])
add("port in capitals", berth, lambda x: x.split(" (")[0].upper())
add("berth as a key", berth, lambda x: x.split(" (")[0].lower().replace(" ", "-"))
add("B and berth", berth, lambda x: "B" + re.findall("[0-9]+", x)[0])
add("ticket number", ticket, lambda x: x.split("-")[1])
add("ticket without zeros", ticket, lambda x: x.split("-")[1].lstrip("0"))
add("ticket class", ticket, lambda x: x[-1])
add("ticket together", ticket, lambda x: x.replace("-", ""))
add("ticket turned round", ticket, lambda x: "-".join(reversed(x.split("-")[1:])))
add("crew name", crew, lambda x: x.split(",")[0])
add("crew year", crew, lambda x: x[-4:])
add("crew rank, capital", crew, lambda x: x.split(", ")[1].title())
add("crew surname first", crew, lambda x: f"{x.split(',')[0].split()[-1]}, {' '.join(x.split(',')[0].split()[:-1])}")
add("crew rank and name", crew, lambda x: f"{x.split(', ')[1]} {x.split(', ')[0]}")
add("crew with initials", crew, lambda x: "".join(word[0] for word in x.split(",")[0].split()))
add("spaces put right", wide, lambda x: " ".join(x.split()))
add("ship in snake", wide, lambda x: "_".join(x.lower().split()))
add("last word of a ship", wide, lambda x: x.split()[-1])
add("dots to ISO", lambda r: day(r).strftime("%d.%m.%Y"), lambda x: f"{x[6:]}-{x[3:5]}-{x[:2]}")
add("dots to year", lambda r: day(r).strftime("%d.%m.%Y"), lambda x: x[-4:])
add("ISO to words", lambda r: day(r).isoformat(), lambda x: dt.date.fromisoformat(x).strftime("%-d %B %Y"))
add("ISO to month and year", lambda r: day(r).isoformat(), lambda x: dt.date.fromisoformat(x).strftime("%m/%Y"))
add("ISO to weekday", lambda r: day(r).isoformat(), lambda x: dt.date.fromisoformat(x).strftime("%A"))
add("ISO to quarter", lambda r: day(r).isoformat(), lambda x: f"Q{(int(x[5:7]) + 2) // 3}")
add("words to ISO", lambda r: day(r).strftime("%B %-d, %Y"), lambda x: dt.datetime.strptime(x, "%B %d, %Y").date().isoformat())
add("short months to plain", lambda r: day(r).strftime("%d-%b-%y"), lambda x: dt.datetime.strptime(x, "%d-%b-%y").strftime("%Y%m%d"))
add("time of a stamp", lambda r: f"{day(r)}T{N(r, 0, 24):02d}:{N(r, 0, 60):02d}Z", lambda x: x[11:16])
add("day of a stamp", lambda r: f"{day(r)}T{N(r, 0, 24):02d}:{N(r, 0, 60):02d}Z", lambda x: x[:10])
add("amount with a unit", lambda r: f"{N(r, 1, 9)},{N(r, 100, 999)}.{N(r, 10, 99)} CR", lambda x: x[:-3].replace(",", ""))
add("amount with a comma", lambda r: f"{N(r, 1, 9)}.{N(r, 100, 999)},{N(r, 10, 99)}", lambda x: x.replace(".", "").replace(",", "."))
add("kilometres", lambda r: f"{N(r, 1, 500)}.{N(r, 1, 9)} km", lambda x: x[:-3])
add("kilometres with a colon", lambda r: f"{N(r, 1, 500)} km", lambda x: f"distance: {x[:-3]}")
add("percent", lambda r: f"ca. {N(r, 1, 100)} %", lambda x: x[4:-2])
add("five digits", lambda r: str(N(r, 1, 9999)), lambda x: x.zfill(5))
add("code with zeros inside", lambda r: f"{C(r, 'ABC')}{N(r, 1, 999)}", lambda x: x[0] + x[1:].zfill(4))
add("postcode in an address", lambda r: f"{N(r, 1, 90)} Rope Walk, {N(r, 10000, 99999)} {C(r, PORTS)}", lambda x: re.findall("[0-9]{5}", x)[0])
add("town of an address", lambda r: f"{N(r, 1, 90)} Rope Walk, {N(r, 10000, 99999)} {C(r, PORTS)}", lambda x: x.split(", ")[1][6:])
add("house number last", lambda r: f"{N(r, 1, 90)} {C(r, ['Rope Walk', 'Mill Lane', 'Quay Street'])}", lambda x: f"{x.split(' ', 1)[1]} {x.split(' ', 1)[0]}")
add("mail to name", lambda r: C(r, PEOPLE).lower().replace(" ", ".") + "@tern.example", lambda x: x.split("@")[0].replace(".", " ").title())
add("mail domain", lambda r: C(r, PEOPLE).lower().replace(" ", ".") + f"@{C(r, ['tern', 'gull', 'heron'])}.example", lambda x: x.split("@")[1])
add("name to mail", lambda r: C(r, PEOPLE), lambda x: x.lower().replace(" ", ".") + "@tern.example")
add("accents off", lambda r: C(r, ["Café", "Älv", "Señal", "Über", "Crème", "Łódź"]) + " " + C(r, CARGO), lambda x: x.translate(str.maketrans("éÄñÜèŁóź", "eAnUeLoz")))
add("hash marks off", lambda r: f"#{C(r, CARGO)}!", lambda x: x[1:-1])
add("pascal from words", lambda r: f"{C(r, CARGO)} {C(r, ['store', 'hold', 'yard'])} {C(r, ['north', 'south'])}", lambda x: "".join(w.title() for w in x.split()))
add("words from pascal", lambda r: "".join(w.title() for w in f"{C(r, ['salt', 'rope', 'wool'])} {C(r, ['store', 'hold', 'yard'])} {C(r, ['north', 'south'])}".split()), lambda x: re.sub("(?<=[a-z])(?=[A-Z])", " ", x))
add("comma way", lambda r: C(r, ["{1}, {0}", "{0} {1}"]).format(*C(r, PEOPLE).rsplit(" ", 1)), lambda x: " ".join(reversed(x.split(", "))) if ", " in x else x)
add("missing note", lambda r: f"{C(r, PORTS)}{C(r, ['', ' - closed', ' - ferry only'])}", lambda x: x.split(" - ")[0])
add("two columns, dash", lambda r: (C(r, PORTS), str(N(r, 1, 50))), lambda x: f"{x[0]} - {x[1]}")
add("two columns, initial", lambda r: tuple(C(r, PEOPLE).rsplit(" ", 1)), lambda x: f"{x[1]}, {x[0][0]}.")
add("three columns, address", lambda r: (C(r, PORTS), f"{N(r, 1, 80)}", C(r, ["Rope Walk", "Mill Lane"])), lambda x: f"{x[1]} {x[2]}, {x[0]}")
add("two columns, capitals", lambda r: (C(r, CARGO), C(r, PORTS)), lambda x: f"{x[0].upper()} ({x[1]})")
add("last four", lambda r: f"{N(r, 1000, 9999)} {N(r, 1000, 9999)} {N(r, 1000, 9999)}", lambda x: x[-4:])
add("masked", lambda r: f"{N(r, 1000, 9999)} {N(r, 1000, 9999)} {N(r, 1000, 9999)}", lambda x: f"**** **** {x[-4:]}")
