"""All figures, one after another; each says whether it holds."""

from __future__ import annotations

import sys

from benchmarks import figures, matching, text_rules, world_cities

FIGURES = {
    "rows": figures.many_rows,
    "distinct": figures.all_distinct_values,
    "file": figures.a_file,
    "start": figures.start_up,
    "cities": world_cities.run,
    "pairs": text_rules.many_pairs,
    "mentions": text_rules.mentions,
    "rules": text_rules.every_rule,
    "match": matching.speed,
    "first": matching.first_right,
    "one": matching.one_value,
    "accuracy": matching.accuracy,
    "growth": matching.growth,
}
LARGE = {"large": matching.large}


def main(wanted: list[str]) -> None:
    for name in wanted or list(FIGURES):
        (FIGURES | LARGE)[name]()


if __name__ == "__main__":
    main(sys.argv[1:])
