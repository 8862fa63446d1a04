"""Write docs/reference.md from docstrings and the command's own help, so that it can't go stale."""

from __future__ import annotations

import inspect
import json
import subprocess
import sys
from functools import cached_property
from pathlib import Path
from typing import Any

import igual
from igual import rules
from igual.conditions import Condition
from igual.files.rulebook_schema import make_schema
from igual.report import records
from igual.report.docstrings import read_docstring
from igual.report.learned_views import VALUES
from igual.rules.base import Rule as BaseRule
from igual.rules.registry import find_rules

ROOT = Path(__file__).parent.parent
FUNCTIONS = (
    "survey", "tally", "count", "cross_table", "compare", "date_forms", "restyle_headers", "match", "lookalikes",
    "draft", "learn", "review", "compare_lists",
)  # fmt: skip
CLASSES = (
    "Survey", "Tally", "Matches", "Question", "MatchIndex", "Lookalikes", "Draft", "Learned", "Rulebook",
    "Outcome", "Rulings", "Review", "ReviewPage", "Crosswalk",
    "Applied", "Database", "ReferenceList", "Codebook", "PairList",
)  # fmt: skip
ERRORS = ("IgualError", "TableError", "ListError", "RulebookError", "RulingError", "OutputError")
COMMANDS = (
    "survey",
    "tally",
    "lookalikes",
    "draft",
    "learn",
    "match",
    "apply",
    "review",
    "check",
    "crosswalk",
    "rules",
    "lists",
    "demo",
)
SHARED = ("column", "columns", "into", "when", "note")
JSON: dict[str, dict[str, Any]] = {
    "survey": {"rows": None, "columns": records.COLUMNS, "oddities": records.ODDITIES},
    "tally": {"column": None, "rows": None, "counted": None, "values": records.TALLY},
    "apply": {
        "rulebook": None, "table": None, "rows": None, "effects": records.EFFECTS, "unknown": records.UNKNOWN,
        "open": records.OPEN, "unfit": records.UNFIT, "unused": records.UNUSED, "near_misses": records.NEAR_MISSES,
        "hints": records.HINTS, "written": None,
    },
    "learn": {
        "rules": ("score", "sentence", "rules"),
        "values": VALUES,
        "ask": None,
        "breaks": None,
        "unexplained_rows": None,
    },
    "draft": {"rules": None, "pairs": None, "codes": None, "headers": None, "not_used": None, "written": None},
    "match": {
        "column": None,
        "list": None,
        "counts": None,
        "questions": records.QUESTIONS,
        "matches": records.MATCHES,
    },
    "review": {
        "rulings": None, "written": None, "taken": records.TAKEN, "refused": records.REJECTED, "known": None,
        "unanswered": None, "outdated": None,
    },
    "lookalikes": {"column": None, "lookalikes": records.LOOKALIKES},
    "check": {"in_order": None, "rows": None, "findings": records.FINDINGS, "since": records.SINCE},
    "crosswalk": {"crosswalk": None, "table": None, "unknown": ("column", "value", "rows", "why"), "written": None},
    "lists": {"changes": records.LIST_CHANGES, "touches": records.AFFECTED},
}  # fmt: skip


def docstring(thing: Any) -> str:
    """A docstring as Markdown: every argument and attribute a line, the example fenced."""
    doc = read_docstring(thing)
    parts = [doc.summary, doc.text]
    parts.append("\n".join(f"- `{name}`: {text}" for name, text in doc.entries.items()))
    parts.append(f"Returns: {doc.returns}" if doc.returns else "")
    parts.append("\n".join(f"- Raises `{name}`: {text}" for name, text in doc.raises.items()))
    parts.append("\n".join(["```pycon", *doc.example, "```"]) if doc.example else "")
    return "\n\n".join(part for part in parts if part)


class _Type(str):
    """A type as a signature says it: without quotes, which are left to defaults."""

    def __repr__(self) -> str:
        return str(self)


def signature(name: str, function: Any) -> str:
    return f"`{name}{_parameters(function)}`"


