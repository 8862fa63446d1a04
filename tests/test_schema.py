"""The JSON Schema of rulebooks, by which editors complete and check them."""

from __future__ import annotations

import json
import tomllib
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest

import igual
from tests.attack.forked import Done


def test_editors_complete_and_check_rulebooks(trees: Path, run: Callable[..., Done]) -> None:
    jsonschema = pytest.importorskip("jsonschema")
    schema: dict[str, Any] = json.loads(run("rules --schema").stdout)
    shipped = Path(igual.__file__).parent / "rulebook.schema.json"
    assert json.loads(shipped.read_text("utf-8")) == schema, "make reference writes it anew"
    jsonschema.Draft202012Validator.check_schema(schema)
    validator = jsonschema.Draft202012Validator(schema)
    book = tomllib.loads((trees / "trees.toml").read_text("utf-8"))
    assert list(validator.iter_errors(book)) == []
    for change in ({"colmn": "species"}, {"do": "spacng"}, {"column": 7}):
        wrong = {**book, "rule": [{**book["rule"][1], **change}]}
        assert list(validator.iter_errors(wrong)), change
    assert list(validator.iter_errors({**book, "lists": {"species": {"fil": "species.csv"}}}))
    (match,) = (
        rule
        for rule in schema["properties"]["rule"]["items"]["oneOf"]
        if rule["properties"]["do"]["const"] == "match"
    )
    assert match["properties"]["settle"]["description"].startswith("Minimum score to accept a match")
    assert match["properties"]["column"]["description"] == "The column to work on."
