"""Two months from Python: what is open goes out on a sheet, rulings come back, and the next month knows them."""

from dataclasses import replace
from pathlib import Path

import pandas as pd

import igual
from igual.demo.layout import lay_out

folder = lay_out(Path("port")).folder  # the sample that `igual demo port` lays out
may, june = (
    pd.read_csv(folder / name, dtype=str, keep_default_na=False) for name in ("trees.csv", "june.csv")
)

book = replace(igual.Rulebook.load(folder / "trees.toml"), rulings=igual.Rulings())
first = book.apply(may)
first.save_open(folder / "open.xlsx")
print("open in May:", first.open["value"].tolist())

# A steward has filled in the sheet; one of the rulings is misspelt.
rulings = igual.Rulings.load(folder / "trees.rulings.csv")
review = rulings.review(folder / "ruled.csv", book, by="Ines", on="2026-05-31")
print(review.refused["why"].tolist())

second = replace(book, rulings=review.rulings).apply(june)
print("open in June:", second.open["value"].tolist())
how = second.crosswalk("species")
print(how[how["how"].str.contains("ruling")].to_string(index=False))

# The crosswalk does the same without the rulebook.
second.crosswalks.save(folder / "june.sssom.tsv")
again = igual.Crosswalk.load(folder / "june.sssom.tsv").apply(june)
print("not in the crosswalk:", again.unknown["value"].tolist()[:5])