def _parameters(function: Any) -> str:
    plain = inspect.signature(function)
    typed = [
        each if each.annotation is each.empty else each.replace(annotation=_Type(each.annotation))
        for each in plain.parameters.values()
        if each.name != "self"
    ]
    result = plain.return_annotation
    return str(
        plain.replace(parameters=typed, return_annotation=result if result is plain.empty else _Type(result))
    )


def members(kind: type) -> list[str]:
    """Methods and properties that are the class's own and have something to say."""
    parts: list[str] = []
    for name, member in vars(kind).items():
        if name.startswith("_"):
            continue
        if isinstance(member, classmethod):
            parts += [
                f"#### {signature(f'{kind.__name__}.{name}', getattr(kind, name))}",
                docstring(member.__func__),
            ]
        elif inspect.isfunction(member):
            parts += [f"#### `.{name}{_parameters(member)}`", docstring(member)]
        elif isinstance(member, property | cached_property):
            parts += [f"#### `.{name}`", docstring(member)]
    return parts


def defaults(kind: Any) -> str:
    """The settings of a rule and what they are when nothing is said."""
    rows = ["| word | when nothing is said |", "|---|---|"]
    for name, field in kind.model_fields.items():
        if name not in (*SHARED, "do"):
            default = (
                "(must be given)"
                if field.is_required()
                else said(field.get_default(call_default_factory=True))
            )
            rows.append(f"| `{name}` | {default} |")
    return "\n".join(rows)


def said(default: Any) -> str:
    """A default as a rulebook would say it."""
    return "(not set)" if default is None else f"`{json.dumps(default)}`"


def help_of(command: str) -> str:
    call = [str(Path(sys.executable).parent / "igual"), *command.split(), "--help"]
    return subprocess.run(
        call, capture_output=True, text=True, check=True, env={"COLUMNS": "90"}
    ).stdout.rstrip()


def page() -> str:
    parts = [
        "# Reference",
        "Made from the docstrings by `make reference`; a test sees to it that it is current.",
        "## Functions",
    ]
    for name in FUNCTIONS:
        parts += [
            f"### `igual.{name}`",
            signature(f"igual.{name}", getattr(igual, name)),
            docstring(getattr(igual, name)),
        ]
    parts += ["## Conditions", docstring(Condition)]
    parts += ["## Rules", "Every rule takes these words:", docstring(BaseRule)]
    for kind in find_rules().values():
        do = kind.model_fields["do"].default
        parts += [
            f"### `{do}`",
            f"In Python: `igual.rules.{kind.__name__}`.",
            docstring(kind),
            defaults(kind),
        ]
    parts += [
        "### Checks",
        "In a rulebook a `[[check]]`, in Python `igual.rules.Check`.",
        docstring(rules.Check),
    ]
    parts += ["### Alone on one column", signature("Rule.on", BaseRule.on), docstring(BaseRule.on)]
    parts += ["## Classes"]
    for name in CLASSES:
        parts += [f"### `igual.{name}`", docstring(getattr(igual, name)), *members(getattr(igual, name))]
    parts += ["## Errors"]
    parts += [f"- `igual.{name}`: {inspect.cleandoc(getattr(igual, name).__doc__)}" for name in ERRORS]
    parts += ["## Command line", "```text\n" + help_of("") + "\n```"]
    parts += [f"### `igual {command}`\n\n```text\n{help_of(command)}\n```" for command in COMMANDS]
    parts += [
        "## What `--json` prints",
        "One object; lists in it hold objects with the keys named beside them.",
    ]
    for command, keys in JSON.items():
        said = [f"`{key}`" + (f" ({', '.join(inner)})" if inner else "") for key, inner in keys.items()]
        parts += [f"- `igual {command}`: {', '.join(said)}"]
    return "\n\n".join(parts) + "\n"


if __name__ == "__main__":
    target = Path(sys.argv[1]) if len(sys.argv) > 1 else ROOT / "docs" / "reference.md"
    target.write_text(page(), encoding="utf-8")
    if len(sys.argv) == 1:
        schema = json.dumps(make_schema(), ensure_ascii=False, indent=1) + "\n"
        (ROOT / "src" / "igual" / "rulebook.schema.json").write_text(schema, encoding="utf-8")
