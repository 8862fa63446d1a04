"""Make the sample scenario: the street-tree register of Port Almery, a made-up harbour town.

Three crews with three habits surveyed the same streets. Everything is made up, apart from the names of trees,
and comes out byte for byte the same each time:  python tools/make_demo_data.py [FOLDER]
"""

from __future__ import annotations

import csv
import random
import sys
from collections.abc import Callable
from pathlib import Path

FOLDER = Path(__file__).parent.parent / "src" / "igual" / "demo" / "data"
TREES = 2_000

SPECIES = {  # name: botanical name, code of the crews, other names
    "Norway maple": ("Acer platanoides", "ACPL", ()),
    "Field maple": ("Acer campestre", "ACCA", ("Hedge maple",)),
    "Sycamore": ("Acer pseudoplatanus", "ACPS", ("Sycamore maple",)),
    "Horse chestnut": ("Aesculus hippocastanum", "AEHI", ()),
    "Silver birch": ("Betula pendula", "BEPE", ("Warty birch",)),
    "Common hornbeam": ("Carpinus betulus", "CABE", ("Hornbeam",)),
    "Common hawthorn": ("Crataegus monogyna", "CRMO", ("Hawthorn", "Maythorn")),
    "Common beech": ("Fagus sylvatica", "FASY", ("European beech",)),
    "Common ash": ("Fraxinus excelsior", "FREX", ("European ash",)),
    "Ginkgo": ("Ginkgo biloba", "GIBI", ("Maidenhair tree",)),
    "London plane": ("Platanus x hispanica", "PLHI", ()),
    "Wild cherry": ("Prunus avium", "PRAV", ("Gean",)),
    "Common oak": ("Quercus robur", "QURO", ("English oak", "Pedunculate oak")),
    "Turkey oak": ("Quercus cerris", "QUCE", ()),
    "Black locust": ("Robinia pseudoacacia", "ROPS", ("False acacia",)),
    "Rowan": ("Sorbus aucuparia", "SOAU", ("Mountain ash",)),
    "Small-leaved lime": ("Tilia cordata", "TICO", ("Littleleaf linden",)),
    "Large-leaved lime": ("Tilia platyphyllos", "TIPL", ()),
    "Wych elm": ("Ulmus glabra", "ULGL", ("Scots elm",)),
    "Judas tree": ("Cercis siliquastrum", "CESI", ()),
}
NEVER_PLANTED = {"Judas tree"}
MISSPELT = {
    "maple": "mapel", "birch": "brich", "hornbeam": "hornbeem", "hawthorn": "hawthron", "chestnut": "chesnut",
    "plane": "plain", "Norway": "Norwy", "beech": "beach",
}  # fmt: skip
CONDITION = {"1": "good", "2": "fair", "3": "poor", "4": "dying", "5": "dead"} | {
    "G": "good", "F": "fair", "P": "poor", "Y": "dying", "D": "dead",
}  # fmt: skip
LABELS = ("good", "fair", "poor", "dying", "dead")
SITE = {
    "a": "avenue", "A": "alley", "c": "churchyard", "C": "courtyard", "p": "park", "P": "parking place",
    "s": "street", "S": "schoolyard", "h": "harbour front",
}  # fmt: skip
DISTRICTS = {
    "Old Town": ("Oldtown Ward",), "Harbour": ("The Harbour",), "Saint Brannock": ("St Brannock", "St. Brannock's"),
    "Millfield": ("Mill Field Ward",), "Saltmarsh": (), "North Quay": ("N. Quay",), "South Quay": ("S. Quay",),
    "Kestrel Hill": (), "Cala Brión": (), "Lanternside": (),
}  # fmt: skip
CONTRACTORS = {
    "Greenleaf & Sons": (), "Aldous Tree Care Ltd": ("Aldous",), "Marrow Brothers": ("Marrow Bros",),
    "Tidewater Arborists": (), "Pell & Quay": (), "Almery Parks Department": ("Parks Dept", "Parks"),
    "Jardins Brión": (),
}  # fmt: skip
STREETS = (
    "Harbour Road", "Street of the Ropemakers", "Lantern Lane", "Mill Street", "Kestrel Hill Road", "Quay Street",
    "Saint Brannock's Walk", "Alley of the Nets", "Saltmarsh Way", "NW Ring Road", "Church Street", "Pilot's Row",
)  # fmt: skip
NOTES = (
    "leans towards {street}, stake missing",
    "next to bus stop, {district}",
    "roots lift the pavement\nin {street}",
    "dead wood over {street}; {district} informed",
    "new since last survey",
)


