# fmt: off
"""More tasks for `learn`, written after it was tuned, as values that were found rather than made."""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence
from typing import Any

from benchmarks.learn_tasks.made import Raw, Task


def lines(text: str) -> list[str]:
    return [line.strip() for line in text.strip().split("\n")]


TASKS: list[Task] = []


def add(kind: str, raws: Sequence[Raw], wanted: Callable[[Any], str]) -> None:
    TASKS.append(Task(kind, tuple(raws), tuple(wanted(raw) for raw in raws)))


NAMES = lines("""
    Mr. Paulo Andrade
    Ms. Ingrid Sole
    Dr. Tomas Wren
    Mrs. Beata Kowal
    Mr. Yusuf Demir
    Dr. Alma Ruiz
    Ms. Nora Field
    Mr. Otto Lang
""")
add("title off", NAMES, lambda x: x.split(" ", 1)[1])
add("surname in capitals", NAMES, lambda x: x.split()[-1].upper())
add("initials of a titled name", NAMES, lambda x: "".join(w[0] for w in x.split()[1:]))
PARTS = lines("""
    BRK-0042-L (left brake)
    BRK-0043-R (right brake)
    AXL-0120-L (left axle)
    PMP-1311-X (fuel pump)
    VLV-0007-R (relief valve)
    PMP-0202-X (oil pump, old)
    FLT-0555-L (air filter)
""")
add("part number", PARTS, lambda x: x.split("-")[1])
add("part number, no zeros", PARTS, lambda x: x.split("-")[1].lstrip("0"))
add("part description", PARTS, lambda x: x.split("(")[1][:-1].capitalize())
add("part code", PARTS, lambda x: x.split(" ")[0].replace("-", ""))
add("part group and side", PARTS, lambda x: f"{x[:3]}/{x.split(' ')[0][-1]}")
ROOMS = lines("""
    Building A, floor 2, room 14
    Building C, floor 11, room 3
    Building A, floor 0, room 101
    Building F, floor 4, room 27
    Building B, floor 10, room 8
    Building D, floor 3, room 310
""")
add("floor", ROOMS, lambda x: re.findall("[0-9]+", x)[0])
add("room", ROOMS, lambda x: x.split()[-1])
add("short room", ROOMS, lambda x: f"{x[9]}-{re.findall('[0-9]+', x)[0]}-{re.findall('[0-9]+', x)[1]}")
add("building", ROOMS, lambda x: x.split(",")[0])
TEMPS = lines("""
    -3,5 °C
    12,0 °C
    0,4 °C
    -11,25 °C
    7,75 °C
    30,1 °C
""")
add("temperature", TEMPS, lambda x: f"{float(x.split()[0].replace(',', '.')):g}")
PRICES = lines("""
    EUR 1,299.00
    EUR 45.50
    EUR 10,000.00
    EUR 7.25
    EUR 310.10
""")
add("price", PRICES, lambda x: f"{float(x[4:].replace(',', '')):g}")
add("price, decimal comma", PRICES, lambda x: x[4:].replace(",", "").replace(".", ","))
STAMPS = lines("""
    2023-11-05T08:15:00
    2024-02-29T23:59:10
    2021-07-14T00:00:00
    2022-12-31T12:30:45
    2020-03-01T06:07:08
""")
add("day of a stamp", STAMPS, lambda x: x[:10])
add("time of a stamp", STAMPS, lambda x: x[11:16])
add("month of a stamp", STAMPS, lambda x: f"{x[5:7]}/{x[:4]}")
DATES = lines("""
    5 Jan 2021
    17 Mar 2022
    30 Nov 2020
    1 Aug 2023
    22 Feb 2024
    9 Oct 2019
""")
add(
    "date to ISO",
    DATES,
    lambda x: {
        "Jan": "2021-01-05",
        "Mar": "2022-03-17",
        "Nov": "2020-11-30",
        "Aug": "2023-08-01",
        "Feb": "2024-02-22",
        "Oct": "2019-10-09",
    }[x.split()[1]],
)
add(
    "weekday, short",
    DATES,
    lambda x: {"Jan": "Tue", "Mar": "Thu", "Nov": "Mon", "Aug": "Tue", "Feb": "Thu", "Oct": "Wed"}[
        x.split()[1]
    ],
)
add(
    "quarter",
    DATES,
    lambda x: {
        "Jan": "Q1 2021",
        "Mar": "Q1 2022",
        "Nov": "Q4 2020",
        "Aug": "Q3 2023",
        "Feb": "Q1 2024",
        "Oct": "Q4 2019",
    }[x.split()[1]],
)
TITLES = lines("""
    THE_HARBOUR_MASTER
    NIGHT_FERRY
    A_LANTERN_FOR_TWO
    LOW_WATER
    THE_SALT_PATHS
""")
add("title from constant", TITLES, lambda x: x.replace("_", " ").capitalize())
add("slug from constant", TITLES, lambda x: x.replace("_", "-").lower())
add(
    "camel from constant",
    TITLES,
    lambda x: x.split("_")[0].lower() + "".join(w.title() for w in x.split("_")[1:]),
)
KEYS = lines("""
    userName
    lastLoginDate
    homeTown
    shoeSize
    firstVisit
""")
add("words from camel", KEYS, lambda x: re.sub("([A-Z])", r" \1", x).lower())
add("snake from camel", KEYS, lambda x: re.sub("([A-Z])", r"_\1", x).lower())
add("sentence from camel", KEYS, lambda x: re.sub("([A-Z])", r" \1", x).lower().capitalize())
URLS = lines("""
    http://www.saltby.example/news/index.html
    https://ilex-point.example/about/team.html
    http://www.tern.example/a/b/c/list.html
    https://harbour.example/shop.html
""")
add("page of an address", URLS, lambda x: x.split("/")[-1].removesuffix(".html"))
add("host of an address", URLS, lambda x: x.split("/")[2])
add("host without www", URLS, lambda x: x.split("/")[2].removeprefix("www."))
PHONES = lines("""
    +99 (20) 555-0142
    +99 (31) 555-0175
    +99 (44) 555-0118
    +99 (20) 555-0199
""")
add("digits of a phone", PHONES, lambda x: re.sub("[^0-9]", "", x))
add("area of a phone", PHONES, lambda x: x[5:7])
add("phone anew", PHONES, lambda x: f"0{x[5:7]} {x[9:12]} {x[13:]}")
SIZES = lines("""
    120x80
    60x60
    200x45
    95x110
""")
add("width", SIZES, lambda x: x.split("x")[0])
add("sizes apart", SIZES, lambda x: x.replace("x", " × "))
add("turned sizes", SIZES, lambda x: "x".join(x.split("x")[::-1]))
PLACES = lines("""
    Saltby (North)
    Ilex Point
    Low Tarn (East)
    Stonemere
    Vessel Bay (South)
    Port Almery
""")
add("parentheses off", PLACES, lambda x: x.split(" (")[0])
add("side or central", PLACES, lambda x: x.split("(")[1][:-1] if "(" in x else "Central")
add("side first", PLACES, lambda x: f"{x.split('(')[1][:-1]} {x.split(' (')[0]}" if "(" in x else x)
GRADES = lines("""
    good
    GOOD
    Fair
    poor
    POOR
    fair
""")
add("one case", GRADES, str.capitalize)
CODES = lines("""
    7
    12
    105
    33
    4
    998
""")
add("codes of three digits", CODES, lambda x: x.zfill(3))
add("codes with a letter", CODES, lambda x: f"N{x}")
IDS = lines("""
    00451-7
    01200-3
    90011-9
    00003-1
""")
add("id without the check digit", IDS, lambda x: x.split("-")[0])
add("id without zeros", IDS, lambda x: x.split("-")[0].lstrip("0"))
ACCENTS = lines("""
    Málaga Vieja
    Orléans-Nord
    São Brás
    Zürich Süd
    Córdoba
""")
add("accents", ACCENTS, lambda x: x.translate(str.maketrans("áéãüíóÁ", "aeauioA")))
add(
    "key of a place",
    ACCENTS,
    lambda x: x.translate(str.maketrans("áéãüíóÁ", "aeauioA")).lower().replace(" ", "_").replace("-", "_"),
)
SPECIES = lines("""
    Quercus robur L.
    Acer campestre L.
    Tilia x europaea L.
    Ulmus minor Mill.
    Salix alba L.
""")
add("author off", SPECIES, lambda x: x.rsplit(" ", 1)[0])
add("genus", SPECIES, lambda x: x.split()[0])
add(
    "two columns, name and year",
    [("Saltby", "1998"), ("Ilex Point", "2004"), ("Stonemere", "1987"), ("Low Tarn", "2011")],
    lambda x: f"{x[0]} ({x[1]})",
)
add(
    "two columns, code",
    [("brake", "42"), ("axle", "7"), ("pump", "131"), ("valve", "20")],
    lambda x: f"{x[0][:3].upper()}-{x[1]}",
)
add(
    "three columns, with one missing",
    [("Ana", "Maria", "Sole"), ("Otto", "", "Lang"), ("Nora", "Lea", "Field"), ("Alma", "", "Ruiz")],
    lambda x: " ".join(w for w in x if w),
)
add(
    "mail from two columns",
    [("Ana", "Sole"), ("Otto", "Lang"), ("Nora", "Field"), ("Alma", "Ruiz")],
    lambda x: f"{x[0].lower()}.{x[1].lower()}@tern.example",
)
MONTHS = lines("""
    January 2021
    March 2020
    December 2019
    June 2022
""")
add("short month", MONTHS, lambda x: f"{x[:3]} {x[-2:]}")
QUANT = lines("""
    3 boxes of 12
    10 boxes of 6
    1 box of 24
    25 boxes of 8
""")
add("how many boxes", QUANT, lambda x: x.split()[0])
add("how many in a box", QUANT, lambda x: x.split()[-1])
add("boxes times pieces", QUANT, lambda x: f"{x.split()[0]}x{x.split()[-1]}")
SENT = lines("""
    Ferry 12 to Saltby departs at 08:40
    Ferry 3 to Low Tarn departs at 17:05
    Ferry 101 to Stonemere departs at 06:15
    Ferry 7 to Nether Fenwick departs at 22:30
""")
add("destination", SENT, lambda x: x.split(" to ")[1].split(" departs")[0])
add("departure", SENT, lambda x: x[-5:])
add("ferry and time", SENT, lambda x: f"{x.split()[1]} @ {x[-5:]}")

