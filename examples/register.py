"""The steward's month from Python: look, apply the rulebook, read the account, write the clean table."""

from pathlib import Path

import pandas as pd

import igual
from igual.demo.layout import lay_out

folder = lay_out(Path("port")).folder  # the sample that `igual demo port` lays out
trees = pd.read_csv(folder / "trees.csv", dtype=str, keep_default_na=False)

print(igual.survey(trees[["species", "site"]]))
print("maples, however written:", igual.count(trees["species"], contains="maple", ignore_case=True))

outcome = igual.Rulebook.load(folder / "trees.toml").apply(trees)
print(igual.tally(outcome.table["condition"]))
for hint in outcome.hints:
    print("hint:", hint)

print(outcome.crosswalk("species").sort_values("rows", ascending=False).head(3).to_string(index=False))
for step in outcome.follow("species", "Norway mapel"):
    print(f"rule {step.rule} ({step.do}): {step.before} → {step.after}")

outcome.table.to_csv(folder / "clean.csv", index=False)
