"""Crosswalks as SSSOM, the Simple Standard for Sharing Ontological Mappings: TSV with a metadata header.

Raw and clean values are mapped as literals (subject_type and object_type 'rdfs literal'), the column stands in
subject_category. Follows version 1.0 of the schema: https://w3id.org/sssom/
"""

from __future__ import annotations

import csv
import hashlib
import io
import json
from pathlib import Path

import pyarrow as pa

from igual.errors import TableError, did_you_mean
from igual.files.sources import existing_file
from igual.runs.crosswalk import Crosswalk
from igual.runs.crosswalk_rows import FUZZY, RULING, SCHEMA

ENDING = ".sssom.tsv"
_EXACT, _CLOSE = "skos:exactMatch", "skos:closeMatch"
_LITERAL = "rdfs literal"
_COLUMNS = (
    "subject_label", "subject_category", "subject_type", "predicate_id", "object_label", "object_type",
    "mapping_justification", "confidence", "other",
)  # fmt: skip
_PREFIXES = {
    "rdfs": "http://www.w3.org/2000/01/rdf-schema#",
    "semapv": "https://w3id.org/semapv/vocab/",
    "skos": "http://www.w3.org/2004/02/skos/core#",
}
_RULED, _LIKE = "semapv:ManualMappingCuration", "semapv:LexicalSimilarityThresholdMatching"
_LOOKED_UP, _SEVERAL = "semapv:LexicalMatching", "semapv:CompositeMatching"
_NO_LICENSE = "https://w3id.org/sssom/license/unspecified"


def is_sssom(path: str | Path) -> bool:
    """Tell whether a file is named as SSSOM."""
    return str(path).lower().endswith(ENDING)


def write_sssom(crosswalk: Crosswalk, path: Path, tool_version: str) -> None:
    """Write the settled values of a crosswalk; what is open or unlisted, blank or missing maps to nothing."""
    text = io.StringIO()
    writer = csv.writer(text, delimiter="\t", lineterminator="\n")
    writer.writerow(_COLUMNS)
    names = ("column", "raw", "clean", "rows", "how", "way", "score", "settled", "source")
    for column, raw, clean, rows, how, way, likeness, settled, source in zip(
        *(crosswalk.table[name].to_pylist() for name in names), strict=True
    ):
        if not (raw or "").strip() or not clean or not settled:
            continue
        score = likeness if way == FUZZY else None
        predicate = _EXACT if score is None else _CLOSE
        about = {"rows": rows, "how": how or "", "way": way or "", "source": source}
        other = "|".join(f"{key}: {str(text).replace('|', '/')}" for key, text in about.items())
        confidence = "1.0" if score is None else f"{score:.2f}"
        writer.writerow(
            [
                raw,
                column,
                _LITERAL,
                predicate,
                clean,
                _LITERAL,
                _justification(way or "", ";" in (how or "")),
                confidence,
                other,
            ]
        )
    body = text.getvalue()
    digest = hashlib.sha256(body.encode()).hexdigest()
    head = ["curie_map:", *(f"  {name}: {json.dumps(url)}" for name, url in _PREFIXES.items())]
    head += [f"mapping_set_id: {json.dumps(f'https://w3id.org/sssom/mappings/{digest[:32]}')}"]
    head += [f"license: {json.dumps(_NO_LICENSE)}", "mapping_tool: igual"]
    head += [f"mapping_tool_version: {json.dumps(tool_version)}"]
    path.write_text("".join(f"#{line}\n" for line in head) + body, encoding="utf-8", newline="")


def _justification(way: str, several_rules: bool) -> str:
    if way in (RULING, FUZZY):
        return _RULED if way == RULING else _LIKE
    return _SEVERAL if several_rules else _LOOKED_UP


def read_sssom(path: str | Path, column: str | None = None) -> Crosswalk:
    """Read mappings as a crosswalk; broader, narrower and negated ones are left out.

    Args:
        path: The file.
        column: The column they are for, where subject_category doesn't say.

    Raises:
        TableError: For what isn't SSSOM.
    """
    found = existing_file(path)
    try:
        lines = found.read_text("utf-8-sig").splitlines(keepends=True)
    except UnicodeDecodeError as error:
        raise TableError(f"{found.name} is not valid utf-8 at offset {error.start:,}") from None
    body = "".join(line for line in lines if not line.startswith("#"))
    rows = list(csv.DictReader(io.StringIO(body, newline=""), delimiter="\t"))
    names = list(rows[0]) if rows else body.split("\n")[0].rstrip("\r").split("\t")
    for name in ("predicate_id", "mapping_justification"):
        if name not in names:
            raise TableError(
                f"{found.name} is no SSSOM table: it has no column {name!r}{did_you_mean(name, names)}"
            )
    records = []
    for number, row in enumerate(rows, 1):
        if row["predicate_id"] not in (_EXACT, _CLOSE) or row.get("predicate_modifier"):
            continue
        raw, clean = (row.get(f"{side}_label") or row.get(f"{side}_id") for side in ("subject", "object"))
        named = row.get("subject_category") or column
        if not raw or not clean:
            raise TableError(f"{found.name}, mapping {number}: it has no subject or no object")
        if not named:
            raise TableError(
                f"{found.name}, mapping {number}: subject_category doesn't say which column is meant"
            )
        about = dict(part.split(": ", 1) for part in (row.get("other") or "").split("|") if ": " in part)
        way, score = _read_way(row)
        way = about.get("way", way)
        how = about.get("how") or (f"{way} {score:.2f}" if score is not None else way)
        rows_said = about.get("rows", "")
        many = int(rows_said) if rows_said.isdecimal() else 0
        records.append((named, raw, clean, many, how, way, score, True, about.get("source") or named, None))
    columns = list(zip(*records, strict=True)) if records else [()] * len(SCHEMA)
    arrays = [pa.array(cells, kind) for cells, kind in zip(columns, SCHEMA.values(), strict=True)]
    return Crosswalk(pa.table(arrays, schema=pa.schema(SCHEMA)))


def _read_way(row: dict[str, str]) -> tuple[str, float | None]:
    """How a mapping was found, and its score where it was found by likeness."""
    if row["mapping_justification"] == _RULED:
        return RULING, None
    confidence = row.get("confidence") or ""
    return (FUZZY, float(confidence)) if row["predicate_id"] == _CLOSE and confidence else ("exact", None)
