"""Rules and their words, for the terminal."""

from __future__ import annotations

import json
from collections.abc import Mapping
from typing import Any

from rich.console import Group, RenderableType
from rich.text import Text

from igual.report.docstrings import read_docstring
from igual.report.tables import draw_table
from igual.rules.base import Rule

_SHARED = tuple(Rule.model_fields)


def rules_view(rules: Mapping[str, type[Rule]]) -> RenderableType:
    """List rules with a line and an example each.

    Args:
        rules: The rules by their `do` words.

    Returns:
        A table.
    """
    rows = []
    for do, rule in rules.items():
        doc = read_docstring(rule)
        example = next((line[4:] for line in doc.example if line.startswith(f">>> {rule.__name__}(")), "")
        rows.append((Text(do, "bold"), doc.summary, Text(example, "dim")))
    note = Text("igual rules RULE shows one with all its words.", "dim")
    return Group(draw_table("What rules can do", ("do", "", "for example"), rows), note)


def rule_view(rule: type[Rule]) -> RenderableType:
    """Show one rule with all its words.

    Args:
        rule: The rule.

    Returns:
        Its description, its words and an example.
    """
    record = describe_rule(rule)
    rows = [(Text(word["word"], "bold"), word["default"], word["text"]) for word in record["words"]]
    parts: list[RenderableType] = [Text.assemble((record["do"], "bold"), f": {record['summary']}")]
    parts += [Text(f"\n{record['text']}")] if record["text"] else []
    parts += ["", draw_table("Its words", ("word", "default", "what it is"), rows)]
    parts += [Text("Every rule also takes column or columns, into, when and note.", "dim")]
    parts += [Text("\n".join(["", *record["example"]]), "cyan")]
    return Group(*parts)


def describe_rule(rule: type[Rule]) -> dict[str, Any]:
    """Describe a rule as a record.

    Args:
        rule: The rule.

    Returns:
        Its do word, summary, text, words and example.
    """
    doc = read_docstring(rule)
    words = [
        {"word": name, "default": _format_default(field), "text": doc.entries.get(name, "")}
        for name, field in rule.model_fields.items()
        if name not in _SHARED
    ]
    return {
        "do": rule.model_fields["do"].default,
        "summary": doc.summary,
        "text": doc.text,
        "words": words,
        "example": doc.example,
    }


def _format_default(field: Any) -> str:
    if field.is_required():
        return "(must be given)"
    default = field.get_default(call_default_factory=True)
    return "(not set)" if default is None else json.dumps(default)
