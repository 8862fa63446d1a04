"""A JSON Schema of rulebooks, for editors that complete and check TOML."""

from __future__ import annotations

from typing import Any

from igual.files.rulebooks import FORMAT, CodebookWords, ListWords, PairWords
from igual.report.docstrings import read_docstring
from igual.rules.base import Rule
from igual.rules.check import Check
from igual.rules.registry import find_rules
from igual.settings import Settings

_DIALECT = "https://json-schema.org/draft/2020-12/schema"
_REF = "#/$defs/{model}"


def make_schema() -> dict[str, Any]:
    """Make the schema from the rules that there are, with what their docstrings say of each word.

    Returns:
        The schema (JSON Schema, draft 2020-12).
    """
    shared: dict[str, Any] = {}
    rules = [_describe(rule, shared) for rule in find_rules().values()]
    shelves: dict[str, tuple[str, type[Settings]]] = {
        "lists": ("Reference lists by the names that the rules use.", ListWords),
        "codebooks": ("Codebooks by the names that the rules use.", CodebookWords),
        "pairs": ("Pair lists by the names that the rules use.", PairWords),
    }
    properties: dict[str, Any] = {
        "igual": {"const": FORMAT, "description": "The version of the form of rulebooks."}
    }
    properties["headers"] = {
        "type": "string",
        "description": "A style of the rule `case` for the names of the columns.",
    }
    for name, (said, words) in shelves.items():
        entry = _describe(words, shared)
        properties[name] = {"type": "object", "description": said, "additionalProperties": entry}
    properties["rule"] = {
        "type": "array",
        "description": "The rules, applied from first to last, each to what the ones before it made.",
        "items": {"oneOf": rules},
    }
    properties["check"] = {
        "type": "array",
        "description": "What must hold of the clean columns.",
        "items": _describe(Check, shared),
    }
    return {
        "$schema": _DIALECT,
        "title": "A rulebook of Igual",
        "type": "object",
        "required": ["igual"],
        "additionalProperties": False,
        "properties": properties,
        "$defs": shared,
    }


def _describe(words: type[Settings], shared: dict[str, Any]) -> dict[str, Any]:
    """The schema of some words, with descriptions; what it refers to goes into `shared`."""
    schema = words.model_json_schema(by_alias=True, ref_template=_REF)
    for name, part in schema.pop("$defs", {}).items():
        shared[name] = _with_summary(part)
    doc = read_docstring(words)
    said = (read_docstring(Rule).entries if issubclass(words, Rule) else {}) | doc.entries
    schema["description"] = doc.summary
    for name, prop in schema["properties"].items():
        prop.pop("title", None)
        if about := said.get(name) or said.get(f"{name}_"):
            prop["description"] = about
    if "do" in schema["properties"]:
        schema["required"] = [*schema.get("required", []), "do"]
        schema["properties"]["do"].pop("default", None)
    return schema


def _with_summary(part: dict[str, Any]) -> dict[str, Any]:
    """A shared part, described by the first line of its docstring."""
    if "description" in part:
        part["description"] = part["description"].splitlines()[0]
    return part
