"""Docstrings in Google form, taken apart: the reference and `igual rules` are made from them."""

from __future__ import annotations

import inspect
import re
from typing import Any, NamedTuple

_SECTION = re.compile(r"^(Args|Attributes|Returns|Raises|Yields|Example):$")
_ENTRY = re.compile(r"^    (\*{0,2}\w+): (.*)$")


class Docstring(NamedTuple):
    """A docstring's parts.

    Attributes:
        summary: The first line.
        text: The paragraphs after it.
        entries: Arguments or attributes, and what is written about each.
        returns: What a function returns.
        raises: Errors, and when they are raised.
        example: The lines of the example.
    """

    summary: str
    text: str
    entries: dict[str, str]
    returns: str
    raises: dict[str, str]
    example: list[str]


def read_docstring(thing: Any) -> Docstring:
    """Take the docstring of a function or class apart.

    Args:
        thing: The function or class.

    Returns:
        Its parts.
    """
    sections: dict[str, list[str]] = {"": []}
    name = ""
    for line in inspect.cleandoc(thing.__doc__ or "").splitlines():
        if heading := _SECTION.match(line):
            name = heading[1]
        else:
            sections.setdefault(name, []).append(line)
    summary, _, text = "\n".join(sections[""]).partition("\n")
    entries = _read_entries(sections.get("Args", [])) | _read_entries(sections.get("Attributes", []))
    returns = " ".join(line.strip() for line in sections.get("Returns", sections.get("Yields", []))).strip()
    example = inspect.cleandoc("\n" + "\n".join(sections.get("Example", []))).splitlines()
    return Docstring(
        summary, text.strip(), entries, returns, _read_entries(sections.get("Raises", [])), example
    )


def _read_entries(lines: list[str]) -> dict[str, str]:
    entries: dict[str, str] = {}
    name = ""
    for line in lines:
        if entry := _ENTRY.match(line):
            name = entry[1]
            entries[name] = entry[2]
        elif line.strip() and name:
            entries[name] += " " + line.strip()
    return entries
