"""Crosswalks as SSSOM, the Simple Standard for Sharing Ontological Mappings: TSV with a metadata header.

Raw and clean values are mapped as literals (subject_type and object_type 'rdfs literal'), the column stands in
subject_category. Follows version 1.0 of the schema: https://w3id.org/sssom/
"""

from __future__ import annotations

import csv
import hashlib
import io
import json
import re
from collections import Counter
from pathlib import Path

import pyarrow as pa

from igual.errors import TableError, did_you_mean, error_context
from igual.files.csv_rows import encode_csv
from igual.files.quotes import csv_of_any_size
from igual.files.sources import existing_file, reading
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
_CONFIDENCE = re.compile(r"0(\.[0-9]{1,20})?|1(\.0{1,20})?")
_MOST_DIGITS = 15
_NO_LICENSE = "https://w3id.org/sssom/license/unspecified"


def is_sssom(path: str | Path) -> bool:
    """Tell whether a file is named as SSSOM."""
    return str(path).lower().endswith(ENDING)


def write_sssom(crosswalk: Crosswalk, path: Path, tool_version: str) -> None:
    """Write the settled values of a crosswalk; what is open or unlisted, blank or missing maps to nothing."""
    rows = []
    names = ("column", "raw", "clean", "rows", "how", "way", "score", "settled", "source")
    for column, raw, clean, count, how, way, likeness, settled, source in zip(
        *(crosswalk.table[name].to_pylist() for name in names), strict=True
    ):
        if not (raw or "").strip() or not clean or not settled:
            continue
        score = likeness if way == FUZZY else None
        about = {"rows": count, "how": how or "", "way": way or "", "source": source}
        other = "|".join(f"{key}: {_escape(str(text))}" for key, text in about.items())
        confidence = "1.0" if score is None else f"{score:.2f}"
        predicate = _EXACT if score is None else _CLOSE
        why = _justification(way or "", ";" in (how or ""))
        rows.append((raw, column, _LITERAL, predicate, clean, _LITERAL, why, confidence, other))
    columns = [[row[at] for row in rows] for at in range(len(_COLUMNS))]
    table = pa.table([pa.array(cells, pa.string()) for cells in columns], names=_COLUMNS)
    # A line that begins with # belongs to the header, and to readers that take it for a comment anywhere.
    body = b"".join(encode_csv(table, "\t", quoted_start="\ufeff#"))
    digest = hashlib.sha256(body).hexdigest()
    head = ["curie_map:", *(f"  {name}: {json.dumps(url)}" for name, url in _PREFIXES.items())]
    head += [f"mapping_set_id: {json.dumps(f'https://w3id.org/sssom/mappings/{digest[:32]}')}"]
    head += [f"license: {json.dumps(_NO_LICENSE)}", "mapping_tool: igual"]
    head += [f"mapping_tool_version: {json.dumps(tool_version)}"]
    path.write_bytes("".join(f"#{line}\n" for line in head).encode() + body)


def _escape(text: str) -> str:
    """A text as one of several in a cell: they stand between bars."""
    return text.replace("\\", "\\\\").replace("|", "\\|")


def _read_others(cell: str) -> dict[str, str]:
    """What Igual says beside a mapping: 'rows: 3|how: …'."""
    parts = [re.sub(r"\\(.)", r"\1", part) for part in re.findall(r"(?:\\.|[^\\|])+", cell, re.DOTALL)]
    return dict(part.split(": ", 1) for part in parts if ": " in part)


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
    existing = existing_file(path)
    with reading(existing.name):
        names, rows = _read_rows(existing)
    for name in ("predicate_id", "mapping_justification"):
        if name not in names:
            raise TableError(
                f"{existing.name} is no SSSOM table: it has no column {name!r}{did_you_mean(name, names)}"
            )
    records = []
    for number, cells in enumerate(rows, 1):
        if len(cells) > len(names):
            raise TableError(
                f"{existing.name}, mapping {number}: {len(cells)} cells found, {len(names)} expected"
            )
        row = dict(zip(names, cells, strict=False))
        if row.get("predicate_id") not in (_EXACT, _CLOSE) or row.get("predicate_modifier"):
            continue
        raw, clean = (row.get(f"{side}_label") or row.get(f"{side}_id") for side in ("subject", "object"))
        named = row.get("subject_category") or column
        if not raw or not clean:
            raise TableError(f"{existing.name}, mapping {number}: it has no subject or no object")
        if not named:
            raise TableError(
                f"{existing.name}, mapping {number}: subject_category doesn't say which column is meant"
            )
        about = _read_others(row.get("other") or "")
        with error_context(f"{existing.name}, mapping {number}", TableError):
            way, score = _read_way(row)
            count = _read_count(about.get("rows", ""))
        way = about.get("way", way)
        how = about.get("how") or (f"{way} {score:.2f}" if score is not None else way)
        records.append((named, raw, clean, count, how, way, score, True, about.get("source") or named, None))
    columns = list(zip(*records, strict=True)) if records else [()] * len(SCHEMA)
    arrays = [pa.array(cells, kind) for cells, kind in zip(columns, SCHEMA.values(), strict=True)]
    return Crosswalk(pa.table(arrays, schema=pa.schema(SCHEMA)))


def _read_rows(path: Path) -> tuple[list[str], list[list[str]]]:
    """The column names and the cells of each mapping; the lines before them that begin with # say other things."""
    text = path.read_bytes().decode("utf-8-sig")
    head = re.match(r"(?:#[^\r\n]*(?:\r\n|\r|\n|\Z))*", text)
    body = text[head.end() if head else 0 :]
    with csv_of_any_size():
        lines = [
            line for line in csv.reader(io.StringIO(body, newline=""), delimiter="\t", strict=True) if line
        ]
    names = lines[0] if lines else []
    if twice := [name for name, times in Counter(names).items() if times > 1]:
        raise TableError(f"{path.name} has several columns {twice[0]!r}")
    return names, lines[1:]


def _read_count(text: str) -> int:
    if text and not (text.isascii() and text.isdecimal() and len(text) <= _MOST_DIGITS):
        raise TableError(f"{text[:40]!r} is no number of rows")
    return int(text or 0)


def _read_way(row: dict[str, str]) -> tuple[str, float | None]:
    """How a mapping was found, and its score where it was found by likeness."""
    if row.get("mapping_justification") == _RULED:
        return RULING, None
    confidence = row.get("confidence") or ""
    if row["predicate_id"] != _CLOSE or not confidence:
        return "exact", None
    if not _CONFIDENCE.fullmatch(confidence):
        raise TableError(f"{confidence[:40]!r} is no confidence: a number from 0 to 1")
    return FUZZY, float(confidence)
