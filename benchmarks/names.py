"""Names of the same things from two sources with a common code: what the fit and the benchmarks of names match.

Each kind names what one source calls a thing and what another does, joined by a code that both keep. Codes that
were given anew would join different things; such pairs are left in where nothing tells them, so that no method can
be right every time.
"""

from __future__ import annotations

import csv
import json
import re
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from importlib.resources import files
from importlib.resources.abc import Traversable

import numpy as np

# The kinds that the numbers are fitted to; all others are held out whole.
FITTED_TO = (
    "American airports", "American airports, backwards", "airports, long names", "languages", "makers",
    "German banks", "German banks, backwards", "regions", "regions, backwards",
)  # fmt: skip
# Kinds in which most entries share a word.
SHARED_WORD = ("American airports", "other airports", "airports, long names")
_BACKWARDS = ("American airports", "other airports", "German banks", "regions", "trades, another card")
# Names are taken as they are, but for these: a name that is only a placeholder names nothing.
_PLACEHOLDERS = frozenset({"", "private"})


@dataclass(frozen=True)
class Names:
    """Names of one kind of thing in two sources.

    Attributes:
        kind: What is named.
        values: Distinct names in one source, (values,).
        meant: The name of the same thing in the other, (values,).
        entries: All names of the other source, no two the same, (entries,).
    """

    kind: str
    values: Sequence[str]
    meant: Sequence[str]
    entries: Sequence[str]

    def without(self, share: float, seed: int = 5) -> Names:
        """The same where so many of the meant entries are gone from the list, (meant for them: the gone entry)."""
        meant = sorted(set(self.meant))
        chosen = np.random.default_rng(seed).choice(len(meant), int(len(meant) * share), replace=False)
        gone = {meant[place] for place in chosen}
        left = [entry for entry in self.entries if entry not in gone]
        return Names(self.kind, self.values, self.meant, left)


def all_names() -> Iterator[Names]:
    """Every kind, from packages that can be installed; some also with values and entries exchanged."""
    for kind, (values, entries) in _sources().items():
        yield _join(kind, values(), entries())
        if kind in _BACKWARDS:
            yield _join(f"{kind}, backwards", entries(), values())


def _join(kind: str, values: Mapping[str, str], entries: Mapping[str, str]) -> Names:
    """Join two sources by their code; a name that stands for several things is left out."""
    meant: dict[str, set[str]] = {}
    for code, value in values.items():
        if code in entries and value.casefold() not in _PLACEHOLDERS:
            meant.setdefault(value, set()).add(entries[code])
    sure = {value: next(iter(names)) for value, names in meant.items() if len(names) == 1}
    listed = sorted(set(entries.values()) - _PLACEHOLDERS)
    return Names(kind, list(sure), list(sure.values()), listed)


def _sources() -> Mapping[str, tuple[Callable[[], dict[str, str]], Callable[[], dict[str, str]]]]:
    american = re.compile("[KCP]")
    return {
        "American airports": (
            lambda: _pick(_navigation_airports(), american),
            lambda: _pick(_airports("icao"), american),
        ),
        "other airports": (
            lambda: _pick(_navigation_airports(), re.compile("[^KCP]")),
            lambda: _pick(_airports("icao"), re.compile("[^KCP]")),
        ),
        "airports, long names": (_long_airports, lambda: _airports("iata")),
        "languages": (lambda: _locale("languages"), lambda: _iso("639-3", "alpha_3")),
        "makers": (_makers, _registered_makers),
        "German banks": (lambda: _banks("short_name"), lambda: _banks("name")),
        "regions": (_states, lambda: _iso("3166-2", "code")),
        "trades, one card": (lambda: _trades("visa"), lambda: _trades("iso18245_official")),
        "trades, another card": (lambda: _trades("mastercard"), lambda: _trades("usda")),
        "currencies": (lambda: _locale("currencies"), lambda: _iso("4217", "alpha_3")),
        "countries": (lambda: _locale("territories"), lambda: _iso("3166-1", "alpha_2")),
        "scripts": (lambda: _locale("scripts"), lambda: _iso("15924", "alpha_4")),
    }


def _file(package: str, *path: str) -> Traversable:
    return files(package).joinpath(*path)


def _rows(file: Traversable) -> list[dict[str, str]]:
    with file.open(encoding="utf-8") as lines:
        return list(csv.DictReader(lines))


def _pick(names: Mapping[str, str], codes: re.Pattern[str]) -> dict[str, str]:
    return {code: name for code, name in names.items() if codes.match(code)}


def _navigation_airports() -> dict[str, str]:
    return {row["icao"]: row["name"] for row in _rows(_file("openap", "data", "nav", "airports.csv"))}


def _airports(code: str) -> dict[str, str]:
    rows = _rows(_file("airportsdata", "airports.csv"))
    return {row[code]: row["name"] for row in rows if row["iata"] and row[code]}


def _long_airports() -> dict[str, str]:
    import gzip

    with _file("airports", "data", "airports.gz").open("rb") as packed:
        rows = json.loads(gzip.decompress(packed.read()))
    return {row["iata"]: row["airport"] for row in rows}


def _states() -> dict[str, str]:
    rows = json.loads(_file("country_state_city", "data", "state.json").read_text("utf-8"))
    return {f"{row['countryCode']}-{row['isoCode']}": row["name"] for row in rows}


def _banks(name: str) -> dict[str, str]:
    rows = json.loads(_file("schwifty", "bank_registry", "generated_de.json").read_text("utf-8"))
    return {str(place): row[name] for place, row in enumerate(rows)}


def _makers() -> dict[str, str]:
    lines = _file("manuf", "manuf").read_text("utf-8").splitlines()
    fields = [line.split("\t") for line in lines if not line.startswith("#")]
    return {cells[0]: cells[2].strip() for cells in fields if len(cells) > 2 and len(cells[0]) == 8}


def _registered_makers() -> dict[str, str]:
    text = _file("netaddr", "eui", "oui.txt").read_text("utf-8")
    found = re.findall(r"(?m)^([0-9A-F-]{8})\s+\(hex\)\s+(.*\S)", text)
    return {code.replace("-", ":"): name for code, name in found}


def _trades(source: str) -> dict[str, str]:
    rows = _rows(_file("iso18245", "data", f"{source}_list.csv"))
    return {row["MCC"]: row["DESCRIPTION"].strip() for row in rows}


def _iso(standard: str, code: str) -> dict[str, str]:
    path = ("share", "iso-codes", "json", f"iso_{standard}.json")
    rows = json.loads(_file("isocodes", *path).read_text("utf-8"))[standard]
    return {row[code]: row["name"] for row in rows}


def _locale(names: str) -> dict[str, str]:
    from babel import Locale

    found: dict[str, str] = dict(getattr(Locale("en"), names))
    if names == "languages":
        rows = json.loads(
            _file("isocodes", "share", "iso-codes", "json", "iso_639-3.json").read_text("utf-8")
        )["639-3"]
        longer = {row["alpha_2"]: row["alpha_3"] for row in rows if "alpha_2" in row}
        return {longer.get(code, code): name for code, name in found.items()}
    return found