inv=lines("""INV/2023/00451
INV/2024/00007
CRN/2023/01200
INV/2022/00999
CRN/2024/00031""")
add("invoice no",inv,lambda x:x.split("/")[-1].lstrip("0"))
add("invoice year+type",inv,lambda x:x[:3].lower()+x[6:8])
add("invoice dashes",inv,lambda x:x.replace("/","-"))
add("invoice short",inv,lambda x:x.split("/")[1]+"."+x.split("/")[2])
books=lines("""Calder, M. (1998). The long shore.
Osei, K. (2004). Salt and rope.
Vance, T. (1987). A map of tides.
Ilves, R. (2015). Northern piers.
Brand, L. (2001). Lanterns.""")
add("author",books,lambda x:x.split(",")[0])
add("year",books,lambda x:x.split("(")[1][:4])
add("title",books,lambda x:x.split("). ")[1].rstrip("."))
add("author year",books,lambda x:x.split(",")[0]+" "+x.split("(")[1][:4])
add("title caps",books,lambda x:x.split("). ")[1].rstrip(".").upper())
coords=lines("""N 43.1234, E 5.4321
N 51.5000, W 0.1275
S 33.8688, E 151.2093
N 60.1699, E 24.9384""")
add("lat",coords,lambda x:x.split(",")[0].split()[1])
add("lon letter",coords,lambda x:x.split(", ")[1][0])
add("coords plain",coords,lambda x:x.split(", ")[0].split()[1]+";"+x.split(", ")[1].split()[1])
logs=lines("""[2024-03-05 08:15] WARN pump: low pressure
[2024-03-05 08:17] ERROR valve: stuck
[2024-03-06 11:02] INFO gate: opened
[2024-03-07 23:59] WARN pump: off""")
add("level",logs,lambda x:x.split("] ")[1].split()[0])
add("level title",logs,lambda x:x.split("] ")[1].split()[0].capitalize())
add("device",logs,lambda x:x.split(":")[-2].split()[-1])
add("message",logs,lambda x:x.split(": ")[1])
add("log day",logs,lambda x:x[1:11])
add("log day dmy",logs,lambda x:f"{x[9:11]}/{x[6:8]}/{x[1:5]}")
nums=lines("""1 234,50
12 000,00
7,25
450,10
1 000 000,99""")
add("num point",nums,lambda x:f"{float(x.replace(' ','').replace(',','.')):.2f}".rstrip('0').rstrip('.'))
add("num no space",nums,lambda x:x.replace(" ",""))
pct=lines("""12.5%
7%
100%
0.25%""")
add("pct off",pct,lambda x:x[:-1])
add("pct word",pct,lambda x:x[:-1]+" percent")
iso=lines("""2023-01-31
2022-12-05
2024-07-19
2021-10-10""")
add("mon yy",iso,lambda x:{"01":"Jan","12":"Dec","07":"Jul","10":"Oct"}[x[5:7]]+"-"+x[2:4])
add("month word",iso,lambda x:{"01":"January","12":"December","07":"July","10":"October"}[x[5:7]])
add("us date",iso,lambda x:f"{int(x[5:7])}/{int(x[8:])}/{x[:4]}")
add("compact",iso,lambda x:x.replace("-",""))
add("weekday lower",iso,lambda x:{"2023-01-31":"tuesday","2022-12-05":"monday","2024-07-19":"friday","2021-10-10":"sunday"}[x])
cars=lines("""Kestrel GT 1.6 (petrol)
Tern 2.0 (diesel)
Heron XL 1.4 (petrol)
Plover 3.0 (electric)""")
add("fuel upper initial",cars,lambda x:x.split("(")[1][0].upper())
add("engine",cars,lambda x:re.findall(r"\d\.\d", x)[0])
add("model",cars,lambda x:x.split()[0])
add("without fuel",cars,lambda x:x.split(" (")[0])
add("fuel first",cars,lambda x:x.split("(")[1][:-1]+": "+x.split(" (")[0])
snake=lines("""tree_height_cm
crew_name
site_code_old
planted_on""")
add("title words",snake,lambda x:x.replace("_"," ").title())
add("pascal",snake,lambda x:"".join(w.title() for w in x.split("_")))
add("last word",snake,lambda x:x.split("_")[-1])
names=lines("""DE LA CRUZ, MARIA
OKORO, PETER
VAN DYK, ELS
SATO, KEN""")
add("first last title",names,lambda x:" ".join(p.title() for p in x.split(", ")[::-1]))
add("surname title",names,lambda x:x.split(",")[0].title())
add("initial surname",names,lambda x:x.split(", ")[1][0]+". "+x.split(",")[0].title())
grades=lines("""A+ (95)
B (81)
C- (70)
A (90)""")
add("score",grades,lambda x:x.split("(")[1][:-1])
add("letter",grades,lambda x:x[0])
acc=["BANK-00012345678","BANK-00099887766","BANK-10020030040"]
add("mask",acc,lambda x:"*"*12+x[-4:])
add("last4",acc,lambda x:x[-4:])
add("two col sum",[("12","cm"),("3","kg"),("45","m")],lambda x:f"{x[0]} {x[1]}")
add("two col paren",[("Acer","campestre"),("Tilia","cordata"),("Ulmus","glabra")],lambda x:f"{x[0][0]}. {x[1]}")
add("three col",[("7","Mill Lane","Saltby"),("12","Rope Walk","Stonemere"),("3","Net Alley","Low Tarn")],lambda x:f"{x[1]} {x[0]}, {x[2].upper()}")
add("col drop",[("Ana","x1"),("Bo","x2"),("Cy","x3")],lambda x:x[1])
add("amp",["Rope & Sail","Tar & Oil","Nets & Co"],lambda x:x.replace(" & ","/"))
add("bool",["yes","no","yes ","No"],lambda x:x.strip().lower())
add("ext",["a.b.txt","report.final.pdf","x.csv","m.tar.gz"],lambda x:x.rsplit(".",1)[0])
add("hash",["#12 open","#7 closed","#101 open"],lambda x:x[1:].split()[0])
add("status",["#12 open","#7 closed","#101 open"],lambda x:x.split()[1].title())
add("zip4",["20417-1234","31111","90210-0001","12345"],lambda x:x[:5])
add("phone cc",["0099 123 456","0044 777 888","0033 111 222"],lambda x:"+"+x[2:])
add("tens",["1st","22nd","3rd","14th"],lambda x:re.findall(r"\d+", x)[0])
add("quot",['"red"','"blue"','"green"'],lambda x:x.strip('"'))
add("dbl",["a;;b;c","d;e;;f","g;h;i"],lambda x:x.split(";")[0])