def misspelt(text: str, chance: random.Random) -> str:
    """The text with one of its words written as it is often miswritten, if it has such a word."""
    known = [word for word in MISSPELT if word in text]
    return text.replace(word := chance.choice(known), MISSPELT[word]) if known else text


def upper_crew(text: str, chance: random.Random) -> str:
    """The first crew types on a rugged handheld: capitals, doubled and trailing spaces."""
    text = text.upper()
    if chance.random() < 0.15:
        text = text.replace(" ", "  ", 1)
    return text + " " if chance.random() < 0.12 else text


def lower_crew(text: str, chance: random.Random) -> str:
    """The second crew types on a telephone: small letters, hyphens, a leading space from the keyboard."""
    text = text.lower()
    if chance.random() < 0.08:
        text = text.replace(" ", "-", 1)
    return " " + text if chance.random() < 0.08 else text


def office_crew(text: str, chance: random.Random) -> str:
    """The third crew types in an office and pastes from web pages: no-break spaces, full stops."""
    if chance.random() < 0.1:
        text = text.replace(" ", "\u00a0", 1)
    return text + "." if chance.random() < 0.04 else text


CREWS: tuple[Callable[[str, random.Random], str], ...] = (upper_crew, lower_crew, office_crew)


def species_as_written(name: str, crew: int, chance: random.Random) -> str:
    botanical, code, others = SPECIES[name]
    kind = chance.random()
    if kind < (0.05, 0.30, 0.02)[crew]:
        return code if chance.random() < 0.9 else code.lower()
    if kind < 0.38:
        return CREWS[crew](botanical, chance)
    if others and kind < 0.5:
        return CREWS[crew](chance.choice(others), chance)
    return CREWS[crew](misspelt(name, chance) if chance.random() < 0.12 else name, chance)


def condition_as_written(label: str, crew: int, chance: random.Random) -> str:
    if chance.random() < 0.02:
        return chance.choice(("9", "9", "?", "n/a", ""))
    codes = [code for code, meaning in CONDITION.items() if meaning == label]
    if crew == 2:
        return label
    return codes[crew] + (" " if chance.random() < 0.05 else "")


def height_as_written(metres: float, crew: int, chance: random.Random) -> str:
    if chance.random() < 0.03:
        return chance.choice(("n/a", "?", "-", "tall"))
    return f"{metres:.1f}".replace(".", "," if crew == 1 else ".")


