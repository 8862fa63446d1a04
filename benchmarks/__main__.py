"""All figures, each in a process of its own; each says whether it holds, in words and as JSON."""

from __future__ import annotations

import json
import os
import subprocess
import sys
from pathlib import Path

from igual.errors import did_you_mean

FIGURES = {
    "rows": "figures.many_rows",
    "distinct": "figures.all_distinct_values",
    "file": "figures.a_file",
    "start": "figures.start_up",
    "cities": "world_cities.run",
    "pairs": "text_rules.many_pairs",
    "mentions": "text_rules.mentions",
    "rules": "text_rules.every_rule",
    "match": "matching.speed",
    "first": "matching.first_right",
    "one": "matching.one_value",
    "accuracy": "matching.accuracy",
    "growth": "matching.growth",
    "names": "questions.names",
    "lookalikes": "questions.lookalikes",
    "contexts": "contexts.contexts",
    "learn": "learning.tasks",
    "text": "streams.text_table",
    "parquet": "streams.parquet_file",
    "survey": "figures.wide_survey",
    "one column": "figures.survey_of_distinct",
    "survey of text": "streams.survey_of_text",
    "folded": "figures.exact_and_folded",
    "spark": "clusters.spark",
}
LARGE = {"large": "matching.large"}
RESULTS = Path(__file__).parent / ".data" / "results.json"


def measure(name: str) -> list[dict[str, object]]:
    """Run one figure in a process of its own, so that none pays for the memory of another."""
    module, function = (FIGURES | LARGE)[name].split(".")
    lines = RESULTS.with_name("lines.json")
    lines.unlink(missing_ok=True)
    code = f"from benchmarks import {module}; {module}.{function}()"
    env = {**os.environ, "IGUAL_BENCH_LINES": str(lines)}
    subprocess.run([sys.executable, "-c", code], check=True, env=env)
    return [json.loads(line) for line in lines.read_text().splitlines()] if lines.exists() else []


def compare(kept: Path) -> None:
    """Show each figure beside that of a kept run."""
    before, now = (json.loads(path.read_text()) for path in (kept, RESULTS))
    for name, lines in now.items():
        old = {line["what"]: line["value"] for line in before.get(name, [])}
        for line in lines:
            if line["what"] in old:
                print(f"  {name:10} {line['what']:60} {old[line['what']]:10.2f} → {line['value']:10.2f}")


def main(words: list[str]) -> None:
    RESULTS.parent.mkdir(exist_ok=True)
    if words[:1] == ["compare"]:
        compare(Path(words[1]))
        return
    known = FIGURES | LARGE
    for name in words:
        if name not in known:
            sys.exit(f"no figure is called {name!r}{did_you_mean(name, known, most=len(known))}")
    results = json.loads(RESULTS.read_text()) if RESULTS.exists() else {}
    for name in words or list(FIGURES):
        results[name] = measure(name)
        RESULTS.write_text(json.dumps(results, indent=2) + "\n")
    print(f"as JSON: {RESULTS}")


if __name__ == "__main__":
    main(sys.argv[1:])
