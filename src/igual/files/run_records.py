"""The record of a run: what was read, by which rules, what was found and written, with digests."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Iterable, Mapping
from datetime import UTC, datetime
from importlib.metadata import version
from pathlib import Path
from typing import Any

from igual.runs.account import Account
from igual.runs.findings import Finding

FORMAT = 1
_LIBRARIES = ("igual", "numpy", "scipy", "pyarrow")


def digest(path: Path) -> str:
    """Compute the SHA-256 digest of a file."""
    with path.open("rb") as file:
        return hashlib.file_digest(file, "sha256").hexdigest()


def run_record(
    account: Account,
    findings: Iterable[Finding],
    inputs: Mapping[str, Iterable[Path]],
    outputs: Mapping[str, tuple[str, Path]],
    rows: int,
    by: str,
) -> dict[str, Any]:
    """What happened in a run. Names of files are recorded, not where they lie.

    Args:
        account: The account of the run.
        findings: What was found.
        inputs: Files by what they are.
        outputs: By what they are, the name and where the content is now.
        rows: How many rows the table has.
        by: Who ran it.
    """
    counts: dict[str, dict[str, int]] = {}
    for one in findings:
        entry = counts.setdefault(one.kind, {"values": 0, "rows": 0})
        entry["values"] += len(one.values)
        entry["rows"] += one.rows
    names = ("rule", "do", "column", "values", "rows", "unknown_values", "open_values")
    return {
        "format": FORMAT,
        "at": datetime.now(UTC).strftime("%Y-%m-%dT%H:%M:%SZ"),
        "by": by,
        "versions": {name: version(name) for name in _LIBRARIES},
        "inputs": [_file(what, path.name, path) for what, paths in inputs.items() for path in paths],
        "rows": rows,
        "rules": [{name: getattr(effect, name) for name in names} for effect in account.effects],
        "findings": counts,
        "outputs": [_file(what, Path(name).name, path) for what, (name, path) in outputs.items()],
    }


def _file(what: str, name: str, path: Path) -> dict[str, str]:
    return {"what": what, "name": name, "sha256": digest(path)}


def write_record(record: Mapping[str, Any], path: Path) -> None:
    """Write the record of a run as JSON, which has an escape for bytes of files' names that are no characters."""
    text = json.dumps(record, ensure_ascii=False, indent=2) + "\n"
    path.write_text(text, encoding="utf-8", errors="backslashreplace", newline="")