def tree(number: int, chance: random.Random) -> list[str]:
    crew = chance.choices((0, 1, 2), (5, 4, 3))[0]
    write = CREWS[crew]
    planted = [name for name in SPECIES if name not in NEVER_PLANTED]
    name = chance.choices(planted, [1 + 60 // (place + 2) for place in range(len(planted))])[0]
    district, street = chance.choice(list(DISTRICTS)), chance.choice(STREETS)
    spelling = chance.choice((district, district, district, *DISTRICTS[district]))
    contractor = chance.choice(list(CONTRACTORS))
    firm = chance.choice((contractor, contractor, *CONTRACTORS[contractor])).replace(
        "&", "and" if crew == 1 else "&"
    )
    note = chance.choice(NOTES).format(street=street, district=district) if chance.random() < 0.2 else ""
    site = chance.choices(list(SITE), (6, 3, 1, 2, 5, 2, 9, 1, 2))[0]
    return [
        f"{number:05d}",
        species_as_written(name, crew, chance),
        condition_as_written(chance.choices(LABELS, (8, 6, 3, 1, 1))[0], crew, chance),
        site if chance.random() > 0.008 else "x",
        write(spelling, chance),
        write(street, chance),
        write(firm, chance),
        f"{chance.randint(1, 28):02d}/{chance.randint(1, 12):02d}/{chance.randint(1955, 2025)}",
        height_as_written(chance.uniform(1.5, 28), crew, chance),
        note,
    ]  # fmt: skip


def trees() -> list[list[str]]:
    chance = random.Random("Port Almery")
    rows = [tree(number, chance) for number in range(1, TREES + 1)]
    # What no rule of the sample sets right: it must show up as unknown.
    for place, species in (
        (77, "Mapel sp."),
        (420, "Unidentified"),
        (421, "Unidentified"),
        (1203, "Oak?"),
        (1650, "Weeping willow"),
        (1700, "Cherry"),
        (1701, "Cherry"),
        (1702, "Cherry"),
        (1710, "Horse chesnut tree"),
        (1720, "Maple"),
        (1721, "Maple"),
        (1730, "Plane"),
    ):
        rows[place][1] = species
    for place, contractor in (
        (130, "Jardins BriÃ³n"),
        (131, "Jardins BriÃ³n"),
        (800, "Pell & Quаy"),
        (950, "self"),
        (960, "Tidewater"),
        (961, "Tidewater"),
        (970, "Aldous Tree Cair"),
    ):
        rows[place][6] = contractor
    rows[600][4], rows[601][4] = "Old\nTown", "Harb\u200bour"
    return rows


# What a steward ruled on the open values of May: column, value, rows, ruling, reason.
RULINGS = (
    ("species", "Cherry", "3", "Wild cherry", "the park has no other"),
    ("species", "Maple", "2", "keep as it is", "which one is seen when it has leaves"),
    ("species", "Oak?", "1", "Common oak", "seen on the spot"),
    ("species", "Plane", "1", "alias of London plane", ""),
    ("species", "Unidentified", "2", "not in the list", ""),
    ("species", "Weeping willow", "1", "new entry", "planted by the harbour in 2024"),
    ("firm", "Tidewater", "2", "alias of Tidewater Arborists", ""),
    ("firm", "Aldous Tree Cair", "1", "Aldous Tree Care Ltd", ""),
    ("firm", "self", "1", "Almery Parks Departmant", "the crew itself"),
)  # fmt: skip


def june() -> list[list[str]]:
    """The next month: fewer trees, what was ruled on in May, and variants nobody has seen."""
    chance = random.Random("Port Almery in June")
    rows = [tree(number, chance) for number in range(TREES + 1, TREES + 401)]
    odd = ["Cherry", "cherry", "Oak?", "Maple", "Plane", "Weeping willow", "WEEPING WILLOW", "Weeping wilow",
           "Turkish oak", "Silver lime", "Unidentified", "Tilia crodata"]  # fmt: skip
    for place, species in enumerate(odd):
        rows[20 + 11 * place][1] = species
    for place, firm in ((31, "Tidewater"), (62, "Tidewater"), (93, "Aldous Tree Cair"), (124, "Greenleaf")):
        rows[place][6] = firm
    return rows


def write(path: Path, header: list[str], rows: list[list[str]]) -> None:
    with path.open("w", encoding="utf-8", newline="") as file:
        writer = csv.writer(file, lineterminator="\n")
        writer.writerow(header)
        writer.writerows(rows)


def make(folder: Path) -> None:
    header = [
        "tree",
        "species",
        "condition",
        "site",
        "district",
        "street",
        "contractor",
        "planted",
        "height_m",
        "notes",
    ]
    write(folder / "trees.csv", header, trees())
    write(folder / "june.csv", header, june())
    write(
        folder / "ruled.csv", ["column", "value", "rows", "ruling", "reason"], [list(row) for row in RULINGS]
    )
    write(
        folder / "species.csv",
        ["value", "alias", "botanical", "code"],
        [
            [name, "|".join((botanical, code, *others)), botanical, code]
            for name, (botanical, code, others) in SPECIES.items()
        ],
    )
    for name, entries in (("districts", DISTRICTS), ("contractors", CONTRACTORS)):
        write(
            folder / f"{name}.csv",
            ["value", "alias"],
            [[entry, "|".join(others)] for entry, others in entries.items()],
        )
    listed = ("mapel", "brich", "hornbeem", "chesnut", "norwy", "sicamore")
    meant = {wrong.lower(): right for right, wrong in MISSPELT.items()} | {"sicamore": "sycamore"}
    write(folder / "misspellings.csv", ["from", "to"], [[wrong, meant[wrong].lower()] for wrong in listed])
    for name, codes in (("condition", CONDITION), ("site", SITE)):
        write(folder / f"{name}.csv", ["code", "label"], [[code, label] for code, label in codes.items()])


if __name__ == "__main__":
    make(Path(sys.argv[1]) if len(sys.argv) > 1 else FOLDER)
